"""The measures of matting quality against cases small enough to work by hand.

Definitions: Rhemann et al. 2009, "A perceptually motivated online benchmark for image matting"."""

import sys
from pathlib import Path

import numpy as np
import pytest

sys.path.insert(0, str(Path(__file__).parents[2]))

from bench.quality import metrics  # noqa: E402
from bench.quality.plain import CASES  # noqa: E402
from bench.quality.plates import HEIGHT, WIDTH  # noqa: E402


def matte(*rows: list[float]) -> np.ndarray:
    return np.array(rows, np.float32)


def test_mse_and_sad_by_hand() -> None:
    true, found = matte([0, 1], [0.5, 1]), matte([0, 0.5], [1.0, 1])
    assert metrics.mse(found, true) == pytest.approx((0.25 + 0.25) / 4)
    assert metrics.sad(found, true) == pytest.approx(1.0 / 1000)


def test_psnr_by_hand() -> None:
    """An error of a tenth everywhere is 20 dB."""
    assert metrics.psnr(np.full((3, 2, 2), 0.6, np.float32), np.full((3, 2, 2), 0.5, np.float32)) == pytest.approx(
        20, abs=1e-3
    )


def test_the_gradient_of_a_ramp_is_its_slope() -> None:
    ramp = np.broadcast_to(np.arange(40, dtype=np.float32) / 40, (40, 40)).copy()
    flat = np.zeros_like(ramp)
    inner = np.s_[10:30, 10:30]
    assert metrics._slope(ramp)[inner] == pytest.approx(np.full((20, 20), 1 / 40), rel=0.02)
    assert metrics.gradient(ramp, ramp) == 0
    assert metrics.gradient(flat, ramp) > 0


def test_connectivity_counts_what_is_cut_off_from_the_core() -> None:
    true = np.zeros((20, 40), np.float32)
    true[5:15, 5:15] = 1
    island = true.copy()
    island[8:12, 30:34] = 1
    assert metrics.connectivity(true, true) == 0
    # Sixteen pixels, each wholly off: nothing of them is connected to the core.
    assert metrics.connectivity(island, true) == pytest.approx(16 / 1000)
    slight = true.copy()
    slight[8:12, 30:34] = 0.1
    assert metrics.connectivity(slight, true) == 0, "below theta, 0.15, nothing counts"


def test_holes_and_leaks_are_shares_of_what_is_truly_solid_and_clear() -> None:
    true = matte([0, 0, 0, 0, 1, 1, 1, 1])
    found = matte([0, 0, 0.2, 0, 1, 0.9, 0.96, 0.5])
    assert metrics.holes(found, true) == 0.5
    assert metrics.leaks(found, true) == 0.25
    assert metrics.holes(found, np.zeros_like(true)) == 0


def test_flicker_sees_changing_errors_only() -> None:
    true = [np.zeros((4, 4), np.float32)] * 3
    steady = [np.full((4, 4), 0.2, np.float32)] * 3
    assert metrics.flicker(steady, true) == 0
    beating = [np.full((4, 4), v, np.float32) for v in (0.0, 0.1, 0.0)]
    assert metrics.flicker(beating, true) == pytest.approx(100)


def test_the_band_reaches_as_far_as_it_says() -> None:
    true = np.zeros((9, 41), np.float32)
    true[:, 20:] = 1
    true[:, 20] = 0.5
    band = metrics.edge_band(true, 8)
    assert np.flatnonzero(band[4]).tolist() == list(range(12, 29))


@pytest.mark.parametrize("name", CASES)
def test_every_plate_is_what_its_truth_says(name: str) -> None:
    truth = CASES[name](2)
    assert truth.plate.shape == (HEIGHT, WIDTH, 3) and truth.alpha.shape == (HEIGHT, WIDTH)
    assert truth.plate.min() >= 0 and truth.plate.max() <= 1
    assert truth.alpha.min() >= 0 and truth.alpha.max() <= 1.0001 and truth.alpha.max() > 0.6
    # Nothing of the subject lies along the top edge's middle on either side but the ground.
    assert (truth.alpha[:4, :100] < 0.02).all()
    assert np.array_equal(truth.plate, CASES[name](2).plate), "the same frame is drawn the same"
