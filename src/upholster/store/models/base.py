"""What all tables have in common."""

from datetime import datetime
from enum import StrEnum
from typing import Any

from sqlalchemy import CheckConstraint, DateTime, Enum
from sqlalchemy.dialects.postgresql import ARRAY, JSONB
from sqlalchemy.orm import DeclarativeBase
from sqlalchemy.types import Text

from upholster.store.states import ArrivalState, FootageState, ReadingState, RenderState, RunState


def _by_value(states: type[StrEnum]) -> Enum:
    """A column of text that reads and writes states by their value."""
    return Enum(states, native_enum=False, length=None, values_callable=lambda held: [state.value for state in held])


def only(states: type[StrEnum], name: str) -> CheckConstraint:
    return CheckConstraint(f"state IN ({', '.join(repr(state.value) for state in states)})", name)


class Base(DeclarativeBase):
    type_annotation_map = {
        dict[str, Any]: JSONB,
        list[str]: ARRAY(Text),
        str: Text,
        datetime: DateTime(timezone=True),
        FootageState: _by_value(FootageState),
        ReadingState: _by_value(ReadingState),
        RenderState: _by_value(RenderState),
        RunState: _by_value(RunState),
        ArrivalState: _by_value(ArrivalState),
    }
