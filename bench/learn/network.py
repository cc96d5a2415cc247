"""The networks, for training; `upholster.core.networks` runs what comes of them."""

import torch
import torch.nn.functional as nnf
from torch import Tensor, nn

from upholster.core.networks import BLOCK


class Network(nn.Module):
    """Looks at a picture in blocks of two by two, at four sizes, and passes detail across.

    Parameters
    ----------
    told, given : int
        Planes it is told of, and planes it gives.
    """

    def __init__(self, told: int, given: int, widths: tuple[int, int, int, int] = (16, 24, 32, 40)) -> None:
        super().__init__()
        a, b, c, d = widths
        self.told = told
        self.enter = nn.Conv2d(BLOCK**2 * told, a, 1)
        self.first = _conv(a, a)
        self.second = nn.Sequential(_conv(a, b, 2), _conv(b, b))
        self.third = nn.Sequential(_conv(b, c, 2), _conv(c, c))
        self.fourth = nn.Sequential(_conv(c, d, 2), _conv(d, d), _conv(d, d))
        self.to_third = _conv(d + c, c)
        self.to_second = _conv(c + b, b)
        self.to_first = _conv(b + a, a)
        self.leave = nn.Conv2d(a, BLOCK**2 * given, 1)
        nn.init.zeros_(self.leave.weight)
        nn.init.zeros_(self.leave.bias)

    def answer(self, told: Tensor) -> Tensor:
        """``(n, told, rows, columns)`` to ``(n, given, rows, columns)``; sides are multiples of sixteen."""
        return nnf.pixel_shuffle(self(nnf.pixel_unshuffle(told, BLOCK)), BLOCK)

    def forward(self, told: Tensor) -> Tensor:
        """The same, of planes that stand behind each other already."""
        first = self.first(torch.relu(self.enter(told)))
        second = self.second(first)
        third = self.third(second)
        up = self.to_third(torch.cat([_double(self.fourth(third)), third], 1))
        up = self.to_second(torch.cat([_double(up), second], 1))
        return self.leave(self.to_first(torch.cat([_double(up), first], 1)))


def _conv(into: int, out: int, stride: int = 1) -> nn.Sequential:
    # Normalised for training only: exporting folds it into the convolution.
    return nn.Sequential(nn.Conv2d(into, out, 3, stride, 1, bias=False), nn.BatchNorm2d(out), nn.ReLU())


def _double(x: Tensor) -> Tensor:
    return nnf.interpolate(x, scale_factor=2.0, mode="nearest")
