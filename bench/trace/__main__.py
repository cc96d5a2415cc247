"""Tracing on plates with exact truth: how good, how fast, and against what a person would do without it.

``python -m bench.trace [--tuned | --untouched] [FAMILY ...]``; plates are made once, in ``$TMPDIR/upholster-trace``.
Seeds 0 to 2 were looked at while tuning; 17 was not. Seeds 10 to 16 are in older tables.
"""

import argparse
import os
import tempfile
import time
from collections.abc import Callable, Sequence
from concurrent.futures import ProcessPoolExecutor
from functools import partial
from pathlib import Path
from typing import NamedTuple

import cv2
import numpy as np
from bench.trace import metrics
from bench.trace.plates import FAMILIES, FRAMES, HEIGHT, WIDTH, WITHOUT_PLATE, film
from bench.trace.strokes import on_base, where_wrong
from numpy.typing import NDArray

from upholster.core.documents.strokes import Stroke, Strokes
from upholster.core.documents.traces import Trace
from upholster.core.trace.foreground import foreground
from upholster.core.trace.geometry import box_around
from upholster.core.trace.motion import motion
from upholster.core.trace.run import preview, run
from upholster.core.trace.scene import Scene
from upholster.core.trace.seen import Seen, seen
from upholster.media.decoder.reader import Reader, probe

Plane = NDArray[np.float32]
TUNED, UNTOUCHED = (0, 1, 2), (17,)
FOLDER = Path(tempfile.gettempdir()) / "upholster-trace"


class Plate(NamedTuple):
    rgb: list[Plane]
    seen: list[Seen]
    truth: list[Plane]


class Result(NamedTuple):
    """Figures of one way on one plate."""

    overlap: float
    worst: float
    error: float
    band: float
    boundary: float
    flicker: float
    milliseconds: float


def load(name: str, seed: int) -> Plate:
    video, truth = film(name, seed, FOLDER)
    with Reader([video], probe([video])) as reader:
        rgb = [frame.rgb for frame in reader.frames(range(FRAMES))]
    with np.load(truth) as kept:
        covers = [cover.astype(np.float32) / np.float32(255) for cover in kept["arr_0"]]
    return Plate(rgb, [seen(p) for p in rgb], covers)


def traced(plate: Plate, strokes: Sequence[Stroke]) -> tuple[list[Plane], list[float]]:
    """The mattes from strokes on some frames, and the seconds each took."""
    trace = Trace(strokes=Strokes(tuple(strokes)), last=FRAMES - 1)
    covers: list[Plane] = [plate.truth[0]] * FRAMES
    took = []
    began = time.perf_counter()
    for made in run(trace, plate.seen.__getitem__, FRAMES, (WIDTH, HEIGHT), lambda frame: None):
        covers[made.frame] = made.cover
        took.append(time.perf_counter() - began)
        began = time.perf_counter()
    return covers, took


def brushed(plate: Plate, draw: np.random.Generator) -> tuple[list[Stroke], float]:
    """Strokes on the base frame: first ones, and twice more where the matte that a person sees is wrong.

    With the most milliseconds from a stroke to the matte, where the frame was looked around before as on the Bench, and
    a matte was made before in this process.
    """
    strokes = on_base(plate.truth[0], 0, draw)
    scene = Scene(plate.seen.__getitem__, FRAMES)
    scene.prepare(0)
    preview(scene, Trace(strokes=Strokes(tuple(strokes)), last=0), 0, (WIDTH, HEIGHT), None)
    took = 0.0
    for _ in range(2):
        trace = Trace(strokes=Strokes(tuple(strokes)), last=0)
        began = time.perf_counter()
        made = preview(scene, trace, 0, (WIDTH, HEIGHT), None)
        took = max(took, 1000 * (time.perf_counter() - began))
        strokes += where_wrong(made.cover, plate.truth[0], 0, draw)
    return strokes, took


def corrected(
    plate: Plate, strokes: Sequence[Stroke], covers: Sequence[Plane], draw: np.random.Generator
) -> list[Stroke]:
    """Strokes on two more frames, twice: whoever corrects a frame sees what came of it, and corrects it once more."""
    frames = worst(plate, covers)
    more = [*strokes, *on_wrong(plate, covers, frames, draw)]
    again, _ = traced(plate, more)
    return more + on_wrong(plate, again, frames, draw)


def worst(plate: Plate, covers: Sequence[Plane]) -> list[int]:
    """The worst frame of either half of what comes after the base."""
    found = [metrics.overlap(c, t) for c, t in zip(covers, plate.truth, strict=True)]
    third = FRAMES // 3
    return [int(np.argmin(found[third : 2 * third])) + third, int(np.argmin(found[2 * third :])) + 2 * third]


