"""The Bench: one shot, its work order and its picture."""

import json
import os
import threading
import time
from fractions import Fraction
from typing import Any, Literal

from flask import Blueprint, Response, jsonify, render_template
from pydantic.fields import FieldInfo

from upholster.core.documents.masks import Mask
from upholster.core.documents.recipe import Recipe, changed, document_of
from upholster.core.documents.settings import Settings
from upholster.core.documents.traces import Trace
from upholster.core.masks.svg import from_svg, to_svg
from upholster.core.screen.propose import screen_name
from upholster.store.models import Footage
from upholster.studio import drawings
from upholster.studio.errors import Missing, Refused
from upholster.studio.footage import bring_in
from upholster.studio.footage.bring_in import footage_of_bytes, source_of
from upholster.studio.looking import look
from upholster.studio.making.from_mattes import masks_from
from upholster.studio.masks import following
from upholster.studio.renders import renders
from upholster.studio.shots import screens, shots
from upholster.studio.traces import runs
from upholster.web import requests
from upholster.web.newest import Newest
from upholster.web.pages import deliver
from upholster.web.requests import asked_for

page = Blueprint("bench", __name__, url_prefix="/bench/<int:shot_id>")

_newest = Newest()
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
        start=_state(state)
        | {
            "bench": state.shot.bench,
            "facts": _plain_facts(state),
            "fields": _fields(),
            "delivery": deliver.choices(state.footage.facts),
            "defaults": _document(shots.first_recipe(state.footage)),
        },
        grounds=grounds,
        mattes=[g for g in grounds if (g.width, g.height) == (facts["width"], facts["height"])],
        name=renders.proposed_name(state.shot),
    )


@page.post("/recipe")
def revise(shot_id: int) -> Response:
    asked = asked_for(requests.Change)
    return jsonify(_state(shots.revise(shot_id, asked.read(shot_id), asked.change, asked.seen, branch=asked.branch)))


@page.post("/<any(undo, redo):way>")
def walk(shot_id: int, way: str) -> Response:
    seen = asked_for(requests.Seen).seen
    return jsonify(_state(shots.undo(shot_id, seen) if way == "undo" else shots.redo(shot_id, seen)))


@page.get("/state")
def state(shot_id: int) -> Response:
    """What is in force, for a window that has seen something older."""
    return jsonify(_state(shots.open_shot(shot_id)))


@page.post("/revisions/<int:number>")
def go_to(shot_id: int, number: int) -> Response:
    return jsonify(_state(shots.go_to(shot_id, number)))


@page.get("/history")
def history(shot_id: int) -> str:
    return render_template(
        "bench/history.html", revisions=shots.history(shot_id), head=shots.open_shot(shot_id).revision
    )


@page.post("/screen")
def screen(shot_id: int) -> Response:
    """Change the kind of ground, or measure it at one more place."""
    asked = asked_for(requests.ScreenChange)
    footage, recipe = look.footage_of(shot_id), asked.read(shot_id)
    if place := asked.measure:
        sample = look.sample(footage, place.frame, place.x, place.y, place.radius)
        recipe, change = shots.with_sample(recipe, footage, sample), "Screen measured"
    else:
        new = _screen_change(recipe, asked.screen or {})
        recipe, change = shots.with_screen(recipe, footage, **new), "Screen changed"
    return jsonify(_state(shots.revise(shot_id, recipe, change, asked.seen, branch=asked.branch)))


def _screen_change(recipe: Recipe, screen: dict[str, Any]) -> dict[str, Any]:
    """What is changed of the screen, looked at."""
    after = changed(recipe, {"screen": screen}).screen
    if after.kind != "none" and not after.colours:
        raise Refused("Measure the ground first: press M and click on it in the picture.")
    return {name: getattr(after, name) for name in screen}


