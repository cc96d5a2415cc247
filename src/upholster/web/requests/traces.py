"""Requests about traces."""

from upholster.web.requests.body import Asked, Word
from upholster.web.requests.recipes import OfRecipe


class OfTrace(OfRecipe):
    trace: Word


class NamedTrace(Asked):
    trace: Word
