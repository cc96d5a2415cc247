"""Fittings for scripts: begun, read and written."""

from upholster.core.documents.fitting import read_fitting
from upholster.store import models
from upholster.studio.fittings import fittings
from upholster.web.api import shapes
from upholster.web.api.offers import Offer
from upholster.web.api.pieces import LIST, piece


def list_fittings() -> shapes.FittingList:
    skip, most = piece()
    return shapes.FittingList(
        fittings=[
            shapes.Fitting(id=row.id, name=row.name, revision=row.head) for row in fittings.all_fittings(most, skip)
        ]
    )


def begin_fitting(sent: shapes.FittingBegun) -> shapes.Fitting:
    row = fittings.new_fitting(sent.name, read_fitting(sent.document))
    return get_fitting(row.id)


def get_fitting(fitting_id: int) -> shapes.Fitting:
    return _fitting(fittings.open_fitting(fitting_id).row)


def get_document(fitting_id: int) -> shapes.FittingAnswer:
    state = fittings.open_fitting(fitting_id)
    return shapes.FittingAnswer(revision=state.revision, document=state.document.model_dump(mode="json"))


def put_document(fitting_id: int, sent: shapes.FittingSent) -> shapes.Fitting:
    state = fittings.open_fitting(fitting_id)
    seen = state.revision if sent.seen is None else sent.seen
    fittings.revise(fitting_id, read_fitting(sent.document), sent.change, seen)
    return get_fitting(fitting_id)


def _fitting(row: models.Fitting) -> shapes.Fitting:
    return shapes.Fitting(id=row.id, name=row.name, revision=row.head)


OFFERS = [
    Offer("GET", "/fittings", "Fittings, the newest first.", list_fittings, answers=shapes.FittingList, query=LIST),
    Offer("POST", "/fittings", "Begin a fitting, empty or as a document has it.", begin_fitting,
          sends=shapes.FittingBegun, answers=shapes.Fitting, status=201),
    Offer("GET", "/fittings/<int:fitting_id>", "A fitting.", get_fitting, answers=shapes.Fitting),
    Offer("GET", "/fittings/<int:fitting_id>/document", "What is in it.", get_document, answers=shapes.FittingAnswer),
    Offer("PUT", "/fittings/<int:fitting_id>/document", "Give it another content, as a new revision.", put_document,
          sends=shapes.FittingSent, answers=shapes.Fitting),
]  # fmt: skip
