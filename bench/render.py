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

from upholster.core.first_recipe import first_look
from upholster.demo.make import make
from upholster.media.decoder.reader import Reader, probe
from upholster.media.formats import FORMATS
from upholster.media.writer import open_writer
from upholster.memory import keep_freed_memory
from upholster.studio.keying import Footage, keyed_frames, prove_keyed, screen_of, survey_footage, write_keyed


def processor_seconds(work: Callable[[], object]) -> float:
    def now() -> float:
        return sum(
            resource.getrusage(who).ru_utime + resource.getrusage(who).ru_stime
            for who in (resource.RUSAGE_SELF, resource.RUSAGE_CHILDREN)
        )

    before = now()
    work()
    return now() - before


def ratios(plate: Path, frames: int) -> None:
    footage = Footage((plate,), probe([plate]))
    taken = survey_footage(footage)
    recipe = first_look(taken).recipe
    known = screen_of(taken, recipe)
    numbers = range(min(frames, footage.facts.length))
    facts = footage.facts
    print(f"{plate.name}, {len(numbers)} frames of {facts.width}x{facts.height}, one encoding thread")
    print(f"{'format':<12} {'decode+encode':>14} {'with key':>10} {'ratio':>7} {'with proof':>11}")
    with tempfile.TemporaryDirectory() as folder:
        for name, form in FORMATS.items():
            kind = form.alpha_kinds[0]

            def bare(form=form, kind=kind, name=name) -> None:  # type: ignore[no-untyped-def]
                out = Path(folder) / f"bare-{name}{'' if form.sequence else form.suffix}"
                size = {"width": facts.width, "height": facts.height, "rate": facts.rate}
                # The same pictures are encoded as with the key, so that they cost the encoder the same.
                with Reader(footage.files, facts) as reader, open_writer(form, out, alpha=kind, **size) as writer:
                    for _, (rgb, alpha) in zip(reader.frames(numbers), stored, strict=True):
                        writer.write(rgb, alpha)

            stored = list(keyed_frames(footage, recipe, known, numbers))
            out = Path(folder) / f"{name}{'' if form.sequence else form.suffix}"
            floor = processor_seconds(bare)
            stored.clear()
            whole = processor_seconds(lambda: write_keyed(footage, recipe, known, numbers, form, out, kind))
            files = sorted(out.glob("*.png")) if form.sequence else [out]
            proof = processor_seconds(lambda: prove_keyed(footage, recipe, known, numbers, form, files, kind))
            print(f"{name:<12} {floor:>12.2f} s {whole:>8.2f} s {whole / floor:>7.2f} {(whole + proof) / floor:>11.2f}")


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
