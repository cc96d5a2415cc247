"""The demo's fitting: an evening in the harbour, of everything that was keyed."""

from collections.abc import Mapping
from typing import Any

NAME = "Evening in the harbour"

#: The blue that the night lays over what was shot by day.
_NIGHT = [0.36, 0.44, 0.62]


def scene(marionette: int, sparks: int, kite: int, footage: Mapping[str, int]) -> dict[str, Any]:
    """The document, for a clip of the marionette, one of the sparks, the kite's shot, and footage by name."""
    clip: dict[str, Any] = {"kind": "clip", "id": sparks}
    return {
        "frame": {"width": 1280, "height": 720, "rate": "24", "length": 96},
        "ground": {"source": {"kind": "footage", "id": footage["night-harbour"]}},
        "layers": [
            {
                "name": "Kites",
                "source": {"kind": "shot", "id": kite},
                "scale": 0.34,
                "x": _drift(-470, -330),
                "y": _drift(-190, -215),
                "turn": _drift(-6, 5),
                "repeat": {"copies": 2, "step_x": 150, "step_y": 46, "step_frames": 17, "step_scale": -0.22},
                "finish": {"brightness": -0.16, "tint": 0.45, "tint_colour": _NIGHT},
            },
            {
                "name": "Fires on the boats",
                "source": clip,
                "blend": "add",
                "scale": 0.3,
                "x": -226,
                "y": 76,
                "repeat": {"copies": 2, "step_x": 430, "step_y": 4, "step_frames": 31, "step_scale": -0.15},
                "finish": {"gamma": 0.85},
            },
            {
                "name": "Marionette",
                "source": {"kind": "clip", "id": marionette},
                "scale": 0.96,
                "x": _drift(-70, -20),
                "y": 118,
                "finish": {"brightness": -0.06, "contrast": 1.05, "tint": 0.2, "tint_colour": _NIGHT},
            },
            {
                "name": "Firework",
                "source": clip,
                "blend": "add",
                "scale": 0.42,
                "x": _drift(118, 158),
                "y": -96,
                "turn": -58,
                "anchor_x": 0.16,
                "opacity": [{"frame": 0, "value": 0, "next": "smooth"}, {"frame": 18, "value": 1}],
            },
        ],
    }


def _drift(start: float, end: float) -> list[dict[str, Any]]:
    return [{"frame": 0, "value": start, "next": "smooth"}, {"frame": 95, "value": end}]
