"""From a decoded frame to the planes of its code values."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from upholster.media.decoder.planes import Planes

#: Formats whose planes are read as they are; all others are first brought to one of these.
_PACKED = {
    "rgb24": "RGB", "bgr24": "BGR", "rgba": "RGBA", "bgra": "BGRA", "argb": "ARGB", "abgr": "ABGR",
    "rgb0": "RGB0", "bgr0": "BGR0", "0rgb": "0RGB", "0bgr": "0BGR",
    "rgb48le": "RGB", "rgb48be": "RGB", "rgba64le": "RGBA", "rgba64be": "RGBA",
    "gray": "Y", "gray10le": "Y", "gray12le": "Y", "gray16le": "Y", "gray16be": "Y", "ya8": "YA", "ya16be": "YA",
    "ya16le": "YA",
}  # fmt: skip


def to_planes(frame: Any) -> Planes:
    """A decoded frame's code values, without any change of precision for the usual formats."""
    name = frame.format.name
    if name in _PACKED:
        return _packed(frame, _PACKED[name])
    planar = name.startswith(("yuv4", "yuvj4", "yuva4", "gbrp", "gbrap")) and not name.endswith("be")
    if not planar:
        frame = frame.reformat(format=_nearest(frame.format))
        return to_planes(frame)
    depth = frame.format.components[0].bits
    floating = "f32" in name
    dtype = np.dtype("<f4") if floating else np.dtype("u1" if depth == 8 else "<u2")
    arrays = [_plane(p, dtype) for p in frame.planes]
    model = "yuv" if name.startswith("yuv") else "rgb"
    colours = arrays[:3] if model == "yuv" else [arrays[2], arrays[0], arrays[1]]
    return Planes(model, 0 if floating else depth, colours, arrays[3] if len(arrays) > 3 else None)


def _nearest(form: Any) -> str:
    same = {
        "nv12": "yuv420p", "nv21": "yuv420p", "nv16": "yuv422p", "nv24": "yuv444p", "p010le": "yuv420p10le",
        "p210le": "yuv422p10le", "yuyv422": "yuv422p", "uyvy422": "yuv422p", "pal8": "rgba",
        "y210le": "yuv422p10le", "p016le": "yuv420p16le",
    }  # fmt: skip
    alpha = any(c.is_alpha for c in form.components)
    if form.name in same:
        return same[form.name]
    if form.is_rgb or form.name.startswith(("gray", "mono")):
        return "rgba64le" if alpha else "rgb48le"
    return "yuva444p16le" if alpha else "yuv444p16le"


def _plane(plane: Any, dtype: np.dtype[Any]) -> NDArray[Any]:
    rows = np.frombuffer(plane, dtype).reshape(plane.height, plane.line_size // dtype.itemsize)
    return rows[:, : plane.width]


def _packed(frame: Any, order: str) -> Planes:
    bits = frame.format.components[0].bits
    kind = ">u2" if frame.format.name.endswith("be") else "<u2"
    dtype = np.dtype("u1" if bits == 8 else kind)
    plane = frame.planes[0]
    rows = np.frombuffer(plane, dtype).reshape(plane.height, plane.line_size // dtype.itemsize)
    pixels = rows[:, : plane.width * len(order)].reshape(plane.height, plane.width, len(order))
    part = {c: pixels[..., k].astype(dtype.newbyteorder("=")) for k, c in enumerate(order)}
    colours = [part["Y"]] if "Y" in part else [part[c] for c in "RGB"]
    return Planes("grey" if "Y" in part else "rgb", bits, colours, part.get("A"))
