"""Single pictures: PNG, JPEG and the like, TIFF, OpenEXR."""

from fractions import Fraction
from pathlib import Path
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from upholster.media.decoder.planes import Planes
from upholster.media.decoder.video import VideoFile
from upholster.media.errors import MediaError
from upholster.media.facts import AlphaKind, ColourTags, Facts
from upholster.media.limits import PIXELS

#: Rate given to stills and sequences, which have none of their own.
RATE = Fraction(24)

SUFFIXES = {".png", ".jpg", ".jpeg", ".webp", ".avif", ".bmp", ".tga", ".dpx", ".tif", ".tiff", ".exr"}


def open_still(path: Path) -> tuple[Planes, Facts]:
    """Code values and facts of one picture file.

    TIFF says in ExtraSamples whether alpha is associated (TIFF 6.0, page 31); OpenEXR colour is
    scene-linear and premultiplied ("Technical Introduction to OpenEXR").
    """
    match path.suffix.lower():
        case ".tif" | ".tiff":
            return _tiff(path)
        case ".exr":
            return _exr(path)
        case _:
            video = VideoFile(str(path))
            return video.planes(0), video.facts.model_copy(
                update={"kind": "still", "rate": RATE, "length": 1, "shown": None}
            )


def _facts(path: Path, codec: str, planes: Planes, alpha_kind: AlphaKind | Literal[""], colour: ColourTags) -> Facts:
    height, width = planes.arrays[0].shape
    return Facts(
        kind="still",
        container=path.suffix.lower().strip("."),
        codec=codec,
        width=width,
        height=height,
        length=1,
        rate=RATE,
        depth=planes.depth or 32,
        floating=not planes.depth,
        alpha=planes.alpha is not None,
        alpha_kind=alpha_kind,
        colour=colour,
    )


def _check_size(width: int, height: int) -> None:
    if width * height > PIXELS:
        raise MediaError(
            f"The picture is {width} by {height}; the limit is {PIXELS / 1e6:.0f} million pixels. "
            "Bring in a smaller version."
        )


def _tiff(path: Path) -> tuple[Planes, Facts]:
    import tifffile

    try:
        with tifffile.TiffFile(path) as file:
            page = file.pages[0]
            _check_size(page.imagewidth, page.imagelength)
            pixels = page.asarray()
            extra = tuple(int(e) for e in page.extrasamples)
    except (tifffile.TiffFileError, ValueError, IndexError, OSError) as error:
        raise MediaError("This TIFF file is broken or of a kind Upholster cannot read.") from error
    pixels = pixels[..., None] if pixels.ndim == 2 else pixels
    if pixels.ndim != 3 or pixels.dtype not in (np.uint8, np.uint16, np.float32, np.float16):
        raise MediaError("Only TIFF files with 8 or 16 bits or floating point, grey or RGB, can be read.")
    count = 3 if pixels.shape[2] >= 3 else 1
    colours = [np.ascontiguousarray(pixels[..., c]) for c in range(count)]
    alpha: NDArray[Any] | None = None
    kind: AlphaKind | Literal[""] = ""
    if pixels.shape[2] > count:
        alpha, kind = np.ascontiguousarray(pixels[..., count]), "straight"
        if extra[:1] == (1,):
            kind = "premultiplied"
    depth = 0 if pixels.dtype.kind == "f" else pixels.dtype.itemsize * 8
    planes = Planes("rgb" if count == 3 else "grey", depth, colours, alpha)
    return planes, _facts(path, "tiff", planes, kind, ColourTags(range="full", transfer="srgb", tagged=True))


def _exr(path: Path) -> tuple[Planes, Facts]:
    import OpenEXR

    try:
        with OpenEXR.File(str(path), separate_channels=True) as file:
            window = file.header()["dataWindow"]
            _check_size(int(window[1][0] - window[0][0] + 1), int(window[1][1] - window[0][1] + 1))
            channels = {name: np.asarray(c.pixels, np.float32) for name, c in file.channels().items()}
    except (RuntimeError, ValueError, OSError, KeyError) as error:
        raise MediaError("This OpenEXR file is broken or of a kind Upholster cannot read.") from error
    if not {"R", "G", "B"} <= channels.keys() and "Y" not in channels:
        raise MediaError("This OpenEXR file has no R, G and B channels.")
    colours = [channels[c] for c in ("RGB" if "R" in channels else "Y")]
    alpha = channels.get("A")
    planes = Planes("rgb" if len(colours) == 3 else "grey", 0, colours, alpha)
    tags = ColourTags(range="full", transfer="linear", tagged=True)
    return planes, _facts(path, "openexr", planes, "premultiplied" if alpha is not None else "", tags)
