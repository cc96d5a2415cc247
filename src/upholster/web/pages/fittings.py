"""Fittings: clips placed in layers over a ground; a list of them, and one open."""

import itertools
import json
import threading
from typing import Any, Literal

import cv2
import numpy as np
from flask import Blueprint, Response, jsonify, render_template, request, url_for

from upholster.core.composite.layers import Size
from upholster.core.composite.over import over
from upholster.core.documents.fitting import Fitting, Layer, Source, changed, proposed_blend
from upholster.media.delivery import read_delivery
from upholster.media.errors import MediaError
from upholster.media.mixing import loudness, packed
from upholster.studio.errors import Missing, Refused
from upholster.studio.fittings import fittings, interchange, proxies, sources
from upholster.studio.fittings import look as looking
from upholster.studio.footage import bring_in
from upholster.studio.making.delivering import Stopped
from upholster.studio.making.fitting import size_of
from upholster.studio.making.flat import flat_colour
from upholster.studio.naming import safe_name
from upholster.studio.renders import estimates, renders
from upholster.studio.renders.made_of import layers_of, made_of_fitting
from upholster.studio.stock import search, stock
from upholster.web import paging, requests, words
from upholster.web.fields import fitting_fields
from upholster.web.newest import Newest
from upholster.web.pages import deliver
from upholster.web.requests import asked_for

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
    asked = asked_for(requests.FittingBegun)
    document = None
    if asked.clip is not None:
        source = Source(kind="clip", id=asked.clip)
        document = _begun_with(source, stock.get_clip(asked.clip).name)
    row = fittings.new_fitting(asked.name, document)
    return jsonify(at=url_for("fittings.opened", fitting_id=row.id))


def _size_of(source: Source) -> Size:
    try:
        return size_of(sources.job_of_source(source))
    except (Missing, Refused, MediaError) as error:
        raise Refused(f"This cannot be laid into a fitting: {str(error).rstrip('.')}.") from None


def _with_layer(document: Fitting, source: Source, name: str) -> Fitting:
    """A fitting with one more layer on top, made to fit in."""
    size, frame = _size_of(source), document.frame
    number = next(n for n in itertools.count(len(document.layers.order) + 1) if f"n{n}" not in document.layers.each)
    layer = {
        "name": name[:80],
        "source": source.model_dump(mode="json"),
        "blend": proposed_blend(_ground_kind(source)),
        "scale": round(min(1.0, frame.width / size.width, frame.height / size.height), 4),
    }
    layers = {"order": [*document.layers.order, f"n{number}"], "each": {f"n{number}": layer}}
    return changed(document, {"layers": layers})


def _begun_with(source: Source, name: str) -> Fitting:
    size = _size_of(source)
    layer = Layer(name=name[:80], source=source).model_dump(mode="json")
    frame = {"width": size.width, "height": size.height, "rate": str(size.rate), "length": size.length}
    return Fitting.model_validate({"frame": frame, "layers": [layer]})


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
    asked = asked_for(requests.ClipLaid)
    state, source = fittings.open_fitting(fitting_id), Source(kind="clip", id=asked.clip)
    document = _with_layer(state.document, source, stock.get_clip(asked.clip).name)
    fittings.revise(fitting_id, document, f"{document.layers.shown[-1][1].name} laid in", state.revision)
    return jsonify(at=url_for("fittings.opened", fitting_id=fitting_id), name=state.row.name)


@page.post("/<int:fitting_id>/name")
def rename(fitting_id: int) -> Response:
    return jsonify(name=fittings.rename(fitting_id, asked_for(requests.Named).name).name)


@page.post("/<int:fitting_id>/recipe")
def revise(fitting_id: int) -> Response:
    asked = asked_for(requests.FittingChange)
    document = asked.read(fitting_id)
    return jsonify(_state(fittings.revise(fitting_id, document, asked.change, asked.seen, branch=asked.branch)))


@page.post("/<int:fitting_id>/match")
def match(fitting_id: int) -> Response:
    """Move a layer's colours towards those of the ground."""
    asked = asked_for(requests.LayerMatched)
    document = looking.matched(asked.read(fitting_id), asked.layer)
    words = f"{document.layers.each[asked.layer].name} matched to the ground"
    return jsonify(_state(fittings.revise(fitting_id, document, words, asked.seen, branch=asked.branch)))


@page.post("/<int:fitting_id>/<any(undo, redo):way>")
def walk(fitting_id: int, way: str) -> Response:
    seen = asked_for(requests.Seen).seen
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
    fittings.remember_view(fitting_id, asked_for(requests.FittingView).model_dump(exclude_none=True))
    return jsonify(ok=True)


@page.post("/<int:fitting_id>/copy")
def copy(fitting_id: int) -> Response:
    return jsonify(at=url_for("fittings.opened", fitting_id=fittings.copy(fitting_id).id))


@page.post("/<int:fitting_id>/remove")
def remove(fitting_id: int) -> str:
    fittings.remove(fitting_id)
    return listing()


@page.post("/timeline")
def read_timeline() -> Response:
    """A new fitting from a timeline."""
    row = interchange.read_timeline(asked_for(requests.TimelineSent).text)
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


