"""Prints how well faults are found.

    .venv/bin/python -m bench.findings [--untouched] [--kind WORD] [--case WORD] [--each] [--cost]

Into clips whose result is the truth itself, one fault of each kind is put at a time, drawn at random: recall is the
share of its frames on which it is told of where it is (places that overlap), precision the share of what is told in
such clips, and in the clips without any, that is a fault. Also: how much of a place is where the fault is, false
alarms per hundred frames without faults, the rank correlation of severity with the true error, and, as ratio, what
measuring costs against keying.
"""

import argparse
import time
from collections import defaultdict
from concurrent.futures import ProcessPoolExecutor
from dataclasses import replace
from typing import NamedTuple

import cv2
import numpy as np
from bench.findings import clips, faults
from bench.quality import families
from scipy.stats import spearmanr

from upholster.core.findings.frame import Measured, measure
from upholster.core.findings.kinds import KINDS
from upholster.core.findings.places import Place
from upholster.core.findings.seen import Seen
from upholster.core.findings.spans import findings
from upholster.core.first_recipe import first_look
from upholster.core.pipeline.runner import key, plate_of
from upholster.core.screen.clean_plate import measure_screen
from upholster.core.screen.survey import survey

#: Faults of each kind put into a clip.
DRAWN = 2
#: Kinds that a fault of another kind brings along: a hole that comes and goes also chatters.
ALONG = {
    "hole": {"chatter", "cut_off"},
    "haze": {"chatter"},
    "fringe": {"spill"},
    "spill": {"fringe"},
    "chatter": {"hole", "haze", "fringe", "cut_off"},
    "cut_off": {"hole", "fringe", "chatter", "jump"},
    "jump": set(),
}


class Tally(NamedTuple):
    """What came out of a clip, by kind: faulty frames, those found, what is told wrongly, the same where nothing is
    wrong at all, in so many frames; overlaps, and ranks."""

    faulty: dict[str, int]
    found: dict[str, int]
    wrong: dict[str, int]
    alarms: dict[str, int]
    clean: int
    overlaps: dict[str, list[float]]
    ranks: dict[str, list[tuple[float, float]]]


def measured(clip: list[Seen]) -> list[Measured]:
    pairs = [(clip[n - 1] if n else None, clip[n + 1] if n + 1 < len(clip) else None) for n in range(len(clip))]
    return [measure(here, *pair) for here, pair in zip(clip, pairs, strict=True)]


def jumps(found: list[Measured]) -> dict[int, float]:
    return {f.first: f.severity for f in findings(dict(enumerate(found))) if f.kind == "jump"}


def overlap(there: list[Place], hurt: np.ndarray) -> float:
    """Intersection over union of the boxes of what is told, in one place or several, and of what is hurt."""
    y, x = np.nonzero(hurt)
    if not len(x):
        return 0.0
    height, width = hurt.shape
    lefts, tops, rights, bottoms = zip(*(place.box for place in there), strict=True)
    around = min(lefts), min(tops), max(rights), max(bottoms)
    left, top, right, bottom = (v * s for v, s in zip(around, (width, height, width, height), strict=True))
    wide = max(0.0, min(right, x.max() + 1) - max(left, x.min()))
    high = max(0.0, min(bottom, y.max() + 1) - max(top, y.min()))
    both = wide * high
    return both / ((right - left) * (bottom - top) + (x.max() + 1 - x.min()) * (y.max() + 1 - y.min()) - both)


def touches(place: Place, hurt: np.ndarray) -> bool:
    height, width = hurt.shape
    left, top, right, bottom = (round(v * s) for v, s in zip(place.box, (width, height, width, height), strict=True))
    return bool(hurt[max(0, top - 4) : bottom + 4, max(0, left - 4) : right + 4].any())


def of_clip(case: tuple[str, int, str]) -> Tally:
    cv2.setNumThreads(1)
    name, seed, word = case
    clip = clips.clip_of(name, seed)
    tally = Tally(*(defaultdict(int) for _ in range(4)), len(clip), defaultdict(list), defaultdict(list))
    plain = measured(clip)
    for found in plain:
        for kind, there in found.places.items():
            tally.alarms[kind] += len(there)
    tally.alarms["jump"] += len(jumps(plain))
    # What is told of a clip that is right is counted once; beside faults it is not counted again.
    for kind, put_in in faults.FAULTS.items():
        if word not in kind:
            continue
        for k in range(DRAWN):
            draw = np.random.default_rng([seed, k, *map(ord, name + kind)])
            made = put_in(draw, clip)
            if made is None:
                continue
            changed, fault = made
            _count(tally, fault, measured(changed), plain, clip[0].alpha.shape)
    return tally


