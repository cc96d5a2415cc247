"""How far strokes reach."""

import cv2
import numpy as np
import pytest
from skimage.graph import MCP_Geometric

from upholster.core.documents.strokes import Strokes
from upholster.core.raster import Raster
from upholster.core.trace import anchor
from upholster.core.trace.painted import painted
from upholster.core.trace.reach import reached, shortest
from upholster.core.trace.scene import Scene
from upholster.core.trace.seen import seen


@pytest.mark.parametrize("seed", [0, 1, 2])
def test_shortest_ways_are_those_of_a_reference(seed: int) -> None:
    """Against scikit-image's `MCP_Geometric` (Dijkstra's algorithm), on costs at random and through nested frames."""
    draw = np.random.default_rng(seed)
    costs = draw.lognormal(0, 1, (37, 53)).astype(np.float32)
    if seed == 2:
        costs[:] = 500
        for n in range(2, 18, 4):
            cv2.rectangle(costs, (n, n), (52 - n, 36 - n), 1, 1)
            costs[n + 1 : n + 4, n + 2] = 1
    starts = np.zeros(costs.shape, bool)
    starts[2, 2], starts[30, 40] = True, seed < 2
    expected, _ = MCP_Geometric(costs.astype(float), fully_connected=True).find_costs(np.argwhere(starts))
    assert np.allclose(shortest(costs, starts, 1e9), expected, rtol=1e-4)
    near = shortest(costs, starts, 12)
    assert (np.isfinite(near) == (expected <= 12)).all()
    assert np.allclose(near[np.isfinite(near)], expected[expected <= 12], rtol=1e-4)


def _room() -> np.ndarray:
    """A dark wall of two greys and a column of another colour before it, as L*a*b* bytes."""
    lab = np.full((160, 240, 3), (60, 128, 128), np.uint8)
    lab[:, :, 0] += np.random.default_rng(3).integers(0, 5, (160, 240), dtype=np.uint8)
    lab[:, 100:110] = 130, 180, 120
    return lab


def test_a_dot_reaches_all_of_a_wall_and_nothing_beyond_what_stands_before_it() -> None:
    dot = np.zeros((160, 240), bool)
    dot[76:84, 40:48] = True
    ways = reached(_room(), dot, 150)
    # Straight, a pixel is as long as one; a column of another colour is as far as nothing can be.
    assert ways[80, 44] == 0 and ways[80, 90] == pytest.approx(42, rel=0.15)
    assert np.isfinite(ways[:, :98]).all() and np.isinf(ways[:, 104:]).all()


def test_no_stroke_reaches_nothing() -> None:
    assert np.isinf(reached(_room(), np.zeros((160, 240), bool), 100)).all()


def test_one_dot_drops_a_wall_that_was_taken_for_the_subject() -> None:
    """As far away as 75 pixels, where a column of another colour that was carried rightly stays."""
    draw = np.random.default_rng(4)
    rgb = np.full((3, 180, 320), 0.12, np.float32)
    rgb[:, 40:150, 60:110] = np.array([0.7, 0.3, 0.1], np.float32)[:, None, None]
    rgb += draw.normal(0, 0.01, rgb.shape).astype(np.float32)
    frame = seen(rgb.clip(0, 1))
    truth = np.zeros((180, 320), np.float32)
    truth[40:150, 60:110] = 1
    wrong = truth.copy()
    wrong[40:150, 110:200] = 1
    dot = {"frame": 5, "kind": "drop", "radius": 5, "points": [[125, 95]]}
    brushed = painted(Strokes.read([dot]).each, Raster.of_plate(320, 180))
    found = anchor.correct(Scene(lambda number: frame, 1), 5, brushed, wrong).cover
    both = ((found >= 0.5) & (truth > 0)).sum() / ((found >= 0.5) | (truth > 0)).sum()
    assert both > 0.97
