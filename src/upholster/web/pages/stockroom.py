"""The Stockroom: finished clips over a ground of the user's choice."""

from datetime import UTC, datetime, timedelta
from typing import Any

from flask import Blueprint, Response, jsonify, render_template, request, send_file, url_for

from upholster.media.delivery import read_delivery
from upholster.media.formats import FORMATS, NEEDS
from upholster.media.limits import UPLOAD
from upholster.media.ready import READY
from upholster.store.models import Clip
from upholster.studio.errors import Missing
from upholster.studio.fittings import fittings
from upholster.studio.renders import listed, presets, renders
from upholster.studio.shots import shots
from upholster.studio.stock import brought_in, search, stock
from upholster.studio.stock.search import Wanted
from upholster.web import paging
from upholster.web.requests.body import asked_for
from upholster.web.requests.deliveries import MadeAgain

#: For how long what was deleted is offered back without being asked for.
_JUST = timedelta(minutes=2)
_SORTS = {
    "newest": "newest first",
    "oldest": "oldest first",
    "name": "by name",
    "longest": "longest first",
    "shortest": "shortest first",
    "largest": "largest picture first",
    "heaviest": "largest file first",
}

page = Blueprint("stockroom", __name__, url_prefix="/stockroom")


@page.get("")
def show() -> str:
    return render_template(
        "stockroom/page.html",
        **_clips(),
        grounds_in_words=search.GROUNDS,
        alphas_in_words=search.ALPHAS,
        sorts=_SORTS.items(),
        presets=presets.presets(),
        ready=READY,
        needs=NEEDS,
        formats=FORMATS.values(),
        limit=UPLOAD,
    )


@page.get("/list")
def listing() -> Response:
    """The list; the page's address follows what is looked for, so that it is found again."""
    response = Response(render_template("stockroom/list.html", **_clips()))
    if not request.values.get("skip"):
        response.headers["HX-Replace-Url"] = url_for("stockroom.show", **_as_asked(_wanted()))
    return response


@page.get("/<int:clip_id>/file")
def file(clip_id: int) -> Response:
    clip = stock.get_clip(clip_id)
    return send_file(stock.file_of(clip), as_attachment=True, download_name=clip.file)


@page.get("/<int:clip_id>/sidecar")
def sidecar(clip_id: int) -> Response:
    clip = stock.get_clip(clip_id)
    return send_file(stock.file_of(clip, "sidecar"), as_attachment=True, download_name=f"{clip.file}.json")


@page.post("/<int:clip_id>/open")
def open_recipe(clip_id: int) -> Response:
    """Go to the revision a clip was made from, with its delivery chosen; for one brought in, to its footage."""
    clip = stock.get_clip(clip_id)
    response = Response()
    if clip.footage is not None:
        shot_id = shots.first_of(clip.footage.id)
        response.headers["HX-Redirect"] = url_for("bench.show", shot_id=shot_id)
        return response
    render = clip.render
    if render is not None and render.shot_id is not None:
        shots.go_to(render.shot_id, render.revision)
        response.headers["HX-Redirect"] = url_for("bench.show", shot_id=render.shot_id, clip=clip_id)
    elif render is not None and render.fitting_id is not None:
        fittings.go_to(render.fitting_id, render.revision)
        response.headers["HX-Redirect"] = url_for("fittings.opened", fitting_id=render.fitting_id, clip=clip_id)
    else:
        raise Missing("This clip was made from one that is not here any more; its sidecar says how that was made.")
    return response


@page.post("/<int:clip_id>/make")
def make(clip_id: int) -> Response:
    """Order another format of a clip."""
    asked = asked_for(MadeAgain)
    delivery = read_delivery(asked.delivery) if asked.preset is None else presets.preset_delivery(asked.preset)
    return jsonify(names=[render.name for render in renders.order_again(clip_id, [delivery])])


@page.post("/<int:clip_id>/anew")
def make_anew(clip_id: int) -> Response:
    """Order a clip of a fitting once more, with its shots as they are now."""
    return jsonify(names=[render.name for render in renders.order_anew(clip_id)])


