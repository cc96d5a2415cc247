"""What scripts can do, served by the tables of what is offered."""

from hashlib import sha256
from typing import Any

from flask import Blueprint, Response, g, jsonify, request, url_for
from pydantic import BaseModel, ValidationError

from upholster.studio.errors import Refused
from upholster.studio.scripts import answers, tokens
from upholster.web.api import clips, fittings, footage, renders, shots
from upholster.web.api.offers import Offer, description
from upholster.web.door import NotIn
from upholster.web.requests.body import sentence_of

page = Blueprint("api", __name__, url_prefix="/api/v1")


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


#: All that is offered.
OFFERS = [*footage.OFFERS, *shots.OFFERS, *renders.OFFERS, *clips.OFFERS, *fittings.OFFERS]


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
