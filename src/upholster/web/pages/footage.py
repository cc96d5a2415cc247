"""Footage: bring files in, see what they are, open a shot."""

from flask import Blueprint, Response, jsonify, render_template, request

from upholster.media.formats import FORMATS, NEEDS
from upholster.media.limits import UPLOAD
from upholster.studio import bring_in, look
from upholster.studio.presets import presets
from upholster.web.asking import asked_for

page = Blueprint("footage", __name__, url_prefix="/footage")


@page.get("")
def show() -> str:
    return render_template(
        "footage/page.html",
        footage=bring_in.all_footage(),
        limit=UPLOAD,
        formats=FORMATS.values(),
        needs=NEEDS,
        presets=presets(),
    )


@page.get("/list")
def listing() -> str:
    return render_template("footage/list.html", footage=bring_in.all_footage())


@page.post("/uploads")
def begin() -> Response:
    return jsonify(token=bring_in.begin_upload())


@page.put("/uploads/<token>")
def receive(token: str) -> Response:
    have = bring_in.receive(token, request.args["name"], int(request.args["offset"]), request.get_data())
    return jsonify(have=have)


@page.post("/uploads/<token>/done")
def done(token: str) -> Response:
    footage, known = bring_in.finish_upload(token, str(asked_for()["name"]))
    return jsonify(id=footage.id, name=footage.name, known=known)


@page.get("/<int:footage_id>/frame/<int:number>.jpg")
def frame(footage_id: int, number: int) -> Response:
    footage = bring_in.get_footage(footage_id)
    number = min(number, int(footage.facts["length"]) - 1)
    response = Response(look.proxy_of(footage).jpeg(number), mimetype="image/jpeg")
    response.headers["Cache-Control"] = "private, max-age=86400, immutable"
    return response


@page.post("/<int:footage_id>/alpha")
def interpret(footage_id: int) -> str:
    """Take the footage's alpha another way."""
    bring_in.interpret(footage_id, request.form["kind"], request.form.get("over", "#000000"))
    look.forget()
    return listing()


@page.post("/<int:footage_id>/remove")
def remove(footage_id: int) -> str:
    bring_in.remove(footage_id)
    return listing()
