"""Footage: bring files in, see what they are, open a shot."""

from typing import Any

from flask import Blueprint, Response, jsonify, render_template, request, send_file

from upholster.media.facts import MATRICES, SITINGS
from upholster.media.formats import FORMATS, NEEDS
from upholster.media.limits import UPLOAD
from upholster.media.ready import READY
from upholster.store.states import FootageState
from upholster.studio.errors import Missing
from upholster.studio.footage import bring_in, rate, renaming, uploads
from upholster.studio.looking import plates
from upholster.studio.renders import listed
from upholster.studio.renders.presets import presets
from upholster.studio.shots import copying, families, lines
from upholster.studio.stock import demo_stock
from upholster.web import paging
from upholster.web.requests.body import Named, asked_for, number_asked
from upholster.web.requests.recipes import RecipeGiven
from upholster.web.requests.uploads import UploadBegun, UploadDone

page = Blueprint("footage", __name__, url_prefix="/footage")


@page.get("")
def show() -> str:
    return render_template(
        "footage/page.html",
        **_footage(),
        limit=UPLOAD,
        formats=FORMATS.values(),
        needs=NEEDS,
        presets=presets(),
        ready=READY,
        lines=lines.LINES,
        own=lines.OWN,
    )


@page.get("/list")
def listing() -> str:
    return render_template("footage/list.html", **_footage())


def _footage() -> dict[str, Any]:
    page = paging.asked()
    shown = page.of(bring_in.all_footage(page.most + 1, page.skip))
    shots = [shot for footage in shown["rows"] for shot in footage.shots]
    return shown | {
        "furnishing": demo_stock.under_way(),
        "families": families.members(shots),
        "renders": listed.last_of([shot.id for shot in shots]),
        "matrices": MATRICES,
        "sitings": SITINGS,
    }


@page.get("/grounds")
def grounds() -> Response:
    """What results can be laid over."""
    return jsonify([ground._asdict() for ground in bring_in.grounds()])


@page.post("/recipes")
def give_recipe() -> Response:
    """Give lines of one shot's recipe to others."""
    asked = asked_for(RecipeGiven)
    return jsonify([given._asdict() for given in copying.give_recipe(asked.source, asked.shots, asked.lines)])


@page.post("/families")
def link() -> Response:
    """Give lines of one shot's recipe to others, and link them with it."""
    asked = asked_for(RecipeGiven)
    return jsonify([given._asdict() for given in copying.link(asked.source, asked.shots, asked.lines)])


@page.post("/shots/<int:shot_id>/unlink")
def unlink(shot_id: int) -> str:
    families.unlink([shot_id])
    return listing()


@page.post("/uploads")
def begin() -> Response:
    return jsonify(token=uploads.begin(asked_for(UploadBegun).size))


@page.put("/uploads/<token>")
def receive(token: str) -> Response:
    have = uploads.receive(token, request.args["name"], number_asked("offset"), request.get_data())
    return jsonify(have=have)


@page.post("/uploads/<token>/done")
def done(token: str) -> Response:
    footage, known = bring_in.finish_upload(token, asked_for(UploadDone).name)
    return jsonify(id=footage.id, name=footage.name, known=known)


@page.get("/<int:footage_id>/frame/<int:number>.jpg")
def frame(footage_id: int, number: int) -> Response:
    footage = bring_in.get_footage(footage_id)
    if footage.state != FootageState.READY:
        raise Missing("This footage has no pictures: it is still being read, or could not be.")
    number = min(number, int(footage.facts["length"]) - 1)
    proxy = plates.proxy_of(footage)
    small = "small" in request.args
    response = Response(proxy.thumbnail(number) if small else proxy.jpeg(number), mimetype="image/jpeg")
    # An address that names the reading will never show anything else.
    named = request.args.get("reading") == str(footage.reading_id or 0)
    response.headers["Cache-Control"] = "private, max-age=86400, immutable" if named else "no-cache"
    return response


@page.get("/<int:footage_id>/sound")
def sound(footage_id: int) -> Response:
    """The file of a sound, to be listened to."""
    source = bring_in.source_of(bring_in.get_footage(footage_id))
    if source.facts.kind != "sound" or not source.files[0].is_file():
        raise Missing("This is no sound, or it is not here any more.")
    return send_file(source.files[0], conditional=True)


@page.post("/<int:footage_id>/alpha")
def interpret(footage_id: int) -> str:
    """Take the footage's alpha another way."""
    bring_in.interpret(footage_id, request.form["kind"], request.form.get("over", "#000000"))
    return listing()


@page.post("/<int:footage_id>/fields")
def part_fields(footage_id: int) -> str:
    """Bring the fields of interlaced footage to one moment, or take them together."""
    bring_in.part_fields(footage_id, request.form.get("fields") == "parted")
    return listing()


@page.post("/<int:footage_id>/colour")
def tell_colour(footage_id: int) -> str:
    """Take the footage's colour as somebody says, or again as its file does."""
    bring_in.tell_colour(footage_id, [] if "again" in request.form else request.form.getlist("word"))
    return listing()


@page.post("/<int:footage_id>/rate")
def run_at(footage_id: int) -> str:
    """Let numbered pictures run at another rate."""
    rate.run_at(footage_id, request.form.get("rate", ""))
    return listing()


@page.post("/<int:footage_id>/name")
def rename(footage_id: int) -> Response:
    renaming.rename_footage(footage_id, asked_for(Named).name)
    return jsonify(name=bring_in.get_footage(footage_id).name)


@page.post("/<int:footage_id>/as-is")
def leave_as_is(footage_id: int) -> str:
    """Forget that reading it another way failed."""
    bring_in.leave_as_is(footage_id)
    return listing()


@page.post("/<int:footage_id>/remove")
def remove(footage_id: int) -> str:
    bring_in.remove(footage_id)
    return listing()
