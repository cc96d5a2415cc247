"""Small plates with known truth, made for the tests alone."""

from collections.abc import Sequence
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import cv2
import numpy as np
from numpy.typing import NDArray
from skimage import data

from upholster.core.documents.recipe import Recipe
from upholster.core.first_recipe import first_look
from upholster.core.pipeline.runner import key, plate_of
from upholster.core.pipeline.stage import Picture
from upholster.core.screen.clean_plate import ScreenKnowledge, measure_screen
from upholster.core.screen.survey import survey

Plane = NDArray[np.float32]

GREEN = (0.15, 0.60, 0.22)
BLUE = (0.12, 0.22, 0.62)
ORANGE = (0.85, 0.48, 0.16)
SKIN = (0.78, 0.56, 0.44)


def key_plate(
    rgb: Plane, recipe: Recipe, frame: int, known: ScreenKnowledge | None, *, around: Sequence[Plane] = (), **more: Any
) -> Picture:
    """Key a plate as it was shot; `around` are the plates before and after."""
    near = [plate_of(other) for other in around]
    return key(plate_of(rgb), recipe, frame, known, neighbours=lambda reach: near, **more)


def known_of(plates: list[Plane]) -> tuple[Recipe, ScreenKnowledge]:
    """The first recipe of a shot, and what is known of its screen."""
    taken = survey(dict(enumerate(plates)))
    recipe = first_look(taken).recipe
    known = measure_screen(taken, recipe.screen)
    assert known is not None
    return recipe, known


def flat(colour: tuple[float, float, float], width: int = 320, height: int = 180) -> Plane:
    """One colour, ``(3, height, width)``."""
    return np.broadcast_to(np.array(colour, np.float32)[:, None, None], (3, height, width)).copy()


def disc(width: int = 320, height: int = 180, *, x: float = 160, y: float = 90, radius: float = 50) -> Plane:
    """Coverage of a disc with an edge one pixel wide."""
    gy, gx = np.mgrid[0:height, 0:width].astype(np.float32)
    return np.clip(radius + 0.5 - np.hypot(gx - x, gy - y), 0, 1).astype(np.float32)


def shot(
    screen: tuple[float, float, float] = GREEN,
    subject: tuple[float, float, float] = SKIN,
    *,
    frame: int = 0,
    noise: float = 0.004,
    uneven: float = 0.0,
    soft: float = 1.0,
) -> tuple[Plane, Plane]:
    """A plate ``(3, h, w)`` of a disc before a screen, and its true matte."""
    alpha = disc(x=130 + 3 * frame)
    alpha = cv2.GaussianBlur(alpha, (0, 0), soft)
    ground = flat(screen)
    ground *= 1 + uneven * np.linspace(-1, 1, 320, dtype=np.float32)
    grain = np.random.default_rng(frame).normal(0, noise, ground.shape).astype(np.float32)
    return np.clip(flat(subject) * alpha + ground * (1 - alpha) + grain, 0, 1).astype(np.float32), alpha


def write_video(
    path: Path,
    frames: list[Plane],
    *,
    codec: str = "libx264",
    pixels: str = "yuv420p",
    rate: Fraction | int = 24,
    options: dict[str, str] | None = None,
    pts: list[int] | None = None,
) -> Path:
    """Encode RGB planes with PyAV's own conversion, BT.709 tagged; good enough where colour is not what is tested.

    Its title says whose it is: the same bytes from another test would be known already in the house they share.
    """
    with av.open(str(path), "w") as container:
        container.metadata["title"] = f"{path.parent.name}/{path.name}"
        stream = container.add_stream(codec, rate=Fraction(rate), options=options or {"crf": "14", "g": "12"})
        stream.height, stream.width = frames[0].shape[1:]
        stream.pix_fmt = pixels
        context = stream.codec_context
        context.colorspace = context.color_primaries = context.color_trc = 1
        context.color_range = 2 if pixels == "bgr24" else 1
        for n, rgb in enumerate(frames):
            picture = np.ascontiguousarray(np.rint(rgb.clip(0, 1) * 255).astype(np.uint8).transpose(1, 2, 0))
            frame = av.VideoFrame.from_ndarray(picture, "rgb24")
            if pixels != "rgb24":
                frame = frame.reformat(format=pixels, dst_colorspace="ITU709", dst_color_range="MPEG")
            frame.pts, frame.time_base = (pts[n] if pts else n), Fraction(1, 1000) if pts else 1 / Fraction(rate)
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    return path


