"""Requests about the finish."""

from typing import Literal

from upholster.web.requests.body import Hex, Id
from upholster.web.requests.recipes import Change, Place


class Finished(Change):
    """What is to be measured for a finish, and over what the result lies."""

    measure: Literal["neutral", "scene", "grain"]
    footage: Id | None = None
    colour: Hex | None = None


class GreyPicked(Change):
    grey: Place
