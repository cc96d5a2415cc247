"""The light of the scene, spilling over the subject's rim."""

from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from upholster.core.documents.tracks import Track, track
from upholster.core.grids import enlarge
from upholster.core.pipeline.stage import Changes, Context, Picture, Stage
from upholster.core.stages.finish.match import InScene, Scene

Plane = NDArray[np.float32]

#: A blur wider than so many pixels is made on a smaller picture.
_WIDE = 6.0


class Wrap(InScene):
    wrap: Track = track(0.0, 0.0, 1.0, step=0.01, doc="How much of the ground's light goes over the rim.")
    wrap_width: Track = track(12.0, 0.5, 200.0, step=0.5, unit="px", doc="How far it reaches inward.")


def _run(picture: Picture, context: Context, *, wrap: float, wrap_width: float, scene: Scene) -> Changes:
    height, width = picture.alpha.shape
    light = enlarge(np.array(scene.cells, np.float32).transpose(2, 0, 1), width, height)
    return {"rgb": wrapped(picture.rgb, picture.alpha, light, wrap, picture.raster.length(wrap_width))}


def _applies(context: Context, *, wrap: float, scene: Scene | None, **others: Any) -> bool:
    return wrap > 0 and scene is not None


STAGE = Stage("wrap", ("rgb", "alpha"), _run, "finish", Wrap, _applies)


def wrapped(rgb: Plane, alpha: Plane, light: Plane, amount: float, width: float) -> Plane:
    """``(3, h, w)`` with the light of a ground screened over what is within about `width` pixels of its edge.

    Screened (W3C Compositing and Blending Level 1, 10.1.4): ``rgb + s - rgb * s``, with s the light times what is
    clear nearby: the share of clear pixels under a Gaussian of half that width, 0.5 on a straight edge.
    """
    clear = np.clip(_blurred(1 - alpha, max(width / 2, 0.3)), 0, 1)
    source = light * (np.float32(2 * amount) * np.minimum(clear, np.float32(0.5)))
    return (rgb + source * (1 - np.clip(rgb, 0, 1))).astype(np.float32)


def _blurred(plane: Plane, sigma: float) -> Any:
    if sigma <= _WIDE:
        return cv2.GaussianBlur(plane, (0, 0), sigma, borderType=cv2.BORDER_REPLICATE)
    shrink = sigma / _WIDE
    height, width = plane.shape
    small = cv2.resize(
        plane, (max(1, round(width / shrink)), max(1, round(height / shrink))), interpolation=cv2.INTER_AREA
    )
    soft = cv2.GaussianBlur(small, (0, 0), _WIDE, borderType=cv2.BORDER_REPLICATE)
    return cv2.resize(soft, (width, height), interpolation=cv2.INTER_LINEAR)
