"""Finishing a shot by what is seen of its subject, and of the ground it is laid over."""

from collections.abc import Callable, Sequence
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from upholster.core.documents.recipe import Finish, Recipe
from upholster.core.finish import measured
from upholster.core.finish.cdl import from_cdl
from upholster.media.delivery import hex_colour
from upholster.store.models import Footage
from upholster.studio.errors import Refused
from upholster.studio.footage.bring_in import get_footage, source_of
from upholster.studio.looking import look, plates, read_off
from upholster.studio.making.finishing import ground_pictures, spread

Plane = NDArray[np.float32]
#: What can be measured for a finish.
What = Literal["neutral", "scene", "grain"]


def with_measured(footage: Footage, recipe: Recipe, what: What, ground: Footage | str | None = None) -> Recipe:
    """A recipe whose finish knows the subject's cast, the light of a ground, or its grain.

    Parameters
    ----------
    ground
        Footage, or a colour like ``#c026a8``.
    """
    finish = recipe.finish
    if what == "neutral":
        seen = _subject(footage, recipe, Finish())
        return _finished(recipe, lambda: measured.neutralised(finish, seen))
    if ground is None:
        raise Refused("Choose a ground above the picture first: a colour, a still or a clip.")
    if what == "grain":
        if isinstance(ground, str):
            raise Refused("A plain colour has no grain. Choose a still or a clip above the picture.")
        pictures = ground_pictures(source_of(ground))
        return _finished(recipe, lambda: measured.grained_as(finish, pictures))
    seen = _subject(footage, recipe, measured.before_match(finish))
    name, pictures = _ground(ground)
    return _finished(recipe, lambda: measured.in_scene(finish, seen, pictures, name))


def with_grey(footage: Footage, recipe: Recipe, frame: int, x: float, y: float, radius: float) -> Recipe:
    """A recipe in whose light a place of the subject, in pixels of the plate, is grey."""
    before = recipe.model_copy(update={"finish": measured.before_light(recipe.finish)})

    def finish() -> Finish:
        colour = read_off.subject_colour(footage, before, frame, x, y, radius)
        return measured.balanced_on(recipe.finish, colour)

    return _finished(recipe, finish)


def with_decision(recipe: Recipe, text: str) -> Recipe:
    """A recipe with the colour decision of a file."""
    return _finished(recipe, lambda: measured.decided(recipe.finish, from_cdl(text)))


def ground_of(footage_id: int | None, colour: str | None) -> Footage | str | None:
    """What a result is laid over, as the Bench names it."""
    return get_footage(footage_id) if footage_id is not None else colour


def _finished(recipe: Recipe, finish: Callable[[], Finish]) -> Recipe:
    try:
        return recipe.model_copy(update={"finish": finish()})
    except ValueError as error:
        raise Refused(f"This could not be measured: {error}.") from None


def _subject(footage: Footage, recipe: Recipe, finish: Finish) -> list[tuple[Plane, Plane]]:
    looked = recipe.model_copy(update={"finish": finish})
    return [look.small(footage, looked, number) for number in spread(range(*look.span_of(footage, recipe)))]


def _ground(ground: Footage | str) -> tuple[str, Sequence[Plane]]:
    if isinstance(ground, str):
        return ground, [np.broadcast_to(hex_colour(ground), (3, 36, 64)).astype(np.float32)]
    proxy = plates.proxy_of(ground)
    return ground.name, [proxy.frame(n).rgb for n in spread(range(int(ground.facts["length"])), 3)]
