"""Requests about watched folders."""

from typing import Annotated, Any

from pydantic import Field

from upholster.web.requests.body import Asked, Id


class FolderWatched(Asked):
    """A folder to watch: whose recipe what lands is keyed by, and what is made of it."""

    folder: Annotated[str, Field(max_length=4096)]
    shot: Id | None = None
    delivery: dict[str, Any] = Field(default={}, max_length=60)
    preset: Id | None = None
    report: bool = False
