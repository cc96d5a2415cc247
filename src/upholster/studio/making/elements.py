"""Keyed pictures as they are laid over: finished, premultiplied, without their clear borders."""

import math

import cv2
import numpy as np
from numpy.typing import NDArray

from upholster.core.composite.layers import Element
from upholster.core.documents.recipe import Finish, Recipe
from upholster.core.documents.screen import Screen
from upholster.core.pipeline.runner import key, plate_of

Plane = NDArray[np.float32]


def straight(rgba: Plane) -> tuple[Plane, Plane]:
    """Premultiplied ``(h, w, 4)`` as straight planes ``(3, h, w)`` and coverage ``(h, w)``."""
    alpha = np.ascontiguousarray(rgba[..., 3])
    rgb = np.ascontiguousarray(rgba[..., :3].transpose(2, 0, 1))
    return np.divide(rgb, alpha, out=np.zeros_like(rgb), where=alpha > 1e-6), alpha


def premultiplied(rgb: Plane, alpha: Plane) -> Plane:
    """Straight planes as premultiplied RGBA ``(h, w, 4)``."""
    out = np.empty((*alpha.shape, 4), np.float32)
    for c in range(3):
        np.multiply(rgb[c], alpha, out=out[..., c])
    out[..., 3] = alpha
    return out


def finished(rgb: Plane, alpha: Plane, finish: Finish, frame: int) -> tuple[Plane, Plane]:
    """A keyed picture with the finish of a layer."""
    if finish == Finish():
        return rgb, alpha
    recipe = Recipe(screen=Screen(kind="none"), finish=finish)
    out = key(plate_of(rgb, alpha), recipe, frame, None)
    return out.rgb, out.alpha


def element_of(rgb: Plane, alpha: Plane, finish: Finish, frame: int) -> Element:
    """A keyed picture with the finish of a layer, premultiplied, without its clear borders.

    What is clear is left out first, as far as nothing of the finish looks there: sharpening looks a little aside, and
    the light wrap at the whole.
    """
    tall, wide = alpha.shape
    at = finish.at(frame)
    aside = math.ceil(4 * at["sharpen_radius"]) + 1 if at["sharpen"] else 0
    x, y, across, down = cv2.boundingRect((alpha > 0).astype(np.uint8))
    left, top = max(x - aside, 0), max(y - aside, 0)
    part = np.s_[top : max(y + down, 1) + aside, left : max(x + across, 1) + aside]
    if finish.scene is not None:
        rgb, alpha = finished(rgb, alpha, finish, frame)
    rgb, alpha = np.ascontiguousarray(rgb[:, *part]), np.ascontiguousarray(alpha[part])
    if finish.scene is None:
        rgb, alpha = finished(rgb, alpha, finish, frame)
    return Element(premultiplied(rgb, alpha), left, top, wide, tall)
