"""Proof: a finished file read back from disk and compared with what was computed."""

from collections.abc import Iterator, Sequence
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict

from upholster.media.delivery import Plan
from upholster.media.facts import AlphaKind, ColourTags, Runs, as_runs, runs_in_words
from upholster.media.formats import Content
from upholster.media.record import STEPS

Plane = NDArray[np.float32]

#: How far off the mean colour of one tile may be: so many times a format's mean, and at least this.
_PATCH, _PATCH_LEAST = 6, 4 / 255
#: Soft pixels from which on edges are judged.
_EDGES = 60
#: Mean error, 0..1, that a plain chroma key at the other end may make of a subject over a flat colour.
_REKEYED = 0.03


class Proof(BaseModel):
    """What reading a file back showed.

    Errors are 0..1. Colour is judged where the subject covers more than one half, and everywhere in
    pictures that have no alpha; premultiplied files are straightened first.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    version: Literal[1] = 1
    passed: bool
    reason: str
    frames: int
    expected_frames: int
    width: int
    height: int
    rate: str
    codec: str
    alpha_kind: AlphaKind
    content: Content = "keyed"
    worst_alpha: float = 0.0
    worst_alpha_frame: int = 0
    mean_alpha: float = 0.0
    worst_colour: float = 0.0
    #: Mean colour error of the worst tile of any frame.
    worst_tile: float = 0.0
    mean_colour: float = 0.0
    #: Mean error of premultiplied colour where the subject half covers, and how many values that is of.
    edge_colour: float = 0.0
    edge_pixels: int = 0
    #: Colour values that were judged.
    judged_pixels: int = 0
    #: Mean error of the matte that a plain chroma key finds in a flat-colour delivery.
    rekeyed: float | None = None
    #: For each frame, the largest alpha error; without alpha, the mean colour error.
    by_frame: tuple[float, ...] = ()
    #: Delivered frames that were made from damaged frames of the plate.
    damaged: Runs = ()
    colour: ColourTags = ColourTags()

    def in_words(self) -> str:
        if not self.passed:
            return f"Proof failed: {self.reason}"
        frames = f"{self.frames} of {self.expected_frames} frames"
        hurt = f" The plate is damaged at {runs_in_words(self.damaged)}." if self.damaged else ""
        match self.content:
            case "flat":
                return f"Keyed again with a plain key: {frames}, mean matte error {_codes(self.rekeyed or 0)}.{hurt}"
            case "over":
                return f"Picture checked: {frames}, mean colour error {_codes(self.mean_colour)}.{hurt}"
        what = "Alpha" if self.content == "keyed" else "Matte"
        return f"{what} checked: {frames}, largest error {_codes(self.worst_alpha)}.{hurt}"


def _numbers(runs: Runs) -> Iterator[int]:
    for first, last in runs:
        yield from range(first, last + 1)


def _codes(error: float) -> str:
    return "none" if error * 255 < 0.005 else f"{error * 255:.2g}/255"


def failed(planned: Plan, reason: str) -> Proof:
    """The proof of a file that cannot be judged at all."""
    return Proof(
        passed=False,
        reason=reason,
        frames=0,
        expected_frames=planned.timing.frames,
        width=planned.width,
        height=planned.height,
        rate=str(planned.timing.rate),
        codec=planned.form.codec,
        alpha_kind=planned.delivery.alpha,
        content=planned.form.content,
    )


def judged(runs: Sequence[Proof], planned: Plan) -> Proof:
    """One proof from those of all runs of a file, in order, held against the limits of its format."""
    if short := next((run for run in runs if not run.passed), None):
        return short
    count = planned.timing.frames
    frames = [len(run.by_frame) for run in runs]
    starts = [sum(frames[:k]) for k in range(len(runs))]
    worst = max(range(len(runs)), key=lambda k: runs[k].worst_alpha)
    judged_pixels = sum(run.judged_pixels for run in runs)
    edge_pixels = sum(run.edge_pixels for run in runs)

    def mean(values: list[float]) -> float:
        return sum(value * n for value, n in zip(values, frames, strict=True)) / max(1, sum(frames))

    rekeyed = [run.rekeyed for run in runs if run.rekeyed is not None]
    whole = runs[0].model_copy(
        update={
            "frames": count,
            "expected_frames": count,
            "worst_alpha": runs[worst].worst_alpha,
            "worst_alpha_frame": starts[worst] + runs[worst].worst_alpha_frame,
            "mean_alpha": mean([run.mean_alpha for run in runs]),
            "worst_colour": max(run.worst_colour for run in runs),
            "worst_tile": max(run.worst_tile for run in runs),
            "mean_colour": sum(run.mean_colour * run.judged_pixels for run in runs) / max(1, judged_pixels),
            "judged_pixels": judged_pixels,
            "edge_colour": sum(run.edge_colour * run.edge_pixels for run in runs) / max(1, edge_pixels),
            "edge_pixels": edge_pixels,
            "rekeyed": mean(rekeyed) if rekeyed else None,
            "by_frame": tuple(error for run in runs for error in run.by_frame),
            "damaged": as_runs(n for run in runs for n in _numbers(run.damaged)),
        }
    )
    reason = _too_far(whole, planned)
    return whole.model_copy(update={"passed": not reason, "reason": reason})


def _worst_colour(planned: Plan) -> float:
    """Lossless colour is exact everywhere.

    Multiplied by an alpha down to a half it has half the steps, and alpha is rounded as well: a quarter.
    """
    form = planned.form
    if not form.lossless or form.content == "matte":
        return 1.0
    return form.mean_colour * (4.1 if planned.delivery.alpha == "premultiplied" else 1)


def _too_far(proof: Proof, planned: Plan) -> str:
    """What goes beyond the limits of the format; empty where nothing does."""
    form = planned.form
    rounding = 1 / STEPS
    if proof.worst_alpha > form.worst_alpha + rounding or proof.mean_alpha > form.mean_alpha + rounding:
        return f"alpha is off by up to {proof.worst_alpha * 255:.1f}/255 on frame {proof.worst_alpha_frame}."
    if proof.mean_colour > form.mean_colour + rounding or proof.worst_colour > _worst_colour(planned) + rounding:
        return f"colour is off by {proof.mean_colour * 255:.1f}/255 on average."
    if proof.edge_pixels > _EDGES and proof.edge_colour > _PATCH * form.mean_colour + _PATCH_LEAST:
        return (
            f"colour at soft edges is off by {proof.edge_colour * 255:.0f}/255, as when one alpha is taken for another."
        )
    if proof.worst_tile > _PATCH * form.mean_colour + _PATCH_LEAST:
        return f"a patch of a picture has another colour, by {proof.worst_tile * 255:.0f}/255."
    if proof.rekeyed is not None and proof.rekeyed > _REKEYED:
        return (
            f"a plain key at the other end misses the matte by {proof.rekeyed * 255:.1f}/255 on average; "
            "choose a flat colour the subject does not contain."
        )
    return ""
