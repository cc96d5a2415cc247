"""The demo's fitting: an evening in the harbour, of everything that was keyed."""

from collections.abc import Callable
from typing import Any

from upholster.demo.grounds import ARM, POSTS

NAME = "Evening in the harbour"
WIDTH, HEIGHT, FRAMES = 1280, 720, 96
#: What of the demo's footage it is made from: clips that are finished first, a shot keyed live, its ground, its sound.
CLIPS = ("marionette", "sparks", "lantern", "paper-moon", "ink-drops")
SHOT, GROUND, SOUND = "kite", "night-harbour", "harbour-bell"

#: The blue that the night lays over what was shot by day.
_NIGHT = [0.36, 0.44, 0.62]


def scene(source: Callable[[str], dict[str, Any]]) -> dict[str, Any]:
    """The document, for what says where a clip, a shot or footage of a name comes from."""
    along = POSTS[1] - POSTS[0]
    return {
        "frame": {"width": WIDTH, "height": HEIGHT, "rate": "24", "length": FRAMES},
        "ground": {"source": source(GROUND)},
        "layers": [
            {
                "name": "Smoke from the chimneys",
                "source": source("ink-drops"),
                "blend": "screen",
                "scale": 0.62,
                "stretch": 1.9,
                "turn": 180,
                "x": _drift(60, 120),
                "y": _drift(-66, -84),
                "opacity": 0.30,
                "speed": 60,
                "hold_last": 60,
                "finish": {"brightness": 0.3, "saturation": 0.2, "tint": 1, "tint_colour": [0.62, 0.66, 0.78]},
            },
            {
                "name": "Paper moon",
                "source": source("paper-moon"),
                "scale": 0.50,
                "x": _drift(-248, -226),
                "y": _drift(-176, -184),
                "finish": {"tint": 0.15, "tint_colour": [0.80, 0.84, 0.92]},
            },
            {
                "name": "Kites",
                "source": source(SHOT),
                "scale": 0.24,
                "x": _drift(90, 170),
                "y": _drift(-210, -232),
                "turn": _drift(-6, 5),
                "repeat": {"copies": 3, "step_x": 120, "step_y": 34, "step_frames": 17, "step_scale": -0.2},
                "finish": {"brightness": -0.18, "tint": 0.5, "tint_colour": _NIGHT},
            },
            {
                "name": "Lamps along the quay",
                "source": source("lantern"),
                "anchor_y": 0.03,
                "scale": 0.155,
                "x": POSTS[0] + ARM[0] - WIDTH / 2,
                "y": ARM[1] - HEIGHT / 2,
                "repeat": {"copies": len(POSTS), "step_x": along, "step_frames": 19},
            },
            {
                "name": "Fires on the boats",
                "source": source("sparks"),
                "blend": "add",
                "scale": 0.26,
                "x": -366,
                "y": 96,
                "repeat": {"copies": 2, "step_x": 424, "step_y": 6, "step_frames": 31, "step_scale": 0.2},
                "finish": {"gamma": 0.85},
            },
            {
                "name": "Marionette",
                "source": source("marionette"),
                "scale": 0.94,
                "x": _drift(282, 312),
                "y": 100,
                "finish": {"brightness": -0.05, "contrast": 1.06, "tint": 0.22, "tint_colour": _NIGHT},
            },
            {
                "name": "Lantern in front",
                "source": source("lantern"),
                "anchor_y": 0.03,
                "scale": 0.80,
                "x": -520,
                "y": -400,
            },
            {"name": "Bell and water", "source": source(SOUND), "fade_in": 12, "fade_out": 18, "length": FRAMES},
        ],
    }


def _drift(start: float, end: float) -> list[dict[str, Any]]:
    return [{"frame": 0, "value": start, "next": "smooth"}, {"frame": FRAMES - 1, "value": end}]
