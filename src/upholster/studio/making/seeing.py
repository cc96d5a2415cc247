"""A keyed frame as the measures of what is wrong look at it."""

import numpy as np

from upholster.core.documents.recipe import Finish, Recipe
from upholster.core.findings.seen import Plane, Seen
from upholster.core.pipeline.stage import Picture
from upholster.core.stages.take.turn import Turn

#: Sides of the take, as `Seen.cut` has them.
_SIDES = ("crop_left", "crop_top", "crop_right", "crop_bottom")


def looked_at(recipe: Recipe) -> Recipe:
    """A recipe as its matte and its edges are judged: not turned, and not finished for a scene."""
    upright = recipe.take.model_copy(update={name: field.default for name, field in Turn.model_fields.items()})
    return recipe.model_copy(update={"take": upright, "finish": Finish()})


def plate_alone(recipe: Recipe) -> Recipe:
    """The recipe that shows the same part of the plate as it was shot."""
    return Recipe(take=recipe.take)


def seen(frame: int, plate: Plane, keyed: Picture, recipe: Recipe) -> Seen:
    """A frame keyed by what `looked_at` gives, with its plate by `plate_alone`."""
    kind = recipe.screen.kind
    keying = kind != "none" and not recipe.screen.paused and keyed.screen_cells.shape[1] > 1
    raw = keyed.raw_matte if keying and keyed.raw_matte.shape == keyed.alpha.shape else keyed.alpha
    left, top, right, bottom = (getattr(recipe.take, side) > 0 for side in _SIDES)
    return Seen(
        frame,
        plate,
        np.clip(keyed.rgb, 0, 1),
        np.ascontiguousarray(keyed.alpha, np.float32),
        raw,
        keyed.screen_cells if keying else None,
        glow=kind in ("dark", "light"),
        veils=recipe.matte.at(frame)["see_through"] > 0,
        cut=(left, top, right, bottom),
    )
