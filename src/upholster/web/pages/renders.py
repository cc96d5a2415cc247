"""Renders: what is being made, what is made, what went wrong."""

from flask import Blueprint, render_template

from upholster.studio import renders

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


@page.post("/<int:render_id>/retry")
def retry(render_id: int) -> str:
    renders.retry(render_id)
    return listing()


def _rows() -> dict[str, object]:
    found = renders.all_renders()
    return {
        "rows": [(r, renders.standing(r), renders.proof_words(r)) for r in found],
        "active": any(r.state in renders.ACTIVE for r in found),
    }
