"""What keying adds to a render, and whether its memory grows with length.

    .venv/bin/python bench/render.py [PLATE] [--frames 48]

Processor seconds (this process, its threads and its decoding children) of a render to each format,
divided by those of decoding and encoding the same frames with no keying at all, in the same run.
"""

import argparse
import resource
import subprocess
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from upholster.core.first_recipe import first_look
from upholster.core.recipe import Recipe
from upholster.core.screen.clean_plate import ScreenKnowledge
from upholster.demo.make import make
from upholster.media.decoder.reader import Reader, probe
from upholster.media.formats import FORMATS, Format
from upholster.media.writer import open_writer
from upholster.memory import keep_freed_memory
from upholster.studio.keying import Footage, keyed_frames, prove_keyed, screen_of, survey_footage, write_keyed

Plane = NDArray[np.float32]


def processor_seconds(work: Callable[[], object]) -> float:
    def now() -> float:
        return sum(
            resource.getrusage(who).ru_utime + resource.getrusage(who).ru_stime
            for who in (resource.RUSAGE_SELF, resource.RUSAGE_CHILDREN)
        )

    before = now()
    work()
    return now() - before


class Costs(NamedTuple):
    """Processor seconds of one format."""

    floor: float
    keyed: float
    proof: float


def ratios(plate: Path, frames: int) -> None:
    footage = Footage((plate,), probe([plate]))
    taken = survey_footage(footage)
    recipe = first_look(taken).recipe
    known = screen_of(taken, recipe)
    numbers = range(min(frames, footage.facts.length))
    facts = footage.facts
    # The floor encodes the same pictures as the render, so that they cost the encoder the same.
    pictures = list(keyed_frames(footage, recipe, known, numbers))
    print(f"{plate.name}, {len(numbers)} frames of {facts.width}x{facts.height}, one encoding thread")
    print(f"{'format':<12} {'decode+encode':>14} {'with key':>10} {'ratio':>7} {'with proof':>11}")
    for form in FORMATS.values():
        with tempfile.TemporaryDirectory() as folder:
            cost = costs(form, footage, recipe, known, numbers, pictures, Path(folder))
        print(
            f"{form.name:<12} {cost.floor:>12.2f} s {cost.keyed:>8.2f} s {cost.keyed / cost.floor:>7.2f} "
            f"{(cost.keyed + cost.proof) / cost.floor:>11.2f}"
        )


def costs(
    form: Format,
    footage: Footage,
    recipe: Recipe,
    known: ScreenKnowledge | None,
    numbers: range,
    pictures: list[tuple[Plane, Plane]],
    folder: Path,
) -> Costs:
    kind, facts = form.alpha_kinds[0], footage.facts
    bare, out = (folder / f"{name}{form.suffix}" for name in ("bare", "keyed"))

    def decode_and_encode() -> None:
        size = {"width": facts.width, "height": facts.height, "rate": facts.rate}
        with Reader(footage.files, facts) as reader, open_writer(form, bare, alpha=kind, **size) as writer:
            for _, (rgb, alpha) in zip(reader.frames(numbers), pictures, strict=True):
                writer.write(rgb, alpha)

    floor = processor_seconds(decode_and_encode)
    keyed = processor_seconds(lambda: write_keyed(footage, recipe, known, numbers, form, out, kind))
    files = sorted(out.glob("*.png")) if form.sequence else [out]
    proof = processor_seconds(lambda: prove_keyed(footage, recipe, known, numbers, form, files, kind))
    return Costs(floor, keyed, proof)


def memory() -> None:
    """Peak memory of rendering the same pictures 96 and 960 frames long, each in a process of its own."""
    with tempfile.TemporaryDirectory() as folder:
        plates = make(Path(tempfile.gettempdir()) / "upholster-bench-demo")
        for length in (96, 960):
            long = Path(folder) / f"{length}.mkv"
            looped = [
                "ffmpeg",
                "-v",
                "error",
                "-stream_loop",
                str(length // 96 - 1),
                "-i",
                plates[0],
                "-c",
                "copy",
                long,
            ]
            subprocess.run([str(word) for word in looped], check=True)
            done = subprocess.run(
                [sys.executable, __file__, str(long), "--peak", str(Path(folder) / f"{length}.out.mkv")],
                capture_output=True,
                text=True,
                check=True,
            )
            print(f"{length:>4} frames: peak {done.stdout.strip()} MB")


def peak(plate: Path, out: Path) -> None:
    keep_freed_memory()
    footage = Footage((plate,), probe([plate]))
    taken = survey_footage(footage)
    recipe = first_look(taken).recipe
    form = FORMATS["ffv1"]
    write_keyed(footage, recipe, screen_of(taken, recipe), range(footage.facts.length), form, out, "straight")
    print(f"{resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024:.0f}")


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("plate", nargs="?", type=Path)
    parser.add_argument("--frames", type=int, default=48)
    parser.add_argument("--peak", type=Path)
    asked = parser.parse_args()
    if asked.peak:
        peak(asked.plate, asked.peak)
        return
    keep_freed_memory()
    plate = asked.plate or make(Path(tempfile.gettempdir()) / "upholster-bench-demo")[0]
    ratios(plate, asked.frames)
    memory()


if __name__ == "__main__":
    main()
