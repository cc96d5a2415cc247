"""What every layer of a fitting is at on every frame, as numbers that other programs can follow."""

import csv
import io
import json
from collections.abc import Iterator, Mapping
from typing import Any

from upholster.core.composite.layers import Size, shown
from upholster.core.documents.fitting import Fitting, Layer

#: The numbers of a layer that may change, in the order they are told in.
NAMES = tuple(Layer.tracks())


def values(fitting: Fitting, mark: str, size: Size | None) -> Iterator[dict[str, Any]]:
    """A row for each frame of a layer.

    Yields
    ------
    dict
        `frame`; `picture`, the number of the one shown (the earlier of two), None where none is or where the layer has
        no size; then the layer's numbers by name. Places are pixels of the fitting from its centre.
    """
    layer = fitting.layers.each[mark]
    for frame in range(fitting.frame.length):
        mix = shown(layer, size, fitting.frame.rate, frame) if size else None
        at = layer.at(frame)
        yield {"frame": frame, "picture": mix and mix.first} | {name: round(at[name], 6) for name in NAMES}


def as_csv(fitting: Fitting, sizes: Mapping[str, Size]) -> str:
    """The rows as CSV with a head (RFC 4180)."""
    out = io.StringIO()
    writer = csv.DictWriter(out, ["layer", "frame", "picture", *NAMES])
    writer.writeheader()
    for mark in fitting.layers.order:
        name = {"layer": fitting.layers.each[mark].name}
        writer.writerows(name | row for row in values(fitting, mark, sizes.get(mark)))
    return out.getvalue()


def as_json(fitting: Fitting, sizes: Mapping[str, Size]) -> str:
    """The rows as JSON, by layers in their order, with what the fitting is like."""
    layers = [
        {"layer": fitting.layers.each[mark].name, "frames": list(values(fitting, mark, sizes.get(mark)))}
        for mark in fitting.layers.order
    ]
    return json.dumps({"frame": fitting.frame.model_dump(mode="json"), "layers": layers}, indent=1) + "\n"
