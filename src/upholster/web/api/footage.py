"""Footage for scripts: sent in blocks, read, kept as a clip as it is."""

from flask import request

from upholster.store import models
from upholster.studio.errors import Refused
from upholster.studio.footage import bring_in, uploads
from upholster.studio.stock import brought_in
from upholster.web.api import shapes
from upholster.web.api.offers import Offer, number, text
from upholster.web.api.pieces import LIST, piece
from upholster.web.requests.body import number_asked


def list_footage() -> shapes.FootageList:
    skip, most = piece()
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


def keep_as_clip(footage_id: int) -> shapes.Keeping:
    brought_in.want(footage_id)
    return get_keeping(footage_id)


def get_keeping(footage_id: int) -> shapes.Keeping:
    found = brought_in.kept_as(footage_id)
    return shapes.Keeping(waiting=found.waiting, problem=found.problem, clip=found.clip)


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


OFFERS = [
    Offer("GET", "/footage", "Footage, the newest first.", list_footage, answers=shapes.FootageList, query=LIST),
    Offer("POST", "/uploads", "Begin to send a file, or the pictures of a sequence.", begin_upload,
          answers=shapes.Upload, status=201, query={"size": number("Bytes of all files together, where known")}),
    Offer("PUT", "/uploads/<token>", "Send a block of at most 16 MiB.", receive_block, answers=shapes.Received,
          query={"name": text("The file's name", required=True), "offset": number("Where in the file it belongs")}),
    Offer("POST", "/uploads/<token>/done", "All is sent: take it in. It is read from then on.", finish_upload,
          answers=shapes.Footage, status=201, query={"name": text("What it is to be called")}),
    Offer("GET", "/footage/<int:footage_id>", "One piece of footage.", get_footage, answers=shapes.Footage),
    Offer("POST", "/footage/<int:footage_id>/clip", "Keep footage that carries alpha as a clip, as it is.",
          keep_as_clip, answers=shapes.Keeping, status=201),
    Offer("GET", "/footage/<int:footage_id>/clip", "Whether it is a clip by now.", get_keeping,
          answers=shapes.Keeping),
]  # fmt: skip
