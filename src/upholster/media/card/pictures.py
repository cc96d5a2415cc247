"""The pictures of a card: how hard their matte is, and all of them on one sheet."""

from collections.abc import Sequence
from pathlib import Path
from typing import Literal, NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from upholster.media.errors import MediaError
from upholster.media.files import put_bytes

AlphaMode = Literal["BLEND", "MASK"]

#: Pictures looked at, and how many soft pixels there may be to a solid one for a matte that is cut out hard: hardly
#: more than the rim of a filled shape (common practice, no source).
_LOOKED_AT, _HARD = 8, 0.04
#: Longest side of a sheet; graphics hardware of any age takes it (common practice, no source).
_SHEET = 4096
_SQUEEZED = [cv2.IMWRITE_PNG_COMPRESSION, 6]


class Sheet(NamedTuple):
    """All pictures of a clip in rows on one: how many in a row, how many rows, and the size of each."""

    columns: int
    rows: int
    width: int
    height: int


def alpha_mode(pictures: Sequence[Path]) -> AlphaMode:
    """Whether a matte is cut out at a threshold (``MASK``) or laid over (``BLEND``), by its own histogram."""
    soft = solid = 0
    for path in pictures[:: max(1, len(pictures) // _LOOKED_AT)]:
        alpha = _read(path)[..., 3]
        soft += int(np.count_nonzero((alpha > 25) & (alpha < 230)))
        solid += int(np.count_nonzero(alpha >= 230))
    return "MASK" if solid and soft <= _HARD * solid else "BLEND"


def sheet_of(width: int, height: int, count: int) -> Sheet:
    """The sheet on which so many pictures are largest; none is made larger than it is."""

    def scale(columns: int) -> float:
        rows = -(-count // columns)
        return min(1.0, _SHEET / (columns * width), _SHEET / (rows * height))

    columns = max(range(1, count + 1), key=lambda n: (round(scale(n), 6), -abs(n * width - -(-count // n) * height)))
    shrink = scale(columns)
    return Sheet(columns, -(-count // columns), max(1, int(width * shrink)), max(1, int(height * shrink)))


def write_sheet(pictures: Sequence[Path], sheet: Sheet, path: Path) -> None:
    """Write pictures in rows, filtered premultiplied, their colour kept under clear pixels."""
    pixels = np.zeros((sheet.rows * sheet.height, sheet.columns * sheet.width, 4), np.uint8)
    for number, picture in enumerate(pictures):
        row, column = divmod(number, sheet.columns)
        y, x = row * sheet.height, column * sheet.width
        pixels[y : y + sheet.height, x : x + sheet.width] = _small(_read(picture), sheet.width, sheet.height)
    done, data = cv2.imencode(".png", pixels, _SQUEEZED)
    if not done:
        raise MediaError("The sheet of the card could not be written.")
    put_bytes(path, data.tobytes())


def _small(pixels: NDArray[np.uint8], width: int, height: int) -> NDArray[np.uint8]:
    if pixels.shape[:2] == (height, width):
        return pixels
    straight = pixels.astype(np.float32)
    alpha = straight[..., 3:] / 255
    held = np.dstack([straight[..., :3] * alpha, straight])
    held = cv2.resize(held, (width, height), interpolation=cv2.INTER_AREA)
    cover = held[..., 6:] / 255
    colour = np.where(cover > 0.004, held[..., :3] / np.maximum(cover, 1e-6), held[..., 3:6])
    return np.dstack([colour, held[..., 6:]]).clip(0, 255).round().astype(np.uint8)


def _read(path: Path) -> NDArray[np.uint8]:
    pixels = cv2.imread(str(path), cv2.IMREAD_UNCHANGED)
    if pixels is None or pixels.ndim != 3 or pixels.shape[2] != 4:
        raise MediaError(f"The picture {path.name} of the card cannot be read.")
    return pixels.astype(np.uint8, copy=False)
