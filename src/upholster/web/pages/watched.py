"""Watched folders: what lands in them is keyed and delivered without anybody asking."""

from typing import Any

from flask import Blueprint, Response, jsonify, render_template

from upholster.media.delivery import read_delivery
from upholster.media.formats import FORMATS, NEEDS
from upholster.media.ready import READY
from upholster.store.states import ArrivalState
from upholster.studio.renders import listed
from upholster.studio.renders.presets import preset_delivery, presets
from upholster.studio.shots import shots
from upholster.studio.watched import folders
from upholster.web.requests.body import asked_for
from upholster.web.requests.watched import FolderWatched

page = Blueprint("watched", __name__, url_prefix="/watched")


@page.get("")
def show() -> str:
    return render_template(
        "watched/page.html",
        **_rows(),
        choices=folders.choices(),
        formats=FORMATS.values(),
        needs=NEEDS,
        presets=presets(),
        ready=READY,
        shots=shots.newest(),
    )


@page.get("/list")
def listing() -> str:
    return render_template("watched/list.html", **_rows())


@page.post("")
def watch() -> Response:
    """Watch a folder from now on."""
    asked = asked_for(FolderWatched)
    delivery = read_delivery(asked.delivery) if asked.preset is None else preset_delivery(asked.preset)
    folders.watch(asked.folder, asked.shot, delivery, report=asked.report)
    return jsonify(ok=True)


@page.post("/<int:watched_id>/<any(pause, go_on):what>")
def pause(watched_id: int, what: str) -> str:
    folders.pause(watched_id, on=what == "go_on")
    return listing()


@page.post("/<int:watched_id>/give-up")
def give_up(watched_id: int) -> str:
    folders.give_up(watched_id)
    return listing()


def _rows() -> dict[str, Any]:
    told = folders.all_watched()
    making = [a.render_id for each in told for a in each.arrivals if a.render_id and a.state == ArrivalState.MAKING]
    return {
        "told": told,
        "root": folders.root(),
        "under_way": folders.UNDER_WAY,
        "here": {each.row.id: folders.path_of(each.row) for each in told},
        "standing": listed.standings(making),
    }
