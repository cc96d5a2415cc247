"""The body of a request: a JSON object, checked against a model before anything is done with it."""

from typing import Annotated, Any, TypeVar

from flask import request
from pydantic import BaseModel, ConfigDict, Field, ValidationError
from werkzeug.exceptions import BadRequest

from upholster.studio.errors import Refused

Body = TypeVar("Body", bound="Asked")

#: Numbers of rows, as the database counts them.
Id = Annotated[int, Field(ge=0, le=2**31 - 1)]
Frame = Annotated[int, Field(ge=-(2**31), le=2**31 - 1)]
Word = Annotated[str, Field(max_length=300)]
Hex = Annotated[str, Field(pattern="^#[0-9a-fA-F]{6}$")]
Mark = Annotated[str, Field(max_length=12)]
Share = Annotated[float, Field(ge=0, le=1)]
Box = tuple[Share, Share, Share, Share]


class Asked(BaseModel):
    """A JSON object that a request sends."""

    model_config = ConfigDict(extra="ignore", allow_inf_nan=False)


class Standing(Asked):
    """What is asked of something as it stands in the window: a revision, and what was changed since."""

    base: Id
    changes: dict[Word, dict[Word, Any]] = Field(default={}, max_length=20)


class Kept(Standing):
    """Something to keep, the revision in force that was seen, and whether to go on beside what came since."""

    change: Word = ""
    seen: Id
    branch: bool = False


def asked_for(model: type[Body]) -> Body:
    """The request's JSON object.

    Raises
    ------
    BadRequest
        Where it is no JSON object.
    Refused
        With one sentence that names the field and what is wrong with it.
    """
    try:
        body = request.get_json()
    except RecursionError:
        raise BadRequest("the JSON is nested too deeply") from None
    if not isinstance(body, dict):
        raise BadRequest("a JSON object was expected")
    try:
        return model.model_validate(body)
    except (ValidationError, RecursionError) as error:
        raise Refused(sentence_of(error)) from None


def number_asked(name: str) -> int:
    """A whole number of the address."""
    given = request.args.get(name, "")
    if not given.isascii() or not given.isdigit() or len(given) > 18:
        raise Refused(f"“{name}” must be a whole number that is not negative.")
    return int(given)


def sentence_of(error: ValidationError | RecursionError) -> str:
    """What is wrong with a body, by the field it is in."""
    if isinstance(error, RecursionError):
        return "The request is nested too deeply."
    first = error.errors(include_input=False)[0]
    where = ".".join(str(part) for part in first["loc"])[:80]
    said = first["msg"].removeprefix("Value error, ")
    return f"“{where}”: {said}." if where else f"{said[:1].upper()}{said[1:]}."


class Named(Asked):
    name: Word
