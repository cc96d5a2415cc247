"""The Bench: one shot, its work order and its picture."""

import threading
from typing import Any, Literal

from flask import Blueprint, Response, jsonify, render_template, request

from upholster.core.recipe import Recipe, read_recipe
from upholster.core.screen.propose import screen_name
from upholster.studio import bring_in, look, renders, shots
from upholster.studio.errors import Refused
from upholster.web.asking import asked_for
from upholster.web.pages import deliver

page = Blueprint("bench", __name__, url_prefix="/bench/<int:shot_id>")

#: The newest request of each Bench window; older ones are not computed any more.
_newest: dict[str, int] = {}
_newest_lock = threading.Lock()
#: Fine pictures are made one at a time, so that those nobody waits for any more are passed over.
_fine_lock = threading.Lock()


@page.get("")
def show(shot_id: int) -> str:
    if (number := request.args.get("revision", type=int)) is not None:
        shots.go_to(shot_id, number)
    state = shots.open_shot(shot_id)
    grounds = [f for f in bring_in.all_footage() if f.state == "ready" and f.id != state.footage.id]
    return render_template(
        "bench/page.html",
        state=state,
        facts=state.footage.facts,
        start=_state(state)
        | {
            "bench": state.shot.bench,
            "facts": _plain_facts(state),
            "fields": _fields(),
            "delivery": deliver.choices(state.footage.facts),
            "defaults": shots.first_recipe(state.footage).model_dump(mode="json"),
        },
        grounds=grounds,
        name=renders.proposed_name(state.shot),
    )


@page.post("/recipe")
def revise(shot_id: int) -> Response:
    asked = asked_for()
    return jsonify(_state(shots.revise(shot_id, read_recipe(asked["recipe"]), str(asked["change"]))))


@page.post("/<any(undo, redo):way>")
def walk(shot_id: int, way: str) -> Response:
    return jsonify(_state(shots.undo(shot_id) if way == "undo" else shots.redo(shot_id)))


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
    asked = asked_for()
    state, recipe = shots.open_shot(shot_id), read_recipe(asked["recipe"])
    if place := asked.get("measure"):
        sample = look.sample(
            state.footage, int(place["frame"]), float(place["x"]), float(place["y"]), float(place["radius"])
        )
        recipe, change = shots.with_sample(recipe, state.footage.sha256, sample), "Screen measured"
    else:
        recipe, change = shots.with_screen(recipe, state.footage.sha256, **_screen_change(asked)), "Screen changed"
    return jsonify(_state(shots.revise(shot_id, recipe, change)))


def _screen_change(asked: dict[str, Any]) -> dict[str, Any]:
    document = asked["recipe"] | {"screen": asked["screen"]}
    changed = read_recipe(document).screen
    if changed.kind != "none" and not changed.colours:
        raise Refused("Measure the ground first: press M and click on it in the picture.")
    return {name: getattr(changed, name) for name in type(changed).model_fields}


@page.post("/picture")
def picture(shot_id: int) -> Response:
    """One frame as raw RGBA; 204 where a newer request of the same window has come in since."""
    asked = asked_for()
    window, sequence = str(asked["window"])[:40], int(asked["sequence"])
    with _newest_lock:
        _newest[window] = max(sequence, _newest.get(window, 0))
        if len(_newest) > 200:
            _newest.pop(next(iter(_newest)))
    footage, recipe = look.footage_of(shot_id), read_recipe(asked["recipe"])
    frame = int(asked["frame"])
    what: Literal["result", "plate"] = "plate" if asked.get("plate") else "result"
    if asked.get("quality") == "fine":
        with _fine_lock:
            if _newest.get(window, sequence) > sequence:
                return Response(status=204)
            pixels = look.picture(footage, recipe, frame, "fine", what)
    elif not asked.get("keep") and _newest.get(window, sequence) > sequence + 1:
        return Response(status=204)
    else:
        pixels = look.picture(footage, recipe, frame, "quick", what)
    response = Response(pixels.tobytes(), mimetype="application/octet-stream")
    response.headers["X-Size"] = f"{pixels.shape[1]}x{pixels.shape[0]}"
    response.headers["Cache-Control"] = "no-store"
    return response


@page.post("/instruments/<name>")
def instrument(shot_id: int, name: str) -> Response:
    asked = asked_for()
    footage, recipe = look.footage_of(shot_id), read_recipe(asked["recipe"])
    return jsonify(look.instrument(footage, recipe, int(asked["frame"]), name))


@page.post("/readout")
def readout(shot_id: int) -> Response:
    asked = asked_for()
    footage = look.footage_of(shot_id)
    found = look.readout(footage, read_recipe(asked["recipe"]), int(asked["frame"]), int(asked["x"]), int(asked["y"]))
    return jsonify(found._asdict())


@page.post("/left")
def left(shot_id: int) -> Response:
    """Remember how the Bench was left."""
    known = {"frame", "view", "ground", "colour", "footage", "split", "surround", "open", "delivery"}
    shots.remember_bench(shot_id, {k: v for k, v in asked_for().items() if k in known})
    return jsonify(ok=True)


@page.post("/copy")
def copy(shot_id: int) -> Response:
    return jsonify(shot=shots.copy_shot(shot_id).id)


def _state(state: shots.State) -> dict[str, Any]:
    return {
        "revision": state.revision,
        "recipe": state.recipe.model_dump(mode="json"),
        "screenName": screen_name(state.recipe.screen),
        "undo": state.undo,
        "redo": state.redo,
    }


def _plain_facts(state: shots.State) -> dict[str, Any]:
    return {k: state.footage.facts[k] for k in ("width", "height", "length", "rate", "depth")}


def _fields() -> dict[str, Any]:
    """Bounds, steps, units and defaults of the numbers, for dragging and typing."""
    fields = {}
    for stage, model in Recipe.model_fields.items():
        if hasattr(model.annotation, "numbers"):
            for name, bounds in model.annotation.numbers().items():  # type: ignore[union-attr]
                fields[f"{stage}.{name}"] = bounds
    return fields
