"""A trained network as a file that ONNX Runtime reads, and a sample of what it answers."""

from pathlib import Path

import numpy as np
import onnx
import torch
from bench.learn.network import Network
from onnx import TensorProto, numpy_helper

from upholster.core.networks import BLOCK


def export(network: Network, path: Path, sample: Path) -> None:
    """Write the network as ONNX, its weights rounded to half precision, and inputs with their answers."""
    for parameter in network.parameters():
        parameter.data = parameter.data.half().float()
    network.eval()
    example = torch.zeros(1, BLOCK**2 * network.told, 48, 80)
    sides = {2: "rows", 3: "columns"}
    torch.onnx.export(
        network, (example,), str(path), dynamo=False, opset_version=17, input_names=["told"], output_names=["given"],
        dynamic_axes={"told": sides, "given": sides},
    )  # fmt: skip
    told = np.random.default_rng(7).normal(0.4, 0.5, (network.told, 16, 32)).astype(np.float32)
    with torch.no_grad():
        given = network.answer(torch.from_numpy(told)[None])[0]
    np.savez_compressed(sample, told=told, given=given.numpy())
    _halved(path)


def _halved(path: Path) -> None:
    """Keep weights in 16 bits, cast on loading: half the size, the same numbers."""
    model = onnx.load(path)
    for tensor in model.graph.initializer:
        if tensor.data_type == TensorProto.FLOAT and len(tensor.dims) > 1:
            values = numpy_helper.to_array(tensor)
            name = tensor.name
            half = numpy_helper.from_array(values.astype(np.float16), f"{name}.half")
            cast = onnx.helper.make_node("Cast", [half.name], [name], to=TensorProto.FLOAT)
            model.graph.initializer.remove(tensor)
            model.graph.initializer.append(half)
            model.graph.node.insert(0, cast)
    onnx.save(model, path)
