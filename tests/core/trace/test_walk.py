"""The random walk, against scikit-image's own."""

import numpy as np
import pytest
from skimage.segmentation import random_walker

from upholster.core.trace.walk import walk


@pytest.mark.parametrize("channels", [1, 3])
def test_a_walk_is_that_of_scikit_image(channels: int) -> None:
    """Grady 2006; scikit-image weighs a step by ``exp(-beta d^2 / (10 std))``, over all channels by their root."""
    rng = np.random.default_rng(channels)
    picture = rng.uniform(0, 1, (24, 31, channels)).astype(np.float32) * 0.4
    picture[:, 15:] += 0.4
    seeds = np.zeros((24, 31), np.int32)
    seeds[4, 4], seeds[20, 27], seeds[12, 14] = 1, 2, 1
    beta = 60.0
    data = picture[..., 0] if channels == 1 else picture
    theirs = random_walker(
        data.astype(np.float64), seeds, beta=beta, mode="bf", return_full_prob=True,
        channel_axis=None if channels == 1 else -1,
    )[0]  # fmt: skip
    known = (seeds == 1).astype(np.float32)
    nothing = np.zeros(seeds.shape, np.float32)
    scale = beta / (10 * float(data.astype(np.float64).std()) * (np.sqrt(channels) if channels > 1 else 1))
    ours = walk(known, seeds == 0, picture, (nothing, nothing), beta=scale, little=1e-10, aslant=0.0, sweeps=3000)
    assert np.abs(ours - theirs).max() < 2e-3


def test_what_speaks_for_a_pixel_draws_it_and_its_neighbours() -> None:
    """A single unknown pixel: f / (f + b + steps) by hand (Grady 2005, with priors)."""
    flat = np.zeros((3, 3, 1), np.float32)
    unknown = np.zeros((3, 3), bool)
    unknown[1, 1] = True
    towards, away = np.full((3, 3), 2, np.float32), np.full((3, 3), 1, np.float32)
    known = np.zeros((3, 3), np.float32)
    known[0, 1] = 1
    found = walk(known, unknown, flat, (towards, away), beta=1.0, little=0.0, aslant=0.0, sweeps=200)
    assert found[1, 1] == pytest.approx((2 + 1) / (2 + 1 + 4), abs=1e-5)
    assert np.array_equal(found[~unknown], known[~unknown])


def test_what_nothing_speaks_of_stays_as_it_is() -> None:
    nothing = np.zeros((1, 1), np.float32)
    unknown = np.ones((1, 1), bool)
    found = walk(np.full((1, 1), 0.3, np.float32), unknown, nothing[..., None], (nothing, nothing), beta=1.0)
    assert found[0, 0] == pytest.approx(0.3)
