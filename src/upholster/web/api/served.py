"""What scripts can do: footage in, recipes read and written, renders ordered, clips fetched."""

from hashlib import sha256
from typing import Any

from flask import Blueprint, Response, g, jsonify, request, send_file, url_for
from pydantic import BaseModel, ValidationError

from upholster.core.documents.recipe import document_of, read_recipe
from upholster.media.delivery import Delivery, read_delivery
from upholster.media.ready import READY
from upholster.store import models
from upholster.studio.errors import Refused
from upholster.studio.findings import measuring
from upholster.studio.findings import standing as findings
from upholster.studio.footage import bring_in, uploads
from upholster.studio.renders import renders
from upholster.studio.scripts import answers, tokens
from upholster.studio.shots import shots
from upholster.studio.stock import search, stock
from upholster.web.api import shapes
from upholster.web.api.offers import Offer, description, number, text
from upholster.web.door import NotIn
from upholster.web.requests import number_asked, sentence_of

page = Blueprint("api", __name__, url_prefix="/api/v1")

#: Entries of a list in one answer.
_PIECE, _MOST = 50, 200
_LIST = {"skip": number("Entries to leave out"), "most": number("Entries at most", _PIECE, _MOST)}


@page.before_request
def _check_token() -> None:
    if request.endpoint == "api.openapi":
        return
    kind, _, token = request.headers.get("Authorization", "").partition(" ")
    found = tokens.known(token.strip()) if kind.lower() == "bearer" else None
    if found is None:
        raise NotIn("Send a token that is good, as “Authorization: Bearer …”. Tokens are made on the page Scripts.")
    g.token_id = found


@page.get("/openapi.json")
def openapi() -> Response:
    """The description of all this."""
    return jsonify(description(OFFERS, url_for("api.openapi", _external=True).removesuffix("/openapi.json")))


def list_footage() -> shapes.FootageList:
    skip, most = _piece()
    return shapes.FootageList(footage=[_footage(f) for f in bring_in.all_footage(most, skip)])


def begin_upload() -> shapes.Upload:
    return shapes.Upload(token=uploads.begin(number_asked("size") if "size" in request.args else 0))


def receive_block(token: str) -> shapes.Received:
    name = request.args.get("name", "")
    if not name:
        raise Refused("Say by “name” which file the block is of.")
    offset = number_asked("offset") if "offset" in request.args else 0
    return shapes.Received(have=uploads.receive(token, name, offset, request.get_data()))


def finish_upload(token: str) -> shapes.Footage:
    footage, _ = bring_in.finish_upload(token, request.args.get("name", ""))
    return get_footage(footage.id)


def get_footage(footage_id: int) -> shapes.Footage:
    return _footage(bring_in.footage_with_shots(footage_id))


def get_shot(shot_id: int) -> shapes.Shot:
    return _shot(shots.open_shot(shot_id))


def get_recipe(shot_id: int) -> shapes.RecipeAnswer:
    state = shots.open_shot(shot_id)
    return shapes.RecipeAnswer(revision=state.revision, recipe=document_of(state.recipe))


def put_recipe(shot_id: int, sent: shapes.RecipeSent) -> shapes.Shot:
    state = shots.open_shot(shot_id)
    recipe = read_recipe(sent.recipe)
    return _shot(shots.revise(shot_id, recipe, sent.change, state.revision if sent.seen is None else sent.seen))


def get_findings(shot_id: int) -> shapes.Findings:
    state = shots.open_shot(shot_id)
    known = findings.standing(state.shot, state.footage, state.recipe)
    if known.missing:
        measuring.ask(shot_id)
    return shapes.Findings(missing=known.missing, findings=[_finding(told) for told in known.findings])


def list_renders() -> shapes.RenderList:
    skip, most = _piece()
    return shapes.RenderList(renders=_renders(renders.all_renders(most, skip)))


def order_render(sent: shapes.RenderSent) -> shapes.RenderList:
    revision = shots.open_shot(sent.shot).revision
    ordered = renders.order(sent.shot, revision, [_delivery(sent)], sent.name)
    return shapes.RenderList(renders=[get_render(render.id) for render in ordered])


def get_render(render_id: int) -> shapes.Render:
    return _renders([renders.get_render(render_id)])[0]


def cancel_render(render_id: int) -> shapes.Render:
    renders.get_render(render_id)
    renders.cancel(render_id)
    return get_render(render_id)


def list_clips() -> shapes.ClipList:
    skip, most = _piece()
    wanted = search.Wanted(words=request.args.get("words", ""))
    return shapes.ClipList(clips=[_clip(clip) for clip in search.clips(wanted, most, skip)])


def get_clip(clip_id: int) -> shapes.Clip:
    return _clip(stock.get_clip(clip_id))


def get_clip_file(clip_id: int) -> Response:
    clip = stock.get_clip(clip_id)
    return send_file(
        stock.file_of(clip), as_attachment=True, download_name=clip.file, mimetype="application/octet-stream"
    )


