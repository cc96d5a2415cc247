"""Prints the table.

.venv/bin/python -m bench.quality [--case WORD] [--no-reference] [--lossless] [--pictures FOLDER]
"""

import argparse
import tempfile
import time
from pathlib import Path
from typing import Any, NamedTuple

import av
import cv2
import numpy as np
from bench.quality import metrics
from bench.quality.plates import CASES, FRAMES, Truth
from numpy.typing import NDArray

from upholster.core.composite import over
from upholster.core.first_recipe import first_look
from upholster.core.key import key
from upholster.core.screen.clean_plate import measure_screen
from upholster.core.screen.survey import survey
from upholster.demo.make import film
from upholster.media.decoder.reader import Reader

Plane = NDArray[np.float32]

MAGENTA = np.array([0.9, 0.1, 0.9], np.float32)[:, None, None]
GREY = np.array([0.5, 0.5, 0.5], np.float32)[:, None, None]
#: Frames the reference, which takes seconds for each, is run on.
REFERENCE_FRAMES = (3, 4)


class Result(NamedTuple):
    alphas: list[Plane]
    colours: list[Plane]
    milliseconds: float
    words: str


def footage(truths: list[Truth], folder: Path, lossless: bool) -> Path:
    if not lossless:
        path = folder / "plate.mp4"
        pictures = [t.plate for t in truths]
        film(path, len(truths), pictures.__getitem__)
        return path
    path = folder / "plate.mkv"
    with av.open(str(path), "w") as container:
        stream = container.add_stream("ffv1", rate=24)
        stream.height, stream.width = truths[0].alpha.shape
        stream.pix_fmt = "bgr0"
        for truth in truths:
            pixels = np.rint(truth.plate[..., ::-1] * 255).astype(np.uint8)
            frame = av.VideoFrame(stream.width, stream.height, "bgr0")
            rows = np.frombuffer(frame.planes[0], np.uint8).reshape(stream.height, -1)
            rows[:, : stream.width * 4] = cv2.cvtColor(pixels, cv2.COLOR_BGR2BGRA).reshape(stream.height, -1)
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    return path


def upholster(path: Path) -> Result:
    """Our key, with no recipe."""
    with Reader([path]) as reader:
        plates = [f.rgb for f in reader.frames(range(reader.facts.length))]
    taken = survey(dict(enumerate(plates)))
    recipe = first_look(taken).recipe
    known = measure_screen(taken, recipe.screen)
    key(plates[0], recipe, 0, known)
    began = time.perf_counter()
    keyed = [key(plate, recipe, n, known) for n, plate in enumerate(plates)]
    spent = (time.perf_counter() - began) / len(plates) * 1000
    words = f"{recipe.screen.kind}, clear {recipe.matte.clear:g}, solid {recipe.matte.solid:g}"
    return Result([k.alpha for k in keyed], [k.rgb for k in keyed], spent, words)


def reference(path: Path, truths: list[Truth]) -> Result:
    """Closed-form matting (Levin et al. 2008) told the unknown band of 8 pixels by the truth, with
    multi-level foreground (Germer et al. 2020), as PyMatting has them."""
    from pymatting import estimate_alpha_cf, estimate_foreground_ml

    alphas, colours = [], []
    began = time.perf_counter()
    with Reader([path]) as reader:
        for n in REFERENCE_FRAMES:
            plate = reader.frame(n).rgb.transpose(1, 2, 0).clip(0, 1).astype(np.float64)
            trimap = np.where(truths[n].alpha > 0.5, 1.0, 0.0)
            trimap[metrics.edge_band(truths[n].alpha)] = 0.5
            if not (trimap == 1).any():
                # All of it is blurred: the method still needs a few pixels to start from.
                trimap[truths[n].alpha >= truths[n].alpha.max() - 0.005] = 1.0
            alpha = estimate_alpha_cf(plate, trimap)
            alphas.append(alpha.astype(np.float32))
            colours.append(estimate_foreground_ml(plate, alpha).astype(np.float32).transpose(2, 0, 1))
    return Result(alphas, colours, (time.perf_counter() - began) / len(alphas) * 1000, "perfect trimap")


