"""Families of subjects before a screen that glows: drawn at random, the same on every frame but for what moves.

Lengths are such that the picture is 3.2 wide where the subject stands, 6 before the camera.
"""

from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any, NamedTuple

import numpy as np
from bench.drawn import Draw, Numbers, photograph
from bench.quality import sets
from bench.rendered import shapes
from bench.rendered.truth import Light, linear

#: A part of a scene as the renderer reads it.
Part = dict[str, Any]

#: How far the screen stands behind the subject, how far the camera before it, and how wide it sees, degrees.
BEHIND, BEFORE, ANGLE = 2.5, 6.0, 30.0
#: What a thing may be counted as beside being solid.
HAIR, GLASS = "hair", "glass"


class Thing(NamedTuple):
    """A shape, what it is made of, and what it is counted as."""

    shape: Part
    material: Part
    kind: str = ""


class Subject(NamedTuple):
    """Everything that stands before the screen on one frame."""

    things: list[Thing]
    lamps: list[Part]


Stage = Callable[[Draw, Light, float, Path], Iterator[Thing]]


def rgb(colour: Light | Numbers | tuple[float, ...] | float) -> Part:
    return {"type": "rgb", "value": [float(v) for v in np.broadcast_to(colour, 3)]}


def picture(light: Light) -> Part:
    import mitsuba as mi

    return {"type": "bitmap", "bitmap": mi.Bitmap(np.ascontiguousarray(light, np.float32)), "raw": True}


def screen(draw: Draw) -> tuple[Light, Light]:
    """What the screen sends out ``(h, w, 3)``, linear, and its nominal colour, encoded.

    A shadow of the subject lies on some.
    """
    paint = sets.colour(draw, blue=0.35)
    hung = (sets.hung if draw.random() < 0.6 else sets.even)(draw, paint).rgb
    light = linear(hung.clip(0, 1))
    if draw.random() < 0.4:
        y, x = np.mgrid[-1 : 1 : light.shape[0] * 1j, -1 : 1 : light.shape[1] * 1j]
        at = draw.uniform(-0.4, 0.4, 2)
        cast = np.exp(-(((x - at[0]) / draw.uniform(0.2, 0.4)) ** 2) - ((y - at[1]) / draw.uniform(0.3, 0.7)) ** 2)
        light = light * (1 - draw.uniform(0.1, 0.4) * cast)[..., None].astype(np.float32)
    return light, paint


def lamps(draw: Draw) -> list[Part]:
    """A large lamp on either side of the camera, one behind now and then, and a little light from everywhere."""
    from mitsuba import ScalarTransform4f as Place

    warm = 1 + draw.uniform(-0.12, 0.12) * np.array([1, 0, -1])
    strong = draw.uniform(8, 22)
    side = draw.choice([-1, 1])
    spots = [(side * 3.0, 2.0, 4.0, strong, 0.8), (-side * 3.5, 0.8, 4.0, strong * draw.uniform(0.1, 0.7), 1.0)]
    if draw.random() < 0.4:
        spots.append((draw.uniform(-2.5, 2.5), 2.4, -1.5, strong * draw.uniform(0.4, 1.5), 0.5))
    found: list[Part] = [{"type": "constant", "radiance": rgb(warm * draw.uniform(0.03, 0.15))}]
    for x, y, z, power, size in spots:
        place = Place().look_at(origin=[x, y, z], target=[0, 0, 0], up=[0, 1, 0]) @ Place().scale(size)
        emitter = {"type": "area", "radiance": rgb(warm * power)}
        found.append({"type": "rectangle", "to_world": place, "emitter": emitter})
    return found


def _near_screen(draw: Draw, paint: Light) -> Light:
    """A cloth's colour that is not far from the screen's, linear."""
    near = paint * draw.uniform(0.3, 1.1) * draw.uniform(0.7, 1.4, 3)
    return linear((near * draw.uniform(0.5, 1) + draw.uniform(0, 0.35)).clip(0.02, 0.9).astype(np.float32))


