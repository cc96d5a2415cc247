"""Training the network, with the product's own view of a cell on one side and the truth of every pixel on the other.

What `learnt.heard` holds back (what is solid without the network's word, what is said of a bare screen as well) is held
back here too, so that nothing is learnt for what is not heard.
"""

from collections.abc import Iterator
from itertools import islice
from pathlib import Path

import cv2
import numpy as np
import torch
import torch.nn.functional as nnf
from bench.learn.descent import descend
from bench.learn.key import examples
from bench.learn.network import Network
from bench.learn.resumed import resume
from torch import Tensor
from torch.utils.data import DataLoader, IterableDataset

from upholster.core.colour import luma_weights
from upholster.core.grids import area
from upholster.core.matting import learnt
from upholster.core.matting.described import LEAST_STRENGTH, basis
from upholster.core.screen.clean_plate import ScreenKnowledge
from upholster.core.screen.metric import LUMA_WEIGHT, TO_METRIC
from upholster.core.stages.matte.raw_matte import ANGLE, BARE, BESIDE, LEAST_LUMA, MOSTLY, SHADE, SOLIDLY
from upholster.core.stages.matte.subject_colours import carried_outward, surely_subject

#: Cells across and down of a crop, how many pixels they may be wide, and crops of a step.
_CELLS, _SIZES, _BATCH = (160, 80), (1, 2, 3, 3, 4, 6), 4
#: How much an edge and what is solid count against what is clear: there is more of that.
_EDGE, _WHOLE = 6.0, 1.5
_R, _G, _B = luma_weights("bt709")
_METRIC = torch.from_numpy(TO_METRIC)


