"""The network, for training; `upholster.core.matting.learnt` runs what comes of it."""

import torch
import torch.nn.functional as nnf
from torch import Tensor, nn

from upholster.core.matting.learnt import GIVEN, TOLD


class Network(nn.Module):
    """Looks at cells in blocks of two by two, at four sizes, and passes detail across."""

    def __init__(self, widths: tuple[int, int, int, int] = (16, 24, 32, 40)) -> None:
        super().__init__()
        a, b, c, d = widths
        self.enter = nn.Conv2d(4 * TOLD, a, 1)
        self.first = _conv(a, a)
        self.second = nn.Sequential(_conv(a, b, 2), _conv(b, b))
        self.third = nn.Sequential(_conv(b, c, 2), _conv(c, c))
        self.fourth = nn.Sequential(_conv(c, d, 2), _conv(d, d), _conv(d, d))
        self.to_third = _conv(d + c, c)
        self.to_second = _conv(c + b, b)
        self.to_first = _conv(b + a, a)
        self.leave = nn.Conv2d(a, 4 * GIVEN, 1)
        nn.init.zeros_(self.leave.weight)
        nn.init.zeros_(self.leave.bias)

    def forward(self, told: Tensor) -> Tensor:
        """``(n, 4 * TOLD, h, w)`` cells in blocks to ``(n, 4 * GIVEN, h, w)``; sides are multiples of eight."""
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
