"""The subject's own colour: the screen unmixed from half-covered pixels, spill from solid ones."""

import numpy as np
from numpy.typing import NDArray

from upholster.core.colour import luma_weights
from upholster.core.grids import Lattice, grid_row
from upholster.core.kernels import compiled, over_rows
from upholster.core.recipe import Kind
from upholster.core.screen.clean_plate import ScreenKnowledge

Plane = NDArray[np.float32]

#: Coverage from which a pixel tells its own colour; below it the division is mostly grain.
_TELLS = 0.25
_GLOW_TELLS = 0.06


def edge_colour(
    plate: Plane,
    cover: Plane,
    kind: Kind,
    known: ScreenKnowledge | None,
    subject: Plane,
    *,
    unmix: float,
    spill: float,
    balance: float,
    keep_luma: bool,
) -> Plane:
    """Straight foreground colour of every pixel.

    Parameters
    ----------
    plate : (3, h, w) float32
    cover : (h, w) float32
        Coverage as it was in front of the camera: before the edge was moved or softened.
    subject : (3, rows, columns) float32
        The subject's colours spread outward (`pull.subject_colours`). They take over where
        coverage is too small to tell the colour.

    Notes
    -----
    Solves ``C = a F + (1 - a) B`` for F (Smith and Blinn 1996, equation 1). Spill: the screen's
    primary is limited to a blend of the other two; with `keep_luma` the light taken out is
    given back in equal parts to all three primaries.
    """
    if kind == "none" or known is None:
        return plate
    height, width = cover.shape
    out = np.empty_like(plate)
    grid = known.plate
    weights = np.array(luma_weights("bt709"), np.float32)
    f = np.float32
    over_rows(
        _unmix, height, plate, cover, grid, *Lattice.of(width, grid.shape[2]),
        *Lattice.of(height, grid.shape[1]), subject, *Lattice.of(width, subject.shape[2]),
        *Lattice.of(height, subject.shape[1]), f(1 / (_GLOW_TELLS if kind in ("dark", "light") else _TELLS)), f(unmix),
        f(spill if kind == "screen" else 0.0), f(balance), known.primary,
        f(weights[known.primary] if keep_luma else 0.0), out,
    )  # fmt: skip
    return out


@compiled
def _unmix(plate, cover, grid, xi, xw, yi, yw, subject, sxi, sxw, syi, syw, lean_rate, unmix, spill, balance, primary, give_back, out, first, end):  # type: ignore[no-untyped-def]  # fmt: skip  # noqa: E501
    row = np.empty((3, grid.shape[2]), np.float32)
    near = np.empty((3, subject.shape[2]), np.float32)
    last, subject_last = grid.shape[2] - 1, subject.shape[2] - 1
    one, zero = np.float32(1), np.float32(0)
    other = (primary + 1) % 3
    third = (primary + 2) % 3
    for j in range(first, end):
        for c in range(3):
            grid_row(grid, c, j, yi, yw, row[c])
            grid_row(subject, c, j, syi, syw, near[c])
        for i in range(cover.shape[1]):
            alpha = cover[j, i]
            a, t = xi[i], xw[i]
            b = min(a + 1, last)
            e, u = sxi[i], sxw[i]
            f = min(e + 1, subject_last)
            lean = max(zero, one - alpha * lean_rate)
            inverse = one / max(alpha, np.float32(0.004))
            for c in range(3):
                seen = plate[c, j, i]
                screen = row[c, a] * (one - t) + row[c, b] * t
                own = min(max((seen - (one - alpha) * screen) * inverse, zero), one)
                if lean > zero:
                    own += (near[c, e] * (one - u) + near[c, f] * u - own) * lean
                out[c, j, i] = min(max(seen + (own - seen) * unmix, zero), one)
            if spill > zero:
                x, y = out[other, j, i], out[third, j, i]
                small, large = min(x, y), max(x, y)
                limit = small + (large - small) * balance
                excess = max(out[primary, j, i] - limit, zero) * spill
                if excess > zero:
                    back = excess * give_back
                    out[primary, j, i] -= excess - back
                    out[other, j, i] = min(x + back, one)
                    out[third, j, i] = min(y + back, one)
