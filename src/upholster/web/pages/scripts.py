"""Scripts: the tokens by which they come in, and where what they can do is described."""

from flask import Blueprint, render_template, request

from upholster.studio.scripts import tokens

page = Blueprint("scripts", __name__, url_prefix="/scripts")


@page.get("")
def show() -> str:
    return render_template("scripts/page.html", tokens=tokens.all_tokens(), made=None)


@page.post("")
def issue() -> str:
    """Make a token, and show it this once."""
    made = tokens.issue(request.form.get("name", ""))
    return render_template("scripts/list.html", tokens=tokens.all_tokens(), made=made)


@page.post("/<int:token_id>/back")
def take_back(token_id: int) -> str:
    tokens.take_back(token_id)
    return render_template("scripts/list.html", tokens=tokens.all_tokens(), made=None)
