"""Things of a recipe that a person adds, names and orders: masks, traces."""

from typing import Any, ClassVar, Generic, Self, TypeVar

from pydantic import Field, model_validator

from upholster.core.documents.settings import Settings

Each = TypeVar("Each", bound=Settings)


class Ordered(Settings, Generic[Each]):
    """Several of a kind, each by a mark of its own, in the order in which they join."""

    #: Most of them in a recipe, and what they are called.
    most: ClassVar[int] = 100
    called: ClassVar[str] = "parts"

    paused: bool = Field(default=False, description="Leave all of them out.")
    order: tuple[str, ...] = Field(default=(), description="Their marks, first to last.")
    each: dict[str, Each] = Field(default={}, description="Each by its mark.")

    @model_validator(mode="before")
    @classmethod
    def _listed(cls, document: object) -> object:
        """A plain list of them stands for itself, with marks in its order."""
        if not isinstance(document, list):
            return document
        each = {f"n{number}": one for number, one in enumerate(document, 1)}
        return {"order": tuple(each), "each": each}

    @model_validator(mode="after")
    def _ordered(self) -> Self:
        if len(self.each) > self.most:
            raise ValueError(f"there are more than {self.most} {self.called}")
        if sorted(self.order) != sorted(self.each):
            raise ValueError(f"“order” names each of the {self.called} once")
        if not all(mark.isalnum() and len(mark) <= 12 for mark in self.order):
            raise ValueError("a mark is made of up to 12 letters and digits")
        return self

    def __hash__(self) -> int:
        return hash((self.paused, *((mark, self.each[mark]) for mark in self.order)))

    @property
    def in_order(self) -> tuple[Each, ...]:
        """Those that are not left out, first to last."""
        return () if self.paused else tuple(self.each[mark] for mark in self.order)

    def changed(self, values: dict[str, Any], context: dict[str, Any] | None = None) -> Self:
        """With other values of some fields: of `each`, of some fields of some; without those that are null."""
        asked = values.get("each", {})
        if not isinstance(asked, dict):
            return super().changed(values, context)
        # What was looked at before is not looked at again.
        each: dict[str, Any] = dict(self.each)
        for mark, fields in asked.items():
            if fields is None:
                each.pop(mark, None)
            else:
                known = isinstance(fields, dict) and mark in each
                each[mark] = self.each[mark].__dict__ | fields if known else fields
        return super().changed(values | {"each": each}, context)

    def differences(self, after: Self, context: dict[str, Any] | None = None) -> dict[str, Any]:
        found = super().differences(after, context)
        if "each" in found:
            found["each"] = dict.fromkeys(self.each.keys() - after.each.keys()) | {
                mark: self.each[mark].differences(one, context)
                if mark in self.each
                else one.model_dump(mode="json", context=context)
                for mark, one in after.each.items()
                if one != self.each.get(mark)
            }
        return found
