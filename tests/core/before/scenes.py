"""Small plates with hair, veil, shade and grain, and version-1 recipes that use every stage."""

from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

Plane = NDArray[np.float32]

WIDTH, HEIGHT, FRAMES = 72, 56, 3

GROUNDS = {
    "screen": (0.18, 0.62, 0.25), "colour": (0.8, 0.45, 0.15), "dark": (0.02, 0.02, 0.03), "light": (0.95, 0.95, 0.93),
}  # fmt: skip

EVERYTHING: list[dict[str, Any]] = [
    {},
    {"matte": {"steady": 0.7, "along": 0.5, "clear": 0.08, "solid": 0.9}},
    {"matte": {"see_through": 0.6, "close": 5.0, "specks": 4.0, "opacity": 0.4, "clear": 0.02}},
    {"narrow": {"hue": 60, "pale": 0.1, "vivid": 0.97, "dark": 0.05, "light": 0.95, "soft": 0.2}},
    {"region": {"joined": True, "reach": 0.4}, "edge": {"recover": 0.5, "shift": 1.3, "soften": 0.8}},
    {"edge": {"shift": -0.7}, "edge_colour": {"unmix": 0.7, "spill": 0.5, "balance": 0.2, "desaturate": 0.4}},
    {"matte": {"paused": True}, "edge_colour": {"keep_own": False, "keep_luma": False}},
    {
        "matte": {"clear": [{"frame": 0, "value": 0.0, "next": "linear"}, {"frame": 2, "value": 0.2}]},
        "edge": {"shift": [{"frame": 0, "value": 1.0, "next": "hold"}, {"frame": 1, "value": -1.0}], "soften": 1.5},
    },
]


def plates(kind: str) -> list[Plane]:
    """Three frames of a moving head with strands and a veil before a ground."""
    rng = np.random.default_rng(8)
    y, x = np.mgrid[:HEIGHT, :WIDTH].astype(np.float32)
    ground = np.array(GROUNDS[kind], np.float32)[:, None, None] * (1 - 0.15 * (x / WIDTH) * (y / HEIGHT))
    made = []
    for frame in range(FRAMES):
        cover = np.clip((15 - np.hypot(x - 36 - frame, y - 30)) / 2 + 0.5, 0, 1)
        cover = np.maximum(cover, 0.4 * ((x > 8) & (x < 20) & (y > 30)))
        strands = np.zeros_like(cover)
        for k in range(6):
            cv2.line(strands, (36, 20), (10 + 10 * k, 2), 1.0, 1, cv2.LINE_AA)
        cover = np.maximum(cover, strands * 0.7)
        cover[40, 62] = cover[41, 62] = 0.6
        cover[28:30, 34:36] *= 0.85
        own = np.stack([0.7 - 0.2 * y / HEIGHT, 0.45 + 0.2 * x / WIDTH, 0.35 + 0.1 * y / HEIGHT])
        if kind == "dark":
            own = np.minimum(own + 0.3, 1)
        if kind == "light":
            own = own * 0.4
        seen = own * cover + ground * (1 - cover)
        seen[1] += 0.03 * cover
        made.append((seen + rng.normal(0, 0.006, seen.shape)).clip(0, 1).astype(np.float32))
    return made
