"""The kinds of trouble: what each is called, measured by, and mended on."""

from collections.abc import Callable
from typing import Literal, NamedTuple

from upholster.core.findings.chatter import chatter
from upholster.core.findings.cut_off import cut_off
from upholster.core.findings.fringe import fringe
from upholster.core.findings.haze import haze
from upholster.core.findings.hole import hole
from upholster.core.findings.moved import Moved
from upholster.core.findings.seen import Codes, Seen
from upholster.core.findings.spill import spill

#: Raised whenever measures come out otherwise than before, so that what was measured is measured anew.
MEASURES = 6

Name = Literal["hole", "haze", "fringe", "chatter", "cut_off", "spill", "jump"]


class Kind(NamedTuple):
    """A kind of trouble.

    Attributes
    ----------
    words : str
        What it is, in a few words.
    unit : str
        What its amount is counted in.
    line : int
        The line of the work order that mends it as a rule.
    measure : callable or None
        ``measure(here, beside)``: how wrong each pixel is, at the whole size or at half; None for what is told of
        whole frames.
    floor, peak : float
        Error from which a pixel counts, and that some of them have to reach.
    least : float
        Smallest area that counts, in pixels of a picture 960 wide or high.
    """

    words: str
    unit: str
    line: int
    measure: Callable[[Seen, list[Moved]], Codes] | None
    floor: float = 0.0
    peak: float = 0.0
    least: float = 0.0


#: By name, in the order they are told of. Floors are set on the tuned half of `bench.findings`.
KINDS: dict[Name, Kind] = {
    "hole": Kind("a hole in the solid part", "coverage missing", 3, hole, 0.06, 0.08, 12),
    "haze": Kind("haze on the ground", "coverage left", 3, haze, 0.025, 0.035, 60),
    "fringe": Kind("a fringe round the subject", "off the colour beside it", 7, fringe, 0.012, 0.06, 150),
    "chatter": Kind("chatter", "coverage to and fro", 3, chatter, 0.04, 0.07, 24),
    "cut_off": Kind("cut off", "pixels of cut", 4, cut_off, 0.5, 0.5, 8),
    "spill": Kind("spill on the subject", "of the screen's hue", 7, spill, 0.006, 0.027, 300),
    "jump": Kind("a jump", "of the light or the coverage", 2, None),
}
