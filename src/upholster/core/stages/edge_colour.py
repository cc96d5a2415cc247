"""The subject's own colour: the screen unmixed from half-covered pixels, spill from solid ones."""

import numpy as np
from numpy.typing import NDArray

from upholster.core.colour import luma_weights
from upholster.core.grids import Laid, read_row
from upholster.core.kernels import compiled, inlined, over_rows
from upholster.core.recipe import Kind

Plane = NDArray[np.float32]

#: Coverage from which a pixel tells its own colour; below it the division is mostly grain.
_TELLS = 0.25
_GLOW_TELLS = 0.06


def edge_colour(
    plate: Plane,
    cover: Plane,
    kind: Kind,
    screen: Laid,
    subject: Laid,
    primary: int,
    *,
    unmix: float,
    spill: float,
    balance: float,
    desaturate: float,
    keep_luma: bool,
) -> Plane:
    """Straight foreground colour of every pixel.

    Parameters
    ----------
    plate : (3, h, w) float32
    cover : (h, w) float32
        Coverage as it was in front of the camera: before the edge was moved or softened.
    screen : Laid
        The clean plate.
    subject : Laid
        The subject's colours spread outward (`pull.subject_colours`). They take over where
        coverage is too small to tell the colour.
    primary : int
        The screen's strongest primary, 0 to 2.

    Notes
    -----
    Solves ``C = a F + (1 - a) B`` for F (Smith and Blinn 1996, equation 1). Spill: the screen's
    primary is limited to a blend of the other two; with `keep_luma` the light taken out is
    given back in equal parts to all three primaries. `desaturate` takes colour from pixels by as
    much as they are not covered.
    """
    height = cover.shape[0]
    out = np.empty_like(plate)
    tells = _GLOW_TELLS if kind in ("dark", "light") else _TELLS
    give_back = luma_weights("bt709")[primary] if keep_luma else 0.0
    f = np.float32
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
        f(give_back),
        out,
    )
    if desaturate > 0:
        r, g, b = luma_weights("bt709")
        over_rows(_desaturate, height, out, cover, f(desaturate), f(r), f(g), f(b))
    return out


@compiled
def _unmix(plate, cover, screen, subject, primary, lean_rate, unmix, spill, balance, give_back, out, first, end):
    back = np.empty(out.shape[-1], np.float32)
    near = np.empty(out.shape[-1], np.float32)
    inverse, lean = np.empty_like(back), np.empty_like(back)
    one, zero = np.float32(1), np.float32(0)
    for j in range(first, end):
        for i in range(cover.shape[1]):
            inverse[i] = one / max(cover[j, i], np.float32(0.004))
            lean[i] = max(zero, one - cover[j, i] * lean_rate)
        for c in range(3):
            read_row(screen, c, j, back)
            read_row(subject, c, j, near)
            for i in range(cover.shape[1]):
                seen = plate[c, j, i]
                own = (seen - (one - cover[j, i]) * back[i]) * inverse[i]
                own = min(max(own, zero), one)
                own += (near[i] - own) * lean[i]
                out[c, j, i] = min(max(seen + (own - seen) * unmix, zero), one)
        if spill > zero:
            _despill(out[primary, j], out[(primary + 1) % 3, j], out[(primary + 2) % 3, j], spill, balance, give_back)


@inlined
def _despill(main, other, third, spill, balance, give_back):
    one, zero = np.float32(1), np.float32(0)
    for i in range(main.shape[0]):
        p, x, y = main[i], other[i], third[i]
        small, large = min(x, y), max(x, y)
        excess = max(p - small - (large - small) * balance, zero) * spill
        back = excess * give_back
        main[i] = p - excess + back
        other[i] = min(x + back, one)
        third[i] = min(y + back, one)


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
