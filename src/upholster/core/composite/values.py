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


def values(fitting: Fitting, sizes: Mapping[str, Size]) -> Iterator[dict[str, Any]]:
    """A row for each layer and frame.

    Yields
    ------
    dict
        `layer`, `frame`; `picture`, the number of the one shown (the earlier of two), None where none is or where the
        layer has no size; then the layer's numbers by name. Places are pixels of the fitting from its centre.
    """
    for mark in fitting.layers.order:
        layer = fitting.layers.each[mark]
        for frame in range(fitting.frame.length):
            mix = shown(layer, sizes[mark], fitting.frame.rate, frame) if mark in sizes else None
            at = layer.at(frame)
            row: dict[str, Any] = {"layer": layer.name, "frame": frame, "picture": None if mix is None else mix.first}
            yield row | {name: round(at[name], 6) for name in NAMES}


def as_csv(fitting: Fitting, sizes: Mapping[str, Size]) -> str:
    """The rows as CSV with a head (RFC 4180)."""
    out = io.StringIO()
    writer = csv.DictWriter(out, ["layer", "frame", "picture", *NAMES])
    writer.writeheader()
    writer.writerows(values(fitting, sizes))
    return out.getvalue()


def as_json(fitting: Fitting, sizes: Mapping[str, Size]) -> str:
    """The rows as JSON, by layers in their order, with what the fitting is like."""
    frame = fitting.frame.model_dump(mode="json")
    names = [fitting.layers.each[mark].name for mark in fitting.layers.order]
    rows = values(fitting, sizes)
    told = []
    for name in names:
        own = [next(rows) for _ in range(fitting.frame.length)]
        told.append({"layer": name, "frames": [{k: v for k, v in row.items() if k != "layer"} for row in own]})
    return json.dumps({"frame": frame, "layers": told}, indent=1) + "\n"
