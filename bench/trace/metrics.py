"""How good a matte is."""

import cv2
import numpy as np
from numpy.typing import NDArray

Plane = NDArray[np.float32]


def overlap(cover: Plane, truth: Plane) -> float:
    """Intersection over union of what is covered by half and more (Perazzi et al. 2016, J); 1 for two nothings."""
    one, two = cover >= 0.5, truth >= 0.5
    union = np.count_nonzero(one | two)
    return np.count_nonzero(one & two) / union if union else 1.0


def boundary(cover: Plane, truth: Plane, within: int = 2) -> float:
    """F-measure of the outlines, matched within some pixels (Perazzi et al. 2016, measure F)."""
    one, two = (_outline(p >= 0.5) for p in (cover, truth))
    if not one.any() and not two.any():
        return 1.0
    if not one.any() or not two.any():
        return 0.0
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * within + 1, 2 * within + 1))
    near_one, near_two = (cv2.dilate(p.astype(np.uint8), disc) > 0 for p in (one, two))
    precision, recall = near_two[one].mean(), near_one[two].mean()
    return float(2 * precision * recall / (precision + recall)) if precision + recall else 0.0


def _outline(inside: NDArray[np.bool_]) -> NDArray[np.bool_]:
    return inside & (cv2.erode(inside.astype(np.uint8), np.ones((3, 3)), borderValue=1) == 0)


def squared(cover: Plane, truth: Plane) -> float:
    """Mean squared error of coverage, x 1000."""
    return float(1000 * np.mean((cover - truth) ** 2))


def in_band(cover: Plane, truth: Plane, wide: int = 10) -> float:
    """The same in a band around the true outline."""
    seam = _outline(truth >= 0.5).astype(np.uint8)
    band = cv2.dilate(seam, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (wide + 1, wide + 1))) > 0
    return float(1000 * np.mean((cover - truth)[band] ** 2)) if band.any() else 0.0