def row(name: str, result: Result, truths: list[Truth]) -> dict[str, Any]:
    pairs = list(zip(result.alphas, truths, strict=True))

    def mean(measure: Any) -> float:
        return float(np.mean([measure(found, t.alpha) for found, t in pairs]))

    def over_colour(colour: Plane) -> float:
        return float(
            np.mean(
                [
                    metrics.psnr(over(rgb, a, colour), over(t.rgb.transpose(2, 0, 1), t.alpha, colour))
                    for a, rgb, t in zip(result.alphas, result.colours, truths, strict=True)
                ]
            )
        )

    band = float(np.mean([metrics.mse(a[b], t.alpha[b]) for a, t in pairs for b in [metrics.edge_band(t.alpha)]]))
    found = {
        "mse": mean(metrics.mse) * 1000,
        "sad": mean(metrics.sad),
        "grad": mean(metrics.gradient),
        "conn": mean(metrics.connectivity),
        "band": band * 1000,
        "grey": over_colour(GREY),
        "magenta": over_colour(MAGENTA),
        "holes": mean(metrics.holes) * 100,
        "leaks": mean(metrics.leaks) * 100,
        "flicker": metrics.flicker(result.alphas, [t.alpha for t in truths]),
        "ms": result.milliseconds,
    }
    print(
        f"{name:<22}{found['mse']:>8.3f}{found['sad']:>8.2f}{found['grad']:>8.2f}{found['conn']:>8.2f}"
        f"{found['band']:>8.2f}{found['grey']:>7.1f}{found['magenta']:>8.1f}{found['holes']:>7.2f}"
        f"{found['leaks']:>7.2f}{found['flicker']:>8.2f}{found['ms']:>8.0f}  {result.words}",
        flush=True,
    )
    return found


def save_pictures(folder: Path, name: str, result: Result, truths: list[Truth]) -> None:
    """Truth and ours side by side: over magenta, and the matte."""
    n = len(truths) // 2
    truth = truths[n]
    pictures = [
        over(truth.rgb.transpose(2, 0, 1), truth.alpha, MAGENTA),
        over(result.colours[n], result.alphas[n], MAGENTA),
        np.repeat(result.alphas[n][None], 3, 0),
        np.repeat(np.abs(result.alphas[n] - truth.alpha)[None] * 4, 3, 0),
    ]
    rows = [np.concatenate(pictures[:2], axis=2), np.concatenate(pictures[2:], axis=2)]
    picture = np.concatenate(rows, axis=1)[::-1].transpose(1, 2, 0)
    folder.mkdir(parents=True, exist_ok=True)
    cv2.imwrite(str(folder / f"{name.replace(' ', '-')}.png"), np.rint(picture.clip(0, 1) * 255).astype(np.uint8))


def main() -> None:
    parser = argparse.ArgumentParser(prog="python -m bench.quality")
    parser.add_argument("--case", default="", help="only cases with this word")
    parser.add_argument("--no-reference", action="store_true")
    parser.add_argument("--lossless", action="store_true", help="lossless 4:4:4 instead of H.264 4:2:0")
    parser.add_argument("--pictures", type=Path, help="folder to save comparisons in")
    asked = parser.parse_args()
    print("mse and band x 1000; sad, grad, conn in thousands; PSNR in dB over grey and magenta; holes, leaks in %")
    print(f"{'':<22}{'mse':>8}{'sad':>8}{'grad':>8}{'conn':>8}{'band':>8}{'grey':>7}{'magenta':>8}{'holes':>7}"
          f"{'leaks':>7}{'flicker':>8}{'ms':>8}")  # fmt: skip
    for name, draw in CASES.items():
        if asked.case not in name:
            continue
        truths = [draw(n) for n in range(FRAMES)]
        with tempfile.TemporaryDirectory() as folder:
            path = footage(truths, Path(folder), asked.lossless)
            ours = upholster(path)
            row(name, ours, truths)
            if asked.pictures:
                save_pictures(asked.pictures, name, ours, truths)
            if not asked.no_reference:
                row("  closed form", reference(path, truths), [truths[n] for n in REFERENCE_FRAMES])


if __name__ == "__main__":
    main()