def _count(
    tally: Tally, fault: faults.Fault, found: list[Measured], plain: list[Measured], shape: tuple[int, ...]
) -> None:
    kind = fault.kind
    told = jumps(found) if kind == "jump" else {}
    for n, hurt in fault.masks.items():
        tally.faulty[kind] += 1
        if kind == "jump":
            tally.found[kind] += n in told
            if n in told:
                tally.overlaps[kind].append(1.0)
                tally.ranks[kind].append((told[n], fault.errors[n]))
            continue
        there = [p for p in found[n].places.get(kind, []) if touches(p, hurt)]
        if there:
            tally.found[kind] += 1
            tally.overlaps[kind].append(overlap(there, hurt))
            tally.ranks[kind].append((max(p.severity for p in there), fault.errors[n]))
    if set(fault.masks) and next(iter(fault.masks.values())).shape != shape:
        # Cropped, so that places cannot be compared with those before.
        return
    for n, frame in enumerate(found):
        hurt = np.any(list(fault.masks.values()), axis=0) if fault.masks else None
        for other, there in frame.places.items():
            before = plain[n].places.get(other, [])
            new = [p for p in there if not any(_same(p, q) for q in before)]
            if other == kind or other in ALONG[kind]:
                new = [p for p in new if not touches(p, hurt)]
            tally.wrong[other] += len(new)


def _same(one: Place, two: Place) -> bool:
    left, top = max(one.box[0], two.box[0]), max(one.box[1], two.box[1])
    right, bottom = min(one.box[2], two.box[2]), min(one.box[3], two.box[3])
    return left < right and top < bottom


def cost() -> None:
    """Prints what measuring a frame takes, on one thread, against what keying it does."""
    cv2.setNumThreads(1)
    spent = defaultdict(list)
    for name in ("costume", "hair", "in_hand", "uneven"):
        path, truths = families.plate_of(name, 0)
        plates = [np.ascontiguousarray(t.plate.transpose(2, 0, 1)) for t in truths]
        taken = survey(dict(enumerate(plates)))
        recipe = first_look(taken).recipe
        known = measure_screen(taken, recipe.screen)
        clip = clips.clip_of(name, 0, keyed=True)
        for turn in range(3):
            clip = [replace(seen) for seen in clip]
            began = time.thread_time()
            for n, plate in enumerate(plates):
                key(plate_of(plate), recipe, n, known)
            keyed = time.thread_time()
            measured(clip)
            if turn:
                spent["key"].append((keyed - began) / len(plates) * 1000)
                spent["measure"].append((time.thread_time() - keyed) / len(plates) * 1000)
    keying, measuring = (float(np.median(spent[what])) for what in ("key", "measure"))
    print(f"key {keying:.1f} ms, measure {measuring:.1f} ms a frame of 960x540: {measuring / keying:.2f} times as much")


def main() -> None:
    parser = argparse.ArgumentParser(prog="python -m bench.findings")
    parser.add_argument("--untouched", action="store_true", help="seeds that were not looked at")
    parser.add_argument("--kind", default="", help="only kinds with this word")
    parser.add_argument("--case", default="", help="only families with this word")
    parser.add_argument("--each", action="store_true", help="what is told wrongly, by family")
    parser.add_argument("--cost", action="store_true", help="only what measuring costs")
    said = parser.parse_args()
    if said.cost:
        cost()
        return
    seeds = clips.UNTOUCHED if said.untouched else clips.TUNED
    cases = [(name, seed, said.kind) for name in clips.NAMES if said.case in name for seed in seeds]
    with ProcessPoolExecutor() as pool:
        tallies = list(pool.map(of_clip, cases))
    if said.each:
        for (name, seed, _), tally in zip(cases, tallies, strict=True):
            print(
                f"{name} {seed}: alarms",
                dict(tally.alarms),
                "wrong",
                dict(tally.wrong),
                "missed",
                {k: tally.faulty[k] - tally.found[k] for k in tally.faulty if tally.faulty[k] > tally.found[k]},
            )
    frames = sum(t.clean for t in tallies)
    print("kind      frames  recall  precision  overlap  false/100   rank")
    for kind in KINDS:
        if said.kind not in kind:
            continue
        fields = ("faulty", "found", "wrong", "alarms")
        faulty, found, wrong, alarms = (sum(getattr(t, f)[kind] for t in tallies) for f in fields)
        overlaps = [o for t in tallies for o in t.overlaps[kind]]
        ranks = np.array([r for t in tallies for r in t.ranks[kind]])
        rank = spearmanr(*ranks.T).statistic if len(ranks) > 2 else float("nan")
        print(
            f"{kind:8}  {faulty:6}  {found / max(faulty, 1):6.3f}  {found / max(found + wrong + alarms, 1):9.3f}  "
            f"{np.mean(overlaps) if overlaps else 0:7.2f}  {100 * alarms / frames:9.2f}  {rank:5.2f}"
        )


if __name__ == "__main__":
    main()
