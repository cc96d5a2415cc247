"""Writing keyed frames to one file, or one file a frame. Nothing is visible under its final name
until it is whole."""

from collections.abc import Callable, Sequence
from fractions import Fraction
from pathlib import Path
from types import TracebackType
from typing import Any, Protocol, Self

import av
import cv2
import numpy as np
from numpy.typing import NDArray

from upholster.core.composite import pack_rgba8, premultiply
from upholster.core.yuv import from_rgb
from upholster.media.errors import MediaError
from upholster.media.facts import AlphaKind
from upholster.media.formats import Format

Plane = NDArray[np.float32]

#: ITU-T H.273 code points: BT.709 primaries, transfer and matrix.
_BT709, _RGB = 1, 0
_LIMITED, _FULL = 1, 2


class Writer(Protocol):
    """Takes straight frames in order; leaving the block without an error makes the file whole."""

    def write(self, rgb: Plane, alpha: Plane) -> None: ...

    def __enter__(self) -> Self: ...

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, at: TracebackType | None
    ) -> None: ...


def open_writer(
    form: Format,
    path: Path,
    *,
    width: int,
    height: int,
    rate: Fraction,
    alpha: AlphaKind,
    first: int = 0,
    threads: int = 1,
) -> Writer:
    """A writer to `path`: a file, or for sequences a folder whose pictures are numbered from `first`.

    The file grows under a temporary name and takes its own when whole.
    """
    if alpha not in form.alpha_kinds:
        raise MediaError(f"{form.title} cannot hold {alpha} alpha. Choose {form.alpha_kinds[0]}.")
    if form.sequence:
        return _PictureWriter(form, path, first)
    return _MovieWriter(form, path, width, height, rate, alpha, threads)


def picture_name(folder: Path, frame: int, suffix: str) -> Path:
    return folder / f"{frame:06d}{suffix}"


def _no_room(error: OSError) -> MediaError:
    if error.errno == 28:
        return MediaError("The disk is full. Free some room and render again.")
    return MediaError(f"The file could not be written: {error.strerror or error}.")


class _PictureWriter:
    def __init__(self, form: Format, folder: Path, first: int) -> None:
        self._form, self._folder, self._next = form, folder, first
        folder.mkdir(parents=True, exist_ok=True)

    def write(self, rgb: Plane, alpha: Plane) -> None:
        if self._form.depth == 8:
            pixels = pack_rgba8(rgb, alpha)
        else:
            pixels = (np.stack([*rgb, alpha], axis=-1).clip(0, 1) * np.float32(65535) + np.float32(0.5)).astype(
                np.uint16
            )
        done, data = cv2.imencode(".png", cv2.cvtColor(pixels, cv2.COLOR_RGBA2BGRA), [cv2.IMWRITE_PNG_COMPRESSION, 2])
        if not done:
            raise MediaError("A picture of the sequence could not be written.")
        path = picture_name(self._folder, self._next, self._form.suffix)
        part = path.with_suffix(".part")
        try:
            part.write_bytes(data.tobytes())
        except OSError as error:
            part.unlink(missing_ok=True)
            raise _no_room(error) from error
        part.replace(path)
        self._next += 1

    def __enter__(self) -> Self:
        return self

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, at: TracebackType | None) -> None:
        return None


class _MovieWriter:
    def __init__(
        self,
        form: Format,
        path: Path,
        width: int,
        height: int,
        rate: Fraction,
        alpha: AlphaKind,
        threads: int,
    ) -> None:
        self._form, self._path, self._alpha = form, path, alpha
        self._part = path.with_name(path.name + ".part")
        self._rate, self._count = rate, 0
        try:
            self._container = av.open(str(self._part), "w", format=form.container)
        except OSError as error:
            raise _no_room(error) from error
        self._stream = add_video(self._container, form, width, height, rate, threads)
        self._fill: Callable[[Plane, Plane], Any] = _FILLERS[form.pixels]

    def write(self, rgb: Plane, alpha: Plane) -> None:
        if self._alpha == "premultiplied":
            rgb = premultiply(rgb, alpha)
        frame = self._fill(rgb, alpha)
        _tag(frame, self._form)
        frame.pts, frame.time_base = self._count, 1 / self._rate
        self._count += 1
        self._mux(frame)

    def _mux(self, frame: Any) -> None:
        try:
            self._container.mux(self._stream.encode(frame))
        except (OSError, av.FFmpegError) as error:
            raise _no_room(error if isinstance(error, OSError) else OSError(str(error))) from error

    def __enter__(self) -> Self:
        return self

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, at: TracebackType | None) -> None:
        try:
            if error is None:
                self._mux(None)
            self._container.close()
        except OSError as trouble:
            self._part.unlink(missing_ok=True)
            if error is None:
                raise _no_room(trouble) from trouble
        if error is None:
            self._part.replace(self._path)
        else:
            self._part.unlink(missing_ok=True)


