"""What every settings model has: numbers within bounds, resolved at a frame."""

from functools import cache
from typing import Any, Self

from pydantic import BaseModel, ConfigDict, model_validator

from upholster.core.documents.tracks import check_track, value_at


class Settings(BaseModel):
    """Choices of a document. Unknown fields are refused, so nothing misspelt is silently left out."""

    model_config = ConfigDict(extra="forbid", frozen=True, allow_inf_nan=False)

    @model_validator(mode="after")
    def _tracks_within_bounds(self) -> Self:
        for name, bounds in self.tracks().items():
            try:
                check_track(getattr(self, name), bounds["low"], bounds["high"])
            except ValueError as error:
                raise ValueError(f"{name}: {error}") from None
        return self

    @classmethod
    @cache
    def tracks(cls) -> dict[str, dict[str, Any]]:
        """The keyframable fields and their low, high, step and unit."""
        return {
            name: field.json_schema_extra
            for name, field in cls.model_fields.items()
            if isinstance(field.json_schema_extra, dict)
        }

    def at(self, frame: int, fields: type["Settings"] | None = None) -> dict[str, Any]:
        """Values at `frame`, tracks resolved: of all fields, or of those that the model `fields` has."""
        model = fields or type(self)
        tracks = model.tracks()
        return {
            name: value_at(getattr(self, name), frame) if name in tracks else getattr(self, name)
            for name in model.model_fields
        }

    def changed(self, values: dict[str, Any], context: dict[str, Any] | None = None) -> Self:
        """The same choices with other values of some fields, looked at.

        Raises
        ------
        pydantic.ValidationError
        """
        return type(self).model_validate({**self.__dict__, **values}, context=context)

    def differences(self, after: Self, context: dict[str, Any] | None = None) -> dict[str, Any]:
        """The fields whose values are others in `after`, with those, as JSON; `changed` makes them."""
        names = {name for name in type(self).model_fields if getattr(self, name) != getattr(after, name)}
        return after.model_dump(mode="json", include=names, context=context)
