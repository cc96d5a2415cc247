"""Networks that are asked about single places: against SciPy's convolution and PyTorch's own answers."""

import numpy as np
import pytest
from scipy.ndimage import correlate

from upholster.core.kernels import row_bands
from upholster.core.places import Layers, answered, neighbours

PLANES, TOLD, GIVEN = 5, 3, 2


def some(layers: int) -> Layers:
    draw = np.random.default_rng(3)
    shapes = (TOLD + 1, PLANES), (layers, 9, PLANES), (layers, PLANES + 1, PLANES), (PLANES + 1, GIVEN)
    return Layers(*(draw.normal(0, 0.5, shape).astype(np.float32) for shape in shapes))


def dense(layers: Layers, told: np.ndarray, asked: np.ndarray) -> np.ndarray:
    """The same in double precision over a whole picture, where what nobody asks about is zero after each layer."""

    def mixed(planes: np.ndarray, weights: np.ndarray) -> np.ndarray:
        return np.einsum("cyx,cd->dyx", planes, weights[:-1]) + weights[-1][:, None, None]

    known = np.maximum(mixed(told, layers.enter), 0) * asked
    for depth, mix in zip(layers.depth, layers.mix, strict=True):
        around = depth.reshape(3, 3, -1).transpose(2, 0, 1)
        pairs = zip(known, around, strict=True)
        gathered = np.stack([correlate(plane, kernel, mode="constant") for plane, kernel in pairs])
        known = known + np.maximum(mixed(gathered, mix), 0) * asked
    return mixed(known, layers.leave)


@pytest.mark.parametrize("share", [1.0, 0.3, 0.02])
@pytest.mark.parametrize("layers", [0, 1, 4])
def test_places_are_answered_as_convolutions_of_the_whole_picture_would(layers: int, share: float) -> None:
    draw = np.random.default_rng(4)
    asked = draw.random((23, 31)) < share
    told = draw.normal(0, 1, (TOLD, 23, 31))
    places = np.argwhere(asked).astype(np.int32)
    given = answered(some(layers), told[:, asked].T.astype(np.float32), places)
    assert given == pytest.approx(dense(some(layers), told, asked)[:, asked].T, abs=1e-4)


def test_neighbours_are_those_asked_about_around_a_place() -> None:
    """By hand: three in a corner, one apart."""
    places = np.array([[0, 0], [0, 1], [1, 0], [4, 4]], np.int32)
    found = neighbours(places)
    assert found[0].tolist() == [4, 4, 4, 4, 0, 1, 4, 2, 4]
    assert found[2].tolist() == [4, 0, 1, 4, 2, 4, 4, 4, 4]
    assert found[3].tolist() == [4, 4, 4, 4, 3, 4, 4, 4, 4]


def test_no_place_is_answered_with_nothing() -> None:
    assert answered(some(2), np.empty((0, TOLD), np.float32), np.empty((0, 2), np.int32)).shape == (0, GIVEN)


def test_bands_give_the_same() -> None:
    draw = np.random.default_rng(5)
    places = np.argwhere(draw.random((60, 80)) < 0.4).astype(np.int32)
    told = draw.normal(0, 1, (len(places), TOLD)).astype(np.float32)
    alone = answered(some(3), told, places)
    with row_bands(2):
        assert answered(some(3), told, places) == pytest.approx(alone, abs=1e-6)
