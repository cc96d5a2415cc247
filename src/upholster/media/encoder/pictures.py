"""One numbered picture a frame: PNG, TIFF, OpenEXR.

Alpha follows each standard: PNG is straight (W3C PNG third edition, 6.2), TIFF says which it is in
ExtraSamples (TIFF 6.0, page 31), OpenEXR is premultiplied and scene-linear ("Technical Introduction to OpenEXR").
"""

import struct
import zlib
from collections.abc import Callable
from pathlib import Path
from types import TracebackType
from typing import Any, Self

import cv2
import numpy as np
from numpy.typing import NDArray

from upholster.core.colour import decode_srgb
from upholster.core.composite.over import pack_rgba8, premultiply
from upholster.media.encoder.disk import no_room
from upholster.media.encoder.pixels import scaled
from upholster.media.errors import MediaError
from upholster.media.facts import AlphaKind
from upholster.media.formats import Format

Plane = NDArray[np.float32]


def picture_name(folder: Path, number: int, suffix: str, padding: int = 6) -> Path:
    return folder / f"{number:0{padding}d}{suffix}"


class PictureWriter:
    """Pictures numbered upward from `first`; each takes its name when whole."""

    def __init__(self, form: Format, folder: Path, alpha: AlphaKind, first: int, padding: int) -> None:
        self._form, self._folder, self._alpha = form, folder, alpha
        self._next, self._padding = first, padding
        folder.mkdir(parents=True, exist_ok=True)

    def write(self, rgb: Plane, alpha: Plane) -> None:
        path = picture_name(self._folder, self._next, self._form.suffix, self._padding)
        part = path.with_suffix(".part")
        try:
            _SAVERS[self._form.codec, self._form.pixels](part, rgb, alpha, self._alpha)
        except (OSError, RuntimeError) as error:
            part.unlink(missing_ok=True)
            raise no_room(error) from error
        part.replace(path)
        self._next += 1

    def __enter__(self) -> Self:
        return self

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, at: TracebackType | None) -> None:
        return None


def _png(part: Path, pixels: NDArray[Any]) -> None:
    done, data = cv2.imencode(".png", pixels, [cv2.IMWRITE_PNG_COMPRESSION, 2])
    if not done:
        raise MediaError("A picture of the sequence could not be written.")
    part.write_bytes(_as_srgb(data.tobytes()))


def _as_srgb(png: bytes) -> bytes:
    """A PNG that says it is sRGB, right after its header (W3C PNG third edition, 11.3.2.5: intent 0, perceptual)."""
    header = 8 + 12 + 13
    chunk = b"sRGB\x00"
    return png[:header] + struct.pack(">I", 1) + chunk + struct.pack(">I", zlib.crc32(chunk)) + png[header:]


def _png8(part: Path, rgb: Plane, alpha: Plane, kind: AlphaKind) -> None:
    _png(part, cv2.cvtColor(pack_rgba8(rgb, alpha), cv2.COLOR_RGBA2BGRA))


def _png16(part: Path, rgb: Plane, alpha: Plane, kind: AlphaKind) -> None:
    _png(part, cv2.cvtColor(_rgba16(rgb, alpha), cv2.COLOR_RGBA2BGRA))


def _grey16(part: Path, rgb: Plane, alpha: Plane, kind: AlphaKind) -> None:
    _png(part, scaled(rgb[0], 65535))


def _tiff16(part: Path, rgb: Plane, alpha: Plane, kind: AlphaKind) -> None:
    import tifffile

    associated = kind == "premultiplied"
    tifffile.imwrite(
        part,
        _rgba16(premultiply(rgb, alpha) if associated else rgb, alpha),
        photometric="rgb",
        extrasamples=["assocalpha" if associated else "unassalpha"],
        compression="zlib",
        compressionargs={"level": 1},
        predictor=True,
    )


def _rgba16(rgb: Plane, alpha: Plane) -> NDArray[np.uint16]:
    return scaled(np.stack([*rgb, alpha], axis=-1), 65535)


def _exr(dtype: type[np.floating[Any]]) -> Callable[[Path, Plane, Plane, AlphaKind], None]:
    def save(part: Path, rgb: Plane, alpha: Plane, kind: AlphaKind) -> None:
        import OpenEXR

        light = premultiply(decode_srgb(rgb), alpha)
        channels = {n: np.ascontiguousarray(p, dtype) for n, p in zip("RGBA", (*light, alpha), strict=True)}
        header = {
            "compression": OpenEXR.ZIP_COMPRESSION,
            "type": OpenEXR.scanlineimage,
            # BT.709 primaries and white (Rec. ITU-R BT.709-6, items 1.3 and 1.4).
            "chromaticities": (0.64, 0.33, 0.30, 0.60, 0.15, 0.06, 0.3127, 0.3290),
            "comments": "Scene-linear; made from encoded values with the curve of IEC 61966-2-1.",
        }
        OpenEXR.File(header, channels).write(str(part))

    return save


#: By codec and pixels of the format.
_SAVERS: dict[tuple[str, str], Callable[[Path, Plane, Plane, AlphaKind], None]] = {
    ("png", "rgba"): _png8,
    ("png", "rgba64"): _png16,
    ("png", "gray16"): _grey16,
    ("tiff", "rgba64"): _tiff16,
    ("exr", "half"): _exr(np.float16),
    ("exr", "float"): _exr(np.float32),
}