def _colour(draw: Draw, paint: Light) -> Part:
    kind = draw.random()
    if kind < 0.4:
        return picture(linear(photograph(draw, 256, 256)))
    if kind < 0.6:
        return rgb(linear(np.full(3, draw.choice([0.05, 0.15, 0.35, 0.6, 0.88]), np.float32)) * draw.uniform(0.9, 1, 3))
    if kind < 0.75:
        return rgb(_near_screen(draw, paint))
    return rgb(draw.uniform(0.02, 0.8, 3))


def _solid(draw: Draw, paint: Light) -> Part:
    """Something opaque, dull or glossy."""
    colour, kind = _colour(draw, paint), draw.random()
    if kind < 0.45:
        made: Part = {"type": "diffuse", "reflectance": colour}
    elif kind < 0.7:
        made = {"type": "roughplastic", "diffuse_reflectance": colour, "alpha": draw.uniform(0.05, 0.3)}
    elif kind < 0.85:
        made = {"type": "plastic", "diffuse_reflectance": colour}
    else:
        tint = rgb(draw.uniform(0.6, 1.0, 3))
        made = {"type": "roughconductor", "alpha": draw.uniform(0.01, 0.25), "specular_reflectance": tint}
    return {"type": "twosided", "bsdf": made}


def _placed(draw: Draw, t: float, spread: float) -> Any:
    """Somewhere in the picture, turned, moving a little."""
    from mitsuba import ScalarTransform4f as Place

    at = [draw.uniform(-spread, spread), draw.uniform(-0.7, 0.7), draw.uniform(-0.6, 0.6)]
    at[0] += draw.normal(0, 0.008) * t
    axis = draw.normal(0, 1, 3)
    axis /= np.linalg.norm(axis)
    turn = draw.uniform(0, 360) + draw.normal(0, 2) * t
    return Place().translate(at) @ Place().rotate([float(a) for a in axis], turn)


def solids(draw: Draw, paint: Light, t: float, folder: Path) -> Iterator[Thing]:
    """Dull and glossy things, mirrors, thin rods and upright wires; badges near the screen's colour."""
    from mitsuba import ScalarTransform4f as Place

    for n in range(int(draw.integers(4, 10))):
        place, size, kind = _placed(draw, t, 1.0), draw.uniform(0.1, 0.32), draw.integers(4)
        if kind == 0:
            shape: Part = {"type": "sphere", "radius": size}
        elif kind == 1:
            place = place @ Place().scale([float(size * s) for s in draw.uniform(0.3, 1.2, 3)])
            shape = {"type": "cube"}
        elif kind == 2:
            file = shapes.lathed(folder / f"pot{n}.obj", shapes.bottle(draw))
            shape = {"type": "obj", "filename": file}
        else:
            radii = tuple(float(size * s) for s in draw.uniform(0.3, 1.4, 3))
            shape = {"type": "obj", "filename": shapes.ellipsoid(folder / f"pebble{n}.obj", radii)}
        yield Thing(shape | {"to_world": place}, _solid(draw, paint))
    for _ in range(int(draw.integers(1, 6))):
        middle, lean = draw.uniform([-1.2, -0.6, -0.4], [1.2, 0.6, 0.6]), draw.normal(0, 0.5, 3)
        lean[1] += draw.choice([0, 1])
        long = lean / np.linalg.norm(lean) * draw.uniform(0.3, 0.9)
        ends = {"p0": [float(v) for v in middle - long], "p1": [float(v) for v in middle + long]}
        yield Thing({"type": "cylinder", "radius": draw.uniform(0.0025, 0.009)} | ends, _solid(draw, paint))
    for _ in range(int(draw.integers(0, 3))):
        at = [float(v) for v in draw.uniform([-0.7, -0.5, 0.9], [0.7, 0.5, 1.2])]
        cloth = {"type": "twosided", "bsdf": {"type": "diffuse", "reflectance": rgb(_near_screen(draw, paint))}}
        place = Place().translate(at) @ Place().scale(draw.uniform(0.04, 0.14))
        yield Thing({"type": "disk", "to_world": place}, cloth)