def green_clip(path: Path, length: int = 24, uneven: float = 0.06) -> Path:
    """A short green-screen clip; clips of another length or light are other footage."""
    return write_video(path, [shot(frame=n, uneven=uneven)[0] for n in range(length)])


#: Frames on which the faulty clip has haze and a hole, and from which on its light is another.
HAZE_ON, HOLE_ON, LIGHT_FROM = range(2, 6), range(9, 13), 18


def faulty_clip(path: Path, length: int = 24) -> Path:
    """A clip whose key is wrong in three known ways.

    On `HAZE_ON` something grey hangs before the screen at the upper right; on `HOLE_ON` a patch of the subject, in its
    middle, is half the screen's colour; and from `LIGHT_FROM` on there is an eighth more light.
    """
    frames = []
    for n in range(length):
        rng = np.random.default_rng(n)
        alpha = cv2.GaussianBlur(disc(640, 360, x=300 + 2 * n, y=180, radius=110), (0, 0), 1.0)
        subject, ground = flat(SKIN, 640, 360), flat(GREEN, 640, 360)
        if n in HOLE_ON:
            patch = disc(640, 360, x=310 + 2 * n, y=170, radius=12)
            subject += 0.55 * patch * (flat(GREEN, 640, 360) - subject)
        dirt = disc(640, 360, x=560, y=60, radius=30)
        ground += 0.25 * dirt * (n in HAZE_ON) * (flat((0.4, 0.4, 0.4), 640, 360) - ground)
        plate = subject * alpha + ground * (1 - alpha)
        plate = plate * np.float32(1.0 if n < LIGHT_FROM else 1.12) + rng.normal(0, 0.004, plate.shape)
        frames.append(np.clip(plate, 0, 1).astype(np.float32))
    return write_video(path, frames)


def studio_clip(path: Path, length: int = 24, *, walls: bool = True) -> Path:
    """A disc with a green patch on it before a green screen that is darker in its lower left corner.

    With `walls` the screen is too small for the picture: walls, a lamp and a stand are in view.
    """
    frames = []
    # Cloth has something to hold on to.
    weave = np.random.default_rng(5).choice([0.7, 1.0], (10, 10)).repeat(3, 0).repeat(3, 1).astype(np.float32)
    for n in range(length):
        plate, _ = shot(frame=n, uneven=0.02)
        plate[:, 130:, 60:130] *= np.where(plate[1, 130:, 60:130] > 0.4, np.float32(0.6), np.float32(1))
        x = 130 + 3 * n
        plate[:, 75:105, x - 15 : x + 15] = np.array(GREEN, np.float32)[:, None, None] * weave
        if walls:
            plate[:, :14], plate[:, :, :50], plate[:, :, 290:] = 0.45, 0.38, 0.3
            plate[:, 5:12, 100:130] = 0.97
            plate[:, 20:, 20:26] = 0.1
        frames.append(plate)
    return write_video(path, frames)


