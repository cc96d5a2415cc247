"""How fast numbered pictures run, which they do not say themselves."""

from upholster.media.facts import read_rate
from upholster.store.models import Footage
from upholster.store.session import session
from upholster.studio.errors import Missing, Refused
from upholster.studio.footage.bring_in import renders_under_way


def run_at(footage_id: int, rate: str) -> None:
    """Let a sequence run at so many frames a second; its frames and recipes stay as they are."""
    try:
        wanted = str(read_rate(rate))
    except ValueError as error:
        raise Refused(f"{str(error).capitalize()}.") from None
    with session() as db:
        footage = db.get(Footage, footage_id, with_for_update=True)
        if footage is None:
            raise Missing("This footage is not here any more.")
        if footage.facts["kind"] != "sequence":
            raise Refused("Only numbered pictures have no rate of their own. Change how fast a clip plays in its take.")
        if renders_under_way(db, footage_id):
            raise Refused("A render of this footage is under way. Wait for it, or cancel it first.")
        footage.facts = footage.facts | {"rate": wanted}
        for reading in footage.readings:
            reading.facts = reading.facts | {"rate": wanted}