def vessels(draw: Draw, paint: Light, t: float, folder: Path) -> Iterator[Thing]:
    """Bottles and panes, clear and tinted, with liquid in some, among solid things."""
    from mitsuba import ScalarTransform4f as Place

    for n in range(int(draw.integers(2, 5))):
        profile = shapes.bottle(draw)
        clear = np.where(draw.random() < 0.5, draw.uniform(0.85, 1.0), draw.uniform(0.2, 1.0, 3))
        place = Place().translate(
            [draw.uniform(-1.0, 1.0) + draw.normal(0, 0.006) * t, draw.uniform(-0.3, 0.3), 0.4 * n]
        )
        shape = {"type": "obj", "filename": shapes.lathed(folder / f"bottle{n}.obj", profile), "to_world": place}
        yield Thing(shape, {"type": "thindielectric", "specular_transmittance": rgb(clear)}, GLASS)
        if draw.random() < 0.6:
            low = profile[profile[:, 1] < np.quantile(profile[:, 1], draw.uniform(0.3, 0.8))] * [0.94, 1]
            low = np.concatenate([low + [0, 0.01], [[0.001, low[-1, 1] + 0.01]]])
            liquid = {"type": "obj", "filename": shapes.lathed(folder / f"liquid{n}.obj", low), "to_world": place}
            tint = {"type": "thindielectric", "specular_transmittance": rgb(draw.uniform(0.1, 0.95, 3))}
            yield Thing(liquid, tint, GLASS)
        if draw.random() < 0.5:
            cap = {
                "type": "sphere",
                "radius": float(max(profile[-1, 0] * 1.1, 0.03)),
                "center": [0, float(profile[-1, 1]), 0],
            }
            yield Thing(cap | {"to_world": place}, _solid(draw, paint))
    if draw.random() < 0.5:
        pane = Place().translate([draw.uniform(-0.8, 0.8), draw.uniform(-0.4, 0.4), 0.9])
        pane = pane @ Place().rotate([0, 1, 0], draw.uniform(-40, 40)) @ Place().scale(draw.uniform(0.2, 0.45))
        tint = {"type": "thindielectric", "specular_transmittance": rgb(draw.uniform(0.3, 1.0, 3))}
        yield Thing({"type": "rectangle", "to_world": pane}, tint, GLASS)
    if draw.random() < 0.4:
        ball = {
            "type": "sphere",
            "radius": draw.uniform(0.12, 0.3),
            "center": [draw.uniform(-1, 1), draw.uniform(-0.5, 0.5), 1],
        }
        yield Thing(ball, {"type": "dielectric", "int_ior": draw.uniform(1.33, 1.6)}, GLASS)
    for n in range(int(draw.integers(1, 4))):
        radii = tuple(float(v) for v in draw.uniform(0.08, 0.35, 3))
        shape = {"type": "obj", "filename": shapes.ellipsoid(folder / f"fruit{n}.obj", radii)}
        yield Thing(shape | {"to_world": _placed(draw, t, 1.0)}, _solid(draw, paint))


def veils(draw: Draw, paint: Light, t: float, folder: Path) -> Iterator[Thing]:
    """A woven cloth that lets light through, before and beside a solid figure."""
    from mitsuba import ScalarTransform4f as Place

    yield from figure(draw, paint, folder)
    for n in range(int(draw.integers(1, 3))):
        side, threads = 1024, int(draw.integers(60, 400))
        y, x = np.mgrid[0:side, 0:side] / side * threads
        thick = draw.uniform(0.15, 0.6)
        weave = np.maximum(_thread(x, thick, side / threads), _thread(y, thick, side / threads))
        if draw.random() < 0.4:
            weave = np.maximum(weave, np.float32(draw.uniform(0.5, 1)) * (photograph(draw, side, side)[..., 0] > 0.6))
        opacity = picture((weave * draw.uniform(0.5, 1.0)).clip(0, 1)[..., None])
        cloth = {"type": "twosided", "bsdf": {"type": "diffuse", "reflectance": _cloth(draw, paint)}}
        file = shapes.folded(folder / f"veil{n}.obj", draw, draw.uniform(0.6, 1.5), draw.uniform(0.8, 1.7), t)
        at = [draw.uniform(-0.5, 0.5), draw.uniform(-0.2, 0.3), draw.choice([0.7, -0.7]) + 0.1 * n]
        yield Thing(
            {"type": "obj", "filename": file, "to_world": Place().translate(at)},
            {"type": "mask", "opacity": opacity, "bsdf": cloth},
            GLASS,
        )


