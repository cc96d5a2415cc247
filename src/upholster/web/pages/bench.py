"""The Bench: one shot, its work order and its picture."""

import os
import threading
from typing import Any, Literal

from flask import Blueprint, Response, jsonify, render_template, request

from upholster.core.documents.recipe import Recipe, changed, document_of
from upholster.core.screen.propose import screen_name
from upholster.media.mixing import packed
from upholster.store.models import Footage, Shot
from upholster.studio.errors import Refused
from upholster.studio.footage import bring_in, renaming
from upholster.studio.looking import hand, listening, look, plates, read_off
from upholster.studio.renders import renders
from upholster.studio.shots import families, screens, shots
from upholster.studio.shots.revisions import first_recipe
from upholster.studio.stock import stock
from upholster.web.fields import fields
from upholster.web.newest import Newest
from upholster.web.pages import deliver
from upholster.web.pictures import sent
from upholster.web.requests.bench import PictureAsked, Readout, SoundAsked, ViewState
from upholster.web.requests.body import Named, asked_for
from upholster.web.requests.recipes import Change, LineFollowed, OfFrame, ScreenChange, Seen

page = Blueprint("bench", __name__, url_prefix="/bench/<int:shot_id>")

_newest = Newest()
#: What a revision is called in which a place was marked.
_MARKED = {"ground": "Screen measured", "subject": "Marked as subject", "veil": "Marked as glass or gauze"}
#: As many quick pictures at a time as there are cores: more would each only take longer.
_quick = threading.BoundedSemaphore(os.cpu_count() or 1)
#: Fine pictures are made one at a time, so that those nobody waits for any more are passed over.
_fine = threading.BoundedSemaphore(1)


@page.get("")
def show(shot_id: int) -> str:
    state = shots.open_shot(shot_id)
    facts = state.footage.facts
    grounds = [g for g in bring_in.grounds() if g.id != state.footage.id]
    return render_template(
        "bench/page.html",
        state=state,
        facts=facts,
        start=state_of(state)
        | {
            "bench": state.shot.bench,
            "chosen": _chosen(request.args.get("clip", type=int), request.args.get("line", type=int)),
            "facts": _plain_facts(state),
            "fields": fields(),
            "delivery": deliver.choices(state.footage.facts),
            "defaults": _document(first_recipe(state.footage)),
        },
        grounds=grounds,
        mattes=[g for g in grounds if (g.width, g.height) == (facts["width"], facts["height"])],
        name=renders.proposed_name(state.shot),
    )


def _chosen(clip_id: int | None, line: int | None) -> dict[str, Any]:
    """What an address wants to find on the Bench: the delivery of a clip, and a line unfolded."""
    chosen: dict[str, Any] = {} if line is None else {"unfolded": [line]}
    made = None if clip_id is None else stock.get_clip(clip_id).render
    return chosen if made is None else chosen | {"delivery": made.delivery}


@page.post("/name")
def rename(shot_id: int) -> Response:
    renaming.rename_shot(shot_id, asked_for(Named).name)
    return jsonify(name=shots.open_shot(shot_id).shot.name)


@page.post("/recipe")
def revise(shot_id: int) -> Response:
    asked = asked_for(Change)
    return jsonify(state_of(shots.revise(shot_id, asked.read(shot_id), asked.change, asked.seen, branch=asked.branch)))


@page.post("/<any(undo, redo):way>")
def walk(shot_id: int, way: str) -> Response:
    seen = asked_for(Seen).seen
    return jsonify(state_of(shots.undo(shot_id, seen) if way == "undo" else shots.redo(shot_id, seen)))


@page.get("/state")
def state(shot_id: int) -> Response:
    """What is in force, for a window that has seen something older."""
    return jsonify(state_of(shots.open_shot(shot_id)))


@page.post("/revisions/<int:number>")
def go_to(shot_id: int, number: int) -> Response:
    return jsonify(state_of(shots.go_to(shot_id, number)))


@page.post("/family")
def follow(shot_id: int) -> Response:
    """Let a line be as it is in the shot's family, or go its own way."""
    asked = asked_for(LineFollowed)
    (families.follow if asked.follows else families.depart)(shot_id, asked.line)
    return jsonify(state_of(shots.open_shot(shot_id)))


@page.post("/unlink")
def unlink(shot_id: int) -> Response:
    families.unlink([shot_id])
    return jsonify(state_of(shots.open_shot(shot_id)))


@page.get("/history")
def history(shot_id: int) -> str:
    return render_template(
        "bench/history.html", revisions=shots.history(shot_id), head=shots.open_shot(shot_id).revision
    )


@page.post("/screen")
def screen(shot_id: int) -> Response:
    """Change the kind of ground, or mark one more place as ground, subject or veil."""
    asked = asked_for(ScreenChange)
    footage, recipe = plates.footage_of(shot_id), asked.read(shot_id)
    if place := asked.measure:
        sample = read_off.sample(footage, place.frame, place.spot, place.of)
        recipe, change = shots.with_sample(recipe, footage, sample), _MARKED[place.of]
    else:
        new = _screen_change(recipe, asked.screen or {})
        recipe, change = shots.with_screen(recipe, footage, **new), "Screen changed"
    return jsonify(state_of(shots.revise(shot_id, recipe, change, asked.seen, branch=asked.branch)))


