"""Plates that resemble camera footage, drawn at random from families, with exact truth."""

import tempfile
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path

import cv2
import numpy as np
from bench.drawn import Draw, handheld
from bench.quality import sets, subjects
from bench.quality.keyed import decoded
from bench.quality.plates import FRAMES, HEIGHT, WIDTH, Truth
from bench.quality.stock import Stock, grained, write
from bench.quality.subjects import ALPHA, GLASS, HAIR, RGB, SPILL, Canvas, Lay, Look

from upholster.demo.camera import Picture

#: Seeds that may be looked at while the key is worked on, and those that are only for the table.
TUNED, UNTOUCHED = (0, 1, 2), (342, 343, 344)


@dataclass
class Scene:
    """A set with a subject before it, and the camera that looks at both."""

    wall: sets.Wall
    subject: Lay
    camera: Callable[[float], Picture] = lambda t: np.eye(3, dtype=np.float32)
    shutter: float = 0.0
    exposures: int = 1
    light: Callable[[float], float] = lambda t: 1.0
    shadow: float = 0.0
    lens: float = 0.6
    noise: float = 0.008
    sharpened: float = 0.0
    stock: Stock = field(default_factory=Stock)


def _green(draw: Draw, spill: float, blue: float = 0.25) -> tuple[Picture, Look]:
    paint = sets.colour(draw, blue)
    return paint, Look(paint, spill)


def costume(draw: Draw) -> Scene:
    paint, look = _green(draw, draw.uniform(0.05, 0.2))
    return Scene(sets.even(draw, paint), subjects.figure(draw, look), lens=draw.uniform(0.5, 0.9))


def uneven(draw: Draw) -> Scene:
    paint, look = _green(draw, draw.uniform(0.1, 0.3))
    return Scene(sets.hung(draw, paint), subjects.figure(draw, look), shadow=draw.uniform(0.1, 0.35))


def hair(draw: Draw) -> Scene:
    paint, look = _green(draw, draw.uniform(0.05, 0.2))
    return Scene(sets.hung(draw, paint), subjects.haired(draw, look), lens=draw.uniform(0.4, 0.6))


def crossing(draw: Draw) -> Scene:
    paint, look = _green(draw, draw.uniform(0.05, 0.15))
    lay = subjects.crossing(draw, look)
    return Scene(sets.hung(draw, paint), lay, shutter=draw.uniform(0.4, 1.0), exposures=16)


def turning(draw: Draw) -> Scene:
    paint, look = _green(draw, draw.uniform(0.05, 0.15))
    lay = subjects.spinning(draw, look)
    return Scene(sets.hung(draw, paint), lay, shutter=draw.uniform(0.4, 1.0), exposures=12)


def glass(draw: Draw) -> Scene:
    paint, look = _green(draw, draw.uniform(0.0, 0.15))
    return Scene(sets.hung(draw, paint), subjects.glass(draw, look))


def gauze(draw: Draw) -> Scene:
    paint, look = _green(draw, draw.uniform(0.05, 0.15), blue=0.5)
    return Scene(sets.hung(draw, paint), subjects.gauze(draw, look))


def phone(draw: Draw) -> Scene:
    paint, look = _green(draw, draw.uniform(0.1, 0.25))
    lay = draw.choice([subjects.figure, subjects.haired])(draw, look)
    grain = draw.uniform(5, 8) / 255
    return Scene(sets.hung(draw, paint), lay, noise=grain, sharpened=draw.uniform(0.3, 0.8), stock=Stock(30))


def in_hand(draw: Draw) -> Scene:
    paint, look = _green(draw, draw.uniform(0.05, 0.25))
    camera = handheld(draw, draw.choice([0.0, draw.uniform(-6, 6)]))
    return Scene(sets.marked(draw, paint), subjects.figure(draw, look), camera, shutter=0.4, exposures=3)


def two_greens(draw: Draw) -> Scene:
    paint, look = _green(draw, draw.uniform(0.05, 0.2), blue=0.0)
    return Scene(sets.two_greens(draw, paint), subjects.figure(draw, look), shadow=draw.uniform(0, 0.3))


