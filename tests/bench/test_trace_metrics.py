"""Measures of mattes on cases worked by hand (Perazzi et al. 2016, "A benchmark dataset and evaluation ...")."""

import numpy as np
import pytest
from bench.trace.metrics import boundary, overlap


def square(left: int, top: int, size: int) -> np.ndarray:
    plane = np.zeros((40, 40), np.float32)
    plane[top : top + size, left : left + size] = 1
    return plane


def test_overlap_is_intersection_over_union() -> None:
    assert overlap(square(5, 5, 10), square(5, 5, 10)) == 1
    assert overlap(square(5, 5, 10), square(10, 5, 10)) == pytest.approx(50 / 150)
    assert overlap(square(5, 5, 10), square(25, 25, 10)) == 0
    assert overlap(np.zeros((4, 4), np.float32), np.zeros((4, 4), np.float32)) == 1


def test_boundaries_match_within_their_distance() -> None:
    one = square(10, 10, 12)
    assert boundary(one, square(12, 10, 12)) == 1
    assert boundary(one, square(30, 30, 4)) == 0
    # They share their upper left corner: 27 pixels of 44 and of 68 lie within 2 of the other's.
    assert boundary(one, square(10, 10, 18)) == pytest.approx(2 * 27 / (44 + 68))
    assert boundary(one, np.zeros((40, 40), np.float32)) == 0
