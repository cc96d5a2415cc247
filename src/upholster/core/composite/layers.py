"""One frame of a fitting: where each layer is, which of its pictures it shows, and all of them over each other."""

import math
from collections.abc import Callable, Iterable, Iterator
from fractions import Fraction
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from upholster.core.composite.blend import blend
from upholster.core.composite.transform import Matrix, placed
from upholster.core.documents.fitting import Fitting, Layer
from upholster.core.timemap import Mix, time_map

Plane = NDArray[np.float32]


class Size(NamedTuple):
    """What is known of the pictures of a layer: their size in full, how many there are, and how many a second."""

    width: int
    height: int
    length: int
    rate: Fraction


class Element(NamedTuple):
    """A picture of a layer, without the clear borders around what it shows.

    Attributes
    ----------
    rgba : (h, w, 4) float32
        Premultiplied; the part that is not clear.
    left, top : int
        Where that part lies in the whole picture.
    width, height : int
        Of the whole picture, which may be smaller than in full.
    """

    rgba: Plane
    left: int
    top: int
    width: int
    height: int


class Copy(NamedTuple):
    """One showing of a layer on a frame.

    Attributes
    ----------
    mark : str
        The layer's.
    mix : Mix
        Which of its pictures.
    matrix : (2, 3) float64
        From places in them, at full size, to places in the fitting.
    opacity : float
    crop : of 4 float
        Shares cut away at the left, top, right and bottom.
    """

    mark: str
    mix: Mix
    matrix: Matrix
    opacity: float
    crop: tuple[float, float, float, float]


def copies(fitting: Fitting, frame: int, sizes: dict[str, Size]) -> Iterator[Copy]:
    """All that is seen on a frame, from the bottom to the top; layers without a size are left out."""
    for mark, layer in fitting.layers.shown:
        if mark in sizes:
            for number in reversed(range(layer.repeat.copies)):
                copy = _copy(fitting, mark, layer, sizes[mark], frame, number)
                if copy is not None:
                    yield copy


def _copy(fitting: Fitting, mark: str, layer: Layer, size: Size, frame: int, number: int) -> Copy | None:
    repeat, at = layer.repeat, layer.at(frame)
    # The first copy stands where the layer does.
    draw = np.random.default_rng([repeat.seed, number]).uniform(-1, 1, 5) if number else np.zeros(5)
    aside, down, later, larger, turned = draw
    mix = shown(
        layer, size, fitting.frame.rate, frame, round(number * repeat.step_frames + later * repeat.spread_frames)
    )
    if mix is None or at["opacity"] <= 0:
        return None
    grown = max((1 + number * repeat.step_scale) * (1 + larger * repeat.spread_scale), 0.0)
    place = (
        at["x"] + number * repeat.step_x + aside * repeat.spread_x,
        at["y"] + number * repeat.step_y + down * repeat.spread_y,
    )
    angle = math.radians(at["turn"] + number * repeat.step_turn + turned * repeat.spread_turn)
    scale = at["scale"] * grown
    if scale < 1e-3:
        return None
    matrix = _matrix(fitting, size, place, (scale * at["stretch"], scale), angle, (at["anchor_x"], at["anchor_y"]))
    crop = at["crop_left"], at["crop_top"], at["crop_right"], at["crop_bottom"]
    return Copy(mark, mix, matrix, at["opacity"], crop)


def _matrix(
    fitting: Fitting,
    size: Size,
    place: tuple[float, float],
    scale: tuple[float, float],
    angle: float,
    anchor: tuple[float, float],
) -> Matrix:
    # Right angles are exact, so that what only moves by whole pixels is not touched.
    cosine, sine = (round(part, 12) for part in (math.cos(angle), math.sin(angle)))
    turn = np.array([[cosine * scale[0], -sine * scale[1]], [sine * scale[0], cosine * scale[1]]])
    centre = np.array([fitting.frame.width / 2 + place[0], fitting.frame.height / 2 + place[1]])
    shift = centre - turn @ (anchor[0] * size.width, anchor[1] * size.height)
    return np.column_stack([turn, shift])