@page.post("/picture")
def picture(shot_id: int) -> Response:
    """One frame as raw RGBA; 204 where a newer request of the same window has come in since.

    ``X-Waited`` says how many milliseconds it stood behind those of others.
    """
    asked = asked_for(requests.PictureAsked)
    _newest.note(asked.window, asked.sequence)
    footage, recipe = look.footage_of(shot_id), asked.read(shot_id)
    fine = asked.quality == "fine"
    came = time.monotonic()
    with _fine if fine else _quick:
        waited = time.monotonic() - came
        # The one before the newest is still drawn while a value is dragged.
        if not asked.keep and _newest.overtaken(asked.window, asked.sequence, by=1 if fine else 2):
            return Response(status=204)
        what: Literal["plate", "result"] = "plate" if asked.plate else "result"
        wanted = look.Wanted(asked.frame, asked.quality, what, asked.taken, asked.whole)
        pixels = look.picture(footage, recipe, wanted)
    response = Response(pixels.tobytes(), mimetype="application/octet-stream")
    response.headers["X-Size"] = f"{pixels.shape[1]}x{pixels.shape[0]}"
    response.headers["X-Shown"] = json.dumps(_shown(footage, recipe, whole=asked.whole))
    response.headers["X-Waited"] = str(round(waited * 1000))
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


@page.get("/drawings/<digest>")
def drawing(shot_id: int, digest: str) -> Response:
    """An outline of a mask, or the strokes of a trace; what a digest names never changes."""
    try:
        response = jsonify(drawings.find(digest).document())
    except ValueError:
        raise Missing("This drawing is not here any more. Load the page again.") from None
    response.headers["Cache-Control"] = "private, max-age=31536000, immutable"
    return response


@page.post("/masks/follow")
def follow(shot_id: int) -> Response:
    """A mask carried on by some frames; whoever wants more asks again from the last."""
    asked = asked_for(requests.Follow)
    footage, recipe = look.footage_of(shot_id), asked.read(shot_id)
    found = following.follow_mask(footage, recipe, asked.mask, asked.frame, asked.way, asked.motion)
    return jsonify(steps=[step._asdict() for step in found.steps], lost=found.lost)


@page.post("/masks/thin")
def thin(shot_id: int) -> Response:
    asked = asked_for(requests.Thin)
    return jsonify(following.thin(asked.read(shot_id), asked.mask, asked.tolerance).document())


@page.post("/masks/propose")
def propose(shot_id: int) -> Response:
    recipe = asked_for(requests.OfRecipe).read(shot_id)
    return jsonify(following.proposed(look.footage_of(shot_id), recipe).model_dump(mode="json"))


@page.get("/masks.svg")
def masks_svg(shot_id: int) -> Response:
    """The masks in force as an SVG with animation."""
    state = shots.open_shot(shot_id)
    facts = state.footage.facts
    text = to_svg(state.recipe.masks, int(facts["width"]), int(facts["height"]), float(Fraction(facts["rate"])))
    response = Response(text, mimetype="image/svg+xml")
    response.headers.set("Content-Disposition", "attachment", filename=f"{state.shot.name} masks.svg")
    response.headers["Cache-Control"] = "no-store"
    return response


@page.post("/masks/read")
def read_masks(shot_id: int) -> Response:
    """The paths of an SVG as masks."""
    rate = float(Fraction(look.footage_of(shot_id).facts["rate"]))
    try:
        found = from_svg(asked_for(requests.SvgSent).svg, rate)
    except ValueError as error:
        raise Refused(f"This file could not be read: {error}.") from None
    return jsonify([mask.model_dump(mode="json") for mask in found])


@page.post("/masks/from-mattes")
def masks_from_mattes(shot_id: int) -> Response:
    """Mattes that were brought in as footage, as masks."""
    mattes = footage_of_bytes(asked_for(requests.OfMattes).footage)
    if mattes is None:
        raise Refused("This footage is not here any more. Bring the mattes in on the Footage page.")
    plate = source_of(look.footage_of(shot_id))
    return jsonify([mask.model_dump(mode="json") for mask in masks_from(source_of(mattes), plate.facts)])