def _crop(example: examples.Example, draw: np.random.Generator) -> tuple[np.ndarray, ...]:
    size = int(draw.choice(_SIZES))
    height, width = example.alpha.shape
    wide, high = _CELLS[0] * size, _CELLS[1] * size
    # Where the subject is, more often than not.
    mass = np.argwhere(example.alpha[::8, ::8] > 0.02) * 8
    y, x = mass[draw.integers(len(mass))] if len(mass) and draw.random() < 0.9 else (height // 2, width // 2)
    top = int(np.clip(y - high // 2 + draw.integers(-40, 41), 0, height - high))
    left = int(np.clip(x - wide // 2 + draw.integers(-40, 41), 0, width - wide))
    part = np.s_[..., top : top + high, left : left + wide]
    plate, screen, alpha, rgb = (p[part].astype(np.float32) for p in example[:4])
    if draw.random() < 0.5:
        plate, screen, alpha, rgb = (np.ascontiguousarray(p[..., ::-1]) for p in (plate, screen, alpha, rgb))
    cells, clean = area(plate, *_CELLS), area(screen, *_CELLS)
    known = ScreenKnowledge(clean, example.noise, example.primary)
    sure, within = surely_subject(cells, clean, example.kind, known)
    subject = carried_outward(cells, clean, np.maximum(sure, within))
    to = basis(clean)
    # The colour that goes with a cell that is covered in part, and how much it is to be learnt.
    share = area(alpha[None], *_CELLS)
    own = area(rgb * alpha, *_CELLS) / np.maximum(share, np.float32(1e-3)) - clean
    away = np.stack([(row * own).sum(axis=0) for row in to])
    partial = (share > 0.05) & (share < 0.98)
    edge = cv2.dilate(((alpha > 0.005) & (alpha < 0.995)).astype(np.uint8), np.ones((7, 7), np.uint8))
    weight = 1 + (_EDGE - 1) * edge.astype(np.float32) + (_WHOLE - 1) * (alpha > 0.995).astype(np.float32)
    told = learnt.told(plate, cells, clean, subject, np.stack([within, sure]), example.noise)
    return told, clean, plate, screen, alpha, weight, away, partial.astype(np.float32)


class Batches(IterableDataset[list[list[Tensor]]]):
    """Crops without end, drawn in a process beside the training."""

    def __init__(self, paths: list[Path], seed: int) -> None:
        self.paths, self.seed = paths, seed

    def __iter__(self) -> Iterator[list[list[Tensor]]]:
        cv2.setNumThreads(1)
        draw = np.random.default_rng(self.seed)
        kept = [example for path in self.paths for example in examples.load(path) * examples.counts(path)]
        while True:
            picked = [_crop(kept[draw.integers(len(kept))], draw) for _ in range(_BATCH)]
            yield [[torch.from_numpy(np.ascontiguousarray(part)) for part in crop] for crop in picked]


def loss_of(network: Network, crops: list[list[Tensor]], flips: list[float]) -> tuple[Tensor, Tensor]:
    told = torch.stack([crop[0] for crop in crops])
    flip = torch.tensor(flips)[:, None, None]
    turned = told.clone()
    # A hue to the left of the screen's is as likely as one to the right.
    for channel in learnt.ASIDE:
        turned[:, channel] *= flip
    given = network.answer(turned)
    doubt = 1 - told[:, -1:]
    was = told[:, 9:12]
    now = was + doubt * torch.cat([given[:, :1], given[:, 1:2] * flip[:, None], given[:, 2:3]], 1)
    away = now + _kept(told[:, :3], was, now) * (was - now)
    least = float(learnt.LEAST_SOLID)
    solid = doubt * nnf.leaky_relu((torch.sigmoid(given[:, 3:4] + learnt.SOLID) - least) / (1 - least), 0.1)
    loss, error = torch.zeros(()), []
    for n, (_, clean, plate, screen, alpha, weight, own, partial) in enumerate(crops):
        grid = torch.cat([_departed(clean, away[n]), solid[n]])[None]
        grid = nnf.interpolate(grid, size=alpha.shape, mode="bilinear", align_corners=False)[0]
        cover = _projected(plate, screen, grid[:3])
        cover = 1 - (1 - cover) * (1 - grid[3] * _no_screen(plate, screen))
        cover = _held((cover - 0.02) / 0.96)
        miss = cover - alpha
        loss = loss + ((miss.abs() + miss * miss) * weight).mean()
        error.append(float((miss.detach().clamp(-1, 1) ** 2).mean()))
        loss = loss + 0.1 * (nnf.smooth_l1_loss(away[n], own, reduction="none").mean(0) * partial).mean()
    return loss / len(crops), torch.tensor(error)


def _kept(seen: Tensor, was: Tensor, now: Tensor) -> Tensor:
    """How far a cell is held back from being lowered, ``(n, 1, rows, columns)``: see `learnt.heard`."""
    before, after = _coverage(seen, was), _coverage(seen, now)
    low, high = learnt.HOLDS
    return (((before - low) / (high - low)).clamp(0, 1) * (after < before)).detach()


def _coverage(seen: Tensor, away: Tensor) -> Tensor:
    metric = torch.tensor([1.0, 1.0, LUMA_WEIGHT**2])[:, None, None]
    return (seen * away * metric).sum(1, keepdim=True) / (away * away * metric).sum(1, keepdim=True).clamp(min=1e-3)


def _departed(screen: Tensor, away: Tensor) -> Tensor:
    """`described.departed`, with a slope."""
    luma = _R * screen[0] + _G * screen[1] + _B * screen[2]
    blue, red = screen[2] - luma, screen[0] - luma
    length = torch.hypot(blue, red)
    scale = length.clamp(min=LEAST_STRENGTH)
    cosine, sine = blue / length.clamp(min=1e-6), red / length.clamp(min=1e-6)
    light = away[2] * scale
    in_red = light - (away[0] * sine - away[1] * cosine) * scale
    in_blue = light - (away[0] * cosine + away[1] * sine) * scale
    return screen + torch.stack([in_red, (light - _R * in_red - _B * in_blue) / _G, in_blue])


def _projected(plate: Tensor, screen: Tensor, subject: Tensor) -> Tensor:
    """`raw_matte` of a coloured screen, with a slope; held within 0..1 but for a little."""
    c, b, f = (torch.einsum("kc,chw->khw", _METRIC, x) for x in (plate, screen, subject))
    apart = f - b
    cover = _held(((c - b) * apart).sum(0) / (apart * apart).sum(0).clamp(min=1e-4))
    prior = SHADE * (apart * apart).sum(0)
    ff, fb, bb = (f * f).sum(0) + prior, (f * b).sum(0) + prior, (b * b).sum(0) + prior
    cf, cb = (c * f).sum(0) + prior, (c * b).sum(0) + prior
    share = (ff * cb - fb * cf) / (ff * bb - fb * fb).clamp(min=1e-5)
    better = torch.maximum((1 - share).clamp(-1, 1), cover)
    cover = cover + (better - cover) * ((cover - MOSTLY) / (SOLIDLY - MOSTLY)).clamp(0, 1)
    return _of_other_colours(cover, c, b, f)


def _of_other_colours(cover: Tensor, c: Tensor, b: Tensor, f: Tensor) -> Tensor:
    """`raw_matte._other_colours`, of colours in the key's metric."""
    away, apart = c - b, f - b
    along = (away * apart).sum(0)
    length = (away * away).sum(0)
    beside = (length - along * along / (apart * apart).sum(0).clamp(min=1e-4)).clamp(min=1e-8).sqrt()
    sine = beside / length.clamp(min=1e-6).sqrt()
    sure = ((beside - BESIDE[0]) / (BESIDE[1] - BESIDE[0])).clamp(0, 1)
    sure = sure * ((sine - ANGLE[0]) / (ANGLE[1] - ANGLE[0])).clamp(0, 1)
    strength = (b[1:] * b[1:]).sum(0).clamp(min=0.02**2)
    least = LEAST_LUMA * LUMA_WEIGHT
    share = (c[1:] * b[1:]).sum(0) / strength
    share = torch.maximum(share, share * b[0].clamp(min=least) / c[0].clamp(min=least))
    others = ((f[1:] * b[1:]).sum(0) / strength).clamp(max=0)
    covered = ((1 - share) / (1 - others)).clamp(0, 1)
    return cover + (covered - cover).clamp(min=0) * sure


def _no_screen(plate: Tensor, screen: Tensor) -> Tensor:
    """How far a pixel is from being bare screen, 0..1: see `raw_matte`."""
    away = torch.einsum("kc,chw->khw", _METRIC, plate - screen)
    return (((away * away).sum(0).sqrt() - BARE[0]) / (BARE[1] - BARE[0])).clamp(0, 1)


def _held(x: Tensor) -> Tensor:
    """Within 0..1, with a slope left beyond."""
    return x.clamp(0, 1) + 0.03 * (x - x.clamp(0, 1)).clamp(-3, 3)


def train(folder: Path, minutes: float, begun: Path | None = None, rate: float = 3e-3, seed: int = 1) -> Network:
    """A network trained for so many minutes, or the exported one that was `begun` before and goes on."""
    torch.manual_seed(seed)
    torch.set_num_threads(2)
    cv2.setNumThreads(1)
    beside = DataLoader(Batches(sorted(folder.glob("*.npz")), seed), batch_size=None, num_workers=1, prefetch_factor=4)
    source = iter(beside)
    some = [crop[0] for crops in islice(source, 8) for crop in crops]
    network = Network(learnt.TOLD, learnt.GIVEN)
    if begun:
        resume(network, begun, torch.stack(some))
    draw = np.random.default_rng(seed)

    def loss(crops: list[list[Tensor]]) -> tuple[Tensor, float]:
        lost, error = loss_of(network, crops, [float(f) for f in draw.choice([-1.0, 1.0], _BATCH)])
        return lost, float(error.mean())

    descend(network, source, loss, minutes, rate)
    return network
