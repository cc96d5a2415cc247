"""What is known of the screens of footage in the house."""

from functools import lru_cache

from upholster.core.recipe import Recipe, Screen
from upholster.core.screen.clean_plate import ScreenKnowledge, measure_screen
from upholster.core.screen.survey import Survey
from upholster.store.models import Footage
from upholster.studio import places
from upholster.studio.bring_in import source_of
from upholster.studio.errors import Refused
from upholster.studio.keying import Making, load_survey


@lru_cache(maxsize=32)
def survey_of(sha256: str) -> Survey:
    """The survey taken when the footage was read; the same bytes always give the same one."""
    return load_survey(places.footage_folder(sha256) / "survey.npz")


@lru_cache(maxsize=64)
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
    return measure_screen(survey_of(sha256), screen, empty)


def making_of(footage: Footage, recipe: Recipe) -> Making:
    """Footage ready to be keyed by a recipe."""
    return Making(source_of(footage), recipe, knowledge(footage.sha256, recipe.screen))
