"""Requests about findings."""

from upholster.web.requests.body import Asked, Box, Frame, Id, Word


class OfFinding(Asked):
    """A finding, by its kind and its place on its worst frame."""

    kind: Word
    worst: Frame
    box: Box


class LeftAlone(Asked):
    """What is not to be told of: a kind, or one place of it on some frames."""

    kind: Word
    box: Box | None = None
    first: Frame = 0
    last: Frame = 0


class ToldAgain(Asked):
    #: Which of what is left alone; all where there is none.
    number: Id | None = None
