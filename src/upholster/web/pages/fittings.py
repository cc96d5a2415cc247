"""Fittings: clips placed in layers over a ground; a list of them, and one open."""

import json
import threading
from typing import Any

import cv2
import numpy as np
from flask import Blueprint, Response, jsonify, render_template, request, url_for

from upholster.core.composite.over import over
from upholster.core.documents.fitting import Fitting, Layer, Source, proposed_blend
from upholster.media.errors import MediaError
from upholster.media.mixing import loudness, packed
from upholster.studio.errors import Missing, Refused
from upholster.studio.fittings import fittings, laying, proxies, sources
from upholster.studio.fittings import look as looking
from upholster.studio.footage import bring_in
from upholster.studio.looking import hand
from upholster.studio.making.keying import Job
from upholster.studio.making.layer_footage import size_of
from upholster.studio.renders import renders
from upholster.studio.stock import search, stock
from upholster.web import paging
from upholster.web.fields import fitting_fields
from upholster.web.newest import Newest
from upholster.web.pages import deliver
from upholster.web.pictures import sent
from upholster.web.requests.body import Named, asked_for
from upholster.web.requests.fittings import (
    ClipLaid,
    FittingBegun,
    FittingChange,
    FittingPicture,
    FittingView,
    LayerMatched,
    LayerSource,
    OfFitting,
)
from upholster.web.requests.recipes import Seen

page = Blueprint("fittings", __name__, url_prefix="/fittings")

_newest, _newest_quote = Newest(), Newest()
_quick, _fine, _quoting = threading.BoundedSemaphore(2), threading.BoundedSemaphore(1), threading.Lock()
#: Most of each kind that are offered as layers.
_OFFERED = 300


@page.get("")
def show() -> str:
    return render_template("fittings/list_page.html", **_listed())


@page.get("/list")
def listing() -> str:
    return render_template("fittings/list.html", **_listed())


def _listed() -> dict[str, Any]:
    page = paging.asked()
    return page.of(fittings.listed(page.most + 1, page.skip))


@page.post("")
def begin() -> Response:
    """A new fitting; with a clip, of its size and with it as its first layer."""
    asked = asked_for(FittingBegun)
    document = None
    if asked.clip is not None:
        source = Source(kind="clip", id=asked.clip)
        document = laying.begun_with(source, stock.get_clip(asked.clip).name)
    row = fittings.new_fitting(asked.name, document)
    return jsonify(at=url_for("fittings.opened", fitting_id=row.id))


@page.get("/<int:fitting_id>")
def opened(fitting_id: int) -> str:
    state = fittings.open_fitting(fitting_id)
    if clip_id := request.args.get("clip", type=int):
        made = stock.get_clip(clip_id).render
        state.row.view = state.row.view | ({"delivery": made.delivery} if made else {})
    facts = _facts(state.document)
    proxies.ask_for_missing(state.document)
    return render_template(
        "fittings/page.html",
        state=state,
        facts=facts,
        start=_state(state)
        | {
            "view": state.row.view,
            "fields": fitting_fields(),
            "delivery": deliver.choices(facts),
            "defaults": Fitting().model_dump(mode="json"),
            "layer": Layer(source=Source(kind="clip", id=1)).model_dump(mode="json"),
        },
        offered=_offered(),
        sounds=SOUNDS,
        grounds=[],
        name=renders.proposed_name(state.row),
    )


def _facts(document: Fitting) -> dict[str, Any]:
    frame = document.frame
    known = {"width": frame.width, "height": frame.height, "length": frame.length, "rate": str(frame.rate)}
    known |= {"kind": "video", "container": "fitting", "codec": "", "depth": 10, "alpha": True, "first_number": 0}
    # Whether any layer is heard changes while the page is open, which knows it.
    return known | {"sound": "mix"}


#: What files of sound alone are called, which can be layers, but no grounds.
SOUNDS = "Sounds"


def _offered() -> list[tuple[str, str, list[tuple[int, str]]]]:
    """What can be laid into a fitting: kind, what that is called, and each by number and name."""
    clips = [(clip.id, clip.name) for clip in search.clips(most=_OFFERED)]
    footage = bring_in.all_footage(_OFFERED)
    shots = [(shot.id, shot.name) for each in footage for shot in each.shots if each.state == "ready"]
    ready = [each for each in footage if each.state == "ready"]
    sounds = [(each.id, each.name) for each in ready if each.facts["kind"] == "sound"]
    seen = [(each.id, each.name) for each in ready if each.facts["kind"] != "sound"]
    return [
        ("clip", "Clips of the stockroom", clips),
        ("shot", "Shots, keyed live", shots),
        ("footage", "Footage as it is", seen),
        ("footage", SOUNDS, sounds),
    ]


@page.get("/names")
def names() -> Response:
    """The newest fittings, by number and name."""
    return jsonify([{"id": row.id, "name": row.name} for row in fittings.all_fittings(_OFFERED)])


@page.post("/<int:fitting_id>/lay")
def lay(fitting_id: int) -> Response:
    """Lay a clip into a fitting as its topmost layer, in the middle."""
    asked = asked_for(ClipLaid)
    state, source = fittings.open_fitting(fitting_id), Source(kind="clip", id=asked.clip)
    document = laying.with_layer(state.document, source, stock.get_clip(asked.clip).name)
    fittings.revise(fitting_id, document, f"{document.layers.shown[-1][1].name} laid in", state.revision)
    return jsonify(at=url_for("fittings.opened", fitting_id=fitting_id), name=state.row.name)


