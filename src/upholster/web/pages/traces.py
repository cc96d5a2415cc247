"""Traces of a shot on the Bench: how far they are, run and called off; and what was drawn of them and of masks."""

from flask import Blueprint, Response, jsonify

from upholster.studio import drawings
from upholster.studio.errors import Missing
from upholster.studio.looking import plates
from upholster.studio.traces import mattes, runs
from upholster.web.requests.body import asked_for
from upholster.web.requests.recipes import OfRecipe
from upholster.web.requests.traces import NamedTrace, OfTrace, ToBrush

page = Blueprint("traces", __name__, url_prefix="/bench/<int:shot_id>")


@page.post("/traces")
def traces(shot_id: int) -> Response:
    """How far each trace is."""
    recipe = asked_for(OfRecipe).read(shot_id)
    found = runs.standing(plates.footage_of(shot_id), shot_id, recipe)
    return jsonify({mark: standing._asdict() for mark, standing in found.items()})


@page.post("/traces/run")
def run_trace(shot_id: int) -> Response:
    asked = asked_for(OfTrace)
    return jsonify(run=runs.start(plates.footage_of(shot_id), shot_id, asked.read(shot_id), asked.trace))


@page.post("/traces/cancel")
def cancel_trace(shot_id: int) -> Response:
    runs.cancel(shot_id, asked_for(NamedTrace).trace)
    return jsonify(ok=True)


@page.post("/traces/ahead")
def look_ahead(shot_id: int) -> Response:
    """Somebody holds the brush over a frame: its first matte will be wanted."""
    footage, frame = plates.footage_of(shot_id), asked_for(ToBrush).frame
    plates.must_have(footage, frame)
    mattes.prepare(footage, plates.proxy_of(footage), frame)
    return jsonify(ok=True)


@page.get("/drawings/<digest>")
def drawing(shot_id: int, digest: str) -> Response:
    """An outline of a mask, or the strokes of a trace; what a digest names never changes."""
    try:
        response = jsonify(drawings.find(digest).document())
    except ValueError:
        raise Missing("This drawing is not here any more. Load the page again.") from None
    response.headers["Cache-Control"] = "private, max-age=31536000, immutable"
    return response
