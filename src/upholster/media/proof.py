"""Proof: a finished file read back from disk and compared with what was computed."""

from collections.abc import Iterable
from fractions import Fraction
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict

from upholster.core.composite import premultiply
from upholster.media.decoder.reader import Reader
from upholster.media.errors import MediaError
from upholster.media.facts import AlphaKind, ColourTags
from upholster.media.formats import Format

Plane = NDArray[np.float32]


class Proof(BaseModel):
    """What reading a file back showed. Errors are 0..1; colour is judged where alpha is above one half."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    passed: bool
    reason: str
    frames: int
    expected_frames: int
    width: int
    height: int
    rate: str
    codec: str
    alpha_kind: AlphaKind
    worst_alpha: float = 0.0
    worst_alpha_frame: int = 0
    mean_alpha: float = 0.0
    worst_colour: float = 0.0
    mean_colour: float = 0.0
    colour: ColourTags = ColourTags()

    def in_words(self) -> str:
        if not self.passed:
            return f"Proof failed: {self.reason}"
        worst = self.worst_alpha * 255
        size = "none" if worst < 0.005 else f"{worst:.2g}/255"
        return f"Alpha checked: {self.frames} of {self.expected_frames} frames, largest error {size}."


def prove(
    paths: list[Path],
    form: Format,
    expected: Iterable[tuple[Plane, Plane]],
    *,
    count: int,
    width: int,
    height: int,
    rate: Fraction,
    alpha: AlphaKind,
) -> Proof:
    """Read `paths` back in a new process and compare every frame with `expected` straight (rgb, alpha).

    A sequence has no rate of its own, so its rate is not compared.
    """
    try:
        with Reader(paths) as reader:
            facts = reader.facts
            about: dict[str, Any] = {
                "frames": facts.length,
                "expected_frames": count,
                "width": facts.width,
                "height": facts.height,
                "rate": str(facts.rate),
                "codec": facts.codec,
                "alpha_kind": alpha,
                "colour": facts.colour,
            }
            trouble = (
                "the file has no alpha"
                if not facts.alpha
                else f"{facts.length} frames were found, {count} written"
                if facts.length != count
                else f"the size is {facts.width}x{facts.height}"
                if (facts.width, facts.height) != (width, height)
                else f"the rate is {facts.rate}, not {rate}"
                if not form.sequence and facts.rate != rate
                else ""
            )
            if trouble:
                return Proof(passed=False, reason=trouble + ".", **about)
            errors = _compare(reader, expected, count, alpha)
    except MediaError as error:
        return Proof(
            passed=False,
            reason=str(error),
            frames=0,
            expected_frames=count,
            width=width,
            height=height,
            rate=str(rate),
            codec=form.codec,
            alpha_kind=alpha,
        )
    reason = ""
    if errors["worst_alpha"] > form.worst_alpha or errors["mean_alpha"] > form.mean_alpha:
        reason = f"alpha is off by up to {errors['worst_alpha'] * 255:.1f}/255 on frame {errors['worst_alpha_frame']}."
    elif errors["mean_colour"] > form.mean_colour:
        reason = f"colour is off by {errors['mean_colour'] * 255:.1f}/255 on average."
    return Proof(passed=not reason, reason=reason, **about, **errors)


def _compare(reader: Reader, expected: Iterable[tuple[Plane, Plane]], count: int, kind: AlphaKind) -> dict[str, Any]:
    worst, worst_frame, mean, worst_colour, colour_sum, colour_count = 0.0, 0, 0.0, 0.0, 0.0, 0
    for n, (found, (rgb, alpha)) in enumerate(zip(reader.frames(range(count)), expected, strict=True)):
        assert found.alpha is not None
        off = np.abs(found.alpha - alpha)
        mean += float(off.mean()) / count
        if off.max() > worst:
            worst, worst_frame = float(off.max()), n
        inside = alpha > 0.5
        if inside.any():
            meant = premultiply(rgb, alpha) if kind == "premultiplied" else rgb
            wrong = np.abs(found.rgb - meant.clip(0, 1))[:, inside]
            worst_colour = max(worst_colour, float(wrong.max()))
            colour_sum += float(wrong.sum())
            colour_count += wrong.size
    return {
        "worst_alpha": worst,
        "worst_alpha_frame": worst_frame,
        "mean_alpha": mean,
        "worst_colour": worst_colour,
        "mean_colour": colour_sum / max(colour_count, 1),
    }
