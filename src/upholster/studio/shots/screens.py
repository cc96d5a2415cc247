"""What is known of the screens of footage in the house."""

from upholster.core.documents.recipe import Recipe, read_recipe
from upholster.core.documents.screen import Screen
from upholster.core.first_recipe import FirstLook, found
from upholster.core.screen.clean_plate import ScreenKnowledge, measure_screen
from upholster.core.screen.survey import Survey
from upholster.store.models import Footage
from upholster.studio import paths
from upholster.studio.errors import Missing, Refused
from upholster.studio.footage.bring_in import footage_of_bytes, source_of
from upholster.studio.looking.kept import KNOWLEDGE, Kept
from upholster.studio.making.keying import KeyJob, load_survey
from upholster.studio.traces.mattes import mattes_of

_surveys = Kept(KNOWLEDGE // 2)
_screens = Kept(KNOWLEDGE // 2)
_sentences = Kept(1 << 20)


def survey_of(footage: Footage) -> Survey:
    """The survey taken when the footage was last read."""
    path = paths.reading_folder(footage.sha256, footage.reading_id) / "survey.npz"
    try:
        return _surveys.get(path, lambda: load_survey(path))
    except OSError:
        raise Missing("This footage is not here any more. Bring it in again.") from None


def knowledge(footage: Footage, screen: Screen) -> ScreenKnowledge | None:
    """What a shot of this footage knows about its screen, measured once per screen setting."""
    if screen.paused or screen.kind == "none":
        return None
    empty = footage_of_bytes(screen.empty) if screen.empty else None
    if screen.empty and not empty:
        raise Refused("The footage of the empty set is gone. Choose another, or let the screen be worked out.")
    name = (footage.sha256, footage.reading_id, empty and empty.reading_id, screen)
    return _screens.get(name, lambda: measure_screen(survey_of(footage), screen, survey_of(empty) if empty else None))


def found_of(footage: Footage, recipe: Recipe) -> tuple[str, ...]:
    """What measuring found of a shot, in sentences that hold of its recipe as it stands."""
    name = (footage.sha256, footage.reading_id, recipe.screen, recipe.matte)
    first = FirstLook(read_recipe(footage.first_recipe), tuple(footage.sentences))
    return _sentences.get(name, lambda: found(survey_of(footage), recipe, knowledge(footage, recipe.screen), first))


def key_job_of(footage: Footage, recipe: Recipe) -> KeyJob:
    """Footage ready to be keyed by a recipe."""
    return KeyJob(source_of(footage), recipe, knowledge(footage, recipe.screen), mattes_of(footage).read)
