"""Three renders of a frame, and where hair and glass are."""

import tempfile
from pathlib import Path

import numpy as np
from bench.quality import sets
from bench.quality.plates import HEIGHT, WIDTH
from bench.rendered import scenes
from bench.rendered.scenes import ANGLE, BEFORE, BEHIND, Part, Subject, Thing
from bench.rendered.truth import Light, Lit

#: How often light may bounce.
BOUNCES = 10
_BLACK: Part = {"type": "twosided", "bsdf": {"type": "diffuse", "reflectance": {"type": "rgb", "value": 0.0}}}
_WHITE: Part = {"type": "diffuse", "reflectance": {"type": "rgb", "value": 1.0}}


def lit(name: str, seed: int, t: float, rays: int) -> tuple[Lit, Light, dict[str, Light]]:
    """A frame of a plate of a family: three renders, the screen alone, and the shares of hair and glass."""
    with tempfile.TemporaryDirectory() as folder:
        subject, light = scenes.staged(name, seed, t, Path(folder))
        black = Subject([thing._replace(material=blackened(thing.material)) for thing in subject.things], [])
        alone = _render(Subject([], []), light, 9, "direct")
        found = Lit(
            _render(subject, light, rays, "path"),
            _render(black, light, rays, "path"),
            _render(black, np.ones_like(light), rays, "path"),
        )
        kinds = {kind: _share(subject, light, kind) for kind in (scenes.HAIR, scenes.GLASS)}
    return found, alone, kinds


def blackened(material: Part) -> Part:
    """The material that lets through what it did, and sends nothing back."""
    if material["type"] in ("dielectric", "thindielectric"):
        return material | {"specular_reflectance": {"type": "rgb", "value": 0.0}}
    return material | {"bsdf": _BLACK} if material["type"] == "mask" else _BLACK


def _share(subject: Subject, light: Light, kind: str) -> Light:
    def painted(thing: Thing) -> Thing:
        return thing._replace(material=_WHITE if thing.kind == kind else _BLACK)

    if not any(thing.kind == kind for thing in subject.things):
        return np.zeros((HEIGHT, WIDTH), np.float32)
    return _render(Subject([painted(thing) for thing in subject.things], []), light, 16, "albedo")[..., 0]


def _render(subject: Subject, light: Light, rays: int, how: str) -> Light:
    import mitsuba as mi
    from mitsuba import ScalarTransform4f as Place

    integrator: Part = {"type": how, "max_depth": BOUNCES} if how == "path" else {"type": how}
    if how == "albedo":
        integrator = {"type": "aov", "aovs": "albedo:albedo"}
    # The screen fills the picture with the part of its set that the bench's camera sees.
    high = 1 + 2 * sets.MARGIN / HEIGHT
    wide = 1 + 2 * sets.MARGIN / WIDTH
    half = (BEFORE + BEHIND) * np.tan(np.radians(ANGLE / 2))
    # A bitmap's first row is at the bottom of a rectangle turned upright.
    wall = Place().translate([0, 0, -BEHIND]) @ Place().scale([half * wide, half * high * HEIGHT / WIDTH, 1])
    scene: Part = {
        "type": "scene",
        "integrator": integrator,
        "sensor": {
            "type": "perspective",
            "fov": ANGLE,
            "to_world": Place().look_at(origin=[0, 0, BEFORE], target=[0, 0, 0], up=[0, 1, 0]),
            "film": {
                "type": "hdrfilm", "width": WIDTH, "height": HEIGHT, "pixel_format": "rgb",
                "component_format": "float32", "rfilter": {"type": "gaussian"},
            },
            "sampler": {"type": "multijitter", "sample_count": rays},
        },
        "wall": {
            "type": "rectangle", "to_world": wall, "bsdf": _BLACK,
            "emitter": {"type": "area", "radiance": scenes.picture(light)},
        },
    }  # fmt: skip
    for n, lamp in enumerate(subject.lamps):
        scene[f"lamp{n}"] = lamp
    for n, thing in enumerate(subject.things):
        scene[f"thing{n}"] = thing.shape | {"bsdf": thing.material}
    rendered = np.array(mi.render(mi.load_dict(scene), seed=1))
    return np.ascontiguousarray(rendered[..., -3:] if how == "albedo" else rendered[..., :3], np.float32)
