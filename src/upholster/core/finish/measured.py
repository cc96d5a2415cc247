"""A finish with what was measured of its subject, or of the ground it goes before."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from upholster.core.colour import decode_srgb
from upholster.core.documents.recipe import Finish
from upholster.core.documents.settings import Settings
from upholster.core.documents.tracks import value_at
from upholster.core.finish.cast import cast_of
from upholster.core.finish.cdl import Decision, Three
from upholster.core.finish.light import cells_of, colours_of, grain_of_all
from upholster.core.finish.white import light_of
from upholster.core.raster import Raster
from upholster.core.stages.finish.balance import Balance
from upholster.core.stages.finish.grade import Grade
from upholster.core.stages.finish.match import Scene

Plane = NDArray[np.float32]
#: Straight encoded colour ``(3, h, w)`` and coverage ``(h, w)`` of a keyed frame.
Keyed = tuple[Plane, Plane]

_PRIMARIES = ("red", "green", "blue")
#: How far a subject is moved to a scene at first.
_AT_FIRST = 0.5


def only(finish: Finish, *stages: type[Settings]) -> Finish:
    """A finish of which only the settings of some stages are left; measuring looks at what comes before a stage."""
    names = {name for stage in stages for name in stage.model_fields}
    return Finish(**{name: getattr(finish, name) for name in names})


def before_light(finish: Finish) -> Finish:
    """The finish with which the colour for `balanced_on` is keyed."""
    return Finish(neutral=finish.neutral, cast=finish.cast)


def before_match(finish: Finish) -> Finish:
    """The finish with which pictures for `in_scene` are keyed."""
    return only(finish, Balance, Grade)


def colour_at(rgb: Plane, alpha: Plane, raster: Raster, x: float, y: float, radius: float) -> NDArray[np.float32]:
    """The subject's straight colour ``(3,)`` in a square around (x, y) of the plate, each pixel by its coverage.

    Raises
    ------
    ValueError
        Where nothing of the subject is there.
    """
    (a, b), (c, d) = raster.place(x - radius, y - radius), raster.place(x + radius, y + radius)
    left, right, top, bottom = (max(0, int(v)) for v in (min(a, c), max(a, c) + 1, min(b, d), max(b, d) + 1))
    weight, part = alpha[top:bottom, left:right], rgb[:, top:bottom, left:right]
    if weight.sum() < 0.5:
        raise ValueError("there is nothing of the subject at that place")
    return np.asarray((part * weight).sum(axis=(1, 2)) / weight.sum(), np.float32)


def neutralised(finish: Finish, pictures: Sequence[Keyed]) -> Finish:
    """With the subject's cast, wholly taken out unless something else was chosen.

    Raises
    ------
    ValueError
        With the reason why there is no telling.
    """
    red, green, blue = (round(part, 4) for part in cast_of(pictures))
    return finish.changed({"cast": (red, green, blue)} | ({"neutral": 1.0} if finish.neutral == 0 else {}))


def balanced_on(finish: Finish, colour: NDArray[np.float32]) -> Finish:
    """With the light in which an encoded colour ``(3,)`` of the subject is a grey; ValueError where there is none."""
    light = light_of(decode_srgb(colour))
    return finish.changed({"temperature": round(light.temperature), "green": round(light.tint, 1)})


def in_scene(finish: Finish, pictures: Sequence[Keyed], grounds: Sequence[Plane], name: str) -> Finish:
    """Matched to a ground, of which some pictures ``(3, h, w)`` are given; ValueError where no subject is left."""
    own = colours_of(pictures)
    there = colours_of([(rgb, np.ones(rgb.shape[1:], np.float32)) for rgb in grounds])
    cells = cells_of(grounds).transpose(1, 2, 0).round(4).tolist()
    scene = Scene(
        name=name[:200],
        mean=there.mean,
        spread=there.spread,
        subject_mean=own.mean,
        subject_spread=own.spread,
        cells=tuple(tuple(tuple(cell) for cell in row) for row in cells),
    )
    first = {"match": _AT_FIRST} if finish.match == 0 and finish.wrap == 0 else {}
    return finish.changed({"scene": scene} | first)


def grained_as(finish: Finish, grounds: Sequence[Plane]) -> Finish:
    """With grain like that of a ground."""
    grain = grain_of_all(grounds)
    return finish.changed({"grain": round(min(grain.strength, 0.2), 4), "grain_size": round(grain.size, 2)})


def decided(finish: Finish, decision: Decision) -> Finish:
    """With the numbers of a colour decision, held within the bounds that a finish has."""
    values = {"saturation": decision.saturation}
    for name in ("slope", "offset", "power"):
        values |= {f"{name}_{of}": value for of, value in zip(_PRIMARIES, getattr(decision, name), strict=True)}
    bounds = Grade.tracks()
    return finish.changed({k: min(max(v, bounds[k]["low"]), bounds[k]["high"]) for k, v in values.items()})


def decision_of(finish: Finish, frame: int) -> Decision:
    """The colour decision in force on a frame."""

    def three(name: str) -> Three:
        red, green, blue = (value_at(getattr(finish, f"{name}_{of}"), frame) for of in _PRIMARIES)
        return red, green, blue

    return Decision(three("slope"), three("offset"), three("power"), value_at(finish.saturation, frame))