def small(draw: Draw) -> Scene:
    paint, look = _green(draw, draw.uniform(0.05, 0.2))
    lay = subjects.figure(draw, look, speed=0.6)
    return Scene(sets.small(draw, paint), _shrunk(lay, 0.62))


def ten_bit(draw: Draw) -> Scene:
    paint, look = _green(draw, draw.uniform(0.05, 0.2))
    lay = draw.choice([subjects.figure, subjects.haired])(draw, look)
    return Scene(sets.hung(draw, paint), lay, noise=0.006, stock=Stock(14, "yuv422p10le"))


def defocus(draw: Draw) -> Scene:
    """A lens out of focus, and an exposure that drifts."""
    paint, look = _green(draw, draw.uniform(0.05, 0.2))
    drift = draw.uniform(-0.03, 0.03)
    return Scene(
        sets.hung(draw, paint),
        subjects.figure(draw, look),
        light=lambda t: 1 + drift * t,
        lens=draw.uniform(1.5, 4.0),
        stock=Stock(centred=True),
    )


def wall(draw: Draw) -> Scene:
    """A painted wall: any colour that is no usual screen."""
    paint = draw.permuted([draw.uniform(0.6, 0.9), draw.uniform(0.2, 0.6), draw.uniform(0.08, 0.3)]).astype(np.float32)
    return Scene(sets.hung(draw, paint), subjects.figure(draw, Look(paint, draw.uniform(0, 0.1))))


def lettering(draw: Draw) -> Scene:
    paint, look = _green(draw, 0.0)
    wall = sets.Wall(*(p.copy() for p in sets.even(draw, paint)))
    wall.rgb[:] = paint
    return Scene(wall, subjects.lettering(draw, look), lens=0.4, noise=draw.choice([0.0, 0.004]))


def fog(draw: Draw) -> Scene:
    """Smoke and sparks that glow before black drapes."""
    return Scene(sets.drapes(draw), subjects.glow(draw), shutter=0.5, exposures=2)


def smoke(draw: Draw) -> Scene:
    """Dark smoke and ink before an unevenly lit white wall."""
    return Scene(sets.white(draw), subjects.ink(draw), shutter=0.5, exposures=2)


def _shrunk(lay: Lay, size: float) -> Lay:
    """A subject drawn smaller, in the middle of the picture."""
    inward = np.array([[size, 0, WIDTH / 2 * (1 - size)], [0, size, HEIGHT / 2 * (1 - size)]], np.float32)

    def shrunk(canvas: Canvas, t: float) -> None:
        full = Canvas()
        lay(full, t)
        canvas.lay(full.planes, inward)

    return shrunk


FAMILIES: dict[str, Callable[[Draw], Scene]] = {
    f.__name__: f
    for f in (
        costume, uneven, hair, crossing, turning, glass, gauze, phone, in_hand, two_greens, small, ten_bit, defocus,
        wall, lettering, fog, smoke,
    )
}  # fmt: skip


