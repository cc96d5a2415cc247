"""What can be read off a picture of a shot: values, instruments, colours, doubts."""

from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from upholster.core import instruments
from upholster.core.documents.recipe import Recipe
from upholster.core.documents.screen import Of, Sample
from upholster.core.doubts import Doubt, doubts
from upholster.core.finish.measured import colour_at
from upholster.core.kernels import row_bands
from upholster.core.screen.sampled import Spot, read_at
from upholster.core.stages.finish.grade import Grade, tones_of
from upholster.core.stages.take.turn import Turn
from upholster.store.models import Footage
from upholster.studio.errors import Refused
from upholster.studio.looking import look, plates
from upholster.studio.shots.screens import knowledge

Plane = NDArray[np.float32]


class Readout(NamedTuple):
    """Exact values under the pointer, 0..1."""

    plate: tuple[float, float, float]
    result: tuple[float, float, float, float]


def instrument(footage: Footage, recipe: Recipe, number: int, name: str) -> Any:
    """What a small instrument of the work order shows of one frame."""
    # Mattes are compared as they lie before the picture is turned.
    recipe = _upright(recipe)
    with row_bands():
        keyed = look.keyed(footage, recipe, number)
    match name:
        case "histogram":
            return instruments.histogram(keyed.raw_matte)
        case "profile":
            return instruments.edge_profile(keyed.raw_matte, keyed.alpha, keyed.raster.length(1.0))._asdict()
        case "chroma":
            known = knowledge(footage, recipe.screen)
            return {
                "plate": instruments.chroma_plane(plates.frame(footage, number, "quick").rgb),
                "screen": instruments.chroma_plane(known.plate) if known else [],
            }
        case "tones":
            values = recipe.finish.at(number, Grade)
            return {
                "subject": instruments.primaries(keyed.rgb, keyed.alpha),
                "curves": instruments.tone_curves(tones_of(values)),
            }
        case _:
            raise Refused("There is no such instrument.")


def _upright(recipe: Recipe) -> Recipe:
    upright = recipe.take.model_copy(update={n: field.default for n, field in Turn.model_fields.items()})
    return recipe.model_copy(update={"take": upright})


def readout(footage: Footage, recipe: Recipe, number: int, x: int, y: int) -> Readout:
    """Plate and result at pixel (x, y) of the plate."""
    frame = plates.frame(footage, number, "fine")
    height, width = frame.rgb.shape[1:]
    if not (0 <= x < width and 0 <= y < height):
        raise Refused("That point lies outside the picture.")
    with row_bands():
        keyed = look.keyed(footage, recipe, number, "fine")
    column, row = (int(part) for part in keyed.raster.place(x + 0.5, y + 0.5))
    if not (0 <= column < keyed.alpha.shape[1] and 0 <= row < keyed.alpha.shape[0]):
        raise Refused("That point is cut away.")
    r, g, b = (float(v) for v in frame.rgb[:, y, x])
    kr, kg, kb = (float(v) for v in keyed.rgb[:, row, column])
    return Readout((r, g, b), (kr, kg, kb, float(keyed.alpha[row, column])))


def subject_colour(footage: Footage, recipe: Recipe, number: int, x: float, y: float, radius: float) -> Plane:
    """The subject's straight colour ``(3,)`` in a square around (x, y) of the plate."""
    with row_bands():
        found = look.keyed(footage, recipe, number, "fine")
    return colour_at(found.rgb, found.alpha, found.raster, x, y, radius)


def sample(footage: Footage, number: int, spot: Spot, of: Of) -> Sample:
    """Read the colours of a place that was marked on the plate."""
    rgb = plates.frame(footage, number, "fine").rgb
    try:
        return read_at(rgb, plates.raster_of(footage), spot, of, number)
    except ValueError:
        raise Refused("That point lies outside the picture.") from None


def doubts_of(footage: Footage, recipe: Recipe, number: int) -> list[Doubt]:
    """Where a frame could be something else than it is taken for."""
    recipe = _upright(recipe)
    if recipe.screen.kind not in ("screen", "colour") or recipe.screen.paused:
        return []
    with row_bands():
        picture = look.keyed(footage, recipe, number)
    known = knowledge(footage, recipe.screen)
    patches = known.patches if known else None
    return doubts(picture.cells, picture.screen_cells, picture.cover, recipe.screen, picture.raster, patches)
