"""The subject's own colour: the screen unmixed from half-covered pixels, spill from solid ones."""

from typing import Any

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from upholster.core.colour import luma_weights
from upholster.core.documents.screen import Kind
from upholster.core.documents.settings import Settings
from upholster.core.documents.tracks import Track, track
from upholster.core.grids import UpsampledGrid, read_row
from upholster.core.kernels import compiled, inlined, over_rows
from upholster.core.matting.rims import corrected
from upholster.core.pipeline.stage import Changes, Context, Picture, Stage

Plane = NDArray[np.float32]

#: Coverage from which a pixel tells its own colour; below it the division is mostly grain.
_TELLS = 0.25
_GLOW_TELLS = 0.06
#: Share of the screen's excess that its light may add to a subject, and from which a colour is the subject's own.
_SPILL, _OWN = 0.2, 0.4


class EdgeColour(Settings):
    """Taking the screen's colour out of the subject."""

    unmix: Track = track(1.0, 0.0, 1.0, step=0.01, doc="Remove the screen from half-covered pixels.")
    spill: Track = track(1.0, 0.0, 1.0, step=0.01, doc="Remove the screen's light from solid ones.")
    balance: Track = track(
        0.5,
        0.0,
        1.0,
        step=0.01,
        doc="What the screen's primary is limited to: the smaller (0), the mean (0.5) or the larger (1) "
        "of the other two.",
    )
    desaturate: Track = track(0.0, 0.0, 1.0, step=0.01, doc="Take the colour out of what is left of the rim.")
    keep_own: bool = Field(
        default=True, description="Leave the subject's own colours near the screen's: green cloth stays green."
    )
    keep_luma: bool = Field(default=True, description="Give despilled pixels their brightness back.")
    paused: bool = Field(default=False, description="Leave the plate's colours as they are.")


def _run(picture: Picture, context: Context, *, paused: bool, desaturate: float, **values: Any) -> Changes:
    grids = picture.screen, picture.subject
    kind, primary = context.screen.kind, context.measured.primary
    bounds = (float(picture.rgb.min()), float(picture.rgb.max())) if context.floating else (0.0, 1.0)
    rgb = edge_colour(picture.rgb, picture.cover, kind, *grids, primary, bounds=bounds, **values)
    # The network learnt with both taken out.
    amount = min(values["unmix"], values["spill"])
    if amount > 0 and not context.glow:
        corrected(rgb, picture.rgb, picture.cover, *grids, context.measured.noise, amount, bounds)
    if desaturate > 0:
        desaturated(rgb, picture.cover, desaturate)
    if picture.held.shape == picture.cover.shape:
        over_rows(_keep_rows, len(picture.held), picture.rgb, picture.held, rgb)
    return {"rgb": rgb}


@compiled
def _keep_rows(plate, held, rgb, first_row, end_row):
    """Where a mask keeps what lies inside, its colours stay as well."""
    for row in range(first_row, end_row):
        kept = held[row]
        if kept.max() > np.float32(0):
            for c in range(3):
                seen, own = plate[c, row], rgb[c, row]
                for column in range(held.shape[1]):
                    own[column] += kept[column] * (seen[column] - own[column])


STAGE = Stage("edge_colour", ("rgb", "cover", "held", "screen", "subject"), _run, "edge_colour", EdgeColour)


def edge_colour(
    plate: Plane,
    cover: Plane,
    kind: Kind,
    screen: UpsampledGrid,
    subject: UpsampledGrid,
    primary: int,
    *,
    unmix: float,
    spill: float,
    balance: float,
    keep_luma: bool,
    keep_own: bool = True,
    bounds: tuple[float, float] = (0.0, 1.0),
) -> Plane:
    """Straight foreground colour of every pixel.

    Parameters
    ----------
    plate : (3, h, w) float32
    cover : (h, w) float32
        Coverage as it was in front of the camera: before the edge was moved or softened.
    screen : UpsampledGrid
        The clean plate.
    subject : UpsampledGrid
        The subject's colours spread outward (`subject_colours`). They take over where
        coverage is too small to tell the colour.
    primary : int
        The screen's strongest primary, 0 to 2.
    bounds : of 2 float
        The least and the largest value of the picture.

    Notes
    -----
    Solves ``C = a F + (1 - a) B`` for F (Smith and Blinn 1996, equation 1). Spill: the screen's
    primary is limited to a blend of the other two; with `keep_luma` the light taken out is
    given back in equal parts to all three primaries. With `keep_own`, what the subject nearby has of
    the primary beyond what light from a screen could add to it counts as its own and stays.

    Where hardly anything covers, the division can give any number: no colour of a subject is taken to be
    darker or brighter than the picture it is in, or than 0..1, whichever goes further.
    """
    height = cover.shape[0]
    out = np.empty_like(plate)
    tells = _GLOW_TELLS if kind in ("dark", "light") else _TELLS
    give_back = luma_weights("bt709")[primary] if keep_luma else 0.0
    f = np.float32
    lowest, highest = min(0.0, bounds[0]), max(1.0, bounds[1])
    over_rows(
        _unmix,
        height,
        plate,
        cover,
        screen,
        subject,
        primary,
        f(1 / tells),
        f(unmix),
        f(spill if kind == "screen" else 0),
        f(balance),
        f(keep_own),
        f(give_back),
        f(lowest),
        f(highest),
        out,
    )
    return out


