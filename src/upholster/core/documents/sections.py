"""Documents made of sections, as recipes and fittings are: what differs between two, and one changed."""

from typing import Any, TypeVar

from pydantic import BaseModel, ValidationError

from upholster.core.documents.settings import Settings

Document = TypeVar("Document", bound=BaseModel)

#: What differs between two documents: new values by section and field.
Differences = dict[str, dict[str, Any]]


class SectionError(ValueError):
    """A change that a document cannot take: where, in dots, and why."""

    def __init__(self, where: str, why: str) -> None:
        super().__init__(f"{where}: {why}")
        self.where, self.why = where, why


def differences(before: Document, after: Document, context: dict[str, Any] | None = None) -> Differences:
    """What has to be changed in one document to make it another; `changed` does it."""
    found: Differences = {}
    for name in type(before).model_fields:
        old, new = getattr(before, name), getattr(after, name)
        if old != new:
            found[name] = old.differences(new, context)
    return found


def changed(document: Document, changes: Differences, context: dict[str, Any] | None = None) -> Document:
    """A document with other values of some fields; only what changes is looked at again.

    Raises
    ------
    SectionError
    """
    update = {}
    for name, values in changes.items():
        section = getattr(document, name, None) if name in type(document).model_fields else None
        if not isinstance(section, Settings) or not isinstance(values, dict):
            raise SectionError(name[:80], "there is no such part")
        try:
            update[name] = section.changed(values, context)
        except ValidationError as error:
            raise section_error(error, name) from None
    return document.model_copy(update=update)


def section_error(error: ValidationError, section: str = "") -> SectionError:
    """The first thing that is wrong, by the field it is in."""
    first = error.errors(include_input=False)[0]
    parts = [str(part) for part in first["loc"] if not str(part).startswith(("function", "tuple["))]
    return SectionError(
        ".".join([section, *parts] if section else parts)[:80], first["msg"].removeprefix("Value error, ")
    )
