"""The proof sheet: what is wrong with a shot, over grounds that contrast, with all numbers, as one page to print."""

from base64 import b64encode
from collections.abc import Callable, Mapping, Sequence
from importlib.resources import files
from typing import Any, NamedTuple

import cv2
import numpy as np
from jinja2 import Environment

from upholster.core.composite.over import over
from upholster.core.documents.recipe import Recipe, differences
from upholster.core.findings.frame import Measured
from upholster.core.findings.kinds import KINDS, Name
from upholster.core.findings.seen import Plane
from upholster.core.findings.spans import Finding, findings
from upholster.media.delivery import hex_colour

#: Most frames that are shown, and findings that are listed.
_FRAMES, _LISTED = 6, 60
#: What the worst frames are laid over: grounds that contrast with each other and with most subjects.
GROUNDS = {"black": "#000000", "white": "#ffffff", "magenta": "#c026a8"}
#: Width of a picture on the sheet, in pixels.
_WIDE = 480


class Made(NamedTuple):
    """A delivery of what is on the sheet: its name and format, and what its proof says."""

    name: str
    words: str
    passed: bool


class Subject(NamedTuple):
    """What a sheet is of.

    Attributes
    ----------
    name, facts : str
        What it is called, and its size, length and rate in words.
    scale : float
        Pixels of the plate for each of a picture 960 wide or high.
    picture : callable
        ``picture(frame)``: straight colour and coverage of a frame, small.
    """

    name: str
    facts: str
    recipe: Recipe
    scale: float
    measured: Mapping[int, Measured]
    picture: Callable[[int], tuple[Plane, Plane]]
    made: Sequence[Made] = ()


def sheet(subject: Subject, left_alone: Callable[[Finding], bool] = lambda finding: False) -> str:
    """The sheet as HTML that needs nothing beside itself."""
    found = [each for each in findings(subject.measured) if not left_alone(each)]
    template = Environment(autoescape=True, trim_blocks=True, lstrip_blocks=True).from_string(
        files("upholster.studio.findings").joinpath("sheet.html").read_text()
    )
    return template.render(
        subject=subject,
        found=[(each, each.sentence(subject.scale)) for each in found[:_LISTED]],
        more=max(0, len(found) - _LISTED),
        frames=_worst(subject, found),
        grounds=list(GROUNDS),
        kinds=[_numbers(kind, subject.measured, found) for kind in KINDS],
        choices=_choices(subject.recipe),
    )


def _worst(subject: Subject, found: Sequence[Finding]) -> list[dict[str, Any]]:
    """The frames with the worst findings, one each, over every ground."""
    told: dict[int, list[str]] = {}
    for each in found:
        told.setdefault(each.worst, []).append(each.sentence(subject.scale))
    shown = list(told)[:_FRAMES]
    return [{"number": n, "sentences": told[n][:3], "pictures": _pictures(subject, n)} for n in sorted(shown)]


def _pictures(subject: Subject, frame: int) -> list[str]:
    rgb, alpha = subject.picture(frame)
    return [_jpeg(over(rgb, alpha, hex_colour(colour))) for colour in GROUNDS.values()]


def _jpeg(rgb: Plane) -> str:
    """A picture as an address that holds it."""
    high, wide = rgb.shape[1:]
    size = min(wide, _WIDE), max(1, round(high * min(wide, _WIDE) / wide))
    pixels = cv2.resize(np.ascontiguousarray(rgb[::-1].transpose(1, 2, 0)), size, interpolation=cv2.INTER_AREA)
    data = cv2.imencode(".jpg", np.rint(pixels.clip(0, 1) * 255).astype(np.uint8))[1]
    return "data:image/jpeg;base64," + b64encode(data.tobytes()).decode()


def _numbers(kind: Name, measured: Mapping[int, Measured], found: Sequence[Finding]) -> dict[str, Any]:
    """What is said of a kind: how often, how bad, and its course over the frames as points of a line."""
    own = [each for each in found if each.kind == kind]
    frames = sorted(measured)
    by_frame = {n: max((p.severity for p in measured[n].places.get(kind, [])), default=0.0) for n in frames}
    by_frame |= {each.first: each.severity for each in own if kind == "jump"}
    first, span = (frames[0], max(1, frames[-1] - frames[0])) if frames else (0, 1)
    return {
        "name": kind.replace("_", " "),
        "words": KINDS[kind].words,
        "findings": len(own),
        "frames": sum(1 for bad in by_frame.values() if bad),
        "worst": max(own, key=lambda each: each.severity, default=None),
        "line": " ".join(f"{600 * (n - first) / span:.1f},{40 - 38 * bad:.1f}" for n, bad in by_frame.items()),
    }


def _choices(recipe: Recipe) -> list[tuple[str, str]]:
    """What a recipe chooses otherwise than a bare one."""
    told = differences(Recipe(), recipe, lambda drawing: drawing.digest)
    rows = []
    for section, fields in told.items():
        for field, value in fields.items():
            words = f"{len(value)} drawn" if field == "each" else _value(value)
            rows.append((f"{section}.{field}", words))
    return rows


def _value(value: Any) -> str:
    if isinstance(value, list) and value and isinstance(value[0], dict) and "frame" in value[0]:
        return ", ".join(f"{key['value']:g} at {key['frame']}" for key in value[:8]) + (" …" if len(value) > 8 else "")
    return f"{value:g}" if isinstance(value, float) else str(value)[:160]