def on_wrong(plate: Plate, covers: Sequence[Plane], frames: Sequence[int], draw: np.random.Generator) -> list[Stroke]:
    """Strokes where mattes of some frames are wrong."""
    return [stroke for f in frames for stroke in where_wrong(covers[f], plate.truth[f], f, draw)]


def warped(plate: Plate, base: Plane) -> tuple[list[Plane], list[float]]:
    """The base matte carried by motion alone."""
    covers, took = [base], []
    for n in range(1, FRAMES):
        began = time.perf_counter()
        covers.append(_moved(plate, n, covers[-1]))
        took.append(time.perf_counter() - began)
    return covers, took


def cut(plate: Plate, base: Plane) -> tuple[list[Plane], list[float]]:
    """GrabCut (OpenCV's) on every frame, from the matte before it carried by motion."""
    covers, took = [base], []
    for n in range(1, FRAMES):
        began = time.perf_counter()
        # At half the size it is as good, and five times as fast.
        moved = cv2.resize(_moved(plate, n, covers[-1]), (WIDTH // 2, HEIGHT // 2), interpolation=cv2.INTER_AREA)
        sure, maybe = cv2.erode(moved, np.ones((7, 7))), cv2.dilate(moved, np.ones((13, 13)))
        mask = np.full(moved.shape, cv2.GC_BGD, np.uint8)
        mask[maybe > 0.5], mask[moved > 0.5], mask[sure > 0.5] = cv2.GC_PR_BGD, cv2.GC_PR_FGD, cv2.GC_FGD
        picture = np.rint(plate.rgb[n].transpose(1, 2, 0)[..., ::-1] * 255).astype(np.uint8)
        picture = cv2.resize(picture, (WIDTH // 2, HEIGHT // 2), interpolation=cv2.INTER_AREA)
        if (mask == cv2.GC_FGD).any():
            models = np.zeros((1, 65)), np.zeros((1, 65))
            cv2.grabCut(picture, mask, None, *models, 5, cv2.GC_INIT_WITH_MASK)
        small = ((mask == cv2.GC_FGD) | (mask == cv2.GC_PR_FGD)).astype(np.float32)
        covers.append(cv2.resize(small, (WIDTH, HEIGHT), interpolation=cv2.INTER_LINEAR))
        took.append(time.perf_counter() - began)
    return covers, took


def _moved(plate: Plate, n: int, before: Plane) -> Plane:
    box = box_around(before > 0.05, 76)
    if box is None:
        return before
    back, _ = motion(plate.seen[n - 1], plate.seen[n], box)
    out = np.zeros_like(before)
    part = np.ascontiguousarray(before[box.slices])
    out[box.slices] = cv2.remap(part, back[..., 0], back[..., 1], cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    return out


def feathered(covers: Sequence[Plane], truth: Sequence[Plane]) -> float:
    """The least error in the band that hard mattes come to, blurred as well as one blur can."""
    hard = [(c >= 0.5).astype(np.float32) for c in covers[::6]]

    def error(sigma: float) -> float:
        soft = (cv2.GaussianBlur(c, (0, 0), sigma) for c in hard)
        return float(np.mean([metrics.in_band(c, t) for c, t in zip(soft, truth[::6], strict=True)]))

    return min(error(sigma) for sigma in (0.5, 0.8, 1.2, 1.8, 2.6, 4.0))


def over_magenta(plate: Plate, covers: Sequence[Plane]) -> float:
    """By how many dB the subject's own colours come nearer to the truth over magenta than the plate's do."""
    ground = np.array([1, 0, 1], np.float32)[:, None, None]
    gains = []
    for n in range(0, FRAMES, 10):
        cover, true = covers[n], plate.truth[n]
        # What is truly there: the plate's colours with the true ground taken out, by the same way and a true matte.
        target = foreground(plate.rgb[n], true) * true + ground * (1 - true)
        ours, plain = (rgb * cover + ground * (1 - cover) for rgb in (foreground(plate.rgb[n], cover), plate.rgb[n]))
        one, two = (float(np.mean((p - target) ** 2)) for p in (ours, plain))
        gains.append(10 * np.log10(max(two, 1e-9) / max(one, 1e-9)))
    return float(np.mean(gains))


def measured(covers: Sequence[Plane], truth: Sequence[Plane], took: Sequence[float]) -> Result:
    overlaps = [metrics.overlap(c, t) for c, t in zip(covers, truth, strict=True)]
    flicker = [
        float(np.abs((b - a) - (v - u)).mean())
        for a, b, u, v in zip(covers, covers[1:], truth, truth[1:], strict=False)
    ]
    means = [
        float(np.mean([act(c, t) for c, t in zip(covers, truth, strict=True)]))
        for act in (metrics.squared, metrics.in_band, metrics.boundary)
    ]
    per_frame = 1000 * float(np.mean(took[1:] or took))
    return Result(float(np.mean(overlaps)), min(overlaps), *means, 1000 * float(np.mean(flicker)), per_frame)


def plate_figures(job: tuple[str, int]) -> dict[str, Result | float]:
    """All ways on one plate."""
    cv2.setNumThreads(1)
    name, seed = job
    plate = load(name, seed)
    draw = np.random.default_rng(seed)
    strokes, first = brushed(plate, draw)
    covers, took = traced(plate, strokes)
    more = corrected(plate, strokes, covers, draw)
    better, better_took = traced(plate, more)
    out: dict[str, Result | float] = {
        "ours": measured(covers, plate.truth, took),
        "corrected": measured(better, plate.truth, better_took),
        "GrabCut": measured(*_with(plate, cut, covers[0])),
        "warp": measured(*_with(plate, warped, covers[0])),
        "first": first,
        "base": metrics.overlap(covers[0], plate.truth[0]),
        "feathered": feathered(covers, plate.truth),
        "magenta": over_magenta(plate, covers),
    }
    on = sorted({stroke.frame for stroke in more} - {0})
    out["on corrected"] = float(np.mean([metrics.overlap(better[f], plate.truth[f]) for f in on])) if on else 1.0
    return out


def _with(
    plate: Plate, way: Callable[[Plate, Plane], tuple[list[Plane], list[float]]], base: Plane
) -> tuple[list[Plane], list[Plane], list[float]]:
    covers, took = way(plate, base)
    return covers, plate.truth, took


def main() -> None:
    asked = argparse.ArgumentParser()
    asked.add_argument("--tuned", action="store_true")
    asked.add_argument("--untouched", action="store_true")
    asked.add_argument("--workers", type=int, default=1)
    asked.add_argument("families", nargs="*")
    given = asked.parse_args()
    seeds = TUNED if given.tuned or not given.untouched else UNTOUCHED
    every = FAMILIES | WITHOUT_PLATE
    jobs = [(name, seed) for name in given.families or every for seed in seeds]
    with ProcessPoolExecutor(os.cpu_count()) as pool:
        list(pool.map(partial(film, folder=FOLDER), *zip(*jobs, strict=True)))
    print(f"{'':13}mean  worst  error  bound.   corrected: the same, and there   GrabCut       warp     ms of both")
    found = {}
    with ProcessPoolExecutor(given.workers) as pool:
        for job, figures in zip(jobs, pool.map(plate_figures, jobs), strict=True):
            found[job] = figures
            _print(f"{job[0]} {job[1]}", [figures])
    groups = {"with a plate": FAMILIES, "without": WITHOUT_PLATE}
    for words, families in groups.items():
        some = [figures for (name, _), figures in found.items() if name in families]
        if some:
            _print(words, some)


def _print(words: str, some: Sequence[dict[str, Result | float]]) -> None:
    def mean(way: str, field: str) -> float:
        return float(np.mean([getattr(figures[way], field) for figures in some]))

    def plain(name: str) -> float:
        return float(np.mean([figures[name] for figures in some]))

    def shown(way: str, *fields: str) -> str:
        return " ".join(
            f"{mean(way, field):6.2f}" if field == "error" else f"{mean(way, field):.3f}" for field in fields
        )

    ours = shown("ours", "overlap", "worst", "error", "boundary")
    better = f"{shown('corrected', 'overlap', 'worst', 'error')} {plain('on corrected'):.3f}"
    others = "   ".join(shown(way, "overlap", "error") for way in ("GrabCut", "warp"))
    slow, fast = mean("GrabCut", "milliseconds"), mean("ours", "milliseconds")
    print(f"{words:13}{ours}   {better}   {others}   {fast:4.0f} {slow:5.0f}")
    edge = f"edge {mean('ours', 'band'):.1f}, hard and feathered {plain('feathered'):.1f}"
    first = f"base {plain('base'):.3f} in {plain('first'):.0f} ms"
    flicker = f"flicker {mean('ours', 'flicker'):.2f}, GrabCut {mean('GrabCut', 'flicker'):.2f}"
    print(f"{'':13}{first}; {edge}; over magenta +{plain('magenta'):.1f} dB; {flicker}")


if __name__ == "__main__":
    main()
