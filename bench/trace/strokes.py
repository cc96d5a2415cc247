"""Strokes as a person would make them, drawn from the truth: on the base frame, and where a matte is wrong."""

import cv2
import numpy as np
from numpy.typing import NDArray

from upholster.core.documents.strokes import Kind, Stroke

Plane = NDArray[np.float32]
Mask = NDArray[np.bool_]


def on_base(truth: Plane, frame: int, draw: np.random.Generator) -> list[Stroke]:
    """A few lines and dots inside of the subject and around it, none near its outline."""
    inside = cv2.erode((truth >= 0.6).astype(np.uint8), np.ones((5, 5))) > 0
    seen = (truth > 0.02).astype(np.uint8)
    around = (cv2.dilate(seen, np.ones((13, 13))) == 0) & (cv2.dilate(seen, np.ones((141, 141))) > 0)
    return _lines(around, "drop", 14, frame, draw) + _lines(inside, "keep", 10, frame, draw)


def where_wrong(cover: Plane, truth: Plane, frame: int, draw: np.random.Generator, most: int = 5) -> list[Stroke]:
    """A short stroke on each of the largest mistakes."""
    strokes = []
    mistakes: tuple[tuple[Kind, Mask], ...] = (
        ("keep", (cover < 0.5) & (truth >= 0.6)),
        ("drop", (cover >= 0.5) & (truth < 0.4)),
    )
    for kind, wrong in mistakes:
        _, parts, facts, _ = cv2.connectedComponentsWithStats(cv2.erode(wrong.astype(np.uint8), np.ones((3, 3))))
        for part in np.argsort(-facts[1:, cv2.CC_STAT_AREA])[:most] + 1:
            if facts[part, cv2.CC_STAT_AREA] >= 6:
                region = cv2.dilate((parts == part).astype(np.uint8), np.ones((3, 3))) > 0
                strokes += _lines(region, kind, 3, frame, draw, widest=5)
    return strokes


def _lines(
    region: Mask, kind: Kind, count: int, frame: int, draw: np.random.Generator, widest: float = 8
) -> list[Stroke]:
    """Dots spread over a region, and lines between those of which the way lies inside of it."""
    depth = cv2.distanceTransform(region.astype(np.uint8), cv2.DIST_L2, 5)
    free, places = depth.copy(), []
    rows, columns = np.ogrid[: region.shape[0], : region.shape[1]]
    for _ in range(count):
        if free.max() < 2:
            break
        y, x = (int(n) for n in np.unravel_index(np.argmax(free + draw.random(free.shape) * 0.5), free.shape))
        places.append((x, y))
        free = np.minimum(free, np.hypot(columns - x, rows - y) * 0.5)
    strokes = [_stroke(kind, frame, [(x, y)], min(widest, max(1.5, 0.6 * depth[y, x]))) for x, y in places]
    for n, (ax, ay) in enumerate(places):
        for bx, by in places[:n]:
            steps = int(np.hypot(ax - bx, ay - by)) + 1
            least = depth[np.linspace(ay, by, steps).astype(int), np.linspace(ax, bx, steps).astype(int)].min()
            if steps < 160 and least > 2.5:
                strokes.append(_stroke(kind, frame, [(ax, ay), (bx, by)], min(widest, 0.6 * least)))
    return strokes


def _stroke(kind: Kind, frame: int, places: list[tuple[int, int]], radius: float) -> Stroke:
    return Stroke(frame, kind, float(radius), tuple((x + 0.5, y + 0.5) for x, y in places))
