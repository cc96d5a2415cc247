"""How far a matte and its colours are from the truth.

MSE, SAD, gradient and connectivity error as in Rhemann et al. 2009, "A perceptually motivated
online benchmark for image matting", over the whole picture.
"""

import cv2
import numpy as np
from numpy.typing import NDArray

Plane = NDArray[np.float32]


def mse(found: Plane, true: Plane) -> float:
    return float(np.mean((found - true) ** 2))


def sad(found: Plane, true: Plane) -> float:
    """Sum of absolute differences, in thousands of pixels."""
    return float(np.abs(found - true).sum() / 1000)


def gradient(found: Plane, true: Plane) -> float:
    """Squared difference of the gradients' lengths, derivatives of a Gaussian with sigma 1.4."""
    return float(((_slope(found) - _slope(true)) ** 2).sum())


def _slope(matte: Plane) -> Plane:
    reach = np.arange(-6, 7, dtype=np.float32)
    bell = np.exp(-(reach**2) / (2 * 1.4**2))
    bell /= bell.sum()
    wave = reach / 1.4**2 * bell
    dx = cv2.sepFilter2D(matte, cv2.CV_32F, wave, bell, borderType=cv2.BORDER_REPLICATE)
    dy = cv2.sepFilter2D(matte, cv2.CV_32F, bell, wave, borderType=cv2.BORDER_REPLICATE)
    return np.hypot(dx, dy)


def connectivity(found: Plane, true: Plane, steps: int = 10) -> float:
    """Difference of how far each pixel is from being connected to the common solid core (theta 0.15, p 1)."""
    level = np.full(true.shape, -1.0, np.float32)
    for k in range(1, steps + 1):
        both = ((found >= k / steps) & (true >= k / steps)).astype(np.uint8)
        count, labels, sizes, _ = cv2.connectedComponentsWithStats(both, connectivity=4)
        core = labels == (1 + int(np.argmax(sizes[1:, cv2.CC_STAT_AREA]))) if count > 1 else np.zeros(true.shape, bool)
        level[(level < 0) & ~core] = (k - 1) / steps
    level[level < 0] = 1

    def joined(matte: Plane) -> Plane:
        away = matte - level
        return 1 - away * (away >= 0.15)

    return float(np.abs(joined(found) - joined(true)).sum() / 1000)


def psnr(found: Plane, true: Plane) -> float:
    return float(-10 * np.log10(max(float(np.mean((found - true) ** 2)), 1e-10)))


def edge_band(true: Plane, width: int = 8) -> NDArray[np.bool_]:
    """Pixels within `width` of where the true matte is neither clear nor solid."""
    partial = ((true > 0.01) & (true < 0.99)).astype(np.uint8)
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * width + 1, 2 * width + 1))
    return cv2.dilate(partial, disc) > 0


def holes(found: Plane, true: Plane) -> float:
    """Share of truly solid pixels that let more than a twentieth through."""
    solid = true > 0.995
    return float((found[solid] < 0.95).mean()) if solid.any() else 0.0


def leaks(found: Plane, true: Plane) -> float:
    """Share of truly clear pixels that keep more than a twentieth."""
    clear = true < 0.005
    return float((found[clear] > 0.05).mean()) if clear.any() else 0.0


def flicker(found: list[Plane], true: list[Plane]) -> float:
    """Mean change of the error from frame to frame, times 1000; NaN of a single frame."""
    if len(true) < 2:
        return float("nan")
    errors = [f - t for f, t in zip(found, true, strict=True)]
    return float(np.mean([np.abs(b - a).mean() for a, b in zip(errors, errors[1:], strict=False)]) * 1000)


#: Where a matte can be wrong in ways of its own.
REGIONS = ("inside", "thin", "rim", "hair", "glass")


def regions(
    true: Plane, hair: Plane | None = None, glass: Plane | None = None, width: int = 9
) -> dict[str, NDArray[np.bool_]]:
    """The parts of a plate by what is hard about them; no pixel is in two.

    Hair and glass as they were drawn; thin: what an opening by a disc of `width` pixels takes away, with the
    pixels beside it; rim: the edge band of the rest; inside: what is solid beyond the band.
    """
    nothing = np.zeros(true.shape, bool)
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (width, width))
    of_glass = nothing if glass is None else glass > 0.02
    beside = np.ones((5, 5), np.uint8)
    of_hair = nothing if hair is None else cv2.dilate((hair > 0.02).astype(np.uint8), beside) > 0
    core = (true > 0.5).astype(np.uint8)
    slender = (core > 0) & (cv2.morphologyEx(core, cv2.MORPH_OPEN, disc) == 0)
    thin = cv2.dilate(slender.astype(np.uint8), beside) > 0
    band = edge_band(true, 3)
    found = {"glass": of_glass, "hair": of_hair, "thin": thin, "rim": band, "inside": true > 0.995}
    taken = nothing.copy()
    for name, mask in found.items():
        found[name] = mask & ~taken
        taken |= mask
    return found


def colour(found: Plane, true: Plane, alpha: Plane) -> float:
    """Mean absolute error of straight colour ``(3, h, w)``, in code values of 255, weighted by coverage.

    Where a twentieth or more of the pixel is covered, within 3 pixels of where it is not wholly covered.
    """
    return weighted(found, true, np.where((alpha > 0.05) & edge_band(alpha, 3), alpha, 0))


def weighted(found: Plane, true: Plane, weight: Plane) -> float:
    """Mean absolute error of colour ``(3, h, w)``, in code values of 255; NaN where nothing has weight."""
    total = float(weight.sum())
    return float((np.abs(found - true).mean(axis=0) * weight).sum() / total * 255) if total else float("nan")
