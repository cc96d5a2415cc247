"""What a survey says about a screen and its shot: evenness, near colours, safer screens, doubtful frames."""

from dataclasses import replace
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from upholster.core.documents.recipe import Recipe
from upholster.core.documents.screen import Kind
from upholster.core.grids import upsampled
from upholster.core.screen.clean_plate import ScreenKnowledge
from upholster.core.screen.light import as_lit
from upholster.core.screen.metric import LUMA_WEIGHT, to_metric
from upholster.core.screen.survey import Survey
from upholster.core.stages.matte.raw_matte import raw_matte
from upholster.core.stages.matte.subject_colours import subject_colours

Plane = NDArray[np.float32]
Colour = tuple[float, float, float]

#: Exponent from code values to light, near enough to count stops (BT.1886).
_GAMMA = 2.4
#: A colour of the subject is near where it lies less than this share of the way from the screen to grey.
_NEAR = 0.75
#: Usual screens, encoded BT.709, of the strength of a painted wall.
SCREENS: dict[str, Colour] = {"green": (0.15, 0.6, 0.22), "blue": (0.12, 0.22, 0.62), "red": (0.62, 0.14, 0.14)}
#: How much further from the subject another screen must lie to be called safer.
_SAFER = 1.3
#: Deviations from the usual, by the median of deviations, that make a frame doubtful.
_UNUSUAL = 4.0


class Doubt(NamedTuple):
    frame: int
    words: str


class Report(NamedTuple):
    """What was found; `stops` is the light's largest difference over the screen.

    Attributes
    ----------
    near : of (share, colour)
        Colours of the subject that come close to the screen's, with the share of the subject they make.
    safer : str
        Another screen colour that lies further from all of the subject; empty where this one does.
    """

    stops: float
    near: tuple[tuple[float, Colour], ...]
    safer: str
    doubts: tuple[Doubt, ...]

    def sentences(self) -> tuple[str, ...]:
        """The report in words."""
        found = [f"The light on the screen differs by {self.stops:.1f} stops."]
        for share, colour in self.near:
            code = " ".join(str(round(c * 255)) for c in colour)
            found.append(f"{share:.0%} of the subject, about {code}, comes close to the screen's colour.")
        if self.safer:
            found.append(f"A {self.safer} screen would have lain further from the subject's colours.")
        if self.doubts:
            frames = ", ".join(str(d.frame) for d in self.doubts[:6])
            found.append(f"Look at frame{'s' if len(self.doubts) > 1 else ''} {frames}: {self.doubts[0].words}.")
        return tuple(found)


def report(survey: Survey, recipe: Recipe, known: ScreenKnowledge) -> Report:
    """Look at a surveyed shot with what is known of its screen."""
    mattes = [matte_of(cells, recipe.screen.kind, known) for cells in survey.mean]
    stops = _stops(known.plate)
    doubts = _doubts(survey, mattes)
    if recipe.screen.kind in ("dark", "light"):
        return Report(stops, (), "", doubts)
    subject = np.concatenate(
        [cells[:, m > 0.9] for cells, m in zip(survey.mean, mattes, strict=True)], axis=1, dtype=np.float32
    )
    return Report(stops, _near(subject, known), _safer(subject, known), doubts)


def matte_of(cells: Plane, kind: Kind, known: ScreenKnowledge) -> Plane:
    """The raw matte ``(rows, columns)`` of a surveyed frame's cells."""
    size = cells.shape[2], cells.shape[1]
    lit = known if known.steady else replace(known, plate=as_lit(known.plate, cells))
    subject = upsampled(subject_colours(cells, kind, lit), *size)
    return raw_matte(cells, kind, upsampled(lit.plate, *size), subject)


def _stops(plate: Plane) -> float:
    luma = np.maximum(to_metric(plate)[0] / LUMA_WEIGHT, np.float32(1e-3))
    low, high = np.quantile(luma, (0.02, 0.98))
    return float(_GAMMA * np.log2(high / low))


def _near(subject: Plane, known: ScreenKnowledge) -> tuple[tuple[float, Colour], ...]:
    if subject.shape[1] == 0:
        return ()
    screen = to_metric(known.plate).mean(axis=(1, 2))
    here = to_metric(subject)
    strength = float(np.hypot(screen[1], screen[2]))
    near = np.hypot(here[1] - screen[1], here[2] - screen[2]) < _NEAR * strength
    share = float(near.mean())
    if share < 0.01:
        return ()
    r, g, b = np.median(subject[:, near], axis=1)
    return ((share, (float(r), float(g), float(b))),)


def _safer(subject: Plane, known: ScreenKnowledge) -> str:
    if subject.shape[1] == 0:
        return ""
    here = to_metric(subject)

    def room(colour: Plane) -> float:
        away = np.linalg.norm(here - to_metric(colour[:, None]), axis=0)
        return float(np.quantile(away, 0.02))

    present = room(known.plate.mean(axis=(1, 2)))
    rooms = {name: room(np.array(colour, np.float32)) for name, colour in SCREENS.items()}
    best = max(rooms, key=lambda name: rooms[name])
    return best if rooms[best] > _SAFER * present else ""


def _doubts(survey: Survey, mattes: list[Plane]) -> tuple[Doubt, ...]:
    """Frames on which half-covered or holed parts are unusually large."""
    veiled = np.array([float(((m > 0.05) & (m < 0.5) & _apart(m)).mean()) for m in mattes])
    holed = np.array([float(((m < 0.9) & _within(m)).mean()) for m in mattes])
    kinds = ((holed, "the subject may have holes there"), (veiled, "the screen may not be clear there"))
    found = [Doubt(int(n), words) for amounts, words in kinds for n in survey.frames[_unusual(amounts)]]
    return tuple(sorted(found))


def _apart(matte: Plane) -> NDArray[np.bool_]:
    """Cells with nothing solid nearby, where a half coverage is no soft edge."""
    return cv2.dilate((matte > 0.8).astype(np.uint8), np.ones((7, 7), np.uint8)) == 0


def _within(matte: Plane) -> NDArray[np.bool_]:
    """Cells inside the subject's outline, narrow gaps included."""
    closed = cv2.morphologyEx((matte > 0.9).astype(np.uint8), cv2.MORPH_CLOSE, np.ones((7, 7), np.uint8))
    return cv2.erode(closed, np.ones((3, 3), np.uint8)) > 0


def _unusual(amounts: NDArray[np.float64]) -> NDArray[np.bool_]:
    middle = np.median(amounts)
    usual = np.median(np.abs(amounts - middle))
    return amounts > middle + _UNUSUAL * usual + 0.002
