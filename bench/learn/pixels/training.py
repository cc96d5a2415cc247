"""Training the network of single pixels, by the error of the delivered coverage of each.

Only the places along edges are worked on, as in the product: what its compiled loops do forwards is done here with its
slopes.
"""

from collections.abc import Iterator
from pathlib import Path
from typing import Any, NamedTuple

import numpy as np
import torch
from bench.learn.descent import descend
from bench.learn.pixels import examples
from numpy.typing import NDArray
from torch import Tensor, nn

from upholster.core.kernels import compiled
from upholster.core.matting import pixels
from upholster.core.matting.places import Layers, neighbours, read

#: Planes of a place, and layers that look around.
PLANES, LAYERS = 40, 4
#: Blocks to either side of the middle of a crop, and crops of a step.
_REACH, _BATCH = 40, 6
#: What a large miss counts, squared, against a small one; and the least error of a frame, which weighs it.
_SQUARED, _FLOOR = 16.0, 0.003
#: The levels of a first recipe for a coloured screen.
_BLACK, _WHITE = 0.02, 0.98
#: How the planes told change places where a picture is mirrored, left for right and top for bottom.
_BLOCK = np.arange(pixels.BLOCK**2).reshape(pixels.BLOCK, pixels.BLOCK)
_ACROSS, _DOWN = _BLOCK[:, ::-1].ravel(), _BLOCK[::-1].ravel()
#: The first of those planes that are told of each pixel, and those that change sign when hues are mirrored.
_OF_PIXELS, _ASIDE = (0, 4, 12, 16, 20), [8, 10, 25, 28]
#: The coverage among the planes told.
_COVER = slice(12, 16)


class Network(nn.Module):
    """The layers of `upholster.core.matting.places`, that learn."""

    def __init__(self) -> None:
        super().__init__()
        self.enter = nn.Linear(pixels.TOLD, PLANES)
        self.depth = nn.ParameterList([nn.Parameter(torch.randn(9, PLANES) / 3) for _ in range(LAYERS)])
        self.mix = nn.ModuleList([nn.Linear(PLANES, PLANES) for _ in range(LAYERS)])
        self.leave = nn.Linear(PLANES, pixels.BLOCK**2)
        for linear in [self.enter, *self.mix]:
            nn.init.kaiming_normal_(linear.weight, nonlinearity="relu")
            nn.init.zeros_(linear.bias)
        nn.init.zeros_(self.leave.weight)
        nn.init.zeros_(self.leave.bias)

    def forward(self, told: Tensor, beside: NDArray[np.int32]) -> Tensor:
        known = torch.relu(self.enter(told))
        for depth, mix in zip(self.depth, self.mix, strict=True):
            known = known + torch.relu(mix(_AddedUp.apply(known, depth, beside)))
        return self.leave(known)

    def layers(self) -> Layers:
        """Its weights, rounded to half precision as they are kept."""
        enter, leave = (_with_bias(linear) for linear in (self.enter, self.leave))
        depth = np.stack([each.detach().numpy() for each in self.depth])
        mix = np.stack([_with_bias(linear) for linear in self.mix])
        return Layers(*(each.astype(np.float16).astype(np.float32) for each in (enter, depth, mix, leave)))

    def resume(self, layers: Layers) -> None:
        """Go on from weights that were kept."""
        with torch.no_grad():
            weights = [layers.enter, *layers.mix, layers.leave]
            for linear, kept in zip([self.enter, *self.mix, self.leave], weights, strict=True):
                linear.weight.copy_(torch.from_numpy(kept[:-1].T))
                linear.bias.copy_(torch.from_numpy(kept[-1]))
            for depth, kept in zip(self.depth, layers.depth, strict=True):
                depth.copy_(torch.from_numpy(kept))


def _with_bias(linear: nn.Module) -> NDArray[np.float32]:
    return np.concatenate([linear.weight.detach().numpy().T, linear.bias.detach().numpy()[None]])


class _AddedUp(torch.autograd.Function):
    """Each place's neighbours, weighed plane by plane; with its slopes."""

    @staticmethod
    def forward(ctx: Any, known: Tensor, depth: Tensor, beside: NDArray[np.int32]) -> Tensor:
        ctx.save_for_backward(known, depth)
        ctx.beside = beside
        out = np.empty(known.shape, np.float32)
        _added_up(known.detach().numpy(), depth.detach().numpy(), beside, out)
        return torch.from_numpy(out)

    @staticmethod
    def backward(ctx: Any, slope: Tensor) -> tuple[Tensor, Tensor, None]:
        known, depth = (each.detach().numpy() for each in ctx.saved_tensors)
        of_known, of_depth = np.empty_like(known), np.zeros_like(depth)
        _slopes(known, depth, slope.contiguous().numpy(), ctx.beside, of_known, of_depth)
        return torch.from_numpy(of_known), torch.from_numpy(of_depth), None


@compiled
def _added_up(known, depth, beside, out):
    for n in range(known.shape[0]):
        out[n] = np.float32(0)
        for k in range(9):
            m = beside[n, k]
            if m < known.shape[0]:
                for c in range(known.shape[1]):
                    out[n, c] += known[m, c] * depth[k, c]