@compiled
def _unmix(
    plate,
    cover,
    screen,
    subject,
    primary,
    lean_rate,
    unmix,
    spill,
    balance,
    keep,
    give_back,
    low,
    high,
    out,
    first,
    end,
):
    width = out.shape[-1]
    back, near = np.empty((3, width), np.float32), np.empty((3, width), np.float32)
    inverse, lean = np.empty(width, np.float32), np.empty(width, np.float32)
    one, zero = np.float32(1), np.float32(0)
    for j in range(first, end):
        for i in range(width):
            inverse[i] = one / max(cover[j, i], np.float32(0.004))
            lean[i] = max(zero, one - cover[j, i] * lean_rate)
        for c in range(3):
            read_row(screen, c, j, back[c])
            read_row(subject, c, j, near[c])
            ground, own_near = back[c], near[c]
            for i in range(width):
                seen = plate[c, j, i]
                own = (seen - (one - cover[j, i]) * ground[i]) * inverse[i]
                own = min(max(own, low), high)
                own += (own_near[i] - own) * lean[i]
                out[c, j, i] = min(max(seen + (own - seen) * unmix, low), high)
        if spill > zero:
            x, y = (primary + 1) % 3, (primary + 2) % 3
            if keep > zero:
                _excess(near[primary], near[x], near[y], balance, near[primary])
                _excess(back[primary], back[x], back[y], balance, back[primary])
                _of_its_own(near[primary], back[primary], keep)
            else:
                near[primary, :] = zero
            _despill(out[primary, j], out[x, j], out[y, j], near[primary], spill, balance, give_back, high)


@inlined
def _excess(main, other, third, balance, out):
    """How far the primary goes beyond the blend of the other two."""
    for i in range(main.shape[0]):
        small, large = min(other[i], third[i]), max(other[i], third[i])
        out[i] = max(main[i] - small - (large - small) * balance, np.float32(0))


@inlined
def _of_its_own(near, whole, keep):
    """Turns the excess of the subject's colour nearby into the part of it that is the subject's own."""
    low, rate = np.float32(_SPILL), np.float32(1 / (_OWN - _SPILL))
    for i in range(near.shape[0]):
        t = min(max((near[i] / max(whole[i], np.float32(0.02)) - low) * rate, np.float32(0)), np.float32(1))
        near[i] *= t * t * (np.float32(3) - np.float32(2) * t) * keep


@inlined
def _despill(main, other, third, allowed, spill, balance, give_back, high):
    zero = np.float32(0)
    for i in range(main.shape[0]):
        p, x, y = main[i], other[i], third[i]
        small, large = min(x, y), max(x, y)
        excess = max(p - small - (large - small) * balance - allowed[i], zero) * spill
        back = excess * give_back
        main[i] = p - excess + back
        other[i] = min(x + back, high)
        third[i] = min(y + back, high)


def desaturated(rgb: Plane, cover: Plane, amount: float) -> None:
    """Take colour out of pixels by as much as they are not covered, in place; `amount` 0..1."""
    f = np.float32
    over_rows(_desaturate, len(cover), rgb, cover, f(amount), *map(f, luma_weights("bt709")))


@compiled
def _desaturate(rgb, cover, amount, red, green, blue, first, end):
    one = np.float32(1)
    for j in range(first, end):
        for i in range(rgb.shape[2]):
            grey = red * rgb[0, j, i] + green * rgb[1, j, i] + blue * rgb[2, j, i]
            # Half covered is rim enough to lose all of its colour.
            part = min(one, np.float32(2) * (one - cover[j, i])) * amount
            for c in range(3):
                rgb[c, j, i] += (grey - rgb[c, j, i]) * part
