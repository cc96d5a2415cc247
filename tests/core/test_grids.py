"""Coarse grids and averaged pictures, against NumPy."""

import numpy as np
import pytest

from upholster.core.grids import area, read_row, shrunk, upsampled


def laid_out(grid) -> np.ndarray:  # type: ignore[no-untyped-def]
    """The first plane of the picture that a grid stands for."""
    out = np.empty((len(grid.above), grid.rows.shape[2]), np.float32)
    for j, row in enumerate(out):
        read_row(grid, 0, j, row)
    return out


@pytest.mark.parametrize("kind", [np.float32, np.float64])
@pytest.mark.parametrize("side", [2, 3])
def test_pictures_are_averaged_in_blocks(side: int, kind: type) -> None:
    picture = np.random.default_rng(1).random((2, 6 * side, 8 * side)).astype(kind)
    found = area(picture, 8, 6)
    assert found.dtype == np.float32
    assert found == pytest.approx(picture.reshape(2, 6, side, 8, side).mean(axis=(2, 4)), abs=1e-6)


@pytest.mark.parametrize(("width", "height"), [(48, 27), (40, 25), (96, 54)])
def test_a_grid_over_a_smaller_picture_is_the_same_grid(width: int, height: int) -> None:
    """Of slopes that the grid shows without loss, inside of its outer centres."""
    down, across = np.mgrid[0:9, 0:16].astype(np.float32)
    cells = (across / 16 + down / 9)[None]
    found = laid_out(shrunk(upsampled(cells, 96, 54), width, height))
    expected = laid_out(upsampled(cells, width, height))
    margin = width // 16
    assert found[:, margin:-margin] == pytest.approx(expected[:, margin:-margin], abs=2e-3)
