"""What leaves a fitting: files that are rendered, with what they cost; timelines and numbers for other programs."""

from functools import partial
from typing import Literal

from flask import Blueprint, Response, jsonify, url_for

from upholster.media.delivery import read_delivery
from upholster.studio.fittings import fittings, interchange, sources
from upholster.studio.making.flat import flat_colour
from upholster.studio.naming import safe_name
from upholster.studio.renders import estimates, renders
from upholster.studio.renders.made_of import layers_of, made_of_fitting
from upholster.web import words
from upholster.web.quoting import quoted
from upholster.web.requests.body import asked_for
from upholster.web.requests.fittings import FittingFlat, FittingQuote, FittingRendered, TimelineSent

page = Blueprint("fitting_delivery", __name__, url_prefix="/fittings")


@page.post("/<int:fitting_id>/render")
def render(fitting_id: int) -> Response:
    asked = asked_for(FittingRendered)
    deliveries = [read_delivery(document) for document in asked.deliveries]
    ordered = renders.order_fitting(fitting_id, asked.revision, deliveries, asked.name, asked.layer)
    row = fittings.open_fitting(fitting_id).row
    return jsonify(names=[r.name for r in ordered], proposed=renders.proposed_name(row))


@page.post("/<int:fitting_id>/quote")
def quote(fitting_id: int) -> Response:
    """Size and time of deliveries; 204 where a newer question of the same window has come in since."""
    asked = asked_for(FittingQuote)
    document = layers_of(asked.read(fitting_id), asked.layer)
    deliveries = [read_delivery(each) for each in asked.deliveries]
    jobs = [(made_of_fitting(document, d).job, d) for d in deliveries]
    found = quoted(asked.window, asked.sequence, partial(estimates.quote, jobs))
    if found is None:
        return Response(status=204)
    return jsonify(words=f"About {words.size(found.bytes)}, made in {words.seconds(found.seconds)}.")


@page.post("/<int:fitting_id>/flat")
def flat(fitting_id: int) -> Response:
    """A flat colour proposed, or the one that was chosen."""
    asked = asked_for(FittingFlat)
    if asked.colour is not None:
        return jsonify(colour=asked.colour, fit=True, words="")
    job = sources.job_of(asked.read(fitting_id), over_ground=False)
    r, g, b = (round(255 * part) for part in flat_colour(job))
    return jsonify(colour=f"#{r:02x}{g:02x}{b:02x}", fit=True, words="Nothing in the fitting comes near this colour.")


@page.post("/timeline")
def read_timeline() -> Response:
    """A new fitting from a timeline."""
    row = interchange.read_timeline(asked_for(TimelineSent).text)
    return jsonify(at=url_for("fittings.opened", fitting_id=row.id))


@page.get("/<int:fitting_id>/timeline.otio")
def timeline(fitting_id: int) -> Response:
    return _download(fitting_id, interchange.timeline(fitting_id), "otio", "application/json")


@page.get("/<int:fitting_id>/values.<any(csv, json):kind>")
def table(fitting_id: int, kind: Literal["csv", "json"]) -> Response:
    """What every layer is at on every frame."""
    mime = {"csv": "text/csv", "json": "application/json"}[kind]
    return _download(fitting_id, interchange.table(fitting_id, kind), kind, mime)


def _download(fitting_id: int, text: str, suffix: str, mime: str) -> Response:
    name = safe_name(fittings.open_fitting(fitting_id).row.name)
    response = Response(text, mimetype=mime)
    response.headers["Content-Disposition"] = f'attachment; filename="{name}.{suffix}"'
    return response