@page.post("/source")
def source() -> Response:
    """What is known of something that is to be laid into a fitting."""
    asked = asked_for(requests.LayerSource)
    try:
        source = Source(kind=asked.kind, id=asked.id)
        proxies.ask_for(source)
        return jsonify(_told(source))
    except (Missing, Refused, MediaError) as error:
        raise Refused(f"This cannot be laid into a fitting: {str(error).rstrip('.')}.") from None


@page.post("/<int:fitting_id>/picture")
def picture(fitting_id: int) -> Response:
    """One frame as raw RGBA; 204 where a newer request of the same window has come in since."""
    asked = asked_for(requests.FittingPicture)
    _newest.note(asked.window, asked.sequence)
    document = asked.read(fitting_id)
    fine = asked.quality == "fine"
    with _fine if fine else _quick:
        if not asked.keep and _newest.overtaken(asked.window, asked.sequence, by=1 if fine else 2):
            return Response(status=204)
        pixels = looking.picture(document, asked.frame, asked.quality)
    response = Response(pixels.tobytes(), mimetype="application/octet-stream")
    response.headers["X-Size"] = f"{pixels.shape[1]}x{pixels.shape[0]}"
    response.headers["X-Shown"] = json.dumps({"size": [document.frame.width, document.frame.height]})
    response.headers["Cache-Control"] = "no-store"
    return response


@page.post("/<int:fitting_id>/mix.wav")
def mix(fitting_id: int) -> Response:
    """The sounds of all layers together; how loud they are in its head; 204 where nothing is heard."""
    job = sources.job_heard(asked_for(requests.OfFitting).read(fitting_id))
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


@page.post("/<int:fitting_id>/render")
def render(fitting_id: int) -> Response:
    asked = asked_for(requests.FittingRendered)
    deliveries = [read_delivery(document) for document in asked.deliveries]
    ordered = renders.order_fitting(fitting_id, asked.revision, deliveries, asked.name, asked.layer)
    row = fittings.open_fitting(fitting_id).row
    return jsonify(names=[r.name for r in ordered], proposed=renders.proposed_name(row))


@page.post("/<int:fitting_id>/quote")
def quote(fitting_id: int) -> Response:
    """Size and time of deliveries; 204 where a newer question of the same window has come in since."""
    asked = asked_for(requests.FittingQuote)
    _newest_quote.note(asked.window, asked.sequence)
    document = layers_of(asked.read(fitting_id), asked.layer)
    deliveries = [read_delivery(each) for each in asked.deliveries]

    def still_wanted(done: int = 0) -> None:
        if _newest_quote.overtaken(asked.window, asked.sequence):
            raise Stopped

    try:
        with _quoting:
            still_wanted()
            found = estimates.quote([(made_of_fitting(document, d).job, d) for d in deliveries], still_wanted)
    except Stopped:
        return Response(status=204)
    return jsonify(words=f"About {words.size(found.bytes)}, made in {words.seconds(found.seconds)}.")


@page.post("/<int:fitting_id>/flat")
def flat(fitting_id: int) -> Response:
    """A flat colour proposed, or the one that was chosen."""
    asked = asked_for(requests.FittingFlat)
    if asked.colour is not None:
        return jsonify(colour=asked.colour, fit=True, words="")
    job = sources.job_of(asked.read(fitting_id), over_ground=False)
    r, g, b = (round(255 * part) for part in flat_colour(job))
    return jsonify(colour=f"#{r:02x}{g:02x}{b:02x}", fit=True, words="Nothing in the fitting comes near this colour.")


def _state(state: fittings.State) -> dict[str, Any]:
    """What a window is told of a fitting after every change."""
    document = state.document
    known: dict[str, Any] = {}
    for mark, layer in document.layers.each.items():
        try:
            known[mark] = _told(layer.source)
        except (Missing, Refused, MediaError) as error:
            known[mark] = {"name": layer.name, "why": str(error).rstrip("."), "width": 640, "height": 360, "length": 1}
    ground = document.ground.source
    return {
        "revision": state.revision,
        "recipe": document.model_dump(mode="json"),
        "undo": state.undo,
        "redo": state.redo,
        "sources": known,
        "ground": _name_of(ground) if ground else "",
    }


def _told(source: Source) -> dict[str, Any]:
    job = sources.job_of_source(source)
    size = size_of(job)
    return {
        "name": _name_of(source),
        "blend": proposed_blend(_ground_kind(source)),
        **size._asdict(),
        "rate": str(size.rate),
        "sound": job.footage.facts.sound,
    }


def _name_of(source: Source) -> str:
    try:
        if source.kind == "shot":
            return sources.live_shot(source).shot.name
        return sources.clip_of(source).name if source.kind == "clip" else sources.footage_of(source).name
    except (Missing, Refused):
        return "what is not here any more"


def _ground_kind(source: Source) -> str:
    """What a shot was taken before: elements from dark grounds are added, from light ones multiplied."""
    if source.kind == "shot":
        return sources.live_shot(source).recipe.screen.kind
    return sources.clip_of(source).ground if source.kind == "clip" else "none"