def shown(layer: Layer, size: Size, rate: Fraction, frame: int, later: int = 0) -> Mix | None:
    """Which of its pictures a layer shows on a frame of the fitting, or does `later`; None where it is not there."""
    local = frame - layer.start
    if local < 0 or (layer.length is not None and local >= layer.length):
        return None
    times = time_map(layer, size.length, size.rate, rate)
    local -= later
    if layer.after == "loop":
        return times.mix(local % times.frames)
    if local < 0 or (local >= times.frames and layer.after == "gone"):
        return None
    return times.mix(local)


def composite(
    fitting: Fitting,
    frame: int,
    sizes: dict[str, Size],
    picture: Callable[[str, Mix], Element],
    ground: Plane | None,
    shrink: float = 1.0,
) -> Plane:
    """A frame of a fitting.

    Parameters
    ----------
    picture
        Gives a layer's pictures by its mark.
    ground : (3, h, w) float32 or None
        What lies below all layers, encoded RGB, at the size that comes out; None for nothing.
    shrink : float
        The size that comes out, as a share of the fitting's.

    Returns
    -------
    (h, w, 4) float32
        Premultiplied RGBA.
    """
    width, height = max(1, round(fitting.frame.width * shrink)), max(1, round(fitting.frame.height * shrink))
    canvas = np.zeros((height, width, 4), np.float32)
    if ground is not None:
        canvas[..., :3] = np.broadcast_to(ground, (3, height, width)).transpose(1, 2, 0)
        canvas[..., 3] = 1
    blends = {mark: layer.blend for mark, layer in fitting.layers.shown}
    fit = np.array([[width / fitting.frame.width], [height / fitting.frame.height]])
    for copy in copies(fitting, frame, sizes):
        element, size = picture(copy.mark, copy.mix), sizes[copy.mark]
        # From pixels of the picture at hand, which may be smaller than in full.
        matrix = copy.matrix * fit * (size.width / element.width, size.height / element.height, 1)
        rgba, left, top = _cropped(element, copy.crop)
        matrix[:, 2] += matrix[:, :2] @ (left, top)
        patch = placed(rgba, matrix, width, height) if rgba.size else None
        if patch is not None:
            blend(canvas, patch, blends[copy.mark], copy.opacity)
    return canvas


def _cropped(element: Element, crop: tuple[float, float, float, float]) -> tuple[Plane, int, int]:
    """What a crop leaves of a picture, and where that lies in the whole."""
    rgba, left, top, wide, tall = element
    if not any(crop):
        return rgba, left, top
    first, above, last, below = (round(c * n) for c, n in zip(crop, (wide, tall, wide, tall), strict=True))
    x, y = max(first - left, 0), max(above - top, 0)
    right, bottom = max(wide - last - left, x), max(tall - below - top, y)
    return rgba[y:bottom, x:right], left + x, top + y


def trimmed(rgba: Plane) -> Element:
    """A whole picture ``(h, w, 4)`` without its clear borders; something is always left."""
    tall, wide = rgba.shape[:2]
    left, top, across, down = cv2.boundingRect((rgba[..., 3] > 0).astype(np.uint8))
    if not across:
        return Element(rgba[:1, :1].copy(), 0, 0, wide, tall)
    return Element(rgba[top : top + down, left : left + across].copy(), left, top, wide, tall)


def whole(element: Element) -> Plane:
    """The whole picture again, ``(h, w, 4)``."""
    out = np.zeros((element.height, element.width, 4), np.float32)
    tall, wide = element.rgba.shape[:2]
    out[element.top : element.top + tall, element.left : element.left + wide] = element.rgba
    return out


def needed(fitting: Fitting, frames: Iterable[int], sizes: dict[str, Size]) -> dict[str, list[int]]:
    """The pictures of each layer that some frames show, in rising order."""
    found: dict[str, set[int]] = {}
    for frame in frames:
        for copy in copies(fitting, frame, sizes):
            found.setdefault(copy.mark, set()).update((copy.mix.first, copy.mix.second))
    return {mark: sorted(numbers) for mark, numbers in found.items()}