@page.post("/traces")
def traces(shot_id: int) -> Response:
    """How far each trace is."""
    recipe = asked_for(requests.OfRecipe).read(shot_id)
    found = runs.standing(look.footage_of(shot_id), shot_id, recipe)
    return jsonify({mark: standing._asdict() for mark, standing in found.items()})


@page.post("/traces/run")
def run_trace(shot_id: int) -> Response:
    asked = asked_for(requests.OfTrace)
    return jsonify(run=runs.start(look.footage_of(shot_id), shot_id, asked.read(shot_id), asked.trace))


@page.post("/traces/cancel")
def cancel_trace(shot_id: int) -> Response:
    runs.cancel(shot_id, asked_for(requests.NamedTrace).trace)
    return jsonify(ok=True)


@page.post("/instruments/<name>")
def instrument(shot_id: int, name: str) -> Response:
    asked = asked_for(requests.OfFrame)
    return jsonify(look.instrument(look.footage_of(shot_id), asked.read(shot_id), asked.frame, name))


@page.post("/readout")
def readout(shot_id: int) -> Response:
    asked = asked_for(requests.Readout)
    found = look.readout(look.footage_of(shot_id), asked.read(shot_id), asked.frame, asked.x, asked.y)
    return jsonify(found._asdict())


@page.post("/view-state")
def view_state(shot_id: int) -> Response:
    """Remember how the Bench was left."""
    shots.remember_view(shot_id, asked_for(requests.ViewState).model_dump(exclude_none=True))
    return jsonify(ok=True)


@page.post("/copy")
def copy(shot_id: int) -> Response:
    return jsonify(shot=shots.copy_shot(shot_id).id)


def _state(state: shots.State) -> dict[str, Any]:
    return {
        "revision": state.revision,
        "recipe": _document(state.recipe),
        "screenName": screen_name(state.recipe.screen),
        "found": screens.found_of(state.footage, state.recipe),
        "undo": state.undo,
        "redo": state.redo,
        "shown": _shown(state.footage, state.recipe),
    }


def _document(recipe: Recipe) -> dict[str, Any]:
    """A recipe as windows have it: outlines by their digest, which are asked for once."""
    return document_of(recipe, lambda course: course.digest)


def _plain_facts(state: shots.State) -> dict[str, Any]:
    return {k: state.footage.facts[k] for k in ("width", "height", "length", "rate", "depth")} | {
        "damaged": state.footage.facts.get("damaged", []),
        "pictures": f"/footage/{state.footage.id}/frame/",
        "reading": state.footage.reading_id or 0,
    }


def _fields() -> dict[str, Any]:
    """Bounds, steps and units of the numbers, for dragging and typing; which may have keyframes, which are whole."""
    fields = {}
    for section, model in Recipe.model_fields.items():
        settings = model.annotation
        if not (isinstance(settings, type) and issubclass(settings, Settings)):
            continue
        for name, bounds in settings.tracks().items():
            fields[f"{section}.{name}"] = bounds | {"keyed": True, "whole": False}
        for name, field in settings.model_fields.items():
            if field.annotation in (int, float):
                fields[f"{section}.{name}"] = _bounds(name, field)
    for kind, of in (("mask", Mask), ("trace", Trace)):
        for name, bounds in of.tracks().items():
            standard = of.model_fields[name].default
            fields[f"{kind}.{name}"] = bounds | {"keyed": True, "whole": False, "standard": standard}
    fields["trace.band"] = _bounds("band", Trace.model_fields["band"])
    return fields


def _bounds(name: str, field: FieldInfo) -> dict[str, Any]:
    """Those of a number that is the same on every frame."""
    limits = {type(limit).__name__: limit for limit in field.metadata}
    whole = field.annotation is int
    return {
        "low": limits["Ge"].ge,
        "high": limits["Le"].le if "Le" in limits else None,
        "step": 1 if whole or limits["Le"].le > 100 else 0.05,
        "unit": _UNITS.get(name, "px" if name.startswith("crop_") else ""),
        "keyed": False,
        "whole": whole,
    }


#: Units of the plain numbers, where they are not pixels.
_UNITS = {"speed": "%"}
