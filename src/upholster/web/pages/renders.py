"""Renders: what is being made, what is made, what went wrong."""

from typing import Any

from flask import Blueprint, Response, jsonify, render_template

from upholster.media.delivery import read_delivery
from upholster.media.errors import MediaError
from upholster.media.formats import FORMATS
from upholster.studio.errors import Refused
from upholster.studio.making.proving import proves_parts
from upholster.studio.renders import listed, presets, renders
from upholster.studio.shots import shots
from upholster.studio.traces import runs
from upholster.web import paging
from upholster.web.requests.body import asked_for
from upholster.web.requests.deliveries import Batch

page = Blueprint("renders", __name__, url_prefix="/renders")


@page.get("")
def show() -> str:
    return render_template("renders/page.html", **_rows())


@page.get("/list")
def listing() -> str:
    return render_template("renders/list.html", **_rows())


@page.post("/<int:render_id>/cancel")
def cancel(render_id: int) -> str:
    renders.cancel(render_id)
    return listing()


@page.post("/clear")
def clear() -> str:
    renders.clear_ended()
    return listing()


@page.post("/<int:render_id>/retry")
def retry(render_id: int) -> str:
    renders.retry(render_id)
    return listing()


@page.post("/<int:render_id>/<any(first, last):where>")
def move(render_id: int, where: str) -> str:
    renders.move(render_id, where)
    return listing()


@page.post("/batch")
def batch() -> Response:
    """Order the same delivery of several shots."""
    asked = asked_for(Batch)
    delivery = read_delivery(asked.delivery) if asked.preset is None else presets.preset_delivery(asked.preset)
    names, refused = [], []
    for shot_id in asked.shots:
        try:
            revision = shots.open_shot(shot_id).revision
            names += [r.name for r in renders.order(shot_id, revision, [delivery])]
        except (Refused, MediaError) as error:
            refused.append({"name": shots.name_of(shot_id), "problem": str(error)})
    return jsonify(names=names, refused=refused)


def _rows() -> dict[str, Any]:
    page = paging.asked()
    shown = page.of(listed.all_renders(page.most + 1, page.skip))
    return shown | {
        "active_states": renders.ACTIVE,
        "tally": listed.tally(),
        "several": listed.under_way() > 1,
        "ended": any(r.state not in renders.ACTIVE for r in shown["rows"]),
        "rows": [(r, listed.standing(r), listed.proof_of(r)) for r in shown["rows"]],
        "traced": runs.shots_being_traced(),
        "proved": {name for name, form in FORMATS.items() if proves_parts(form)},
    }
