"""Moving the subject's colours towards those of the scene it goes into."""

from typing import Self

import numpy as np
from numpy.typing import NDArray
from pydantic import Field, model_validator

from upholster.core.documents.settings import Settings
from upholster.core.documents.tracks import Track, track
from upholster.core.finish.light import COLUMNS, ROWS, Colours
from upholster.core.finish.oklab import FROM_CONES, FROM_LAB, TO_CONES, TO_LAB
from upholster.core.finish.transfer import DECODED, ENCODED, decoded, encoded
from upholster.core.kernels import compiled, over_rows
from upholster.core.pipeline.stage import Changes, Context, Picture, Stage

Plane = NDArray[np.float32]
Three = tuple[float, float, float]

#: How much a spread may be stretched, and up to which one is flat.
_STRETCH, _LEAST = 3.0, 0.005


class Scene(Settings):
    """The light of a ground, and the subject's own, as both were measured."""

    name: str = Field(default="", max_length=200, description="What the ground is called.")
    mean: Three = Field(description="Mean of the ground's colours, Oklab.")
    spread: Three = Field(description="Standard deviation of the ground's colours, Oklab.")
    subject_mean: Three = Field(description="Mean of the subject's colours, Oklab.")
    subject_spread: Three = Field(description="Standard deviation of the subject's colours, Oklab.")
    cells: tuple[tuple[Three, ...], ...] = Field(
        description=f"The ground's colours in {ROWS} rows of {COLUMNS}, encoded RGB: its light on the subject's rim."
    )

    @model_validator(mode="after")
    def _whole(self) -> Self:
        if len(self.cells) != ROWS or any(len(row) != COLUMNS for row in self.cells):
            raise ValueError(f"the light of a ground has {ROWS} rows of {COLUMNS} colours")
        return self


class InScene(Settings):
    """What knows of a ground."""

    scene: Scene | None = Field(default=None, description="The ground the subject goes before; null for none.")


class Match(InScene):
    match: Track = track(0.0, 0.0, 1.0, step=0.01, doc="How far its colours are moved to the ground's.")
    match_luma_only: bool = Field(default=False, description="Move lightness alone.")


def _run(picture: Picture, context: Context, *, scene: Scene, match: float, match_luma_only: bool) -> Changes:
    own, wanted = Colours(scene.subject_mean, scene.subject_spread), Colours(scene.mean, scene.spread)
    return {"rgb": matched(picture.rgb, own, wanted, match, luma_only=match_luma_only)}


def _applies(context: Context, *, scene: Scene | None, match: float, match_luma_only: bool) -> bool:
    return scene is not None and match > 0


STAGE = Stage("match", ("rgb",), _run, "finish", Match, _applies)


def matched(rgb: Plane, own: Colours, wanted: Colours, amount: float, *, luma_only: bool = False) -> Plane:
    """``(3, h, w)`` encoded RGB with its mean and spread moved from its own towards those wanted.

    Notes
    -----
    Reinhard, Ashikhmin, Gooch and Shirley 2001, "Color Transfer between Images", equations 10 and 11, in Oklab in
    the place of their space. A spread is stretched by at most three, and not at all where either is flat: then there
    is no telling what it means.
    """
    scale, shift = np.ones(3), np.zeros(3)
    for k in range(1 if luma_only else 3):
        stretch = 1.0
        if min(wanted.spread[k], own.spread[k]) > _LEAST:
            stretch = float(np.clip(wanted.spread[k] / own.spread[k], 1 / _STRETCH, _STRETCH))
        scale[k] = 1 + amount * (stretch - 1)
        shift[k] = amount * (wanted.mean[k] - own.mean[k] * stretch)
    # Oklab is linear in the roots of cones: there the whole move is one matrix and an offset.
    turn = FROM_LAB @ np.diag(scale) @ TO_LAB
    out = np.empty_like(rgb)
    parts = (TO_CONES, turn.astype(np.float32), (FROM_LAB @ shift).astype(np.float32), FROM_CONES)
    over_rows(_move, rgb.shape[1], rgb, *parts, DECODED, ENCODED, out)
    return out


@compiled
def _move(rgb, to_cones, turn, shift, from_cones, by_code, by_light, out, first, end):
    third = np.float32(1 / 3)
    root = np.empty(3, np.float32)
    for j in range(first, end):
        for i in range(rgb.shape[2]):
            red, green, blue = (
                decoded(max(rgb[0, j, i], np.float32(0)), by_code),
                decoded(max(rgb[1, j, i], np.float32(0)), by_code),
                decoded(max(rgb[2, j, i], np.float32(0)), by_code),
            )
            for k in range(3):
                root[k] = (to_cones[k, 0] * red + to_cones[k, 1] * green + to_cones[k, 2] * blue) ** third
            a = turn[0, 0] * root[0] + turn[0, 1] * root[1] + turn[0, 2] * root[2] + shift[0]
            b = turn[1, 0] * root[0] + turn[1, 1] * root[1] + turn[1, 2] * root[2] + shift[1]
            c = turn[2, 0] * root[0] + turn[2, 1] * root[1] + turn[2, 2] * root[2] + shift[2]
            a, b, c = a * a * a, b * b * b, c * c * c
            for k in range(3):
                light = from_cones[k, 0] * a + from_cones[k, 1] * b + from_cones[k, 2] * c
                out[k, j, i] = encoded(max(light, np.float32(0)), by_light)
