"""Training the trace's network of single pixels, by the error of the coverage of each and by the side it falls on."""

from pathlib import Path

import torch
from bench.learn.fine import examples
from bench.learn.sparse import Covering, Mirrored, Network, cover_learnt
from torch import Tensor

from upholster.core.trace import fine

#: Planes of a place, and layers that look around.
PLANES, LAYERS = 40, 5
#: What a large miss counts, squared, against a small one; and the least error of a frame, which weighs it.
_SQUARED, _FLOOR = 8.0, 0.01
#: What half and more of a pixel on the wrong side counts, and how soft that bound is.
_SIDE, _BOUND = 0.3, 0.06
_MIRRORED = Mirrored(
    told=(0, 4, 8, 12, 16, 20, 24, 28), true=(0,), told_aside=[], true_aside=[],
    hues=((12, 16), (13, 17), (14, 18), (15, 19), (33, 34), (36, 37)),
)  # fmt: skip
#: The coverage among the planes told.
_COVER = slice(4, 8)


def _lost(cover: Tensor, alpha: Tensor) -> Tensor:
    """What coverage misses, and whether the pixel falls on the wrong side."""
    cover = (cover - fine.ENDS) / (1 - 2 * fine.ENDS)
    within = cover.clamp(0, 1)
    # With a slope left beyond.
    miss = within + 0.03 * (cover - within).clamp(-3, 3) - alpha
    side = torch.sigmoid((cover - 0.5) / _BOUND)
    return miss.abs() + _SQUARED * miss * miss + _SIDE * (side - (alpha >= 0.5).float()).abs()


def train(folder: Path, minutes: float, begun: Path | None = None, rate: float = 5e-3, seed: int = 1) -> Network:
    """A network that learnt for so many minutes, from scratch or from what was `begun` before."""
    how = Covering(fine.TOLD, PLANES, LAYERS, _COVER, _lost, _FLOOR, _MIRRORED)
    return cover_learnt(examples.load(folder), how, minutes, begun, rate, seed)
