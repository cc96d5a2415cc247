"""Furnishing a new house: the demo's footage, clips of it already finished, and a fitting of them."""

import shutil
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

from sqlalchemy import select

from upholster.core.documents.fitting import read_fitting
from upholster.core.documents.recipe import changed
from upholster.core.documents.screen import Screen
from upholster.demo import fair, harbour, kite
from upholster.demo.plates import plates
from upholster.media.delivery import Delivery
from upholster.store.models import Footage, Shot
from upholster.store.session import session
from upholster.store.states import FootageState
from upholster.studio import paths
from upholster.studio.fittings import fittings
from upholster.studio.footage import bring_in
from upholster.studio.renders import listed, renders
from upholster.studio.shots import shots
from upholster.studio.stock import search, stock
from upholster.studio.traces import runs

#: Which plates are finished at first start, in which format, and the clips' tags.
_FINISHED = {
    "marionette": ("prores4444", "puppet, figure, green screen"),
    "sparks": ("ffv1", "sparks, glow, dark ground"),
    "lantern": ("prores4444", "lantern, glass, blue screen"),
    "paper-moon": ("ffv1", "moon, sky, orange wall"),
    "ink-drops": ("ffv1", "ink, smoke, light ground"),
}


def furnish(say: Callable[[str], None], stopping: Callable[[], bool]) -> None:
    """Bring in what of the demo is missing; does nothing in a house that has it."""
    done, begun = _marks()
    if done.exists():
        return
    begun.parent.mkdir(parents=True, exist_ok=True)
    begun.touch()
    say("The demo's plates are being read; clips of them are finished after that.")
    for file in plates():
        _bring_in(file)
    for name, (form, tags) in _FINISHED.items():
        footage = _ready(name, stopping)
        if footage is None:
            return
        with session() as db:
            shot = db.scalars(select(Shot).where(Shot.footage_id == footage.id)).first()
        assert shot is not None
        if any(r.shot_id == shot.id for r in listed.all_renders()):
            continue
        state = shots.open_shot(shot.id)
        render = renders.order(shot.id, state.revision, [Delivery(format=form)])[0]
        if not _finished(render.id, stopping):
            return
        for clip in search.clips():
            if clip.render_id == render.id:
                stock.tag(clip.id, tags)
    for name, subject, strokes in (("kite", "Kite", kite.brushed()), ("street-fair", "Rooster", fair.brushed())):
        _brush(name, subject, strokes, stopping)
    _fit(stopping)
    done.touch()


def _fit(stopping: Callable[[], bool]) -> None:
    """The demo's fitting: what was keyed, together over the night harbour; and a file of it."""
    if any(row.name == harbour.NAME for row in fittings.all_fittings()):
        return
    with session() as db:
        shots_by_name = {shot.name: shot.id for shot in db.scalars(select(Shot))}
        footage_by_name = {each.name: each.id for each in db.scalars(select(Footage))}
    clips = {clip.render.shot.name: clip.id for clip in search.clips() if clip.render and clip.render.shot}
    there = clips.keys() >= set(harbour.CLIPS) and harbour.SHOT in shots_by_name
    if not there or not footage_by_name.keys() >= {harbour.GROUND, harbour.SOUND}:
        return

    def source(name: str) -> dict[str, Any]:
        if name in harbour.CLIPS:
            return {"kind": "clip", "id": clips[name]}
        if name == harbour.SHOT:
            return {"kind": "shot", "id": shots_by_name[name]}
        return {"kind": "footage", "id": footage_by_name[name]}

    row = fittings.new_fitting(harbour.NAME, read_fitting(harbour.scene(source)))
    order = Delivery(format="over-h264", sound=True)
    for render in renders.order_fitting(row.id, row.head, [order], "evening in the harbour"):
        if _finished(render.id, stopping):
            for clip in search.clips():
                if clip.render_id == render.id:
                    stock.tag(clip.id, "scene, night")


def under_way() -> bool:
    """Whether the demo is still being brought in."""
    done, begun = _marks()
    return begun.exists() and not done.exists()


def _marks() -> tuple[Path, Path]:
    """Files that say that the demo is here, and that bringing it in has begun."""
    home = paths.data_root() / "demo"
    return home / "furnished", home / "begun"


def _brush(name: str, subject: str, strokes: list[dict[str, Any]], stopping: Callable[[], bool]) -> None:
    """Trace a plate without a screen, from strokes on its first frame."""
    footage = _ready(name, stopping)
    if footage is None:
        return
    with session() as db:
        shot = db.scalars(select(Shot).where(Shot.footage_id == footage.id)).first()
    assert shot is not None
    state = shots.open_shot(shot.id)
    if state.recipe.traces.order:
        return
    alone = state.recipe.model_copy(update={"screen": Screen()})
    trace = {"name": subject, "strokes": strokes}
    recipe = changed(alone, {"traces": {"order": ["t1"], "each": {"t1": trace}}})
    shots.revise(shot.id, recipe, f"{subject} brushed over", state.revision)
    runs.start(footage, shot.id, recipe, "t1")


def _bring_in(file: Path) -> None:
    with tempfile.TemporaryDirectory(dir=paths.data_root()) as folder:
        shutil.copy(file, folder)
        bring_in.take_in(Path(folder), file.name)


def _ready(name: str, stopping: Callable[[], bool]) -> Footage | None:
    while not stopping():
        with session() as db:
            footage = db.scalar(select(Footage).where(Footage.name == name))
        if footage is None or footage.state == FootageState.FAILED:
            return None
        if footage.state == FootageState.READY:
            return footage
        time.sleep(0.3)
    return None


def _finished(render_id: int, stopping: Callable[[], bool]) -> bool:
    while not stopping():
        state = next(r.state for r in listed.all_renders() if r.id == render_id)
        if state not in renders.ACTIVE:
            return True
        time.sleep(0.3)
    return False