@page.post("/<int:fitting_id>/name")
def rename(fitting_id: int) -> Response:
    return jsonify(name=fittings.rename(fitting_id, asked_for(Named).name).name)


@page.post("/<int:fitting_id>/recipe")
def revise(fitting_id: int) -> Response:
    asked = asked_for(FittingChange)
    document = asked.read(fitting_id)
    return jsonify(_state(fittings.revise(fitting_id, document, asked.change, asked.seen, branch=asked.branch)))


@page.post("/<int:fitting_id>/match")
def match(fitting_id: int) -> Response:
    """Move a layer's colours towards those of the ground."""
    asked = asked_for(LayerMatched)
    document = looking.matched(asked.read(fitting_id), asked.layer)
    words = f"{document.layers.each[asked.layer].name} matched to the ground"
    return jsonify(_state(fittings.revise(fitting_id, document, words, asked.seen, branch=asked.branch)))


@page.post("/<int:fitting_id>/<any(undo, redo):way>")
def walk(fitting_id: int, way: str) -> Response:
    seen = asked_for(Seen).seen
    return jsonify(_state(fittings.undo(fitting_id, seen) if way == "undo" else fittings.redo(fitting_id, seen)))


@page.get("/<int:fitting_id>/state")
def state(fitting_id: int) -> Response:
    """What is in force, for a window that has seen something older."""
    return jsonify(_state(fittings.open_fitting(fitting_id)))


@page.post("/<int:fitting_id>/revisions/<int:number>")
def go_to(fitting_id: int, number: int) -> Response:
    return jsonify(_state(fittings.go_to(fitting_id, number)))


@page.get("/<int:fitting_id>/history")
def history(fitting_id: int) -> str:
    head = fittings.open_fitting(fitting_id).revision
    return render_template("bench/history.html", revisions=fittings.history(fitting_id), head=head)


@page.post("/<int:fitting_id>/view-state")
def view_state(fitting_id: int) -> Response:
    fittings.remember_view(fitting_id, asked_for(FittingView).model_dump(exclude_none=True))
    return jsonify(ok=True)


@page.post("/<int:fitting_id>/copy")
def copy(fitting_id: int) -> Response:
    return jsonify(at=url_for("fittings.opened", fitting_id=fittings.copy(fitting_id).id))


@page.post("/<int:fitting_id>/remove")
def remove(fitting_id: int) -> str:
    fittings.remove(fitting_id)
    return listing()


@page.post("/source")
def source() -> Response:
    """What is known of something that is to be laid into a fitting."""
    asked = asked_for(LayerSource)
    source = Source(kind=asked.kind, id=asked.id)
    job = laying.job_to_lay(source)
    proxies.ask_for(source)
    return jsonify(_told(source, job))


@page.post("/<int:fitting_id>/picture")
def picture(fitting_id: int) -> Response:
    """One frame as raw RGBA; 204 where a newer request of the same window has come in since."""
    asked = asked_for(FittingPicture)
    # Pictures of a clip that plays are all wanted, and take nothing from the one that stands.
    if not asked.keep:
        _newest.note(asked.window, asked.sequence)
    if not asked.ahead:
        hand.moves()
    document = asked.read(fitting_id)
    fine = asked.quality == "fine"
    with _fine if fine else _quick:
        going_on = hand.anyway if asked.keep else _newest.begin(asked.window, asked.sequence, fine=fine)
        pixels = looking.picture(document, asked.frame, asked.quality, going_on=going_on)
    return sent(pixels, {"size": [document.frame.width, document.frame.height]})


@page.post("/<int:fitting_id>/mix.wav")
def mix(fitting_id: int) -> Response:
    """The sounds of all layers together; how loud they are in its head; 204 where nothing is heard."""
    job = sources.job_heard(asked_for(OfFitting).read(fitting_id))
    if not job.sounds:
        return Response(status=204)
    samples = job.mix()
    response = Response(packed(samples), mimetype="audio/wav")
    response.headers["X-Loudness"] = json.dumps(loudness(samples)._asdict())
    response.headers["Cache-Control"] = "no-store"
    return response


@page.get("/<int:fitting_id>/picture.jpg")
def still(fitting_id: int) -> Response:
    """A small picture for lists, from the middle of the fitting; over mid grey where it has no ground."""
    document = fittings.open_fitting(fitting_id).document
    rgba = looking.picture(document, document.frame.length // 2, "quick").transpose(2, 0, 1) * np.float32(1 / 255)
    rgb = over(rgba[:3], rgba[3], np.full((3, 1, 1), 0.37, np.float32))
    shown = (rgb[::-1].transpose(1, 2, 0) * 255).astype(np.uint8)
    return Response(cv2.imencode(".jpg", shown)[1].tobytes(), mimetype="image/jpeg")


def _state(state: fittings.State) -> dict[str, Any]:
    """What a window is told of a fitting after every change."""
    document = state.document
    known: dict[str, Any] = {}
    for mark, layer in document.layers.each.items():
        try:
            known[mark] = _told(layer.source, sources.job_of_source(layer.source))
        except (Missing, Refused, MediaError) as error:
            known[mark] = {"name": layer.name, "why": str(error).rstrip("."), "width": 640, "height": 360, "length": 1}
    return {
        "revision": state.revision,
        "recipe": document.model_dump(mode="json"),
        "undo": state.undo,
        "redo": state.redo,
        "sources": known,
    }


def _told(source: Source, job: Job) -> dict[str, Any]:
    size = size_of(job)
    return {
        "name": sources.name_of(source),
        "blend": proposed_blend(sources.ground_of(source)),
        **size._asdict(),
        "rate": str(size.rate),
        "sound": job.footage.facts.sound,
    }
