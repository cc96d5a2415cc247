"""Prints the table.

    .venv/bin/python -m bench.quality [--case WORD] [--no-reference] [--lossless] [--pictures FOLDER]
                                      [--plates FOLDER]

Under each case stand, for comparison: the key with its one control for glass drawn, where the subject is
glass; PyMatting's closed form with a perfect trimap, on the plate as FFmpeg's scaler decodes it; and the
same on the plate as Upholster decodes it, whose chroma is rebuilt already.

`--plates` takes cases from a folder instead of drawing them: each is a folder with a `plate` (a file or a
folder of pictures), a folder `matte` of grey pictures, and a folder `colour` with the subject's straight colour.
"""

import argparse
import tempfile
import time
import warnings
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
from upholster.core.pipeline.runner import key, plate_of
from upholster.core.screen.clean_plate import measure_screen
from upholster.core.screen.survey import survey
from upholster.demo.make import film
from upholster.media.decoder.reader import Reader
from upholster.media.sequences import find_pictures

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


def upholster(path: Path, see_through: float = 0.0) -> Result:
    """Our key, with no recipe but `see_through`."""
    plates = decoded(path)
    taken = survey(dict(enumerate(plates)))
    recipe = first_look(taken).recipe
    recipe = recipe.model_copy(update={"matte": recipe.matte.model_copy(update={"see_through": see_through})})
    known = measure_screen(taken, recipe.screen)
    key(plate_of(plates[0]), recipe, 0, known)
    began = time.perf_counter()
    keyed = [key(plate_of(plate), recipe, n, known) for n, plate in enumerate(plates)]
    spent = (time.perf_counter() - began) / len(plates) * 1000
    words = f"{recipe.screen.kind}, clear {recipe.matte.black_point:g}, solid {recipe.matte.white_point:g}"
    return Result([k.alpha for k in keyed], [k.rgb for k in keyed], spent, words)


def decoded(path: Path) -> list[Plane]:
    """The plates as Upholster reads them."""
    with Reader(find_pictures(str(path))) as reader:
        return [f.rgb for f in reader.frames(range(reader.facts.length))]


def plainly_decoded(path: Path) -> list[Plane]:
    """The plates as FFmpeg's scaler turns them into RGB, matrix and range stated."""
    with av.open(str(path)) as container:
        frames = [
            frame.to_ndarray(format="rgb24")
            if frame.format.is_rgb
            else frame.reformat(
                format="rgb24", src_colorspace="ITU709", src_color_range="MPEG", dst_color_range="JPEG",
                interpolation="BICUBIC",
            ).to_ndarray()
            for frame in container.decode(video=0)
        ]  # fmt: skip
    return [frame.transpose(2, 0, 1).astype(np.float32) / np.float32(255) for frame in frames]


def reference(plates: list[Plane], truths: list[Truth], words: str) -> Result:
    """Closed-form matting (Levin et al. 2008) told the unknown band of 8 pixels by the truth, with
    multi-level foreground (Germer et al. 2020), as PyMatting has them."""
    from pymatting import estimate_alpha_cf, estimate_foreground_ml

    alphas, colours = [], []
    began = time.perf_counter()
    for n in REFERENCE_FRAMES:
        plate = plates[n].transpose(1, 2, 0).clip(0, 1).astype(np.float64)
        trimap = np.where(truths[n].alpha > 0.5, 1.0, 0.0)
        trimap[metrics.edge_band(truths[n].alpha)] = 0.5
        if not (trimap == 1).any():
            # All of it is blurred: the method still needs a few pixels to start from.
            trimap[truths[n].alpha >= truths[n].alpha.max() - 0.005] = 1.0
        alpha = estimate_alpha_cf(plate, trimap)
        alphas.append(alpha.astype(np.float32))
        colours.append(estimate_foreground_ml(plate, alpha).astype(np.float32).transpose(2, 0, 1))
    return Result(alphas, colours, (time.perf_counter() - began) / len(alphas) * 1000, words)


def from_folder(folder: Path) -> tuple[Path, list[Truth]]:
    """A case somebody else made: its plate, and the truth."""
    plate = next(p for p in sorted(folder.iterdir()) if p.stem == "plate")
    mattes, colours = decoded(folder / "matte"), decoded(folder / "colour")
    truths = [
        Truth(p.transpose(1, 2, 0), m[0], c.transpose(1, 2, 0))
        for p, m, c in zip(decoded(plate), mattes, colours, strict=True)
    ]
    return plate, truths


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
    parser.add_argument("--plates", type=Path, help="folder of cases to take instead of the drawn ones")
    asked = parser.parse_args()
    warnings.filterwarnings("ignore", module="pymatting")
    print("mse and band x 1000; sad, grad, conn in thousands; PSNR in dB over grey and magenta; holes, leaks in %")
    print(f"{'':<22}{'mse':>8}{'sad':>8}{'grad':>8}{'conn':>8}{'band':>8}{'grey':>7}{'magenta':>8}{'holes':>7}"
          f"{'leaks':>7}{'flicker':>8}{'ms':>8}")  # fmt: skip
    names = sorted(p.name for p in asked.plates.iterdir() if p.is_dir()) if asked.plates else list(CASES)
    for name in names:
        if asked.case not in name:
            continue
        with tempfile.TemporaryDirectory() as folder:
            if asked.plates:
                path, truths = from_folder(asked.plates / name)
            else:
                truths = [CASES[name](n) for n in range(FRAMES)]
                path = footage(truths, Path(folder), asked.lossless)
            ours = upholster(path)
            row(name, ours, truths)
            if asked.pictures:
                save_pictures(asked.pictures, name, ours, truths)
            if "glass" in name:
                row("  glass let through", upholster(path, see_through=1.0), truths)
            if not asked.no_reference:
                some = [truths[n] for n in REFERENCE_FRAMES]
                if path.is_file():
                    row("  closed form", reference(plainly_decoded(path), truths, "perfect trimap"), some)
                row("  ditto, our decoding", reference(decoded(path), truths, "perfect trimap"), some)


if __name__ == "__main__":
    main()
