"""What turns a recipe of an older version into one of the next; what is no recipe is left to be refused."""

from typing import Any

from upholster.core.documents.versions import Document, Migrations

#: Fields that changed their names with version 2, by section.
_RENAMED = {
    "narrow": {
        "pale": "saturation_low", "vivid": "saturation_high", "dark": "lightness_low", "light": "lightness_high",
        "soft": "softness",
    },
    "matte": {
        "steady": "temporal_denoise", "along": "edge_smoothing", "clear": "black_point", "solid": "white_point",
        "close": "fill_holes",
    },
    "edge": {"shift": "choke"},
}  # fmt: skip


def standard_names(document: Document) -> Document:
    """Version 1 to 2: fields have the trade's names, and the edge is choked in instead of shifted out."""
    changed: Document = {**document, "version": 2}
    for section, names in _RENAMED.items():
        held = changed.get(section)
        if isinstance(held, dict):
            changed[section] = {names.get(name, name): value for name, value in held.items()}
    before = document.get("edge")
    if isinstance(before, dict) and "shift" in before:
        changed["edge"]["choke"] = _turned_round(before["shift"])
    if "narrow" in changed:
        changed["qualifier"] = changed.pop("narrow")
    return changed


def _turned_round(value: Any) -> Any:
    if isinstance(value, list | tuple):
        return [
            {**key, "value": _turned_round(key["value"])} if isinstance(key, dict) and "value" in key else key
            for key in value
        ]
    # Less than nothing is shown with its sign, so nothing stays nothing.
    return 0.0 - value if isinstance(value, int | float) and not isinstance(value, bool) else value


#: For each older version, what turns its document into one of the next version.
MIGRATIONS: Migrations = {1: standard_names}
