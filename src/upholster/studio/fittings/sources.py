"""What the layers of a fitting are made from: shots keyed live, clips of the stockroom, footage as it is."""

from collections.abc import Iterator
from functools import lru_cache
from pathlib import Path
from typing import NamedTuple

from sqlalchemy import select

from upholster.core.documents.fitting import Fitting, Source
from upholster.core.documents.recipe import Recipe
from upholster.media.decoder.reader import probe
from upholster.media.delivery import read_delivery
from upholster.media.errors import MediaError
from upholster.media.facts import AlphaKind
from upholster.store.models import Clip, Footage, Shot
from upholster.store.session import session
from upholster.store.states import FootageState
from upholster.studio.errors import Missing, Refused
from upholster.studio.footage.bring_in import source_of
from upholster.studio.footage.uploads import unzipped
from upholster.studio.making import keying
from upholster.studio.making.fitting import FitJob, fit_job
from upholster.studio.making.keying import Job
from upholster.studio.making.layer_footage import Taken, has_pictures, unkeyed
from upholster.studio.shots.revisions import recipe_at
from upholster.studio.shots.screens import key_job_of
from upholster.studio.stock import stock


class LiveShot(NamedTuple):
    """A shot that a fitting shows by a recipe of its own."""

    shot: Shot
    footage: Footage
    recipe: Recipe
    revision: int


def name_of(source: Source) -> str:
    """What a source is called in the house."""
    match source.kind:
        case "shot":
            return live_shot(source).shot.name
        case "clip":
            return clip_of(source).name
        case "footage":
            return footage_of(source).name
    return source.path


def ground_of(source: Source) -> str:
    """What it was shot before, as clips have it."""
    if source.kind == "shot":
        return live_shot(source).recipe.screen.kind
    return clip_of(source).ground if source.kind == "clip" else "none"


class Unresolved(NamedTuple):
    """A layer whose pictures are not here: its mark, its name, and why in a sentence."""

    mark: str
    name: str
    why: str


def live_shot(source: Source, pinned: dict[str, int] | None = None) -> LiveShot:
    """The shot of a layer, by the revision that was pinned, or the one it names, or the one in force."""
    with session() as db:
        shot = db.get(Shot, source.id)
        if shot is None or shot.footage.state != FootageState.READY:
            raise Missing("the shot is not here any more")
        number = (pinned or {}).get(str(shot.id)) or source.revision or shot.head
        return LiveShot(shot, shot.footage, recipe_at(db, shot.id, number), number)


def clip_of(source: Source) -> Clip:
    """The clip of a layer, where it is not deleted."""
    with session() as db:
        clip = db.get(Clip, source.id)
        if clip is None or clip.deleted_at is not None:
            raise Missing("the clip is not in the stockroom any more")
        _ = clip.render, clip.footage
        return clip


def footage_of(source: Source) -> Footage:
    with session() as db:
        found = db.scalar(select(Footage).where(Footage.id == source.id, Footage.state == FootageState.READY))
    if found is None:
        raise Missing("the footage is not here any more")
    return found


def files_of(clip: Clip) -> keying.Footage:
    """The files of a clip, with its alpha taken as it was written."""
    if clip.footage is not None:
        return source_of(clip.footage)
    assert clip.render is not None
    delivery = read_delivery(clip.render.delivery)
    if delivery.form.content in ("pair", "matte"):
        raise Refused("a matte apart cannot be laid over anything; make another format of this clip")
    return _opened(stock.file_of(clip), delivery.alpha if delivery.form.alpha_depth else "straight")


@lru_cache(maxsize=500)
def _opened(path: Path, alpha: AlphaKind) -> keying.Footage:
    # A finished file never changes.
    files = unzipped(path) if path.suffix == ".zip" else [path]
    facts = probe(files)
    return keying.Footage(tuple(files), facts.model_copy(update={"alpha_kind": alpha if facts.alpha else ""}))


def job_of_source(source: Source, pinned: dict[str, int] | None = None) -> Job:
    """What makes the pictures of a layer.

    Raises
    ------
    Missing, Refused
        With the end of a sentence that says why there are none.
    """
    match source.kind:
        case "shot":
            live = live_shot(source, pinned)
            return Taken(key_job_of(live.footage, live.recipe))
        case "clip":
            return unkeyed(files_of(clip_of(source)))
        case "footage":
            return unkeyed(source_of(footage_of(source)))
    raise Refused("a path of another machine means nothing here; choose a clip, a shot or footage in its place")


def resolved(fitting: Fitting, pinned: dict[str, int] | None = None) -> tuple[dict[str, Job], list[Unresolved]]:
    """What makes the pictures of the layers that are shown, by their marks; and those that have none."""
    jobs, gone = {}, []
    for mark, layer in fitting.layers.shown:
        try:
            jobs[mark] = job_of_source(layer.source, pinned)
        except (Missing, Refused, MediaError) as error:
            gone.append(Unresolved(mark, layer.name, str(error).rstrip(".")))
    return jobs, gone


def job_of(fitting: Fitting, pinned: dict[str, int] | None = None, *, over_ground: bool) -> FitJob:
    """A fitting ready to be made.

    Raises
    ------
    Refused
        With the list of layers that have no pictures.
    """
    layers, gone = resolved(fitting, pinned)
    if gone:
        raise Refused("This fitting cannot be made: " + "; ".join(f"“{g.name}”: {g.why}" for g in gone) + ".")
    ground = None
    if over_ground and fitting.ground.source:
        try:
            below = job_of_source(fitting.ground.source, pinned)
            if not has_pictures(below):
                raise Refused("it holds sound alone")
            ground = below.footage
        except (Missing, Refused, MediaError) as error:
            raise Refused(f"The ground of this fitting cannot be used: {str(error).rstrip('.')}.") from None
    return fit_job(fitting, layers, ground, over_ground=over_ground)


def job_heard(fitting: Fitting) -> FitJob:
    """A fitting to be heard: what of its layers is here, without its ground."""
    return fit_job(fitting, resolved(fitting)[0], None, over_ground=False)


def live_shots(fitting: Fitting, pinned: dict[str, int] | None = None) -> Iterator[LiveShot]:
    """The shots that a fitting shows live."""
    for _, layer in fitting.layers.shown:
        if layer.source.kind == "shot":
            yield live_shot(layer.source, pinned)
