"""Prints the tables.

    .venv/bin/python -m bench.quality [--tuned | --untouched] [--case WORD] [--times N] [--marked] [--no-reference]
                                      [--without NETWORK] [--each] [--lossless] [--pictures FOLDER] [--plates FOLDER]

Without `--tuned` or `--untouched`: ten plain plates, each with PyMatting's closed form with a perfect trimap
under it, on the plate as FFmpeg's scaler decodes it and as Upholster does, whose chroma is rebuilt already.

With one of them: families of plates drawn at random that resemble camera footage. `--tuned` takes the seeds
that were looked at while the key was worked on, `--untouched` those that were not. A row is the mean of a
family's plates; `--each` prints every plate. The reference is run on our decoding, on one frame of each.

`--times 2` and `--times 4` take the same plates at 1920x1080 and 3840x2160, drawn once and enlarged before lens, grain
and codec see them; their columns count in pixels of that size. `--without` leaves a network out: `cells`, `pixels` or
`rims`.

`--marked` adds what the frames but the first come to where a person marks the worst places of the first.

`--plates` takes cases from a folder instead: each is a folder with a `plate` (a file or a folder of pictures),
a folder `matte` of grey pictures, a folder `colour` with the subject's straight colour, and folders `hair` and
`glass` that say where they are, if anybody knows. Those whose names differ by a number alone are a family.
"""

import argparse
import tempfile
import warnings
from collections.abc import Mapping, Sequence
from concurrent.futures import ProcessPoolExecutor
from functools import partial
from pathlib import Path
from typing import NamedTuple

import cv2
import numpy as np
from bench.quality import families, plain, table
from bench.quality.keyed import (
    NETWORKS,
    Plane,
    Result,
    decoded,
    from_folder,
    leave_out,
    plainly_decoded,
    reference,
    upholster,
)
from bench.quality.marked import marked
from bench.quality.plates import Truth

from upholster.core.composite.over import over
from upholster.core.documents.recipe import Recipe

#: Frames of a plain plate the reference, which takes seconds for each, is run on; of others it is the middle one.
REFERENCE_FRAMES = (3, 4)


class Asked(NamedTuple):
    pictures: Path | None
    reference: bool
    marked: bool
    times: int = 1
    without: str = ""


class Row(NamedTuple):
    name: str
    values: dict[str, float]
    words: str = ""

    def __str__(self) -> str:
        return table.line(self.name, self.values, self.words)


def of_plate(name: str, path: Path, truths: list[Truth], frames: tuple[int, ...], asked: Asked) -> list[Row]:
    """The rows of one plate: ours, ours with glass let through, the reference."""
    if asked.without:
        leave_out(asked.without)
    ours = upholster(path)
    rows = [Row(name, table.measured(ours, truths), ours.words)]
    if asked.pictures:
        save_pictures(asked.pictures, name, ours, truths)
    if "glass" in name:
        through = upholster(path, let_through)
        rows.append(Row("  let through", table.measured(through, truths), through.words))
    if asked.marked:
        first = upholster(path, lambda recipe, plates: marked(recipe, plates[0], ours.alphas[0], truths[0]))
        # Whoever marks sees what came of it, and marks once more.
        told = upholster(
            path,
            lambda recipe, plates: marked(
                marked(recipe, plates[0], ours.alphas[0], truths[0]), plates[0], first.alphas[0], truths[0]
            ),
        )
        # What is told of is the first frame; the others show whether it holds.
        rest = [Result(r.alphas[1:], r.colours[1:], r.milliseconds, r.words) for r in (ours, told)]
        rows += [
            Row(name, table.measured(r, truths[1:]), r.words)
            for name, r in zip(("  others, unmarked", "  others, marked"), rest, strict=True)
        ]
    if asked.reference:
        some = [truths[n] for n in frames]
        if path.is_file() and len(frames) > 1:
            plain_plates = plainly_decoded(path)
            plainly = reference([plain_plates[n] for n in frames], some)
            rows.append(Row("  closed form", table.measured(plainly, some), plainly.words))
        plates = decoded(path)
        told = reference([plates[n] for n in frames], some)
        rows.append(Row("  ditto, our decoding", table.measured(told, some), told.words))
    return rows


def let_through(recipe: Recipe, plates: list[Plane]) -> Recipe:
    return recipe.model_copy(update={"matte": recipe.matte.model_copy(update={"see_through": 1.0})})


