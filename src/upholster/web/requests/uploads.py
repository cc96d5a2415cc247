"""Requests about files that are brought in."""

from pydantic import Field

from upholster.web.requests.body import Asked


class UploadBegun(Asked):
    #: Bytes of all files together, where they are known.
    size: int = Field(default=0, ge=0, le=2**53)


class UploadDone(Asked):
    name: str