def exposed(scene: Scene, draw: Draw, n: int, times: int = 1) -> Truth:
    """Plate, coverage, straight colour, and where hair and glass are, of a frame.

    What is drawn is enlarged so many `times` before lens, grain and codec see it: edges are as soft then as lenses draw
    them at such sizes.
    """
    planes = np.zeros((HEIGHT, WIDTH, subjects.PLANES), np.float32)
    wall, screen = np.zeros((HEIGHT, WIDTH, 3), np.float32), np.zeros((HEIGHT, WIDTH), np.float32)
    shift = np.array([[1, 0, -sets.MARGIN], [0, 1, -sets.MARGIN], [0, 0, 1]], np.float32)
    for k in range(scene.exposures):
        t = n + scene.shutter * (k / scene.exposures - 0.5)
        canvas = Canvas()
        scene.subject(canvas, t)
        moved = scene.camera(t)
        planes += _seen(canvas.planes, moved) / scene.exposures
        wall += cv2.warpPerspective(scene.wall.rgb, moved @ shift, (WIDTH, HEIGHT), borderMode=cv2.BORDER_REFLECT)
        screen += cv2.warpPerspective(scene.wall.screen, moved @ shift, (WIDTH, HEIGHT), borderMode=cv2.BORDER_REFLECT)
    wall, screen, planes = (_enlarged(p, times) for p in (wall / scene.exposures, screen / scene.exposures, planes))
    if scene.shadow:
        cast = np.roll(planes[..., ALPHA], (24 * times, 50 * times), (0, 1))
        cast = cv2.GaussianBlur(cast, (0, 0), 22 * times)
        wall = wall * (1 - scene.shadow * cast)[..., None]
    wall = cv2.GaussianBlur(wall, (0, 0), scene.lens)
    planes = np.dstack([cv2.GaussianBlur(planes[..., c], (0, 0), scene.lens) for c in range(subjects.PLANES)])
    alpha = planes[..., ALPHA]
    light = cv2.GaussianBlur(wall, (0, 0), 25 * times)
    plate = planes[..., RGB] + planes[..., SPILL, None] * light + wall * (1 - alpha)[..., None]
    gain = np.float32(scene.light(n))
    plate = plate * gain
    plate = grained(plate, scene.noise, draw)
    if scene.sharpened:
        plate = plate + scene.sharpened * (plate - cv2.GaussianBlur(plate, (0, 0), 1.2))
    straight = planes[..., RGB] / np.maximum(alpha, 1e-4)[..., None] * gain
    shown = np.where(screen > 0.5, alpha, 0) if screen.min() < 1 else alpha
    return Truth(
        plate.clip(0, 1).astype(np.float32),
        shown.astype(np.float32),
        straight.clip(0, 1).astype(np.float32),
        planes[..., HAIR],
        planes[..., GLASS],
    )


def _enlarged(picture: Picture, times: int) -> Picture:
    if times == 1:
        return picture
    size = times * picture.shape[1], times * picture.shape[0]
    parts = np.dsplit(picture, range(4, picture.shape[2], 4)) if picture.ndim > 2 else [picture]
    # What a cubic overshoots was never there.
    larger = [cv2.resize(part, size, interpolation=cv2.INTER_CUBIC).clip(part.min(), part.max()) for part in parts]
    return np.dstack(larger) if picture.ndim > 2 else larger[0]


def _seen(planes: Picture, camera: Picture) -> Picture:
    if np.array_equal(camera, np.eye(3)):
        return planes
    parts = [np.ascontiguousarray(planes[..., :4]), np.ascontiguousarray(planes[..., 4:])]
    return np.dstack([cv2.warpPerspective(p, camera, (WIDTH, HEIGHT)) for p in parts])


def plate_of(name: str, seed: int, times: int = 1) -> tuple[Path, list[Truth]]:
    """A plate of a family, so many times as large, and its truth; of large ones there are fewer frames.

    Filmed unless it is there, in `upholster-quality` beside temporary files.
    """
    folder = Path(tempfile.gettempdir()) / "upholster-quality"
    stem = f"{name}-{seed}" if times == 1 else f"{name}-{seed}-{times}"
    path, kept = folder / f"{stem}.mp4", folder / f"{stem}.npz"
    if not kept.exists():
        folder.mkdir(parents=True, exist_ok=True)
        draw = np.random.default_rng([seed, sum(map(ord, name))])
        scene = FAMILIES[name](draw)
        truths = [exposed(scene, draw, n, times) for n in range(max(3, FRAMES // times))]
        planes = [np.dstack([t.rgb, t.alpha, t.hair, t.glass]) for t in truths]
        # Two benches may draw it at once.
        with tempfile.TemporaryDirectory(dir=folder) as own:
            write(Path(own) / path.name, [t.plate for t in truths], scene.stock)
            np.savez(Path(own) / kept.name, np.rint(np.stack(planes) * 65535).astype(np.uint16))
            (Path(own) / path.name).replace(path)
            (Path(own) / kept.name).replace(kept)
    with np.load(kept) as archive:
        planes = [p.astype(np.float32) / np.float32(65535) for p in archive["arr_0"]]
    plates = [p.transpose(1, 2, 0) for p in decoded(path)]
    return path, [
        Truth(plate, p[..., 3], p[..., :3], p[..., 4], p[..., 5]) for plate, p in zip(plates, planes, strict=True)
    ]
