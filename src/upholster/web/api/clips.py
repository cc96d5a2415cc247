"""Clips of the Stockroom for scripts: found, described, fetched."""

from flask import Response, request, send_file

from upholster.store import models
from upholster.studio.stock import search, stock
from upholster.web.api import shapes
from upholster.web.api.offers import Offer, text
from upholster.web.api.pieces import LIST, piece


def list_clips() -> shapes.ClipList:
    skip, most = piece()
    wanted = search.Wanted(words=request.args.get("words", ""))
    return shapes.ClipList(clips=[_clip(clip) for clip in search.clips(wanted, most, skip)])


def get_clip(clip_id: int) -> shapes.Clip:
    return _clip(stock.get_clip(clip_id))


def get_clip_file(clip_id: int) -> Response:
    clip = stock.get_clip(clip_id)
    return send_file(
        stock.file_of(clip), as_attachment=True, download_name=clip.file, mimetype="application/octet-stream"
    )


def get_clip_sidecar(clip_id: int) -> Response:
    return send_file(stock.file_of(stock.get_clip(clip_id), "sidecar"), mimetype="application/octet-stream")


def tag_clip(clip_id: int, sent: shapes.TagsSent) -> shapes.Clip:
    stock.tag(clip_id, ",".join(tag.replace(",", " ") for tag in sent.tags))
    return get_clip(clip_id)


def _clip(clip: models.Clip) -> shapes.Clip:
    names = ("id", "name", "file", "bytes", "width", "height", "frames", "rate", "alpha", "format", "tags")
    return shapes.Clip(**{name: getattr(clip, name) for name in names}, render=clip.render_id)


OFFERS = [
    Offer("GET", "/clips", "Clips of the Stockroom, the newest first.", list_clips, answers=shapes.ClipList,
          query=LIST | {"words": text("Words of names, tags and notes")}),
    Offer("GET", "/clips/<int:clip_id>", "A clip.", get_clip, answers=shapes.Clip),
    Offer("GET", "/clips/<int:clip_id>/file", "Its file.", get_clip_file, binary=True),
    Offer("GET", "/clips/<int:clip_id>/sidecar", "What it was made by, and its proof, as JSON.", get_clip_sidecar,
          binary=True),
    Offer("PUT", "/clips/<int:clip_id>/tags", "Give it other tags.", tag_clip, sends=shapes.TagsSent,
          answers=shapes.Clip),
]  # fmt: skip
