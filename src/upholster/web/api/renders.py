"""Renders for scripts: ordered of shots and fittings, looked after, called off."""

from upholster.media.delivery import Delivery, read_delivery
from upholster.media.ready import READY
from upholster.store import models
from upholster.studio.errors import Refused
from upholster.studio.fittings import fittings
from upholster.studio.renders import listed, renders
from upholster.studio.shots import shots
from upholster.studio.stock import stock
from upholster.web.api import shapes
from upholster.web.api.offers import Offer
from upholster.web.api.pieces import LIST, piece


def list_renders() -> shapes.RenderList:
    skip, most = piece()
    return shapes.RenderList(renders=_renders(listed.all_renders(most, skip)))


def order_render(sent: shapes.RenderSent) -> shapes.RenderList:
    if (sent.shot is None) == (sent.fitting is None):
        raise Refused("Say either a shot or a fitting.")
    if sent.shot is not None:
        ordered = renders.order(sent.shot, shots.open_shot(sent.shot).revision, [_delivery(sent)], sent.name)
    else:
        fitting = sent.fitting or 0
        revision = fittings.open_fitting(fitting).revision
        ordered = renders.order_fitting(fitting, revision, [_delivery(sent)], sent.name)
    return shapes.RenderList(renders=[get_render(render.id) for render in ordered])


def get_render(render_id: int) -> shapes.Render:
    return _renders([listed.get_render(render_id)])[0]


def cancel_render(render_id: int) -> shapes.Render:
    listed.get_render(render_id)
    renders.cancel(render_id)
    return get_render(render_id)


def _delivery(sent: shapes.RenderSent) -> Delivery:
    if (sent.delivery is None) == (sent.ready is None):
        raise Refused("Say either a delivery, or by “ready” the name of values that are ready.")
    if sent.ready is None:
        return read_delivery(sent.delivery)
    found = next((each.delivery for each in READY if each.name == sent.ready), None)
    if found is None:
        raise Refused(f"There are no values called “{sent.ready}”. There are: {', '.join(e.name for e in READY)}.")
    return found


def _renders(rows: list[models.Render]) -> list[shapes.Render]:
    clips = stock.clips_made_by([row.id for row in rows])
    return [_render(row, clips.get(row.id)) for row in rows]


def _render(render: models.Render, clip: int | None) -> shapes.Render:
    proof = listed.proof_of(render)
    return shapes.Render(
        id=render.id,
        name=render.name,
        shot=render.shot_id,
        fitting=render.fitting_id,
        state=render.state.value,
        frames=render.frames,
        frames_done=listed.standing(render).done,
        problem=render.problem,
        proof=proof.in_words() if proof else "",
        clip=clip,
    )


OFFERS = [
    Offer("GET", "/renders", "Renders, those under way first.", list_renders, answers=shapes.RenderList, query=LIST),
    Offer("POST", "/renders", "Order a delivery of a shot, or of a fitting.", order_render, sends=shapes.RenderSent,
          answers=shapes.RenderList, status=201),
    Offer("GET", "/renders/<int:render_id>", "How far a render is.", get_render, answers=shapes.Render),
    Offer("DELETE", "/renders/<int:render_id>", "Call a render off.", cancel_render, answers=shapes.Render),
]  # fmt: skip
