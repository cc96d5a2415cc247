"""Training the network of single pixels, by the error of the delivered coverage of each."""

from pathlib import Path

import torch
from bench.learn.pixels import examples
from bench.learn.sparse import Covering, Mirrored, Network, cover_learnt
from torch import Tensor

from upholster.core.matting import pixels

#: Planes of a place, and layers that look around.
PLANES, LAYERS = 40, 4
#: What a large miss counts, squared, against a small one; and the least error of a frame, which weighs it.
_SQUARED, _FLOOR = 16.0, 0.003
#: Coverage from which a pixel is wholly solid, the delivered one below which it is a hole, how soft that bound is, and
#: what a hole counts; the same of leaks, the other way round.
_WHOLE, _HOLE, _SOFT, _SEEN = 0.995, 0.955, 0.012, 0.3
#: The levels of a first recipe for a coloured screen.
_BLACK, _WHITE = 0.02, 0.98
_MIRRORED = Mirrored(told=(0, 4, 12, 16, 20), true=(0,), told_aside=[8, 10, 25, 28], true_aside=[])
#: The coverage among the planes told.
_COVER = slice(12, 16)


def _lost(cover: Tensor, alpha: Tensor) -> Tensor:
    """What the delivered coverage misses, where levels stand as they do by default, and what is seen of it.

    A solid pixel that is nearly solid misses next to nothing, and is a hole.
    """
    cover = (cover - _BLACK) / (_WHITE - _BLACK)
    within = cover.clamp(0, 1)
    # With a slope left beyond.
    miss = within + 0.03 * (cover - within).clamp(-3, 3) - alpha
    hole = (alpha > _WHOLE) * torch.sigmoid((_HOLE - cover) / _SOFT)
    leak = (alpha < 1 - _WHOLE) * torch.sigmoid((cover - 1 + _HOLE) / _SOFT)
    return miss.abs() + _SQUARED * miss * miss + _SEEN * (hole + leak)


def train(folder: Path, minutes: float, begun: Path | None = None, rate: float = 5e-3, seed: int = 1) -> Network:
    """A network that learnt for so many minutes, from scratch or from what was `begun` before."""
    how = Covering(pixels.TOLD, PLANES, LAYERS, _COVER, _lost, _FLOOR, _MIRRORED)
    return cover_learnt(examples.load(folder), how, minutes, begun, rate, seed)
