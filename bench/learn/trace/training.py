"""Training the network that weighs cues: the sum of what is said, corrected by it, has to tell subject from ground."""

from collections.abc import Iterator
from pathlib import Path

import numpy as np
import torch
import torch.nn.functional as nnf
from bench.learn.descent import descend
from bench.learn.network import Network
from bench.learn.resumed import resume
from bench.learn.trace import examples
from numpy.typing import NDArray
from torch import Tensor

from upholster.core.trace.weighed import TOLD

#: Pixels of a crop on a side, and crops of a step.
_CROP, _BATCH = 96, 12
#: Widths of the network's layers.
WIDTHS = (24, 24, 32, 40)
#: Planes told: distance to the outline over 20, and L*, a* and b*.
_INSIDE, _LIGHT, _A, _B = 1, 10, 11, 12
#: How near to the outline a crop begins, in working pixels, and weights of what is near, less near, and far.
_NEAR, _WEIGHTS = 14, ((10, 1.0), (30, 0.6), (np.inf, 0.15))


def _crop(example: examples.Example, draw: np.random.Generator) -> NDArray[np.float32] | None:
    """Planes told, the sum, the truth, and what counts, ``(TOLD + 3, _CROP, _CROP)``; None without an outline."""
    rows, columns = np.nonzero(np.abs(example.told[_INSIDE]) < _NEAR / 20)
    if not len(rows):
        return None
    pick = draw.integers(len(rows))
    starts = []
    for place, side in zip((rows[pick], columns[pick]), example.said.shape, strict=True):
        start = int(place) - int(draw.integers(_CROP // 4, 3 * _CROP // 4))
        starts.append(int(np.clip(start, 0, max(0, side - _CROP))))
    part = np.s_[..., starts[0] : starts[0] + _CROP, starts[1] : starts[1] + _CROP]
    counts = np.ones_like(example.said)
    planes = np.concatenate([example.told[part], *(p[part][None] for p in (example.said, example.truth, counts))])
    out = np.zeros((len(planes), _CROP, _CROP), np.float32)
    out[:, : planes.shape[1], : planes.shape[2]] = planes
    for axis in (1, 2):
        if draw.random() < 0.5:
            out = np.flip(out, axis)
    if draw.random() < 0.5:
        out = out.transpose(0, 2, 1)
    out = np.ascontiguousarray(out)
    # Any hue is as likely, in any light.
    turn = draw.uniform(0, 2 * np.pi)
    a, b = out[_A].copy(), out[_B].copy()
    out[_A], out[_B] = np.cos(turn) * a - np.sin(turn) * b, np.sin(turn) * a + np.cos(turn) * b
    out[_LIGHT] = out[_LIGHT] * draw.uniform(0.7, 1.2) + draw.uniform(-0.4, 0.4)
    return out


def _batches(paths: list[Path], draw: np.random.Generator) -> Iterator[Tensor]:
    kept = [examples.take(path) for path in paths]
    while True:
        crops: list[NDArray[np.float32]] = []
        while len(crops) < _BATCH:
            clip = kept[draw.integers(len(kept))]
            crop = _crop(clip[draw.integers(len(clip))], draw)
            if crop is not None:
                crops.append(crop)
        yield torch.from_numpy(np.stack(crops))


def loss_of(network: Network, batch: Tensor) -> tuple[Tensor, float]:
    """Cross entropy of the corrected sum, and the share of pixels on the wrong side."""
    told, said, truth, counts = batch[:, :TOLD], batch[:, TOLD], batch[:, TOLD + 1], batch[:, TOLD + 2]
    far = (told[:, _INSIDE] * 20).abs()
    weight = torch.zeros_like(far)
    for reach, worth in reversed(_WEIGHTS):
        weight[far < reach] = worth
    weight = weight * counts
    found = said + network.answer(told)[:, 0]
    lost = nnf.binary_cross_entropy_with_logits(found, truth, reduction="none") * weight
    wrong = ((found > 0) != (truth > 0.5)) * weight
    return lost.sum() / weight.sum(), float(wrong.sum() / weight.sum())


def train(folder: Path, minutes: float, begun: Path | None = None, rate: float = 2e-3, seed: int = 0) -> Network:
    """A network trained for so many minutes, or the exported one that was `begun` before and goes on."""
    torch.manual_seed(seed)
    torch.set_num_threads(2)
    source = _batches(sorted(folder.glob("[0-9]*.npz")), np.random.default_rng(seed))
    network = Network(TOLD, 1, WIDTHS)
    if begun:
        resume(network, begun, torch.cat([next(source)[:, :TOLD] for _ in range(8)]))
    descend(network, source, lambda batch: loss_of(network, batch), minutes, rate)
    return network
