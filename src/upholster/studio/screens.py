"""What is known of the screens of footage in the house."""

from functools import lru_cache
from pathlib import Path
from typing import NamedTuple

from upholster.core.recipe import Recipe, Screen
from upholster.core.screen.clean_plate import ScreenKnowledge, measure_screen
from upholster.core.screen.survey import Survey
from upholster.store.models import Footage
from upholster.studio import places
from upholster.studio.bring_in import source_of
from upholster.studio.errors import Refused
from upholster.studio.keying import Making, load_survey


def survey_of(sha256: str) -> Survey:
    """The survey taken when the footage was last read."""
    path = places.footage_folder(sha256) / "survey.npz"
    return _survey(path, path.stat().st_mtime_ns)


def knowledge(sha256: str, screen: Screen) -> ScreenKnowledge | None:
    """What a shot of this footage knows about its screen, measured once per screen setting."""
    if screen.paused or screen.kind == "none":
        return None
    try:
        empty = survey_of(screen.empty) if screen.empty else None
    except OSError:
        raise Refused(
            "The footage of the empty set is gone. Choose another, or let the screen be worked out."
        ) from None
    return _knowledge(_Taken(survey_of(sha256), empty), screen)


class _Taken(NamedTuple):
    """Surveys, told apart by being the same objects: arrays have no hash of their own."""

    plate: Survey
    empty: Survey | None

    def __hash__(self) -> int:
        return hash((id(self.plate), id(self.empty)))

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Taken) and self.plate is other.plate and self.empty is other.empty


@lru_cache(maxsize=32)
def _survey(path: Path, stamp: int) -> Survey:
    """`stamp` tells a survey taken again, as after alpha was taken another way, from the one before."""
    return load_survey(path)


@lru_cache(maxsize=64)
def _knowledge(taken: _Taken, screen: Screen) -> ScreenKnowledge | None:
    return measure_screen(taken.plate, screen, taken.empty)


def making_of(footage: Footage, recipe: Recipe) -> Making:
    """Footage ready to be keyed by a recipe."""
    return Making(source_of(footage), recipe, knowledge(footage.sha256, recipe.screen))
