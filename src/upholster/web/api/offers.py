"""The table of what scripts are offered: each route with its words and shapes. It serves, and it is the description."""

from collections.abc import Callable
from typing import Any, NamedTuple

from pydantic import BaseModel
from pydantic.json_schema import models_json_schema

from upholster.web.api import shapes

#: What a number in a query is.
_NUMBER = {"type": "integer", "minimum": 0, "maximum": 2**31 - 1}
#: What may be answered besides: no token, nothing there, refused, too large, away.
_REFUSALS = {
    "400": "What was sent is not JSON.",
    "401": "The token is missing, or good for nothing.",
    "404": "There is nothing like that here.",
    "409": "It was overtaken by another change.",
    "413": "This is too large to send in one piece.",
    "415": "What was sent is of another kind.",
    "422": "This cannot be done as it was asked; the sentence says why.",
    "503": "The house is busy, or its database away; try again in a moment.",
}


class Offer(NamedTuple):
    """A route: its method and path, what it does, what is sent and answered, and the numbers of its query."""

    method: str
    path: str
    words: str
    serve: Callable[..., Any]
    sends: type[BaseModel] | None = None
    answers: type[BaseModel] | None = None
    status: int = 200
    query: dict[str, dict[str, Any]] = {}
    binary: bool = False


def number(words: str, default: int = 0, most: int = 2**31 - 1) -> dict[str, Any]:
    """A number in a query."""
    return {"schema": _NUMBER | {"default": default, "maximum": most}, "description": words}


def text(words: str, *, required: bool = False, longest: int = 200) -> dict[str, Any]:
    """A text in a query."""
    return {"schema": {"type": "string", "maxLength": longest}, "description": words, "required": required}


def description(offers: list[Offer], address: str) -> dict[str, Any]:
    """The table as an OpenAPI 3.1 document (OpenAPI Initiative, "OpenAPI Specification 3.1.0")."""
    models = {m for o in offers for m in (o.sends, o.answers) if m} | {shapes.Problem}
    both: list[tuple[type[BaseModel], Any]] = [(m, "validation") for m in sorted(models, key=lambda m: m.__name__)]
    schemas = models_json_schema(both, ref_template="#/components/schemas/{model}")[1]["$defs"]
    paths: dict[str, dict[str, Any]] = {}
    for offer in offers:
        paths.setdefault(_template(offer.path), {})[offer.method.lower()] = _operation(offer)
    return {
        "openapi": "3.1.0",
        "info": {"title": "Upholster", "version": "1", "description": "Pre-keyed clips, made by scripts."},
        "servers": [{"url": address}],
        "security": [{"token": []}],
        "paths": paths,
        "components": {"schemas": schemas, "securitySchemes": {"token": {"type": "http", "scheme": "bearer"}}},
    }


def _template(path: str) -> str:
    """A path as OpenAPI writes it."""
    return path.replace("<int:", "{").replace("<", "{").replace(">", "}")


def _operation(offer: Offer) -> dict[str, Any]:
    parameters = [{"name": n, "in": "query", **told} for n, told in offer.query.items()]
    for part in offer.path.split("<")[1:]:
        name = part.split(">")[0]
        whole = name.startswith("int:")
        schema = dict(_NUMBER) if whole else {"type": "string", "minLength": 1, "maxLength": 200}
        parameters.append({"name": name.removeprefix("int:"), "in": "path", "required": True, "schema": schema})
    if offer.method == "POST":
        words = "Sent again with the same key, nothing new is made and the answer is the same."
        key = {"type": "string", "maxLength": 200}
        parameters.append({"name": "Idempotency-Key", "in": "header", "schema": key, "description": words})
    problem = {"application/json": {"schema": {"$ref": "#/components/schemas/Problem"}}}
    answers: dict[str, Any] = {code: {"description": words, "content": problem} for code, words in _REFUSALS.items()}
    answers[str(offer.status)] = {"description": offer.words, **_content(offer)}
    told: dict[str, Any] = {"summary": offer.words, "parameters": parameters, "responses": answers}
    told["operationId"] = offer.serve.__name__
    if offer.sends:
        schema = {"$ref": f"#/components/schemas/{offer.sends.__name__}"}
        told["requestBody"] = {"required": True, "content": {"application/json": {"schema": schema}}}
    elif offer.method == "PUT":
        told["requestBody"] = {"required": True, "content": {"application/octet-stream": {"schema": {}}}}
    return told


def _content(offer: Offer) -> dict[str, Any]:
    if offer.binary:
        return {"content": {"application/octet-stream": {"schema": {}}}}
    if offer.answers is None:
        return {}
    schema = {"$ref": f"#/components/schemas/{offer.answers.__name__}"}
    return {"content": {"application/json": {"schema": schema}}}
