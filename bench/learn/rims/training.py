"""Training the network of colours along edges, by what is wrong with each pixel over grounds, and with its colour.

Where coverage is wrong, the true colour does not look best: what is seen over a ground counts more than the colour.
"""

from pathlib import Path

import numpy as np
import torch
from bench.learn.descent import descend
from bench.learn.places import Example
from bench.learn.rims import examples
from bench.learn.sparse import Batch, Frame, Mirrored, Network, batches
from torch import Tensor

from upholster.core.matting import rims
from upholster.core.places import BLOCK

#: Planes of a place, and layers that look around.
PLANES, LAYERS = 32, 3
#: What a large miss counts, squared, against a small one; and the least error of a frame, which weighs it.
_SQUARED, _FLOOR = 4.0, 0.002
_MIRRORED = Mirrored(
    told=(0, 4, 8, 12, 16, 20), true=(0, 4, 8, 12), told_aside=[4, 5, 6, 7, 24, 26], true_aside=[4, 5, 6, 7]
)
#: The subject's colours, the screen's strength and luma, and coverage among the planes told; colours and coverage are
#: in the same among those that are true.
_COLOURS, _STRENGTH, _LUMA, _COVER = slice(0, 12), 28, 29, slice(12, 16)
#: The grounds, by how far their colour goes from the screen's towards grey and beyond, and by their luma: white, black,
#: and one of the opposite hue.
_GROUNDS = ((1.0, 1.0), (1.0, 0.0), (2.0, 0.3))
#: How much the colour counts beside what is seen, and a miss of light beside those of either colour difference: red,
#: green and blue all have it.
_COLOUR, _LIGHT = 0.5, 2.0


def _weighed(example: Example) -> Frame:
    """Frames whose error is small already count for more of it, so that none is spoilt for the sake of others."""
    told, true = (torch.from_numpy(each.astype(np.float32)) for each in (example.told, example.true))
    lost = float(_lost(told[:, _COLOURS], told, true).mean())
    return Frame(*example, (lost + _FLOOR) ** -0.5)


def _lost(colours: Tensor, told: Tensor, true: Tensor) -> Tensor:
    """What each pixel misses over the grounds, and in its colour by how much of it is covered."""
    strength, luma = told[:, _STRENGTH, None, None], told[:, _LUMA, None, None]
    found, wanted = (each.reshape(len(told), 3, -1) for each in (colours, true[:, _COLOURS]))
    cover, alpha = told[:, None, _COVER].clamp(0, 1), true[:, None, _COVER].clamp(0, 1)
    lost = _COLOUR * alpha * _missed((found - wanted) * strength)
    for hue, light in _GROUNDS:
        ground = torch.cat([hue * torch.ones_like(luma), torch.zeros_like(luma), (light - luma) / strength], 1)
        seen = cover * found - alpha * wanted + (alpha - cover) * ground
        lost = lost + _missed(seen * strength) / len(_GROUNDS)
    return lost.sum(1)


def _missed(miss: Tensor) -> Tensor:
    return (miss.abs() + _SQUARED * miss * miss) * torch.tensor([1.0, 1.0, _LIGHT])[None, :, None]


def train(folder: Path, minutes: float, begun: Path | None = None, rate: float = 5e-3, seed: int = 1) -> Network:
    """A network that learnt for so many minutes, from scratch or from what was `begun` before."""
    torch.manual_seed(seed)
    torch.set_num_threads(2)
    frames = [_weighed(example) for example in examples.load(folder)]
    network = Network(rims.TOLD, 3 * BLOCK**2, PLANES, LAYERS)
    if begun:
        network.resume(begun)

    def loss(batch: Batch) -> tuple[Tensor, float]:
        colours = batch.told[:, _COLOURS] + network(batch.told, batch.beside)
        lost = _lost(colours, batch.told, batch.true)
        return (lost * batch.weight[:, None]).mean(), float(lost.detach().mean())

    descend(network, batches(frames, _MIRRORED, np.random.default_rng(seed)), loss, minutes, rate)
    return network