def of_family(asked: Asked, case: tuple[str, int] | Path) -> list[Row]:
    warnings.filterwarnings("ignore", module="pymatting")
    cv2.setNumThreads(1)
    path, truths = from_folder(case) if isinstance(case, Path) else families.plate_of(*case, asked.times)
    name = case.name if isinstance(case, Path) else f"{case[0]} {case[1]}"
    return of_plate(name, path, truths, (len(truths) // 2,), asked)


def save_pictures(folder: Path, name: str, result: Result, truths: list[Truth]) -> None:
    """Of the worst frame: truth and ours over magenta, our matte, and four times its error."""
    n = int(np.argmax([np.mean((a - t.alpha) ** 2) for a, t in zip(result.alphas, truths, strict=True)]))
    truth = truths[n]
    pictures = [
        over(truth.rgb.transpose(2, 0, 1), truth.alpha, table.MAGENTA),
        over(result.colours[n], result.alphas[n], table.MAGENTA),
        np.repeat(result.alphas[n][None], 3, 0),
        np.repeat(np.abs(result.alphas[n] - truth.alpha)[None] * 4, 3, 0),
    ]
    rows = [np.concatenate(pictures[:2], axis=2), np.concatenate(pictures[2:], axis=2)]
    picture = np.concatenate(rows, axis=1)[::-1].transpose(1, 2, 0)
    folder.mkdir(parents=True, exist_ok=True)
    cv2.imwrite(str(folder / f"{name.replace(' ', '-')}.png"), np.rint(picture.clip(0, 1) * 255).astype(np.uint8))


def drawn(seeds: tuple[int, ...], word: str) -> dict[str, list[tuple[str, int]]]:
    return {name: [(name, seed) for seed in seeds] for name in families.FAMILIES if word in name}


def brought(folder: Path, word: str) -> dict[str, list[Path]]:
    """The cases of a folder by family: what is alike in their names but for a number."""
    found: dict[str, list[Path]] = {}
    for path in sorted(p for p in folder.iterdir() if p.is_dir() and word in p.name and p.suffix != ".part"):
        found.setdefault(path.name.rstrip("0123456789").rstrip(" -") or path.name, []).append(path)
    return found


def of_families(cases: Mapping[str, Sequence[tuple[str, int] | Path]], each: bool, asked: Asked) -> None:
    with ProcessPoolExecutor() as pool:
        found = iter(pool.map(partial(of_family, asked), [case for same in cases.values() for case in same]))
        for name, same_name in cases.items():
            plates = [next(found) for _ in same_name]
            if each:
                print(*(row for rows in plates for row in rows), sep="\n")
            for same in zip(*plates, strict=True):
                label = name if same[0].name.startswith(name) else same[0].name
                print(Row(label, table.average([row.values for row in same])), flush=True)


def main() -> None:
    parser = argparse.ArgumentParser(prog="python -m bench.quality")
    half = parser.add_mutually_exclusive_group()
    half.add_argument("--tuned", action="store_true", help="families, seeds that were looked at")
    half.add_argument("--untouched", action="store_true", help="families, seeds that were not")
    parser.add_argument("--case", default="", help="only cases with this word")
    parser.add_argument("--each", action="store_true", help="every plate of a family")
    parser.add_argument("--marked", action="store_true", help="what a few marks on the first frame add to the others")
    parser.add_argument("--times", type=int, default=1, choices=(1, 2, 4), help="how much larger than 960x540")
    parser.add_argument("--without", default="", choices=sorted(NETWORKS), help="a network that is left out")
    parser.add_argument("--no-reference", action="store_true")
    parser.add_argument("--lossless", action="store_true", help="lossless 4:4:4 instead of H.264 4:2:0 (plain plates)")
    parser.add_argument("--pictures", type=Path, help="folder to save comparisons in")
    parser.add_argument("--plates", type=Path, help="folder of cases to take instead of the drawn ones")
    said = parser.parse_args()
    if said.times > 1 and (said.plates or not (said.tuned or said.untouched)):
        parser.error("--times is for families: give --tuned or --untouched as well.")
    asked = Asked(said.pictures, not said.no_reference, said.marked, said.times, said.without)
    print(table.heading(), flush=True)
    if said.plates:
        of_families(brought(said.plates, said.case), said.each, asked)
        return
    if said.tuned or said.untouched:
        of_families(drawn(families.TUNED if said.tuned else families.UNTOUCHED, said.case), said.each, asked)
        return
    warnings.filterwarnings("ignore", module="pymatting")
    for name in plain.CASES:
        if said.case in name:
            with tempfile.TemporaryDirectory() as folder:
                taken = plain.film(name, Path(folder), said.lossless)
                print(*of_plate(name, *taken, REFERENCE_FRAMES, asked), sep="\n", flush=True)


if __name__ == "__main__":
    main()
