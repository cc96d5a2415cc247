"""A network of `upholster.core.places`, that learns, and crops of frames for it to learn from.

Only the places along edges are worked on, as in the product: what its compiled loops do forwards is done here with its
slopes.
"""

from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any, NamedTuple

import numpy as np
import torch
from bench.learn.descent import descend
from bench.learn.places import Example
from numpy.typing import NDArray
from torch import Tensor, nn

from upholster.core.kernels import compiled
from upholster.core.places import BLOCK, Layers, neighbours, read

#: Blocks to either side of the middle of a crop, and crops of a step.
_REACH, _BATCH = 40, 6
#: How what is told of the pixels of a block changes places where a picture is mirrored, left for right and top for
#: bottom.
_PIXELS = np.arange(BLOCK**2).reshape(BLOCK, BLOCK)
_ACROSS, _DOWN = _PIXELS[:, ::-1].ravel(), _PIXELS[::-1].ravel()


class Network(nn.Module):
    """The layers of `upholster.core.places`, that learn.

    Parameters
    ----------
    told, given : int
        How much is told of a place, and given for it.
    planes, layers : int
        Planes of a place, and layers that look around.
    """

    def __init__(self, told: int, given: int, planes: int, layers: int) -> None:
        super().__init__()
        self.enter = nn.Linear(told, planes)
        self.depth = nn.ParameterList([nn.Parameter(torch.randn(9, planes) / 3) for _ in range(layers)])
        self.mix = nn.ModuleList([nn.Linear(planes, planes) for _ in range(layers)])
        self.leave = nn.Linear(planes, given)
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

    def resume(self, path: Path) -> None:
        """Go on from weights that were kept."""
        with path.open("rb") as kept, torch.no_grad():
            layers = read(kept)
            weights = [layers.enter, *layers.mix, layers.leave]
            for linear, weight in zip([self.enter, *self.mix, self.leave], weights, strict=True):
                linear.weight.copy_(torch.from_numpy(weight[:-1].T))
                linear.bias.copy_(torch.from_numpy(weight[-1]))
            for depth, weight in zip(self.depth, layers.depth, strict=True):
                depth.copy_(torch.from_numpy(weight))


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


class Frame(NamedTuple):
    """An `Example`, and how much its errors count."""

    places: NDArray[np.int32]
    told: NDArray[np.float16]
    true: NDArray[np.float16]
    weight: float


class Batch(NamedTuple):
    told: Tensor
    beside: NDArray[np.int32]
    true: Tensor
    weight: Tensor


class Mirrored(NamedTuple):
    """What changes where a picture, or its hues, are mirrored.

    Attributes
    ----------
    told, true : of int
        The first of those planes that are told, or true, of each of the four pixels.
    told_aside, true_aside : of int
        Those that change sign where a hue to the left of the screen's becomes one to the right.
    hues : of two int
        Pairs of those that are told and turn where all hues do.
    """

    told: tuple[int, ...]
    true: tuple[int, ...]
    told_aside: list[int]
    true_aside: list[int]
    hues: tuple[tuple[int, int], ...] = ()


class _Crop(NamedTuple):
    places: NDArray[np.int32]
    told: NDArray[np.float32]
    true: NDArray[np.float32]
    weight: NDArray[np.float32]


def _crop(frame: Frame, mirrored: Mirrored, draw: np.random.Generator) -> _Crop:
    middle = frame.places[draw.integers(len(frame.places))]
    near = (np.abs(frame.places - middle) < _REACH).all(axis=1)
    places, told, true = frame.places[near], frame.told[near].astype(np.float32), frame.true[near].astype(np.float32)
    for axis, order in ((1, _ACROSS), (0, _DOWN)):
        if draw.random() < 0.5:
            places = places.copy()
            places[:, axis] *= -1
            for planes, firsts in ((told, mirrored.told), (true, mirrored.true)):
                for first in firsts:
                    planes[:, first : first + len(order)] = planes[:, first + order]
    if draw.random() < 0.5:
        # A hue to the left of the screen's is as likely as one to the right.
        told[:, mirrored.told_aside] *= -1
        true[:, mirrored.true_aside] *= -1
    if mirrored.hues:
        turn = draw.uniform(0, 2 * np.pi)
        one, two = (list(each) for each in zip(*mirrored.hues, strict=True))
        a, b = told[:, one], told[:, two]
        told[:, one], told[:, two] = np.cos(turn) * a - np.sin(turn) * b, np.sin(turn) * a + np.cos(turn) * b
    return _Crop(places - places.min(axis=0), told, true, np.full(len(places), frame.weight, np.float32))


