"""Dark and light grounds give the pictures they gave before; see `before`. Goes when their key itself changes."""

from pathlib import Path

import numpy as np
import pytest

from core.before.scenes import EVERYTHING, GROUNDS, plates
from upholster.core.documents.recipe import read_recipe
from upholster.core.pipeline.runner import key, plate_of
from upholster.core.screen.clean_plate import measure_screen
from upholster.core.screen.survey import survey

#: Largest difference, where only the order of sums changed; results are kept in 16 bits.
BOUND = 1e-4


@pytest.mark.parametrize("kind", ["dark", "light"])
def test_pictures_are_as_they_were(kind: str) -> None:
    expected = np.load(Path(__file__).parent / "before" / "keyed.npz")
    frames = plates(kind)
    taken = survey(dict(enumerate(frames)))
    for number, document in enumerate(EVERYTHING):
        recipe = read_recipe({"version": 1, "screen": {"kind": kind, "colour": GROUNDS[kind]}, **document})
        known = measure_screen(taken, recipe.screen)
        near = [plate_of(frames[0]), plate_of(frames[2])]
        keyed = key(plate_of(frames[1]), recipe, 1, known, neighbours=lambda reach, near=near: near)
        found = np.concatenate([keyed.rgb, keyed.alpha[None]]).clip(0, 1)
        off = np.abs(found - expected[f"{kind}-{number}"].astype(np.float32) / 65535).max()
        assert off < BOUND, f"recipe {number}: {off}"
