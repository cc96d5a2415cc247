"""Requests about traces."""

from upholster.web.requests.body import Asked, Frame, Word
from upholster.web.requests.recipes import OfRecipe


class OfTrace(OfRecipe):
    trace: Word


class NamedTrace(Asked):
    trace: Word


class ToBrush(Asked):
    """A frame that is about to be brushed on."""

    frame: Frame