def batches(frames: list[Frame], mirrored: Mirrored, draw: np.random.Generator) -> Iterator[Batch]:
    """Crops of frames drawn at random, for ever."""
    while True:
        crops = [_crop(frames[draw.integers(len(frames))], mirrored, draw) for _ in range(_BATCH)]
        # One above the other, with a gap.
        tops = np.cumsum([0] + [int(crop.places[:, 0].max()) + 2 for crop in crops])
        places = np.concatenate([crop.places + [top, 0] for crop, top in zip(crops, tops, strict=False)])
        told, true, weight = (torch.from_numpy(np.concatenate(each)) for each in list(zip(*crops, strict=True))[1:])
        yield Batch(told, neighbours(places.astype(np.int32)), true, weight)


class Covering(NamedTuple):
    """How a network learns whose word is added to the coverage it is told of.

    Attributes
    ----------
    told, planes, layers : int
        Of the network.
    cover : slice
        The coverage of the pixels among what is told.
    lost : callable
        What such a coverage misses of the true one, ``(n, k)`` both.
    floor : float
        The least error of a frame, which weighs it.
    mirrored : Mirrored
    """

    told: int
    planes: int
    layers: int
    cover: slice
    lost: Callable[[Tensor, Tensor], Tensor]
    floor: float
    mirrored: Mirrored


def cover_learnt(
    examples: list[Example], how: Covering, minutes: float, begun: Path | None, rate: float, seed: int
) -> Network:
    """A network that learnt for so many minutes, from scratch or from what was `begun` before."""
    torch.manual_seed(seed)
    torch.set_num_threads(2)
    frames = [_weighed(example, how) for example in examples]
    network = Network(how.told, BLOCK**2, how.planes, how.layers)
    if begun:
        network.resume(begun)

    def loss(batch: Batch) -> tuple[Tensor, float]:
        cover = batch.told[:, how.cover] + network(batch.told, batch.beside)
        lost = (how.lost(cover, batch.true) * batch.weight[:, None]).mean()
        return lost, float(((cover.detach().clamp(0, 1) - batch.true) ** 2).mean())

    descend(network, batches(frames, how.mirrored, np.random.default_rng(seed)), loss, minutes, rate)
    return network


def _weighed(example: Example, how: Covering) -> Frame:
    """Frames whose error is small already count for more of it, so that none is spoilt for the sake of others."""
    before = torch.from_numpy(example.told[:, how.cover].astype(np.float32))
    lost = float(how.lost(before, torch.from_numpy(example.true.astype(np.float32))).mean())
    return Frame(*example, (lost + how.floor) ** -0.5)


def keep(network: Network, path: Path, sample: Path) -> None:
    """Write a network's weights in half precision, and what it then answers to some places."""
    np.savez(path, **{name: each.astype(np.float16) for name, each in network.layers()._asdict().items()})
    network.resume(path)
    draw = np.random.default_rng(7)
    places = np.argwhere(draw.random((16, 24)) < 0.5).astype(np.int32)
    told = draw.normal(0.4, 0.5, (len(places), network.enter.in_features)).astype(np.float32)
    with torch.no_grad():
        given = network(torch.from_numpy(told), neighbours(places)).numpy()
    np.savez_compressed(sample, told=told, places=places, given=given)