def _screen_change(recipe: Recipe, screen: dict[str, Any]) -> dict[str, Any]:
    """What is changed of the screen, looked at."""
    after = changed(recipe, {"screen": screen}).screen
    if after.kind != "none" and not after.colours:
        raise Refused("Measure the ground first: press M and click on it in the picture.")
    return {name: getattr(after, name) for name in screen}


@page.post("/picture")
def picture(shot_id: int) -> Response:
    """One frame as `sent` has it; 204 where a newer request of the same window has come in since."""
    asked = asked_for(PictureAsked)
    # Pictures of a clip that plays are all wanted, and take nothing from the one that stands.
    if not asked.keep:
        _newest.note(asked.window, asked.sequence)
    if not asked.ahead:
        hand.moves()
    footage, recipe = plates.footage_of(shot_id), asked.read(shot_id)
    fine = asked.quality == "fine"
    with _fine if fine else _quick:
        going_on = hand.anyway if asked.keep else _newest.begin(asked.window, asked.sequence, fine=fine)
        what: Literal["plate", "result"] = "plate" if asked.plate else "result"
        wanted = look.Wanted(asked.frame, asked.quality, what, asked.taken, asked.whole, passing=asked.keep)
        pixels = look.picture(footage, recipe, wanted, going_on)
    return sent(pixels, _shown(footage, recipe, whole=asked.whole), pack=asked.packed)


@page.post("/sound.wav")
def sound(shot_id: int) -> Response:
    """What is heard while the shot plays; 204 where there is nothing."""
    asked = asked_for(SoundAsked)
    samples = listening.heard(plates.footage_of(shot_id), asked.read(shot_id), taken=asked.taken)
    if samples is None:
        return Response(status=204)
    response = Response(packed(samples), mimetype="audio/wav")
    response.headers["Cache-Control"] = "no-store"
    return response


def _shown(footage: Footage, recipe: Recipe, *, whole: bool = False) -> dict[str, Any]:
    """What a window must know to draw on a picture and to count its frames.

    Size of the picture in full, and as it is delivered; the map from places on the plate to places in it, as
    a, b, c, d, e, f; and the time map.
    """
    raster, times = look.raster_of(footage, recipe, whole=whole), look.times_of(footage, recipe)
    e, f = raster.place(0, 0)
    (a, b), (c, d) = raster.place(1, 0), raster.place(0, 1)
    return {
        "size": raster.size,
        "delivered": look.raster_of(footage, recipe).size,
        "matrix": (a - e, b - f, c - e, d - f, e, f),
        "times": {
            "first": times.span.start,
            "last": times.span.stop - 1,
            "frames": times.frames,
            "before": times.before,
            "after": times.after,
            "step": (times.step.numerator, times.step.denominator),
            "between": times.between,
            "backwards": times.backwards,
            "plain": times.plain,
        },
    }


@page.post("/instruments/<name>")
def instrument(shot_id: int, name: str) -> Response:
    asked = asked_for(OfFrame)
    return jsonify(read_off.instrument(plates.footage_of(shot_id), asked.read(shot_id), asked.frame, name))


@page.post("/doubts")
def doubts(shot_id: int) -> Response:
    """Where a frame could be something else than it is taken for."""
    asked = asked_for(OfFrame)
    found = read_off.doubts_of(plates.footage_of(shot_id), asked.read(shot_id), asked.frame)
    return jsonify(doubts=[each._asdict() for each in found])


@page.post("/readout")
def readout(shot_id: int) -> Response:
    asked = asked_for(Readout)
    found = read_off.readout(plates.footage_of(shot_id), asked.read(shot_id), asked.frame, asked.x, asked.y)
    return jsonify(found._asdict())


@page.post("/view-state")
def view_state(shot_id: int) -> Response:
    """Remember how the Bench was left."""
    shots.remember_view(shot_id, asked_for(ViewState).model_dump(exclude_none=True))
    return jsonify(ok=True)


@page.post("/copy")
def copy(shot_id: int) -> Response:
    return jsonify(shot=shots.copy_shot(shot_id).id)


def state_of(state: shots.State) -> dict[str, Any]:
    """What a window is told of a shot after every change."""
    return {
        "revision": state.revision,
        "recipe": _document(state.recipe),
        "screenName": screen_name(state.recipe.screen),
        "found": screens.found_of(state.footage, state.recipe),
        "undo": state.undo,
        "redo": state.redo,
        "shown": _shown(state.footage, state.recipe),
        "family": _family(state.shot),
    }


def _family(shot: Shot) -> dict[str, Any] | None:
    """The shots that one is linked with, and the lines on which it departs."""
    linked = families.members([shot]).get(shot.family_id or 0)
    if linked is None:
        return None
    return {"others": [m._asdict() for m in linked if m.shot != shot.id], "departs": shot.departs}


def _document(recipe: Recipe) -> dict[str, Any]:
    """A recipe as windows have it: outlines by their digest, which are asked for once."""
    return document_of(recipe, lambda course: course.digest)


def _plain_facts(state: shots.State) -> dict[str, Any]:
    return {k: state.footage.facts[k] for k in ("width", "height", "length", "rate", "depth")} | {
        "sound": bool(state.footage.facts.get("sound")),
        "damaged": state.footage.facts.get("damaged", []),
        "timecode": state.footage.facts.get("timecode", ""),
        "pictures": f"/footage/{state.footage.id}/frame/",
        "reading": state.footage.reading_id or 0,
    }