def add_video(container: Any, form: Format, width: int, height: int, rate: Fraction, threads: int) -> Any:
    """The video stream of `form` in an open output container, tagged with what it holds."""
    stream = container.add_stream(form.codec, rate=rate, options=dict(form.options))
    stream.width, stream.height, stream.pix_fmt = width, height, form.pixels
    stream.time_base = stream.codec_context.time_base = 1 / rate
    context = stream.codec_context
    context.thread_count = threads
    _tag(context, form)
    mark_alpha(stream, form)
    return stream


def _tag(what: Any, form: Format) -> None:
    """State on a codec or a frame how its code values stand for colour; encoders look at either."""
    what.color_primaries = what.color_trc = _BT709
    component = form.pixels.startswith("yuv")
    what.colorspace, what.color_range = (_BT709, _LIMITED) if component else (_RGB, _FULL)


def mark_alpha(stream: Any, form: Format) -> None:
    """WebM says in its stream metadata that blocks carry alpha (WebM container guidelines)."""
    if form.container == "webm":
        stream.metadata["alpha_mode"] = "1"


def _copy_in(frame: Any, planes: Sequence[NDArray[Any]]) -> Any:
    for plane, data in zip(frame.planes, planes, strict=True):
        rows = np.frombuffer(plane, data.dtype).reshape(plane.height, plane.line_size // data.itemsize)
        rows[:, : plane.width] = data
    return frame


def _scaled(plane: Plane, top: int) -> NDArray[np.uint16]:
    return (plane.clip(0, 1) * np.float32(top) + np.float32(0.5)).astype(np.uint16)


def _yuva444p10(rgb: Plane, alpha: Plane) -> Any:
    frame = av.VideoFrame(alpha.shape[1], alpha.shape[0], "yuva444p10le")
    return _copy_in(frame, [*from_rgb(rgb, depth=10, matrix="bt709", code_range="limited"), _scaled(alpha, 1023)])


def _yuva420p(rgb: Plane, alpha: Plane) -> Any:
    height, width = alpha.shape
    frame = av.VideoFrame(width, height, "yuva420p")
    y, cb, cr = from_rgb(rgb, depth=16, matrix="bt709", code_range="limited")
    size = (frame.planes[1].width, frame.planes[1].height)
    small = [cv2.resize(c, size, interpolation=cv2.INTER_AREA) for c in (cb, cr)]
    colour = [((p.astype(np.uint32) + 128) >> 8).clip(0, 255).astype(np.uint8) for p in (y, *small)]
    return _copy_in(frame, [*colour, _scaled(alpha, 255).astype(np.uint8)])


def _bgra(rgb: Plane, alpha: Plane) -> Any:
    frame = av.VideoFrame(alpha.shape[1], alpha.shape[0], "bgra")
    pixels = cv2.cvtColor(pack_rgba8(rgb, alpha), cv2.COLOR_RGBA2BGRA)
    rows = np.frombuffer(frame.planes[0], np.uint8).reshape(pixels.shape[0], -1)
    rows[:, : pixels.shape[1] * 4] = pixels.reshape(pixels.shape[0], -1)
    return frame


def _gbrap16(rgb: Plane, alpha: Plane) -> Any:
    frame = av.VideoFrame(alpha.shape[1], alpha.shape[0], "gbrap16le")
    return _copy_in(frame, [_scaled(p, 65535) for p in (rgb[1], rgb[2], rgb[0], alpha)])


_FILLERS = {"yuva444p10le": _yuva444p10, "yuva420p": _yuva420p, "bgra": _bgra, "gbrap16le": _gbrap16}
