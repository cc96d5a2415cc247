"""Shots and their recipes: every change is a numbered revision; undo and redo walk among them."""

from typing import Any, NamedTuple

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from upholster.core.documents.recipe import Matte, Recipe
from upholster.core.documents.screen import SAMPLES, Sample, Screen
from upholster.core.first_recipe import propose_matte
from upholster.core.screen.clean_plate import ScreenKnowledge
from upholster.core.screen.propose import kind_of
from upholster.store.models import Footage, Revision, Shot
from upholster.store.session import session
from upholster.store.states import FootageState
from upholster.studio.errors import Missing, Refused, Stale
from upholster.studio.naming import clean
from upholster.studio.shots import families
from upholster.studio.shots.revisions import add_revision, known_recipe, recipe_at, revision_of
from upholster.studio.shots.screens import knowledge, survey_of

#: Most shots that are offered to choose from.
_CHOICES = 300


class State(NamedTuple):
    """A shot as the Bench needs it."""

    shot: Shot
    footage: Footage
    revision: int
    recipe: Recipe
    undo: str | None
    redo: str | None


def open_shot(shot_id: int) -> State:
    """A shot with the recipe in force; the first one is what was proposed for its footage."""
    with session() as db:
        shot = _get(db, shot_id)
        footage = shot.footage
        if footage.state == FootageState.FAILED:
            raise Refused(footage.pending.problem if footage.pending else "This footage could not be read.")
        if footage.state != FootageState.READY:
            raise Refused("This footage is still being read. Try again in a moment.")
        return _state(db, shot)


def first_of(footage_id: int) -> int:
    """The number of the first shot of footage."""
    with session() as db:
        found = db.scalar(select(func.min(Shot.id)).where(Shot.footage_id == footage_id))
    if found is None:
        raise Missing("This footage is not here any more.")
    return found


def newest() -> list[tuple[int, str]]:
    """The numbers and names of shots that can be opened, the newest first; not more than can be chosen from."""
    query = select(Shot.id, Shot.name).join(Footage).where(Footage.state == FootageState.READY)
    with session() as db:
        return [(n, name) for n, name in db.execute(query.order_by(Shot.id.desc()).limit(_CHOICES))]


def footage_id_of(shot_id: int) -> int:
    """The number of the footage of a shot."""
    with session() as db:
        return _get(db, shot_id).footage_id


def name_of(shot_id: int) -> str:
    """What a shot is called, whatever becomes of its footage."""
    with session() as db:
        return db.scalar(select(Shot.name).where(Shot.id == shot_id)) or f"Shot {shot_id}"


def revise(shot_id: int, recipe: Recipe, change: str, seen: int, *, branch: bool = False) -> State:
    """Make `recipe`, made from revision `seen`, the one in force, as a new revision.

    Raises
    ------
    Stale
        Where another revision came into force since, unless `branch` says to go on from the one seen, beside it.
    """
    with session() as db:
        shot = _get(db, shot_id, lock=True)
        before = _recipe(db, shot)
        if before != recipe:
            if not branch:
                _check_seen(db, shot, seen)
            add_revision(db, shot, recipe, clean(change, 200), revision_of(db, shot.id, seen).number)
            families.pass_on(db, shot, before, recipe, clean(change, 150))
        return _state(db, shot)


def undo(shot_id: int, seen: int) -> State:
    """Go back to what the revision in force was made from; `Stale` where it is not the one `seen`."""
    with session() as db:
        shot = _get(db, shot_id, lock=True)
        _check_seen(db, shot, seen)
        here = revision_of(db, shot.id, shot.head)
        if here.parent is not None:
            _walk(db, shot, here.parent, f"Undone: {here.change}")
        return _state(db, shot)


def redo(shot_id: int, seen: int) -> State:
    """Go on to the newest revision made from the one in force; `Stale` where it is not the one `seen`."""
    with session() as db:
        shot = _get(db, shot_id, lock=True)
        _check_seen(db, shot, seen)
        child = _child(db, shot)
        if child is not None:
            _walk(db, shot, child.number, child.change)
        return _state(db, shot)


def go_to(shot_id: int, number: int) -> State:
    """Go back (or on) to any revision; none is lost."""
    with session() as db:
        shot = _get(db, shot_id, lock=True)
        there = revision_of(db, shot.id, number)
        _walk(db, shot, there.number, there.change)
        return _state(db, shot)


