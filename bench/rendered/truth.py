"""Coverage and colour out of what the renderer says of light."""

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

Light = NDArray[np.float32]

#: Grounds the truth is to hold over beside the screen: black, grey, white and magenta, encoded.
GROUNDS = ((0.0, 0.0, 0.0), (0.5, 0.5, 0.5), (1.0, 1.0, 1.0), (0.9, 0.1, 0.9))


class Lit(NamedTuple):
    """Three renders of a frame with the same rays, ``(h, w, 3)``, linear light.

    Attributes
    ----------
    plate
        All of it.
    through
        What arrives of the screen alone, past everything as if it were black.
    seen
        The same of a screen whose light is one.
    """

    plate: Light
    through: Light
    seen: Light


def encoded(light: Light) -> Light:
    """Light as a camera writes it: the transfer function of ITU-R BT.709-6, table 1, item 1.2."""
    held = np.clip(light, 0, 1)
    return np.where(held < 0.018, 4.5 * held, 1.099 * held**0.45 - 0.099).astype(np.float32)


def linear(code: Light) -> Light:
    """The inverse of `encoded`."""
    code = np.asarray(code, np.float32)
    return np.where(code < 0.081, code / 4.5, ((code + 0.099) / 1.099) ** (1 / 0.45)).astype(np.float32)


def truth_of(lit: Lit, screen: Light) -> tuple[Light, Light]:
    """Straight colour ``(h, w, 3)`` and coverage ``(h, w)``, encoded, that fit best over five grounds.

    Light adds linearly and pictures are mixed encoded, so that no colour and coverage fit all grounds at once:
    taken are those with the least squared error over the screen and `GROUNDS` (Smith and Blinn 1996,
    "Blue screen matting", with five grounds in place of two).

    Parameters
    ----------
    lit
    screen : (h, w, 3) float32
        The screen's own light where nothing is before it, linear.
    """
    own = lit.plate - lit.through
    grounds = [screen, *(linear(np.broadcast_to(np.float32(g), screen.shape)) for g in GROUNDS)]
    over = np.stack([encoded(own + lit.seen * g) for g in grounds])
    under = np.stack([encoded(g) for g in grounds])
    # over = colour + (1 - alpha) under, with colour premultiplied: the clear share is one slope for three primaries.
    over_mean, under_mean = over.mean(axis=0), under.mean(axis=0)
    away, apart = over - over_mean, under - under_mean
    clear = (away * apart).sum(axis=(0, 3)) / (apart * apart).sum(axis=(0, 3))
    alpha = np.clip(1 - clear, 0, 1)
    colour = over_mean - (1 - alpha)[..., None] * under_mean
    straight = np.clip(colour / np.maximum(alpha, 1e-3)[..., None], 0, 1)
    return straight.astype(np.float32), alpha.astype(np.float32)
