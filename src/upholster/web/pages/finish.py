"""Finishing a shot on the Bench: what is measured for it, and colour decisions written and read."""

from flask import Blueprint, Response, jsonify, request

from upholster.core.documents.recipe import Recipe
from upholster.core.finish.cdl import to_cdl
from upholster.core.finish.measured import decision_of
from upholster.studio.looking import finishing, plates
from upholster.studio.shots import shots
from upholster.web.pages.bench import state_of
from upholster.web.requests.body import asked_for, number_asked
from upholster.web.requests.finish import Finished, GreyPicked
from upholster.web.requests.recipes import Change, DecisionSent

page = Blueprint("finish", __name__, url_prefix="/bench/<int:shot_id>")

_WORDS = {"neutral": "Cast measured", "scene": "Matched to a ground", "grain": "Grain measured"}


@page.post("/finish")
def measure(shot_id: int) -> Response:
    """Measure the subject's cast, or the light or the grain of the ground it is laid over."""
    asked = asked_for(Finished)
    ground = finishing.ground_of(asked.footage, asked.colour)
    recipe = finishing.with_measured(plates.footage_of(shot_id), asked.read(shot_id), asked.measure, ground)
    return _revised(shot_id, asked, recipe, _WORDS[asked.measure])


@page.post("/grey")
def grey(shot_id: int) -> Response:
    """Take a place of the subject for grey."""
    asked = asked_for(GreyPicked)
    at = asked.grey
    recipe = finishing.with_grey(plates.footage_of(shot_id), asked.read(shot_id), at.frame, at.x, at.y, at.radius)
    return _revised(shot_id, asked, recipe, "White balance from a grey")


@page.post("/decision")
def read_decision(shot_id: int) -> Response:
    asked = asked_for(DecisionSent)
    return _revised(shot_id, asked, finishing.with_decision(asked.read(shot_id), asked.text), "Colour decision read")


@page.get("/decision.<any(cc, cdl):kind>")
def decision(shot_id: int, kind: str) -> Response:
    """The colour decision in force on a frame."""
    state = shots.open_shot(shot_id)
    number = number_asked("frame") if "frame" in request.args else 0
    text = to_cdl(decision_of(state.recipe.finish, number), state.shot.name, whole=kind == "cdl")
    response = Response(text, mimetype="application/xml")
    response.headers.set("Content-Disposition", "attachment", filename=f"{state.shot.name}.{kind}")
    response.headers["Cache-Control"] = "no-store"
    return response


def _revised(shot_id: int, asked: Change, recipe: Recipe, words: str) -> Response:
    return jsonify(state_of(shots.revise(shot_id, recipe, words, asked.seen, branch=asked.branch)))
