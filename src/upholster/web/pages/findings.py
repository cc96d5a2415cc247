"""What is wrong with a shot: how far it is measured, findings, what would mend them, what is left alone."""

from typing import Any

from flask import Blueprint, Response, jsonify

from upholster.core.findings.kinds import KINDS
from upholster.studio import drawings
from upholster.studio.errors import Refused
from upholster.studio.findings import measuring, mending, sheets, standing
from upholster.studio.shots import shots
from upholster.web.requests.body import asked_for
from upholster.web.requests.findings import LeftAlone, OfFinding, ToldAgain

page = Blueprint("findings", __name__, url_prefix="/bench/<int:shot_id>/findings")


@page.post("")
def show(shot_id: int) -> Response:
    """What is known of a shot as it is in force; what is missing is asked for."""
    state = shots.open_shot(shot_id)
    known = standing.standing(state.shot, state.footage, state.recipe)
    if known.missing and state.shot.bench.get("measured", True):
        measuring.ask(shot_id)
    return jsonify(
        revision=state.revision,
        kinds=[{"name": name, "words": kind.words} for name, kind in KINDS.items()],
        frames=known.frames,
        stale=known.stale,
        missing=known.missing,
        findings=[_told(each) for each in known.findings],
        alone=[{**each, "words": KINDS[each["kind"]].words} for each in known.alone],
    )


@page.get("/sheet")
def sheet(shot_id: int) -> Response:
    """The proof sheet of a shot, as far as it is measured: a page that needs nothing else."""
    response = Response(sheets.sheet_of_shot(shot_id), mimetype="text/html")
    response.headers["Content-Security-Policy"] = "default-src 'none'; img-src data:; style-src 'unsafe-inline'"
    return response


@page.get("/places/<int:frame>")
def places(shot_id: int, frame: int) -> Response:
    """Where a frame is wrong, as far as it is measured."""
    return jsonify([{"kind": kind, **place._asdict()} for kind, place in standing.places_on(shot_id, frame)])


@page.post("/mend")
def mend(shot_id: int) -> Response:
    """The change that takes a finding away, tried on its worst frame; it is not made."""
    asked = asked_for(OfFinding)
    state = shots.open_shot(shot_id)
    known = standing.standing(state.shot, state.footage, state.recipe)
    told = next((t for t in known.findings if _is(t.finding, asked)), None)
    if told is None:
        raise Refused("This is not wrong any more as the shot stands now.")
    found = mending.mend_of_shot(state.footage, state.recipe, told.finding)
    line = mending.line_for(told.finding, found)
    if found is None:
        return jsonify(line=line, words="", worst=told.finding.worst)
    return jsonify(
        line=line,
        words=found.words,
        worst=told.finding.worst,
        before=round(found.before, 3),
        after=round(found.after, 3),
        changes=drawings.differences(state.recipe, found.recipe),
        base=state.revision,
    )


@page.post("/alone")
def leave_alone(shot_id: int) -> Response:
    """Tell no more of a finding, or of all of its kind in this shot."""
    asked = asked_for(LeftAlone)
    place = None if asked.box is None else {"box": list(asked.box), "first": asked.first, "last": asked.last}
    standing.leave_alone(shot_id, asked.kind, place)
    return jsonify(ok=True)


@page.post("/again")
def tell_again(shot_id: int) -> Response:
    standing.tell_again(shot_id, asked_for(ToldAgain).number)
    return jsonify(ok=True)


def _told(told: standing.Told) -> dict[str, Any]:
    finding = told.finding
    return {
        "kind": finding.kind,
        "first": finding.first,
        "last": finding.last,
        "worst": finding.worst,
        "box": finding.place.box,
        "mask": finding.place.mask,
        "around": finding.around,
        "severity": finding.severity,
        "sentence": told.sentence,
        "line": told.line,
        "alone": told.alone,
    }


def _is(finding: standing.Finding, asked: OfFinding) -> bool:
    return finding.kind == asked.kind and finding.worst == asked.worst and list(finding.place.box) == list(asked.box)
