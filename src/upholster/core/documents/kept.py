"""What is drawn on pictures and too large to travel: kept once by its content, named by its digest."""

from collections.abc import Mapping
from typing import Any, ClassVar, Self

from pydantic import GetCoreSchemaHandler
from pydantic_core import CoreSchema, core_schema


class Kept:
    """A part of a document that stands in it in full, by its digest, or as a patch of another.

    In JSON a patch has the other's digest as ``of``. Digests are looked up by ``find`` of pydantic's context; ``keep``
    of it, where there is one, keeps what is told and gives the digest that stands for it.
    """

    #: What it is called, at the beginning of a sentence.
    called: ClassVar[str]

    @classmethod
    def read(cls, document: object) -> Self:
        """From parsed JSON; what is one already stays it. Raises ValueError with a sentence that says what is wrong."""
        raise NotImplementedError

    def document(self) -> Any:
        """As JSON; `read` gives it back."""
        raise NotImplementedError

    def patched(self, patch: Mapping[str, Any]) -> Self:
        """With what a hand has done to it."""
        raise NotImplementedError

    @classmethod
    def _asked(cls, value: object, info: core_schema.ValidationInfo) -> Self:
        patch = dict(value) if isinstance(value, dict) and "of" in value else None
        digest = patch.pop("of") if patch is not None else value
        if not isinstance(digest, str):
            return cls.read(value)
        find = (info.context or {}).get("find")
        if find is None:
            raise ValueError(f"{cls.called} given in full here, not by digest")
        found = find(digest)
        if not isinstance(found, cls):
            raise ValueError(f"{cls.called} not what this digest names")
        return found.patched(patch) if patch else found

    def _told(self, info: core_schema.SerializationInfo) -> Any:
        keep = (info.context or {}).get("keep")
        return keep(self) if keep else self.document()

    @classmethod
    def __get_pydantic_core_schema__(cls, source: Any, handler: GetCoreSchemaHandler) -> CoreSchema:
        to_json = core_schema.plain_serializer_function_ser_schema(cls._told, info_arg=True, when_used="json")
        return core_schema.with_info_plain_validator_function(cls._asked, serialization=to_json)