@compiled
def _slopes(known, depth, slope, beside, of_known, of_depth):
    for n in range(known.shape[0]):
        of_known[n] = np.float32(0)
        for k in range(9):
            # Whoever has this place for its neighbour k is its own neighbour 8 - k.
            m = beside[n, 8 - k]
            if m < known.shape[0]:
                for c in range(known.shape[1]):
                    of_known[n, c] += slope[m, c] * depth[k, c]
            m = beside[n, k]
            if m < known.shape[0]:
                for c in range(known.shape[1]):
                    of_depth[k, c] += slope[n, c] * known[m, c]


class _Frame(NamedTuple):
    places: NDArray[np.int32]
    told: NDArray[np.float16]
    alpha: NDArray[np.float16]
    weight: float


class _Crop(NamedTuple):
    places: NDArray[np.int32]
    told: NDArray[np.float32]
    alpha: NDArray[np.float32]
    weight: NDArray[np.float32]


class _Batch(NamedTuple):
    told: Tensor
    beside: NDArray[np.int32]
    alpha: Tensor
    weight: Tensor


def _weighed(example: examples.Example) -> _Frame:
    """Frames whose error is small already count for more of it, so that none is spoilt for the sake of others."""
    before = torch.from_numpy(example.told[:, _COVER].astype(np.float32))
    lost = float(_lost(before, torch.from_numpy(example.alpha.astype(np.float32))).mean())
    return _Frame(*example, (lost + _FLOOR) ** -0.5)


def _lost(cover: Tensor, alpha: Tensor) -> Tensor:
    """What the delivered coverage misses, where levels stand as they do by default."""
    cover = (cover - _BLACK) / (_WHITE - _BLACK)
    within = cover.clamp(0, 1)
    # With a slope left beyond.
    miss = within + 0.03 * (cover - within).clamp(-3, 3) - alpha
    return miss.abs() + _SQUARED * miss * miss


def _crop(frame: _Frame, draw: np.random.Generator) -> _Crop:
    middle = frame.places[draw.integers(len(frame.places))]
    near = (np.abs(frame.places - middle) < _REACH).all(axis=1)
    places, told, alpha = frame.places[near], frame.told[near].astype(np.float32), frame.alpha[near].astype(np.float32)
    for axis, order in ((1, _ACROSS), (0, _DOWN)):
        if draw.random() < 0.5:
            places = places.copy()
            places[:, axis] *= -1
            alpha = alpha[:, order]
            for first in _OF_PIXELS:
                told[:, first : first + len(order)] = told[:, first + order]
    if draw.random() < 0.5:
        # A hue to the left of the screen's is as likely as one to the right.
        told[:, _ASIDE] *= -1
    return _Crop(places - places.min(axis=0), told, alpha, np.full(len(places), frame.weight, np.float32))


def _batches(frames: list[_Frame], draw: np.random.Generator) -> Iterator[_Batch]:
    while True:
        crops = [_crop(frames[draw.integers(len(frames))], draw) for _ in range(_BATCH)]
        # One above the other, with a gap.
        tops = np.cumsum([0] + [int(crop.places[:, 0].max()) + 2 for crop in crops])
        places = np.concatenate([crop.places + [top, 0] for crop, top in zip(crops, tops, strict=False)])
        told, alpha, weight = (torch.from_numpy(np.concatenate(each)) for each in list(zip(*crops, strict=True))[1:])
        yield _Batch(told, neighbours(places.astype(np.int32)), alpha, weight)


def train(folder: Path, minutes: float, begun: Path | None = None, rate: float = 5e-3, seed: int = 1) -> Layers:
    """Weights learnt for so many minutes, from scratch or from those that were `begun` before."""
    torch.manual_seed(seed)
    torch.set_num_threads(2)
    frames = [_weighed(example) for example in examples.load(folder)]
    network = Network()
    if begun:
        with begun.open("rb") as kept:
            network.resume(read(kept))

    def loss(batch: _Batch) -> tuple[Tensor, float]:
        cover = batch.told[:, _COVER] + network(batch.told, batch.beside)
        lost = (_lost(cover, batch.alpha) * batch.weight[:, None]).mean()
        return lost, float(((cover.detach().clamp(0, 1) - batch.alpha) ** 2).mean())

    descend(network, _batches(frames, np.random.default_rng(seed)), loss, minutes, rate)
    return network.layers()


def keep(layers: Layers, path: Path, sample: Path) -> None:
    """Write weights in half precision, and what they answer to some places."""
    np.savez(path, **{name: each.astype(np.float16) for name, each in layers._asdict().items()})
    draw = np.random.default_rng(7)
    places = np.argwhere(draw.random((16, 24)) < 0.5).astype(np.int32)
    told = draw.normal(0.4, 0.5, (len(places), pixels.TOLD)).astype(np.float32)
    network = Network()
    network.resume(layers)
    with torch.no_grad():
        given = network(torch.from_numpy(told), neighbours(places)).numpy()
    np.savez_compressed(sample, told=told, places=places, given=given)