def _thread(x: Numbers, thick: float, wide: float) -> Light:
    """Threads side by side, their edges a pixel soft."""
    away = np.abs(x % 1 - 0.5)
    return np.clip((thick / 2 - away) * wide + 0.5, 0, 1).astype(np.float32)


def _cloth(draw: Draw, paint: Light) -> Part:
    kind = draw.random()
    if kind < 0.5:
        return rgb(linear(np.full(3, draw.uniform(0.3, 0.95), np.float32)) * draw.uniform(0.85, 1.0, 3))
    return rgb(draw.uniform(0.05, 0.8, 3)) if kind < 0.85 else rgb(_near_screen(draw, paint))


def figure(draw: Draw, paint: Light, folder: Path) -> Iterator[Thing]:
    """A head on shoulders."""
    from mitsuba import ScalarTransform4f as Place

    colour = rgb(draw.uniform([0.3, 0.15, 0.08], [0.75, 0.5, 0.4]))
    skin = {"type": "twosided", "bsdf": {"type": "roughplastic", "diffuse_reflectance": colour, "alpha": 0.25}}
    head = tuple(float(v) for v in draw.uniform([0.22, 0.28, 0.22], [0.3, 0.38, 0.3]))
    yield Thing({"type": "obj", "filename": shapes.ellipsoid(folder / "head.obj", head)}, skin)
    body = tuple(float(v) for v in draw.uniform([0.45, 0.5, 0.22], [0.7, 0.7, 0.3]))
    low = Place().translate([0, -head[1] - body[1] * 0.95, 0])
    shape = {"type": "obj", "filename": shapes.ellipsoid(folder / "body.obj", body), "to_world": low}
    yield Thing(shape, _solid(draw, paint))
    yield Thing({"type": "cylinder", "radius": 0.1, "p0": [0, -head[1] - 0.2, 0], "p1": [0, -0.1, 0]}, skin)


def haired(draw: Draw, paint: Light, t: float, folder: Path) -> Iterator[Thing]:
    """A head with hair of any colour, some of which meets the picture's upper border."""
    from mitsuba import ScalarTransform4f as Place

    lift = Place().translate([draw.uniform(-0.4, 0.4), draw.uniform(-0.2, 0.5), 0])
    head = np.zeros(3)
    for n, thing in enumerate(figure(draw, paint, folder)):
        if n == 0:
            head = np.loadtxt(_vertices(Path(thing.shape["filename"]))).max(axis=0)
        yield Thing(thing.shape | {"to_world": lift @ thing.shape.get("to_world", Place())}, thing.material)
    radii = tuple(float(v) for v in head * 1.01)
    file = shapes.strands(folder / "hair.txt", draw, int(draw.integers(1500, 9000)), radii, t)
    dark = draw.choice([0.03, 0.1, 0.4, 1.3, 4.0]) * draw.uniform(0.7, 1.4)
    colour: Part = {"type": "hair", "eumelanin": float(dark), "pheomelanin": float(draw.uniform(0, 0.5))}
    if draw.random() < 0.2:
        colour = {"type": "diffuse", "reflectance": rgb(draw.uniform(0.02, 0.9, 3))}
    yield Thing({"type": "bsplinecurve", "filename": file, "to_world": lift}, colour, HAIR)


def _vertices(path: Path) -> list[str]:
    return [line[2:] for line in path.read_text().splitlines() if line.startswith("v ")]


FAMILIES: dict[str, Stage] = {f.__name__: f for f in (haired, vessels, veils, solids)}


def staged(name: str, seed: int, t: float, folder: Path) -> tuple[Subject, Light]:
    """The subject of a plate of a family on frame `t`, and the light of its screen, linear.

    Everything is drawn anew from the seed on every frame, so that it is the same but for what moves with `t`.
    """
    draw = np.random.default_rng([seed, sum(map(ord, name))])
    light, paint = screen(draw)
    lit = lamps(draw)
    return Subject(list(FAMILIES[name](draw, paint, t, folder)), lit), light
