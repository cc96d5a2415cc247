"""Pictures without what is clear in them."""

import numpy as np
import pytest

from upholster.core.composite.runs import runs_of


def told(words: np.ndarray, size: int) -> tuple[np.ndarray, int]:
    """The picture that runs tell of, and how many there are."""
    count = int(words[0])
    whole, at = np.zeros(size, np.uint32), 1 + 2 * count
    for first, length in words[1 : 1 + 2 * count].reshape(-1, 2).tolist():
        whole[first : first + length] = words[at : at + length]
        at += length
    assert at == len(words)
    return whole, count


@pytest.mark.parametrize("share", [0.0, 0.002, 0.05, 0.5, 1.0])
def test_what_is_covered_comes_back_as_it_was(share: float) -> None:
    draw = np.random.default_rng(round(1000 * share))
    pixels = draw.integers(0, 256, (37, 53, 4), np.uint8)
    pixels[..., 3] = np.where(draw.random((37, 53)) < share, draw.integers(1, 256, (37, 53)), 0)
    flat = pixels.view(np.uint32).ravel()
    found, _ = told(runs_of(pixels), flat.size)
    covered = pixels[..., 3].ravel() > 0
    assert (found[covered] == flat[covered]).all() and not (found[~covered] >> 24).any()


def test_runs_go_on_across_rows_and_over_small_gaps() -> None:
    pixels = np.zeros((4, 20, 4), np.uint8)
    pixels[1, 18:], pixels[2, :2], pixels[2, 7], pixels[3, 19] = 255, 255, 255, 255
    words = runs_of(pixels)
    assert words[:5].tolist() == [2, 38, 10, 79, 1]
