"""What scripts come in by, and what they were answered."""

from datetime import datetime
from typing import Any

from sqlalchemy import ForeignKey, LargeBinary, func
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, mapped_column

from upholster.store.models.base import Base


class ScriptToken(Base):
    """By what a script, or a machine, comes in; only a digest of it is kept."""

    __tablename__ = "script_token"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(unique=True)
    digest: Mapped[bytes] = mapped_column(LargeBinary(32), unique=True)
    created_at: Mapped[datetime] = mapped_column(server_default=func.now())
    used_at: Mapped[datetime | None]


class ScriptAnswer(Base):
    """What a script was answered when it made something, by the key it gave, so that asking again makes nothing new."""

    __tablename__ = "script_answer"

    token_id: Mapped[int] = mapped_column(ForeignKey("script_token.id", ondelete="CASCADE"), primary_key=True)
    key: Mapped[str] = mapped_column(primary_key=True)
    #: A digest of what was asked.
    asked: Mapped[bytes] = mapped_column(LargeBinary(32))
    answer: Mapped[Any] = mapped_column(JSONB)
    created_at: Mapped[datetime] = mapped_column(server_default=func.now())
