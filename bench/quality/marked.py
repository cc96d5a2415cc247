"""What a person would mark on the first frame of a plate that is keyed wrong: a few places, each once."""

from collections.abc import Iterator

import cv2
import numpy as np
from bench.quality.plates import Truth
from numpy.typing import NDArray

from upholster.core.documents.recipe import Recipe
from upholster.core.documents.screen import Of
from upholster.core.raster import Raster
from upholster.core.screen.sampled import Spot, read_at

Plane = NDArray[np.float32]

#: Most places a person marks of a kind, and the smallest, in pixels, that anybody would see.
MOST, SMALLEST = 3, 3.0


def marked(recipe: Recipe, plate: Plane, found: Plane, truth: Truth) -> Recipe:
    """A recipe after a person saw `found` over `plate`, and marked what is wrong, beside what was marked before."""
    raster = Raster.of_plate(plate.shape[2], plate.shape[1])
    samples = list(recipe.screen.samples)
    for of, wrong in _wrong(found, truth):
        for x, y, radius in _places(wrong):
            samples.append(read_at(plate, raster, Spot(x, y, radius), of, 0))
    screen = recipe.screen.model_copy(update={"samples": tuple(samples)})
    return recipe.model_copy(update={"screen": screen})


def _wrong(found: Plane, truth: Truth) -> Iterator[tuple[Of, NDArray[np.bool_]]]:
    glass = truth.glass > 0.5 if truth.glass is not None else np.zeros(found.shape, bool)
    yield "subject", (truth.alpha > 0.98) & (found < 0.85)
    yield "ground", (truth.alpha < 0.02) & (found > 0.15)
    yield "veil", glass & (found > truth.alpha + 0.2)


def _places(wrong: NDArray[np.bool_]) -> Iterator[tuple[float, float, float]]:
    """The middles of the largest wrong places, and how far a square reaches there."""
    left = wrong.astype(np.uint8)
    for _ in range(MOST):
        deep = cv2.distanceTransform(left, cv2.DIST_L2, 5)
        y, x = np.unravel_index(int(np.argmax(deep)), deep.shape)
        if deep[y, x] < SMALLEST:
            return
        yield float(x), float(y), max(1.0, float(deep[y, x]) * 0.6)
        # What hangs together with it will be mended with it.
        _, labels = cv2.connectedComponents(left)
        left[labels == labels[y, x]] = 0
