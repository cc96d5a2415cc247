"""Drawing the demo's files anew: `python -m upholster.demo.make FOLDER`. `plates` is what came of it last."""

import sys
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from fractions import Fraction
from pathlib import Path
from typing import NamedTuple

import av
import cv2
import numpy as np

from upholster.core.yuv import from_rgb
from upholster.demo import bell, fair, grounds, ink, kite, lantern, marionette, moon, sparks, workshop
from upholster.demo.camera import Picture


def _marionette(frame: int) -> Picture:
    return marionette.shot(frame).plate


def _sparks(frame: int) -> Picture:
    return sparks.shot(frame).plate


def _kite(frame: int) -> Picture:
    return kite.shot(frame).plate


def _lantern(frame: int) -> Picture:
    return lantern.shot(frame).plate


def _ink(frame: int) -> Picture:
    return ink.shot(frame).plate


def _moon(frame: int) -> Picture:
    return moon.shot(frame).plate


def _fair(frame: int) -> Picture:
    return fair.shot(frame).plate


def _workshop(frame: int) -> Picture:
    return workshop.shot(frame).plate


class Clip(NamedTuple):
    """A clip of the demo: how long it is, what draws a frame, and x264's rate factor: grounds may be coarser."""

    frames: int
    draw: Callable[[int], Picture]
    crf: int = 16


CLIPS = {
    "marionette.mp4": Clip(marionette.FRAMES, _marionette),
    "workshop.mp4": Clip(workshop.FRAMES, _workshop, crf=18),
    "kite.mp4": Clip(kite.FRAMES, _kite, crf=19),
    "street-fair.mp4": Clip(fair.FRAMES, _fair, crf=19),
    "sparks.mp4": Clip(sparks.FRAMES, _sparks),
    "lantern.mp4": Clip(lantern.FRAMES, _lantern, crf=17),
    "ink-drops.mp4": Clip(ink.FRAMES, _ink, crf=17),
    "paper-moon.mp4": Clip(moon.FRAMES, _moon, crf=17),
    "attic-stage.mp4": Clip(grounds.FRAMES, grounds.attic_stage, crf=21),
}
STILL, SOUND = "night-harbour.png", "harbour-bell.flac"


def make(folder: Path) -> list[Path]:
    """The demo's files, those missing made first."""
    folder.mkdir(parents=True, exist_ok=True)
    still = folder / STILL
    if not still.exists():
        part = still.with_suffix(".part.png")
        cv2.imwrite(str(part), np.rint(grounds.night_harbour()[..., ::-1] * 255).astype(np.uint8))
        part.replace(still)
    if not (folder / SOUND).exists():
        bell.write(folder / SOUND)
    for name, clip in CLIPS.items():
        if not (folder / name).exists():
            film(folder / name, clip.frames, clip.draw, crf=clip.crf)
    return [folder / name for name in (*CLIPS, STILL, SOUND)]


def film(path: Path, frames: int, draw: Callable[[int], Picture], *, rate: int = 24, crf: int = 16) -> None:
    """Draw frames on all cores and write them as a camera would: H.264, 4:2:0, BT.709."""
    part = path.with_suffix(".part.mp4")
    with ProcessPoolExecutor() as pool, av.open(str(part), "w") as container:
        # One thread and no machine-specific paths, so the same pictures give the same bytes.
        options = {"crf": str(crf), "preset": "medium", "x264-params": "cpu-independent=1"}
        stream = container.add_stream("libx264", rate=Fraction(rate), options=options)
        context = stream.codec_context
        context.thread_count = 1
        context.colorspace = context.color_primaries = context.color_trc = 1
        context.color_range = 1
        for n, picture in enumerate(pool.map(draw, range(frames), chunksize=4)):
            if n == 0:
                stream.height, stream.width = picture.shape[:2]
                stream.pix_fmt = "yuv420p"
            frame = to_yuv420(picture)
            frame.pts, frame.time_base = n, Fraction(1, rate)
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    part.replace(path)


def to_yuv420(picture: Picture) -> av.VideoFrame:
    """Encoded RGB ``(h, w, 3)`` as an 8-bit BT.709 4:2:0 frame, chroma sited at the left."""
    height, width = picture.shape[:2]
    y, cb, cr = from_rgb(
        np.ascontiguousarray(picture.transpose(2, 0, 1)), depth=16, matrix="bt709", code_range="limited"
    )
    frame = av.VideoFrame(width, height, "yuv420p")
    planes = [y, *(_halve(c) for c in (cb, cr))]
    for plane, data in zip(frame.planes, planes, strict=True):
        rows = np.frombuffer(plane, np.uint8).reshape(plane.height, plane.line_size)
        rows[:, : plane.width] = np.clip(np.rint(data.astype(np.float32) / 256), 0, 255)
    return frame


def _halve(chroma: np.ndarray) -> np.ndarray:
    """Low-passed and sampled at even columns, between rows."""
    soft = cv2.sepFilter2D(chroma.astype(np.float32), -1, np.array([0.25, 0.5, 0.25]), np.array([1.0]))
    return (soft[0::2, 0::2] + soft[1::2, 0::2]) / 2


if __name__ == "__main__":
    make(Path(sys.argv[1]))
