"""Where a picture lies on its plate: the only place where pixels of the plate become pixels of a picture.

Lengths and places of a recipe are counted in pixels of the plate as it was shot. The picture at hand may
be a part of it, smaller (a proxy), and turned. Places outside the picture are legal.
"""

import math
from typing import NamedTuple, Self, TypeVar

import numpy as np
from numpy.typing import NDArray

#: A coordinate, or those of many places.
Coordinate = TypeVar("Coordinate", float, NDArray[np.float64])

#: Longer side of the pictures in whose pixels sizes are told that go with the picture's own.
USUAL = 960
#: Shapes of a pixel, width over height, that anything is shot in.
NARROWEST, WIDEST = 0.2, 5.0


def scale_of(width: int, height: int) -> float:
    """Pixels of a picture for each of one of the usual size, 960 wide or high."""
    return max(width, height) / USUAL


class Raster(NamedTuple):
    """Which part of a plate a picture shows, how large, and which way up.

    Attributes
    ----------
    plate_width, plate_height : int
        Of the whole plate, in its own pixels.
    left, top : float
        The place on the plate of the picture's upper left corner, before it is turned.
    width, height : int
        Of the picture before it is turned, in its own pixels.
    across, down : float
        Pixels of the picture for each pixel of the plate.
    flip_across, flip_down : bool
        Whether it is then mirrored, left for right and top for bottom.
    turns : int
        Quarter turns clockwise made after that, 0 to 3.
    """

    plate_width: int
    plate_height: int
    left: float
    top: float
    width: int
    height: int
    across: float
    down: float
    flip_across: bool = False
    flip_down: bool = False
    turns: int = 0

    @classmethod
    def of_plate(cls, plate_width: int, plate_height: int, width: int = 0, height: int = 0) -> Self:
        """A picture of the whole plate; of `width` by `height` where it is a proxy."""
        width, height = width or plate_width, height or plate_height
        return cls(plate_width, plate_height, 0.0, 0.0, width, height, width / plate_width, height / plate_height)

    @property
    def whole(self) -> bool:
        """Whether nothing is cut away."""
        return max(abs(share - edge) for share, edge in zip(self.window, (0, 0, 1, 1), strict=True)) < 1e-9

    @property
    def window(self) -> tuple[float, float, float, float]:
        """Left, top, right and bottom as shares 0..1 of the plate."""
        right, bottom = self.left + self.width / self.across, self.top + self.height / self.down
        shares = self.left / self.plate_width, self.top / self.plate_height
        return (*shares, right / self.plate_width, bottom / self.plate_height)

    @property
    def size(self) -> tuple[int, int]:
        """Width and height of the picture as it is turned."""
        return (self.height, self.width) if self.turns % 2 else (self.width, self.height)

    @property
    def scale(self) -> float:
        """Pixels of the plate for each of one of the usual size."""
        return scale_of(self.plate_width, self.plate_height)

    def length(self, pixels: float) -> float:
        """A length of the plate in pixels of the picture."""
        return pixels * math.sqrt(self.across * self.down)

    def place(self, x: Coordinate, y: Coordinate) -> tuple[Coordinate, Coordinate]:
        """A place on the plate, or many, in pixels of the picture."""
        x, y = (x - self.left) * self.across, (y - self.top) * self.down
        x, y = self.width - x if self.flip_across else x, self.height - y if self.flip_down else y
        wide, high = self.width, self.height
        for _ in range(self.turns):
            x, y, wide, high = high - y, x, high, wide
        return x, y

    def on_plate(self, x: float, y: float) -> tuple[float, float]:
        """The place on the plate of a place in the picture: the inverse of `place`."""
        wide, high = self.size
        for _ in range(self.turns):
            x, y, wide, high = y, wide - x, high, wide
        x, y = self.width - x if self.flip_across else x, self.height - y if self.flip_down else y
        return x / self.across + self.left, y / self.down + self.top

    def cropped(self, left: int, top: int, right: int, bottom: int) -> tuple[Self, slice, slice]:
        """The raster without so many plate pixels at each side, with the rows and columns that stay."""
        x, end = round(left * self.across), self.width - round(right * self.across)
        y, low = round(top * self.down), self.height - round(bottom * self.down)
        x, y = min(x, self.width - 1), min(y, self.height - 1)
        end, low = max(end, x + 1), max(low, y + 1)
        smaller = self._replace(
            left=self.left + x / self.across, top=self.top + y / self.down, width=end - x, height=low - y
        )
        return smaller, slice(y, low), slice(x, end)

    def resized(self, width: int, height: int) -> Self:
        """The same part of the plate at another size."""
        wider, higher = width / self.width, height / self.height
        return self._replace(width=width, height=height, across=self.across * wider, down=self.down * higher)
