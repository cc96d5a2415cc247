"""Reading what a request asks for."""

from typing import Any

from flask import request
from werkzeug.exceptions import BadRequest


class Asked(dict[str, Any]):
    """A JSON object; a field that is not there makes the request a bad one."""

    def __missing__(self, name: str) -> Any:
        raise BadRequest(f"{name} is missing")


def asked_for() -> Asked:
    """The request's JSON object."""
    body = request.get_json()
    if not isinstance(body, dict):
        raise BadRequest("a JSON object was expected")
    return Asked(body)
