"""The numbers of a recipe as the Bench lets them be dragged and typed."""

from typing import Any

from pydantic.fields import FieldInfo

from upholster.core.documents.fitting import Frame, Layer, Repeat
from upholster.core.documents.masks import Mask
from upholster.core.documents.recipe import Finish, Recipe
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


def fitting_fields() -> dict[str, Any]:
    """Those of a fitting: of its frame, and of a layer with its repeats and its finish."""
    found = {f"frame.{name}": _bounds(name, Frame.model_fields[name]) for name in ("width", "height", "length")}
    for prefix, model in (("layer", Layer), ("layer.finish", Finish), ("layer.repeat", Repeat)):
        for name, bounds in model.tracks().items():
            standard = model.model_fields[name].default
            found[f"{prefix}.{name}"] = bounds | {"keyed": True, "whole": False, "standard": standard}
        for name, field in model.model_fields.items():
            if field.annotation in (int, float, int | None) and name not in model.tracks():
                bounds = _bounds(name, field)
                found[f"{prefix}.{name}"] = bounds | {"standard": field.default, "unit": _unit_of(name, bounds["unit"])}
    return found


def _unit_of(name: str, unit: str) -> str:
    """Units of the plain numbers of a layer."""
    ends = {"_x": "px", "_y": "px", "_turn": "°"}
    return next((word for end, word in ends.items() if name.endswith(end)), unit)


def _bounds(name: str, field: FieldInfo) -> dict[str, Any]:
    """Those of a number that is the same on every frame."""
    limits = {type(limit).__name__: limit for limit in field.metadata}
    whole = field.annotation in (int, int | None)
    return {
        "low": limits["Ge"].ge,
        "high": limits["Le"].le if "Le" in limits else None,
        "step": 1 if whole or limits["Le"].le > 100 else 0.05 if limits["Le"].le > 1 else 0.01,
        "unit": _UNITS.get(name, "px" if name.startswith("crop_") else ""),
        "keyed": False,
        "whole": whole,
    }
