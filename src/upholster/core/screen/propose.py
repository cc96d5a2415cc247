"""Looking at a shot before anyone has said anything about it."""

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from upholster.core.documents.screen import Kind, Screen
from upholster.core.screen.metric import chroma, to_metric
from upholster.core.screen.survey import Survey

#: A dark ground stays below this, a light one above one minus this (common practice, no source).
DARK = 0.12
#: A pale ground without colour is a light one as well, where nothing in the picture is lighter by more than this.
_PALE, _COLOURLESS, _LIGHTER = 0.6, 0.05, 0.03
#: A colour screen is at least this coloured; a painted wall may be less so.
COLOURED = 0.12
#: Part of the picture's rim that must agree before a ground is called one colour.
AGREEMENT = 0.5

#: Part of the picture that a screen fills which does not reach the rim; the same where the rim could be a ground as
#: well, as black drapes or a painted wall could; and share by which its primary is ahead.
_FILLS, _MOSTLY, _PAINTED = 0.2, 0.28, 0.4

_NAMES = {0: "red", 1: "green", 2: "blue"}


class Proposal(NamedTuple):
    screen: Screen
    reasons: tuple[str, ...]


def propose(survey: Survey) -> Proposal:
    """The kind of ground a survey shows, with the reasons in plain sentences."""
    rim = _rim(survey)
    kind, colour, share = _kind(rim)
    if kind != "screen" and (within := _within(survey, _FILLS if kind == "none" else _MOSTLY)) is not None:
        return within
    if kind == "none" and (pale := _pale(survey, rim)) is not None:
        return pale
    if kind == "none" or colour is None:
        return Proposal(
            Screen(kind="none"),
            ("No even ground was found along the edge of the picture.", "Click on the ground to measure it."),
        )
    screen = Screen(kind=kind, colour=(float(colour[0]), float(colour[1]), float(colour[2])))
    return Proposal(screen, (f"{share:.0%} of the picture's edge is one {screen_name(screen)}.",))


def _pale(survey: Survey, rim: NDArray[np.float32]) -> Proposal | None:
    """A white wall in little light, or an off-white one: ink and smoke only take from it, so it is lightest."""
    pale = (rim.min(axis=0) > _PALE) & (chroma(rim) < _COLOURLESS)
    share = float(pale.mean())
    if share < AGREEMENT:
        return None
    lightest = float(np.quantile(rim[:, pale].min(axis=0), 0.99))
    if float(np.quantile(survey.mean.min(axis=1), 0.99)) > lightest + _LIGHTER:
        return None
    red, green, blue = np.median(rim[:, pale], axis=1)
    screen = Screen(kind="light", colour=(float(red), float(green), float(blue)))
    return Proposal(screen, (f"{share:.0%} of the picture's edge is one {screen_name(screen)}.",))


def _within(survey: Survey, least: float) -> Proposal | None:
    """A colour screen that fills a good part of the picture without reaching its rim; None where there is none."""
    cells = survey.mean.transpose(1, 0, 2, 3).reshape(3, -1)
    second, first = np.sort(cells, axis=0)[1:]
    # A lawn or a sky is less of one primary than what is painted to be taken out.
    painted = (first - second > np.maximum(_PAINTED * first, COLOURED)) & (cells.argmax(axis=0) > 0)
    if painted.mean() < least:
        return None
    mode, share = _mode(cells[:, painted])
    share *= float(painted.mean())
    colour = float(mode[0]), float(mode[1]), float(mode[2])
    if share < least:
        return None
    screen = Screen(kind="screen", colour=colour)
    return Proposal(screen, (f"{share:.0%} of the picture is one {screen_name(screen)}, which ends before its edge.",))


def screen_name(screen: Screen) -> str:
    """What a compositor would call the ground: “green screen”, “dark ground”."""
    match screen.kind:
        case "dark" | "light":
            return f"{screen.kind} ground"
        case "screen":
            return f"{_NAMES[primary(screen.colours)]} screen"
        case "colour":
            return "even colour"
        case "none":
            return "nothing"


def primary(colours: tuple[tuple[float, float, float], ...]) -> int:
    """Which of red, green and blue (0..2) is strongest in the mean of `colours`."""
    return int(np.argmax(np.mean(colours or ((0, 1, 0),), axis=0)))


def kind_of(colour: tuple[float, float, float]) -> Kind:
    """The kind of ground a single measured colour suggests."""
    rgb = np.array(colour, np.float32)
    if rgb.max() < DARK:
        return "dark"
    if rgb.min() > 1 - DARK:
        return "light"
    first, second = np.sort(rgb)[::-1][:2]
    # Orange and violet have two strong primaries; the difference key needs one.
    return "screen" if np.argmax(rgb) > 0 and first - second > max(COLOURED, 0.25 * first) else "colour"


def _rim(survey: Survey) -> NDArray[np.float32]:
    """Colours ``(3, n)`` of the smooth cells within an eighth of the top and sides.

    The bottom is left out: the subject usually stands there.
    """
    rows, columns = survey.mean.shape[2:]
    band = max(1, min(rows, columns) // 8)
    mask = np.zeros((rows, columns), bool)
    mask[:band] = mask[:, :band] = mask[:, -band:] = True
    return survey.mean[:, :, mask].transpose(1, 0, 2).reshape(3, -1)


def _kind(rim: NDArray[np.float32]) -> tuple[Kind, NDArray[np.float32] | None, float]:
    dark, light = rim.max(axis=0) < DARK, rim.min(axis=0) > 1 - DARK
    if dark.mean() > AGREEMENT:
        return "dark", np.median(rim[:, dark], axis=1), float(dark.mean())
    if light.mean() > AGREEMENT:
        return "light", np.median(rim[:, light], axis=1), float(light.mean())
    colour, share = _mode(rim)
    if share < AGREEMENT or float(chroma(colour[:, None])[0]) < COLOURED / 2:
        return "none", None, share
    return kind_of((float(colour[0]), float(colour[1]), float(colour[2]))), colour, share


def _mode(rim: NDArray[np.float32]) -> tuple[NDArray[np.float32], float]:
    """The densest colour of the rim (its hue and strength; shade may vary) and its share."""
    _, u, v = to_metric(rim)
    counts, ue, ve = np.histogram2d(u, v, bins=48, range=[[-1, 1], [-1, 1]])
    padded = np.pad(counts, 1)
    blocks = np.sum([padded[a : a + 48, b : b + 48] for a in range(3) for b in range(3)], axis=0)
    a, b = np.unravel_index(int(np.argmax(blocks)), blocks.shape)
    near = np.hypot(u - (ue[a] + ue[a + 1]) / 2, v - (ve[b] + ve[b + 1]) / 2) < 0.12
    return np.median(rim[:, near], axis=1), float(near.mean())