def street(length: int = 24, seed: int = 0) -> tuple[list[Plane], list[Plane]]:
    """Plates of a patterned disc that walks over a patterned ground, no screen anywhere, and its true mattes."""
    rng = np.random.default_rng(seed)

    def pattern(width: int, height: int, tint: tuple[float, float, float]) -> Plane:
        whole = np.zeros((height, width), np.float32)
        for size in (2, 6, 16):
            whole += cv2.GaussianBlur(rng.normal(0, 1, whole.shape).astype(np.float32), (0, 0), size) * size
        return np.stack([np.clip(c + 0.12 * whole, 0.02, 0.98) for c in tint]).astype(np.float32)

    ground, skin = pattern(360, 200, (0.45, 0.42, 0.36)), pattern(120, 120, (0.62, 0.3, 0.34))
    plates, mattes = [], []
    for n in range(length):
        x, y = 90 + 4 * n, 90 + round(8 * np.sin(n / 4))
        matte = cv2.GaussianBlur(disc(x=x, y=y, radius=42), (0, 0), 0.8)
        subject = np.zeros((3, 180, 320), np.float32)
        left, top = x - 60, y - 60
        rows = slice(max(0, top), min(180, top + 120))
        subject[:, rows, left : left + 120] = skin[:, rows.start - top : rows.stop - top]
        plate = subject * matte + ground[:, 10:190, 20:340] * (1 - matte)
        grain = rng.normal(0, 0.006, plate.shape).astype(np.float32)
        plates.append(np.clip(plate + grain, 0, 1).astype(np.float32))
        mattes.append(matte)
    return plates, mattes


def street_strokes(frame: int = 0) -> list[dict[str, Any]]:
    """Strokes that a person would make on a frame of the street: over the disc, and around it."""
    x, y = 90 + 4 * frame, 90 + round(8 * np.sin(frame / 4))
    turns = np.linspace(0, 2 * np.pi, 25)
    ring = [[round(x + 60 * float(np.cos(t)), 1), round(y + 60 * float(np.sin(t)), 1)] for t in turns]
    keep = {"frame": frame, "kind": "keep", "radius": 9, "points": [[x - 18, y], [x + 18, y], [x, y - 18], [x, y + 18]]}
    return [keep, {"frame": frame, "kind": "drop", "radius": 5, "points": ring}]


def haired(frame: int = 0) -> tuple[Plane, Plane]:
    """A head with hair that goes by before a photograph, ``(3, 180, 320)``, and its coverage."""
    ground = cv2.GaussianBlur(cv2.resize(data.coffee(), (320, 180)), (0, 0), 1).astype(np.float32) / 255
    draw, middle = np.random.default_rng(5), np.array([110 + 3 * frame, 90.0])
    strands = np.zeros((180, 320), np.uint8)
    for turn in draw.uniform(0, 2 * np.pi, 120):
        out = np.array([np.cos(turn), np.sin(turn)])
        ends = [middle + out * 28, middle + out * draw.uniform(40, 52) + draw.normal(0, 3, 2)]
        cv2.polylines(strands, [np.rint(np.array(ends) * 16).astype(np.int32)], False, 255, 1, cv2.LINE_AA, 4)
    head = np.zeros_like(strands)
    cv2.circle(head, tuple(int(n) for n in middle), 34, 255, -1, cv2.LINE_AA)
    hair, skin = (cv2.GaussianBlur(p.astype(np.float32) / 255, (0, 0), 0.6)[..., None] for p in (strands, head))
    picture = ground + hair * (np.array([0.15, 0.5, 0.75], np.float32) - ground)
    picture = picture + skin * (np.array([0.2, 0.35, 0.7], np.float32) - picture)
    picture += np.random.default_rng(frame).normal(0, 0.008, picture.shape)
    cover = (skin + hair * (1 - skin))[..., 0]
    return picture.clip(0, 1).transpose(2, 0, 1).astype(np.float32), cover.astype(np.float32)


def haired_strokes() -> list[dict[str, Any]]:
    """Strokes that a person would make on its first frame."""
    around = [[20, 20], [200, 20], [220, 90], [200, 160], [20, 160]]
    return [
        {"frame": 0, "kind": "keep", "radius": 14, "points": [[100, 90], [120, 90]]},
        {"frame": 0, "kind": "drop", "radius": 8, "points": around},
    ]
