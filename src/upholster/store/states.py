"""How far things are. The database checks that nothing is in any other state."""

from enum import StrEnum


class FootageState(StrEnum):
    READING = "reading"
    READY = "ready"
    FAILED = "failed"


class ReadingState(StrEnum):
    READING = "reading"
    #: Complete, but renders still go by the reading before.
    WAITING = "waiting"
    COMPLETE = "complete"
    FAILED = "failed"


class RenderState(StrEnum):
    RUNNING = "running"
    ENCODING = "encoding"
    CHECKING = "checking"
    DONE = "done"
    FAILED = "failed"
    CANCELLED = "cancelled"


class ArrivalState(StrEnum):
    #: Nothing was done with it yet.
    LANDED = "landed"
    READING = "reading"
    MAKING = "making"
    MEASURING = "measuring"
    DONE = "done"
    FAILED = "failed"


class RunState(StrEnum):
    RUNNING = "running"
    DONE = "done"
    FAILED = "failed"
    CANCELLED = "cancelled"