@page.get("/<int:clip_id>/preview.webm")
def preview(clip_id: int) -> Response:
    return send_file(stock.file_of(stock.get_clip(clip_id), "preview"), mimetype="video/webm", conditional=True)


@page.post("/<int:clip_id>/tags")
def tags(clip_id: int) -> Response:
    stock.tag(clip_id, request.form.get("tags", ""))
    return listing()


@page.post("/<int:clip_id>/notes")
def note(clip_id: int) -> Response:
    stock.note(clip_id, request.form.get("notes", ""))
    return listing()


@page.post("/<int:clip_id>/favourite")
def favour(clip_id: int) -> Response:
    stock.favour(clip_id, bool(request.form.get("favoured")))
    return listing()


@page.post("/<int:clip_id>/delete")
def delete(clip_id: int) -> Response:
    stock.delete(clip_id)
    return listing()


@page.post("/<int:clip_id>/bring-back")
def bring_back(clip_id: int) -> Response:
    stock.bring_back(clip_id)
    return listing()


@page.post("/footage/<int:footage_id>")
def keep(footage_id: int) -> Response:
    """Keep footage that was keyed elsewhere as a clip."""
    brought_in.want(footage_id)
    return jsonify(ok=True)


@page.post("/footage/<int:footage_id>/forget")
def forget(footage_id: int) -> Response:
    brought_in.forget(footage_id)
    return listing()


def _wanted() -> Wanted:
    """What a request looks for; what means nothing is left out."""
    given = request.values
    sort = given.get("sort", "")
    return Wanted(
        words=given.get("search", ""),
        tags=tuple(dict.fromkeys(tag for tag in given.getlist("tag") if tag))[:20],
        ground=given.get("ground", ""),
        alpha=given.get("alpha", "any"),
        length=given.get("length", ""),
        size=given.get("size", ""),
        sound=bool(given.get("sound")),
        favourite=bool(given.get("favourite")),
        sort=sort if sort in search.SORTS else "newest",
    )


def _as_asked(wanted: Wanted) -> dict[str, Any]:
    """What is looked for as the values of an address, without what is so by itself."""
    changed = {name: value for name, value in wanted._asdict().items() if value != getattr(search.ANY, name)}
    names = {"words": "search", "tags": "tag"}
    return {names.get(name, name): int(value) if value is True else value for name, value in changed.items()}


def _made_from(clip: Clip) -> str:
    """From what other formats of a clip are made, in a sentence."""
    if renders.from_its_file(clip):
        return "Made from the clip's own file, which keeps all of it."
    made = clip.render
    of = made and (made.shot or made.fitting)
    if not made or not of:
        return "What it was made from is not here any more, and its file is too coarse to make others from."
    return f"Its file is too coarse to make others from: made anew from “{of.name}”, revision {made.revision}."


def _clips() -> dict[str, Any]:
    wanted, page = _wanted(), paging.asked()
    # Asked for before the clips: what becomes one meanwhile is in both, never in neither.
    coming = brought_in.waiting()
    shown = page.of(search.clips(wanted, page.most + 1, page.skip))
    fitted = fittings.uses("clip")
    rows = [(c, listed.proof_of(c.render) if c.render else None, fitted.get(c.id, [])) for c in shown["rows"]]
    overtaken = listed.overtaken(clip.render for clip, *_ in rows if clip.render)
    told = shown | {"rows": rows, "wanted": wanted, "made_from": _made_from, "overtaken": overtaken}
    if page.skip:
        return told
    narrowed = wanted._replace(sort="newest") != search.ANY
    every = search.count()
    deleted = stock.deleted()
    just = bool(deleted and deleted[0].deleted_at and datetime.now(UTC) - deleted[0].deleted_at < _JUST)
    return told | {
        "all": every,
        "found": search.count(wanted) if narrowed else every,
        "narrowed": narrowed,
        "tags": search.tags(),
        "deleted": deleted,
        "just_deleted": just,
        "coming": coming,
    }
