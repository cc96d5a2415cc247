"""The bench's drawn plates: truth that fits what is filmed, and seeds that are kept apart."""

import sys
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

sys.path.insert(0, str(Path(__file__).parents[2]))

from bench.quality import families, metrics, table  # noqa: E402
from bench.quality.keyed import Result  # noqa: E402
from bench.quality.plates import Truth  # noqa: E402


def test_plates_that_are_tuned_on_and_those_that_are_reported_are_not_the_same() -> None:
    assert not set(families.TUNED) & set(families.UNTOUCHED)


@pytest.mark.parametrize("name", ["costume", "hair", "glass", "gauze", "crossing", "fog", "smoke"])
def test_truth_over_the_set_is_the_plate(name: str) -> None:
    """What is filmed is the subject, with the screen's light on it, over the set: C = aF + (1 - a)B."""
    draw = np.random.default_rng([0, sum(map(ord, name))])
    scene = families.FAMILIES[name](draw)
    scene.noise, scene.shadow = 0.0, 0.0
    truth = families.exposed(scene, draw, 2)
    empty = families.exposed(replace(scene, subject=lambda canvas, t: None), draw, 2)
    alpha = truth.alpha[..., None]
    assert 0.005 < truth.alpha.mean() < 0.6
    added = truth.plate - (truth.rgb * alpha + empty.plate * (1 - alpha))
    unclipped = (truth.plate < 0.999) & (truth.rgb < 0.999)
    # Light of the screen is added where something covers, and nowhere taken.
    assert added[unclipped].min() > -0.01
    assert np.abs(added)[np.broadcast_to(alpha == 0, added.shape)].max() < 0.01
    assert (truth.hair is not None and truth.hair.max() > 0.5) == (name == "hair")
    assert (truth.glass is not None and truth.glass.max() > 0.1) == (name in ("glass", "gauze"))


def test_the_same_seed_is_the_same_plate() -> None:
    scenes = [families.FAMILIES["lettering"](np.random.default_rng(3)) for _ in range(2)]
    first, second = (families.exposed(scene, np.random.default_rng(4), 1).plate for scene in scenes)
    assert np.array_equal(first, second)


def test_regions_cover_a_matte_without_overlap() -> None:
    true = np.zeros((60, 100), np.float32)
    true[10:50, 10:40] = 1
    true[28:32, 40:90] = 1
    true[9, 10:40] = 0.5
    hair = np.zeros_like(true)
    hair[10:14, 50:60] = 0.8
    found = metrics.regions(true, hair)
    assert np.sum(list(found.values()), axis=0).max() == 1
    assert found["thin"][30, 70] and not found["thin"][30, 20]
    assert found["inside"][30, 20] and found["rim"][9, 20] and found["hair"][12, 55]
    assert not found["glass"].any()


def test_the_colour_error_is_a_mean_in_code_values() -> None:
    """By hand: a tenth off everywhere in the edge band is 25.5 of 255."""
    alpha = np.zeros((40, 40), np.float32)
    alpha[10:30, 10:30] = 1
    alpha[10] = 0.5
    true = np.full((3, 40, 40), 0.5, np.float32)
    assert metrics.colour(true + np.float32(0.1), true, alpha) == pytest.approx(25.5, abs=1e-3)
    assert np.isnan(metrics.colour(true, true, np.zeros_like(alpha)))


def test_a_row_of_the_table_is_what_was_measured() -> None:
    alpha = np.zeros((40, 40), np.float32)
    alpha[10:30, 10:30] = 1
    rgb = np.full((40, 40, 3), 0.5, np.float32)
    truths = [Truth(rgb, alpha, rgb), Truth(rgb, alpha, rgb)]
    colours = [rgb.transpose(2, 0, 1)] * 2
    holed = alpha.copy()
    holed[18:22, 18:22] = 0.5
    row = table.measured(Result([alpha, holed], colours, 1.0, ""), truths)
    assert row["mse"] == pytest.approx(1000 * 16 * 0.25 / 1600 / 2)
    assert row["worst"] == pytest.approx(1000 * 16 * 0.25 / 1600)
    assert row["holes"] == pytest.approx(100 * 16 / 400 / 2)
    assert np.isnan(row["glass"]) and row["leaks"] == 0
    assert "-" in table.line("x", row)
    assert table.average([row, row | {"mse": 0.0, "worst": 0.0}])["worst"] == row["worst"]
