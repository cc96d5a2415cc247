"""How far a keyed plate is from the truth, as a row of a table."""

from collections.abc import Callable, Sequence

import numpy as np
from bench.quality import metrics
from bench.quality.keyed import Result
from bench.quality.plates import Truth
from numpy.typing import NDArray

from upholster.core.composite.over import over

Plane = NDArray[np.float32]

MAGENTA, WHITE, BLACK = (
    np.array(colour, np.float32)[:, None, None] for colour in ((0.9, 0.1, 0.9), (1, 1, 1), (0, 0, 0))
)

#: A column: its heading, how wide it is, and its decimals.
COLUMNS = {
    "mse": 3, "worst": 3, "sad": 2, "grad": 2, "conn": 2, "inside": 2, "thin": 2, "rim": 2, "hair": 2, "glass": 2,
    "holes": 2, "leaks": 2, "colour": 1, "haired": 1, "magenta": 1, "black": 1, "white": 1, "flicker": 2, "ms": 0,
}  # fmt: skip
LEGEND = (
    "mse and worst frame's, over the picture, and mse inside, in thin parts, rim, hair and glass: x 1000; "
    "sad, grad, conn in thousands;\nholes and leaks in %; colour: mean error in code values where a twentieth or "
    "more covers, and of hair; PSNR in dB over magenta, black and white"
)


def measured(result: Result, truths: Sequence[Truth]) -> dict[str, float]:
    """Every column, averaged over the frames; NaN where a plate has nothing of the kind."""
    pairs = list(zip(result.alphas, truths, strict=True))
    errors = [metrics.mse(found, truth.alpha) for found, truth in pairs]

    def mean(measure: Callable[[Plane, Plane], float]) -> float:
        return float(np.mean([measure(found, t.alpha) for found, t in pairs]))

    def over_colour(colour: Plane) -> float:
        each = [
            metrics.psnr(over(rgb, a, colour), over(t.rgb.transpose(2, 0, 1), t.alpha, colour))
            for a, rgb, t in zip(result.alphas, result.colours, truths, strict=True)
        ]
        return float(np.mean(each))

    found = {
        "mse": float(np.mean(errors)) * 1000,
        "worst": max(errors) * 1000,
        "sad": mean(metrics.sad),
        "grad": mean(metrics.gradient),
        "conn": mean(metrics.connectivity),
        "holes": mean(metrics.holes) * 100,
        "leaks": mean(metrics.leaks) * 100,
        "colour": _mean([metrics.colour(c, t.rgb.transpose(2, 0, 1), t.alpha) for c, t in _colours(result, truths)]),
        "haired": _mean(
            [
                metrics.weighted(c, t.rgb.transpose(2, 0, 1), np.where((t.hair > 0.02) & (t.alpha > 0.05), t.alpha, 0))
                for c, t in _colours(result, truths)
                if t.hair is not None
            ]
        ),
        "magenta": over_colour(MAGENTA),
        "black": over_colour(BLACK),
        "white": over_colour(WHITE),
        "flicker": metrics.flicker(result.alphas, [t.alpha for t in truths]),
        "ms": result.milliseconds,
    }
    parts = [metrics.regions(t.alpha, t.hair, t.glass) for t in truths]
    for name in metrics.REGIONS:
        each = [
            metrics.mse(a[p[name]], t.alpha[p[name]]) for (a, t), p in zip(pairs, parts, strict=True) if p[name].any()
        ]
        found[name] = _mean(each) * 1000
    return found


def _colours(result: Result, truths: Sequence[Truth]) -> list[tuple[Plane, Truth]]:
    return list(zip(result.colours, truths, strict=True))


def _mean(values: Sequence[float]) -> float:
    return float(np.nanmean(values)) if len(values) and not np.isnan(values).all() else float("nan")


def average(rows: Sequence[dict[str, float]]) -> dict[str, float]:
    """One row for several plates; the worst frame is that of all of them."""
    return {name: max(r[name] for r in rows) if name == "worst" else _mean([r[name] for r in rows]) for name in COLUMNS}


def heading() -> str:
    return f"{LEGEND}\n{'':<20}" + "".join(f"{name:>8}" for name in COLUMNS)


def line(name: str, row: dict[str, float], words: str = "") -> str:
    cells = ["-" if np.isnan(row[n]) else f"{row[n]:.{places}f}" for n, places in COLUMNS.items()]
    return f"{name:<20}" + "".join(f"{cell:>8}" for cell in cells) + f"  {words}"
