"""From pictures to frames of each pixel format an encoder takes."""

from collections.abc import Callable, Sequence
from typing import Any

import av
import numpy as np
from numpy.typing import NDArray
from PIL import Image

from upholster.core.chroma import luma_at_chroma
from upholster.core.composite.over import pack_rgba8
from upholster.core.yuv import from_rgb

Plane = NDArray[np.float32]


def _copy_in(frame: Any, planes: Sequence[NDArray[Any]]) -> Any:
    for plane, data in zip(frame.planes, planes, strict=True):
        rows = np.frombuffer(plane, data.dtype).reshape(plane.height, plane.line_size // data.itemsize)
        rows[:, : plane.width] = data
    return frame


def scaled(plane: Plane, top: int) -> NDArray[np.uint16]:
    return (plane.clip(0, 1) * np.float32(top) + np.float32(0.5)).astype(np.uint16)


def _component(name: str, depth: int) -> Callable[[Plane, Plane], Any]:
    """4:4:4 component video, with alpha where `name` says so."""

    def fill(rgb: Plane, alpha: Plane) -> Any:
        frame = av.VideoFrame(alpha.shape[1], alpha.shape[0], name)
        planes = list(from_rgb(rgb, depth=depth, matrix="bt709", code_range="limited"))
        if "yuva" in name:
            planes.append(scaled(alpha, (1 << depth) - 1))
        return _copy_in(frame, planes)

    return fill


def _subsampled(name: str) -> Callable[[Plane, Plane], Any]:
    """8-bit 4:2:0, chroma sited at the left as MPEG video is (ITU-T H.264, figure E-1), from 16-bit codes."""

    def fill(rgb: Plane, alpha: Plane) -> Any:
        frame = av.VideoFrame(alpha.shape[1], alpha.shape[0], name)
        y, cb, cr = from_rgb(rgb, depth=16, matrix="bt709", code_range="limited")
        size = (frame.planes[1].height, frame.planes[1].width)
        small = [luma_at_chroma(c.astype(np.float32), size, (False, True)) for c in (cb, cr)]
        every: list[NDArray[Any]] = [y, *small]
        planes = [((p.astype(np.uint32) + 128) >> 8).clip(0, 255).astype(np.uint8) for p in every]
        if "yuva" in name:
            planes.append(scaled(alpha, 255).astype(np.uint8))
        return _copy_in(frame, planes)

    return fill


def _packed(name: str) -> Callable[[Plane, Plane], Any]:
    """8-bit RGBA in any order."""
    order = [_ORDER.index(c) for c in name]

    def fill(rgb: Plane, alpha: Plane) -> Any:
        frame = av.VideoFrame(alpha.shape[1], alpha.shape[0], name)
        pixels = pack_rgba8(rgb, alpha)[..., order]
        rows = np.frombuffer(frame.planes[0], np.uint8).reshape(pixels.shape[0], -1)
        rows[:, : pixels.shape[1] * 4] = pixels.reshape(pixels.shape[0], -1)
        return frame

    return fill


_ORDER = "rgba"


def _planar(name: str, bits: int) -> Callable[[Plane, Plane], Any]:
    """RGBA planes in FFmpeg's order: green, blue, red, alpha."""

    def fill(rgb: Plane, alpha: Plane) -> Any:
        frame = av.VideoFrame(alpha.shape[1], alpha.shape[0], name)
        return _copy_in(frame, [scaled(p, (1 << bits) - 1) for p in (rgb[1], rgb[2], rgb[0], alpha)])

    return fill


FILLERS = {
    "yuva444p10le": _component("yuva444p10le", 10),
    "yuv444p10le": _component("yuv444p10le", 10),
    "yuva420p": _subsampled("yuva420p"),
    "yuv420p": _subsampled("yuv420p"),
    "rgba": _packed("rgba"),
    "bgra": _packed("bgra"),
    "argb": _packed("argb"),
    "gbrap12le": _planar("gbrap12le", 12),
    "gbrap16le": _planar("gbrap16le", 16),
}


def palette_of(pixels: NDArray[np.uint8], colours: int) -> Image.Image:
    """Palette of at most `colours` for ``(n, 3)`` pixels, by median cut (Heckbert 1982)."""
    side = max(1, int(np.sqrt(len(pixels))))
    square = np.resize(pixels if len(pixels) else np.zeros((1, 3), np.uint8), (side, side, 3))
    return Image.fromarray(square).quantize(colours, method=Image.Quantize.MEDIANCUT, kmeans=2)


def with_palette(palette: Image.Image, clear: int) -> Callable[[Plane, Plane], Any]:
    """Frames of a palette, in which colour number `clear` is transparent (GIF89a, section 23)."""
    entries = np.full((256, 4), (0, 0, 0, 255), np.uint8)
    colours = np.array(palette.getpalette(), np.uint8).reshape(-1, 3)[:clear]
    entries[: len(colours), :3] = colours[:, ::-1]
    # The encoder takes the entry with the least alpha for the transparent one: there must be no other.
    entries[clear, 3] = 0

    def fill(rgb: Plane, alpha: Plane) -> Any:
        frame = av.VideoFrame(alpha.shape[1], alpha.shape[0], "pal8")
        pixels = Image.fromarray(np.ascontiguousarray(pack_rgba8(rgb, alpha)[..., :3]))
        index = np.asarray(pixels.quantize(palette=palette, dither=Image.Dither.NONE)).copy()
        index[alpha < 0.5] = clear
        np.frombuffer(frame.planes[1], np.uint8)[:] = entries.ravel()
        return _copy_in_one(frame, index)

    return fill


def _copy_in_one(frame: Any, data: NDArray[np.uint8]) -> Any:
    plane = frame.planes[0]
    np.frombuffer(plane, np.uint8).reshape(plane.height, plane.line_size)[:, : plane.width] = data
    return frame
