"""Clips that are right: plates of the quality bench, with their truth for a result."""

import tempfile
from functools import lru_cache
from pathlib import Path

import numpy as np
from bench.quality import families

from upholster.core.findings.seen import Seen
from upholster.core.first_recipe import first_look
from upholster.core.pipeline.runner import key, plate_of
from upholster.core.screen.clean_plate import measure_screen
from upholster.core.screen.survey import survey

#: Families whose truth has a solid inside or is light; where glass and gauze are let through on purpose.
VEILED = ("glass", "gauze")
GLOW = ("fog", "smoke")
NAMES = tuple(families.FAMILIES)
#: Seeds that may be looked at while measures are worked on, and those that are only for the table.
TUNED, UNTOUCHED = (0, 1, 2), (521, 522, 523)


@lru_cache(2)
def clip_of(name: str, seed: int, keyed: bool = False) -> list[Seen]:
    """A clip: with `keyed` as Upholster keys it without a recipe, else as it truly is."""
    kept = Path(tempfile.gettempdir()) / "upholster-findings" / f"{name}-{seed}.npz"
    if not kept.exists():
        kept.parent.mkdir(parents=True, exist_ok=True)
        _, truths = families.plate_of(name, seed)
        plates = [np.ascontiguousarray(t.plate.transpose(2, 0, 1)) for t in truths]
        taken = survey(dict(enumerate(plates)))
        recipe = first_look(taken).recipe
        known = measure_screen(taken, recipe.screen)
        pictures = [key(plate_of(plate), recipe, n, known) for n, plate in enumerate(plates)]
        part = kept.with_suffix(".part.npz")
        np.savez(
            part,
            plate=np.stack(plates),
            rgb=np.stack([p.rgb for p in pictures]).astype(np.float16),
            alpha=np.stack([p.alpha for p in pictures]).astype(np.float16),
            true_rgb=np.stack([t.rgb.transpose(2, 0, 1) for t in truths]).astype(np.float16),
            true_alpha=np.stack([t.alpha for t in truths]).astype(np.float16),
            clean=known.plate if known else np.zeros(0, np.float32),
            glow=recipe.screen.kind in ("dark", "light"),
        )
        part.replace(kept)
    with np.load(kept) as found:
        planes = {n: found[n].astype(np.float32) for n in ("plate", "rgb", "alpha", "true_rgb", "true_alpha", "clean")}
        glow = bool(found["glow"])
    rgb, alpha = ("rgb", "alpha") if keyed else ("true_rgb", "true_alpha")
    clean = planes["clean"] if planes["clean"].size else None
    return [
        Seen(n, planes["plate"][n], planes[rgb][n], planes[alpha][n], planes[alpha][n], clean, glow, name in VEILED)
        for n in range(len(planes["plate"]))
    ]
