"""The network in the package as one that learns further."""

from collections.abc import Iterator
from pathlib import Path

import numpy as np
import onnx
import torch
from bench.learn.network import Network
from numpy.typing import NDArray
from onnx import numpy_helper
from torch import Tensor, nn


def resume(network: Network, path: Path, told: Tensor) -> None:
    """Let a network give for `told`, while it learns, what the one at `path` gives.

    Exporting folds each normalisation into its convolution; here they are parted again, by what `told` comes to.
    """
    convolutions = [c for c in network.modules() if isinstance(c, nn.Conv2d) and c is not network.leave]
    norms, hooks = (norm for norm in network.modules() if isinstance(norm, nn.BatchNorm2d)), []
    with torch.no_grad():
        for convolution, (weight, bias) in zip([*convolutions, network.leave], _folded(path), strict=True):
            convolution.weight.copy_(weight)
            if convolution.bias is not None:
                convolution.bias.copy_(bias)
            else:
                hooks.append(next(norms).register_forward_pre_hook(_Parted(bias)))
        network.train().answer(told)
    for hook in hooks:
        hook.remove()


class _Parted:
    """Sets a normalisation so that it adds what was folded, and nothing else, to what comes in."""

    def __init__(self, folded: Tensor) -> None:
        self.folded = folded

    def __call__(self, norm: nn.Module, inputs: tuple[Tensor]) -> None:
        assert isinstance(norm, nn.BatchNorm2d)
        mean, spread = inputs[0].mean((0, 2, 3)), inputs[0].var((0, 2, 3), correction=0)
        norm.weight.copy_((spread + norm.eps).sqrt())
        norm.bias.copy_(self.folded + mean)
        norm.running_mean, norm.running_var = mean.clone(), spread.clone()


def _folded(path: Path) -> Iterator[tuple[Tensor, Tensor]]:
    """Weights and biases of the convolutions of a file, in the order they are run."""
    graph = onnx.load(path).graph
    kept = {tensor.name.removesuffix(".half"): numpy_helper.to_array(tensor) for tensor in graph.initializer}
    for node in graph.node:
        if node.op_type == "Conv":
            yield _floats(kept[node.input[1]]), _floats(kept[node.input[2]])


def _floats(values: NDArray[np.generic]) -> Tensor:
    return torch.from_numpy(values.astype(np.float32))