OFFERS = [
    Offer("GET", "/footage", "Footage, the newest first.", list_footage, answers=shapes.FootageList, query=_LIST),
    Offer("POST", "/uploads", "Begin to send a file, or the pictures of a sequence.", begin_upload,
          answers=shapes.Upload, status=201, query={"size": number("Bytes of all files together, where known")}),
    Offer("PUT", "/uploads/<token>", "Send a block of at most 16 MiB.", receive_block, answers=shapes.Received,
          query={"name": text("The file's name", required=True), "offset": number("Where in the file it belongs")}),
    Offer("POST", "/uploads/<token>/done", "All is sent: take it in. It is read from then on.", finish_upload,
          answers=shapes.Footage, status=201, query={"name": text("What it is to be called")}),
    Offer("GET", "/footage/<int:footage_id>", "One piece of footage.", get_footage, answers=shapes.Footage),
    Offer("GET", "/shots/<int:shot_id>", "A shot.", get_shot, answers=shapes.Shot),
    Offer("GET", "/shots/<int:shot_id>/recipe", "Its recipe in force.", get_recipe, answers=shapes.RecipeAnswer),
    Offer("PUT", "/shots/<int:shot_id>/recipe", "Give it another recipe, as a new revision.", put_recipe,
          sends=shapes.RecipeSent, answers=shapes.Shot),
    Offer("GET", "/shots/<int:shot_id>/findings", "What is wrong with it, the worst first.", get_findings,
          answers=shapes.Findings),
    Offer("GET", "/renders", "Renders, those under way first.", list_renders, answers=shapes.RenderList, query=_LIST),
    Offer("POST", "/renders", "Order a delivery of a shot.", order_render, sends=shapes.RenderSent,
          answers=shapes.RenderList, status=201),
    Offer("GET", "/renders/<int:render_id>", "How far a render is.", get_render, answers=shapes.Render),
    Offer("DELETE", "/renders/<int:render_id>", "Call a render off.", cancel_render, answers=shapes.Render),
    Offer("GET", "/clips", "Clips of the Stockroom, the newest first.", list_clips, answers=shapes.ClipList,
          query=_LIST | {"words": text("Words of names, tags and notes")}),
    Offer("GET", "/clips/<int:clip_id>", "A clip.", get_clip, answers=shapes.Clip),
    Offer("GET", "/clips/<int:clip_id>/file", "Its file.", get_clip_file, binary=True),
]  # fmt: skip


def _serve(offer: Offer, **parts: Any) -> Response:
    """Answer a request by the table."""
    if offer.sends:
        parts["sent"] = _read(offer.sends)
    if offer.binary:
        found: Response = offer.serve(**parts)
        return found

    def made() -> Any:
        return offer.serve(**parts).model_dump(mode="json")

    if offer.method == "POST":
        asked = sha256(f"{request.full_path}\n".encode() + request.get_data()).digest()
        told = answers.once(g.token_id, request.headers.get("Idempotency-Key", ""), asked, made)
    else:
        told = made()
    response = jsonify(told)
    response.status_code = offer.status
    return response


for each in OFFERS:
    page.add_url_rule(
        each.path,
        each.serve.__name__,
        lambda offer=each, **parts: _serve(offer, **parts),
        methods=[each.method],
    )


def _read(model: type[BaseModel]) -> BaseModel:
    try:
        return model.model_validate(request.get_json())
    except (ValidationError, RecursionError) as error:
        raise Refused(sentence_of(error)) from None


def _piece() -> tuple[int, int]:
    skip = number_asked("skip") if "skip" in request.args else 0
    most = number_asked("most") if "most" in request.args else _PIECE
    if skip > 2**31 - 1 or most > _MOST:
        raise Refused(f"A list gives at most {_MOST} entries in one answer; ask for the next by “skip”.")
    return skip, most


def _delivery(sent: shapes.RenderSent) -> Delivery:
    if (sent.delivery is None) == (sent.ready is None):
        raise Refused("Say either a delivery, or by “ready” the name of values that are ready.")
    if sent.ready is None:
        return read_delivery(sent.delivery)
    found = next((each.delivery for each in READY if each.name == sent.ready), None)
    if found is None:
        raise Refused(f"There are no values called “{sent.ready}”. There are: {', '.join(e.name for e in READY)}.")
    return found


def _footage(footage: models.Footage) -> shapes.Footage:
    facts, pending = footage.facts, footage.pending
    return shapes.Footage(
        id=footage.id,
        name=footage.name,
        state=footage.state.value,
        kind=str(facts["kind"]),
        width=int(facts["width"]),
        height=int(facts["height"]),
        frames=int(facts["length"]),
        rate=str(facts["rate"]),
        alpha=str(facts.get("alpha_kind", "")),
        shots=[shot.id for shot in footage.shots],
        problem=pending.problem if pending else "",
    )


def _shot(state: shots.State) -> shapes.Shot:
    change = next(r.change for r in shots.history(state.shot.id) if r.number == state.revision)
    return shapes.Shot(
        id=state.shot.id, name=state.shot.name, footage=state.footage.id, revision=state.revision, change=change
    )


def _finding(told: findings.Told) -> shapes.Finding:
    finding = told.finding
    return shapes.Finding(
        kind=finding.kind,
        first=finding.first,
        last=finding.last,
        worst=finding.worst,
        severity=finding.severity,
        box=finding.place.box,
        sentence=told.sentence,
        left_alone=told.alone,
    )


def _renders(rows: list[models.Render]) -> list[shapes.Render]:
    clips = stock.clips_made_by([row.id for row in rows])
    return [_render(row, clips.get(row.id)) for row in rows]


def _render(render: models.Render, clip: int | None) -> shapes.Render:
    proof = renders.proof_of(render)
    return shapes.Render(
        id=render.id,
        name=render.name,
        shot=render.shot_id,
        state=render.state.value,
        frames=render.frames,
        frames_done=renders.standing(render).done,
        problem=render.problem,
        proof=proof.in_words() if proof else "",
        clip=clip,
    )


def _clip(clip: models.Clip) -> shapes.Clip:
    names = ("id", "name", "file", "bytes", "width", "height", "frames", "rate", "alpha", "format", "tags")
    return shapes.Clip(**{name: getattr(clip, name) for name in names}, render=clip.render_id)
