"""The numbers of a recipe as the Bench lets them be dragged and typed."""

from typing import Any

from pydantic.fields import FieldInfo

from upholster.core.documents.masks import Mask
from upholster.core.documents.recipe import Recipe
from upholster.core.documents.settings import Settings
from upholster.core.documents.traces import Trace

#: Units of the plain numbers, where they are not pixels.
_UNITS = {"speed": "%"}


def fields() -> dict[str, Any]:
    """Bounds, steps and units of the numbers, for dragging and typing; which may have keyframes, which are whole."""
    found = {}
    for section, model in Recipe.model_fields.items():
        settings = model.annotation
        if not (isinstance(settings, type) and issubclass(settings, Settings)):
            continue
        for name, bounds in settings.tracks().items():
            found[f"{section}.{name}"] = bounds | {"keyed": True, "whole": False}
        for name, field in settings.model_fields.items():
            if field.annotation in (int, float):
                found[f"{section}.{name}"] = _bounds(name, field)
    for kind, of in (("mask", Mask), ("trace", Trace)):
        for name, bounds in of.tracks().items():
            standard = of.model_fields[name].default
            found[f"{kind}.{name}"] = bounds | {"keyed": True, "whole": False, "standard": standard}
    found["trace.band"] = _bounds("band", Trace.model_fields["band"])
    return found


def _bounds(name: str, field: FieldInfo) -> dict[str, Any]:
    """Those of a number that is the same on every frame."""
    limits = {type(limit).__name__: limit for limit in field.metadata}
    whole = field.annotation is int
    return {
        "low": limits["Ge"].ge,
        "high": limits["Le"].le if "Le" in limits else None,
        "step": 1 if whole or limits["Le"].le > 100 else 0.05,
        "unit": _UNITS.get(name, "px" if name.startswith("crop_") else ""),
        "keyed": False,
        "whole": whole,
    }
