"""The Stockroom: finished clips over a ground of the user's choice."""

from datetime import UTC, datetime, timedelta
from typing import Any

from flask import Blueprint, Response, render_template, request, send_file, url_for

from upholster.studio.fittings import fittings
from upholster.studio.renders import renders
from upholster.studio.shots import shots
from upholster.studio.stock import stock
from upholster.web import paging

#: For how long what was deleted is offered back without being asked for.
_JUST = timedelta(minutes=2)

page = Blueprint("stockroom", __name__, url_prefix="/stockroom")


@page.get("")
def show() -> str:
    return render_template("stockroom/page.html", **_clips())


@page.get("/list")
def listing() -> str:
    return render_template("stockroom/list.html", **_clips())


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
    """Go to the revision a clip was made from, on its Bench, with its delivery chosen."""
    render = stock.get_clip(clip_id).render
    line = request.form.get("line", type=int)
    response = Response()
    if render.shot_id is not None:
        shots.go_to(render.shot_id, render.revision)
        response.headers["HX-Redirect"] = url_for("bench.show", shot_id=render.shot_id, clip=clip_id, line=line)
    elif render.fitting_id is not None:
        fittings.go_to(render.fitting_id, render.revision)
        response.headers["HX-Redirect"] = url_for("fittings.opened", fitting_id=render.fitting_id, clip=clip_id)
    return response


@page.get("/<int:clip_id>/preview.webm")
def preview(clip_id: int) -> Response:
    return send_file(stock.file_of(stock.get_clip(clip_id), "preview"), mimetype="video/webm", conditional=True)


@page.post("/<int:clip_id>/tags")
def tags(clip_id: int) -> str:
    stock.tag(clip_id, request.form.get("tags", ""))
    return listing()


@page.post("/<int:clip_id>/delete")
def delete(clip_id: int) -> str:
    stock.delete(clip_id)
    return listing()


@page.post("/<int:clip_id>/bring-back")
def bring_back(clip_id: int) -> str:
    stock.bring_back(clip_id)
    return listing()


def _clips() -> dict[str, Any]:
    search, page = request.values.get("search", ""), paging.asked()
    shown = page.of(stock.clips(search, page.most + 1, page.skip))
    fitted = fittings.uses("clip")
    rows = [(clip, renders.proof_of(clip.render), fitted.get(clip.id, [])) for clip in shown["rows"]]
    deleted = stock.deleted()
    just = bool(deleted and deleted[0].deleted_at and datetime.now(UTC) - deleted[0].deleted_at < _JUST)
    return shown | {"rows": rows, "search": search, "deleted": deleted, "just_deleted": just}