def _walk(db: Session, shot: Shot, number: int, change: str) -> None:
    """Bring another revision into force."""
    before, shot.head = _recipe(db, shot), number
    families.pass_on(db, shot, before, _recipe(db, shot), clean(change, 150))


def history(shot_id: int) -> list[Revision]:
    """All revisions, newest first."""
    with session() as db:
        return list(db.scalars(select(Revision).where(Revision.shot_id == shot_id).order_by(Revision.number.desc())))


def recipe_of(shot_id: int, number: int) -> Recipe:
    """The recipe of a revision; what was read before takes no query."""
    found = known_recipe(shot_id, number)
    if found is not None:
        return found
    with session() as db:
        return recipe_at(db, shot_id, number)


def remember_view(shot_id: int, state: dict[str, Any]) -> None:
    """Keep how the Bench was left."""
    with session() as db:
        _get(db, shot_id).bench = state


def copy_shot(shot_id: int) -> Shot:
    """Another use of the same footage, starting from the recipe in force."""
    with session() as db:
        shot = _get(db, shot_id)
        recipe = _recipe(db, shot)
        count = db.scalar(select(func.count()).where(Shot.footage_id == shot.footage_id)) or 0
        twin = Shot(footage_id=shot.footage_id, name=f"{shot.footage.name} {count + 1}", head=0)
        db.add(twin)
        db.flush()
        add_revision(db, twin, recipe, f"Copied from {shot.name}", None)
        return twin


def with_screen(recipe: Recipe, footage: Footage, **screen: Any) -> Recipe:
    """`recipe` with a changed screen; clear and solid follow it unless they were set by hand."""
    try:
        before = knowledge(footage, recipe.screen)
    except Refused:
        before = None
    untouched = before is None or _proposed(recipe.matte, footage, recipe.screen, before) == recipe.matte
    changed = recipe.screen.model_copy(update=screen)
    after = knowledge(footage, changed)
    matte = _proposed(recipe.matte, footage, changed, after) if untouched and after else recipe.matte
    return recipe.model_copy(update={"screen": changed, "matte": matte})


def with_sample(recipe: Recipe, footage: Footage, sample: Sample) -> Recipe:
    """`recipe` with one more place marked on the picture."""
    screen = recipe.screen
    if len(screen.samples) >= SAMPLES:
        raise Refused(f"{SAMPLES} places are marked already. Remove one of them first.")
    if sample.of != "ground" and not screen.colours:
        raise Refused("Mark some of the ground first: press M and click on it in the picture.")
    first = sample.of == "ground" and (screen.kind == "none" or not screen.ground)
    kind = kind_of(sample.colour) if first else screen.kind
    return with_screen(recipe, footage, kind=kind, samples=(*screen.samples, sample))


def _proposed(matte: Matte, footage: Footage, screen: Screen, known: ScreenKnowledge) -> Matte:
    """`matte` with the clear and solid points that the measured grain asks for."""
    found = propose_matte(survey_of(footage), screen, known)
    points = {"black_point": found.black_point, "white_point": found.white_point}
    return matte.model_copy(update=points)


def _get(db: Session, shot_id: int, *, lock: bool = False) -> Shot:
    """A shot; locked, nobody else changes it, or one linked with it, until the transaction ends."""
    if lock:
        families.hold(db, shot_id)
    shot = db.get(Shot, shot_id, with_for_update=lock)
    if shot is None:
        raise Missing("This shot is not here any more.")
    return shot


def _check_seen(db: Session, shot: Shot, seen: int) -> None:
    if shot.head != seen:
        change = revision_of(db, shot.id, shot.head).change
        raise Stale(f"Another window changed this shot since, to revision {shot.head}: {change}.")


def _recipe(db: Session, shot: Shot) -> Recipe:
    return recipe_at(db, shot.id, shot.head)


def _child(db: Session, shot: Shot) -> Revision | None:
    children = select(Revision).where(Revision.shot_id == shot.id, Revision.parent == shot.head)
    return db.scalar(children.order_by(Revision.number.desc()).limit(1))


def _state(db: Session, shot: Shot) -> State:
    revision = revision_of(db, shot.id, shot.head)
    child = _child(db, shot)
    return State(
        shot,
        shot.footage,
        shot.head,
        recipe_at(db, shot.id, shot.head),
        revision.change if revision.parent else None,
        child.change if child else None,
    )
