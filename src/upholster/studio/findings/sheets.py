"""The proof sheet of a shot in the house, with what was delivered of it."""

from sqlalchemy import select

from upholster.core.findings.seen import Plane
from upholster.core.findings.spans import Finding
from upholster.media.proof import Proof
from upholster.store.models import Render
from upholster.store.session import session
from upholster.store.states import RenderState
from upholster.studio.findings import kept, measuring
from upholster.studio.findings.sheet import Made, Subject, sheet
from upholster.studio.findings.standing import is_left_alone, plate_scale
from upholster.studio.looking import look
from upholster.studio.shots import shots

#: Most deliveries that are listed, the newest.
_MOST = 40


def sheet_of_shot(shot_id: int) -> str:
    """The sheet as HTML, of what is measured of the shot so far."""
    state = shots.open_shot(shot_id)
    facts, (first, end) = state.footage.facts, look.span_of(state.footage, state.recipe)
    wanted = measuring.digests(state.footage, state.recipe)
    known = kept.digests(shot_id)
    # What was measured of the shot as it was before tells nothing of it as it is.
    measured = kept.measured_of(shot_id, [n for n, digest in wanted.items() if known.get(n) == digest])

    def picture(frame: int) -> tuple[Plane, Plane]:
        return look.small(state.footage, state.recipe, frame)

    def left_alone(finding: Finding) -> bool:
        return is_left_alone(state.shot.left_alone, finding)

    words = f"{facts['width']}×{facts['height']}, frames {first} to {end - 1}, revision {state.revision}"
    subject = Subject(
        state.shot.name, words, state.recipe, plate_scale(state.footage), measured, picture, _made(shot_id)
    )
    return sheet(subject, left_alone)


def _made(shot_id: int) -> list[Made]:
    """What was delivered of a shot and read back, the newest first."""
    query = select(Render).where(Render.shot_id == shot_id, Render.state.in_((RenderState.DONE, RenderState.FAILED)))
    with session() as db:
        rows = list(db.scalars(query.order_by(Render.id.desc()).limit(_MOST)))
    return [
        Made(
            f"{row.name}, {row.delivery['format']}, revision {row.revision}",
            Proof.model_validate(row.proof).in_words() if row.proof else row.problem,
            row.state == RenderState.DONE,
        )
        for row in rows
    ]
