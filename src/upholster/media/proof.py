"""Proof: a finished file read back from disk and compared with what was computed."""

from collections.abc import Iterable, Iterator, Sequence
from contextlib import ExitStack, closing
from fractions import Fraction
from pathlib import Path
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict

from upholster.core.delivery.flat_colour import plain_key
from upholster.core.timemap import TimeMap
from upholster.media.decoder.frames import Frame, to_frame
from upholster.media.decoder.planes import same_codes
from upholster.media.decoder.reader import Reader
from upholster.media.delivery import Plan, hex_colour
from upholster.media.encoder.join import packet_digests
from upholster.media.errors import MediaError
from upholster.media.facts import AlphaKind, ColourTags, Facts, Runs, as_runs, runs_in_words
from upholster.media.formats import Content
from upholster.media.record import STEPS, Record, digest_found

Plane = NDArray[np.float32]

#: Side of the tiles that colour is judged in, in pixels whose colour is kept.
_TILE = 8
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


def compare(
    paths: Sequence[Path], planned: Plan, expected: Iterable[Record], numbers: range, *, length: int | None = None
) -> Proof:
    """Read a run of frames back in a new process and compare them with what was handed over.

    What is wrong with the file as a whole fails at once; how far errors may go is for `judged` to say. A
    sequence has no rate of its own, so its rate is not compared. The pictures of a sequence are one
    piece; a pair is its fill and its matte.

    Parameters
    ----------
    numbers : range
        Frames of the file to compare.
    length : int, optional
        Frames the file must have, where it is but a part of the delivery.
    """
    form, count = planned.form, planned.timing.frames if length is None else length
    pieces = [[path] for path in paths] if form.content == "pair" else [list(paths)]
    try:
        with ExitStack() as stack:
            readers = [stack.enter_context(Reader(piece)) for piece in pieces]
            facts = readers[0].facts
            proof = Proof(
                passed=True,
                reason="",
                frames=facts.length,
                expected_frames=count,
                width=facts.width,
                height=facts.height,
                rate=str(facts.rate),
                codec=facts.codec,
                alpha_kind=planned.delivery.alpha,
                content=form.content,
                colour=facts.colour,
            )
            for reader in readers:
                if trouble := _wrong(reader.facts, planned, count):
                    return proof.model_copy(update={"passed": False, "reason": trouble + "."})
                if reader.facts.alpha:
                    # Most containers have no place to say which kind of alpha they hold.
                    kind = {"alpha_kind": planned.delivery.alpha, "alpha_over": (0.0, 0.0, 0.0)}
                    reader.facts = reader.facts.model_copy(update=kind)
            return _measured(readers, expected, planned, proof, numbers)
    except MediaError as error:
        return failed(planned, str(error))


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


def compare_joined(path: Path, parts: Sequence[Path], planned: Plan) -> str:
    """What is wrong with a file joined of proved parts; empty where nothing is.

    Its packets must be those of the parts, every one and in their order, and it must be read as they are: the same
    facts, and the same code values of its first and last frames.
    """
    try:
        with Reader([path]) as whole, Reader([parts[0]]) as first, Reader([parts[-1]]) as last:
            if trouble := _wrong(whole.facts, planned, planned.timing.frames):
                return trouble + "."
            if _read_as(whole.facts) != _read_as(first.facts):
                return "the joined file is not read as its parts are: what it says of its colours or alpha got lost."
            if packet_digests([path]) != packet_digests(parts):
                return "frames got lost, changed or out of order while its parts were joined."
            end = whole.facts.length - 1
            for number, reader, at in ((0, first, 0), (end, last, last.facts.length - 1)):
                (one,), (two,) = whole.planes(range(number, number + 1)), reader.planes(range(at, at + 1))
                if not same_codes(one, two):
                    return f"frame {number} is not read as it is in its part."
    except MediaError as error:
        return str(error)
    return ""


def _read_as(facts: Facts) -> tuple[object, ...]:
    return facts.codec, facts.width, facts.height, facts.depth, facts.subsampling, facts.alpha, facts.colour


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


def _wrong(facts: Facts, planned: Plan, count: int) -> str:
    form, timing = planned.form, planned.timing
    if form.alpha_depth and not facts.alpha:
        return "the file has no alpha"
    if facts.length != count:
        return f"{facts.length} frames were found, {count} written"
    if (facts.width, facts.height) != (planned.width, planned.height):
        return f"the size is {facts.width}x{facts.height}"
    # Of one or two frames no rate can be seen.
    if not form.sequence and count > 2 and not _keeps_time(facts.rate, timing, count, form.container):
        return f"the rate is {facts.rate}, not {timing.rate}"
    return ""


#: Seconds to which a container keeps time, where it does not keep it exactly, and how far it rounds a rate.
_TICKS = {"gif": (0.01, 0.05), "webp": (0.001, 0.01), "apng": (0.0001, 0.001)}


def _keeps_time(found: Fraction, timing: TimeMap, count: int, container: str) -> bool:
    """Whether a rate is the one meant, as far as the container can say: a short clip's end falls on its next tick."""
    tick, rounding = _TICKS.get(container, (0.0, 0.0))
    late = count * abs(float(1 / found - 1 / timing.rate))
    return abs(float(found / timing.rate) - 1) <= rounding or late <= 2 * tick


def _measured(readers: list[Reader], expected: Iterable[Record], planned: Plan, proof: Proof, numbers: range) -> Proof:
    form = planned.form
    flat = planned.delivery.colour if form.content == "flat" else None
    worst, worst_frame, mean, worst_colour, worst_tile, rekeyed = 0.0, 0, 0.0, 0.0, 0.0, 0.0
    colour_sum, judged_pixels, edge_sum, edge_pixels = 0.0, 0, 0.0, 0
    by_frame: list[float] = []
    damaged: list[int] = []
    with ExitStack() as stack:
        found = [stack.enter_context(closing(reader.planes(numbers))) for reader in readers]
        for number, (handed, *planes) in enumerate(zip(expected, *found, strict=True)):
            if handed.damaged:
                damaged.append(numbers[number])
            if handed.digest:
                if digest_found(planes[0], planned) == handed.digest:
                    by_frame.append(0.0)
                    continue
                reason = f"frame {numbers[number]} is not the one that was written, although this format loses nothing."
                return proof.model_copy(update={"passed": False, "reason": reason})
            frames = [to_frame(each, reader.facts) for each, reader in zip(planes, readers, strict=True)]
            cover = handed.cover()
            alpha = _alpha_found(frames, form.content)
            if alpha is not None:
                off = np.abs(alpha - cover)
                mean += float(off.mean()) / len(numbers)
                by_frame.append(float(off.max()))
                if off.max() > worst:
                    worst, worst_frame = float(off.max()), number
            wrong, tile = _colour_error(frames[0], handed, cover, planned)
            soft = _edge_error(frames[0], handed, cover, planned)
            edge_sum += float(soft.sum())
            edge_pixels += soft.size
            if wrong.size:
                worst_colour, worst_tile = max(worst_colour, float(wrong.max())), max(worst_tile, tile)
                colour_sum += float(wrong.sum())
                judged_pixels += wrong.size
            if alpha is None:
                by_frame.append(float(wrong.mean()))
            if flat:
                r, g, b = (float(c) for c in hex_colour(flat).ravel())
                rekeyed += float(np.abs(plain_key(frames[0].rgb, (r, g, b)) - cover).mean()) / len(numbers)
    return proof.model_copy(
        update={
            "worst_alpha": worst,
            "worst_alpha_frame": worst_frame,
            "mean_alpha": mean,
            "worst_colour": worst_colour,
            "worst_tile": worst_tile,
            "mean_colour": colour_sum / max(judged_pixels, 1),
            "judged_pixels": judged_pixels,
            "edge_colour": edge_sum / max(edge_pixels, 1),
            "edge_pixels": edge_pixels,
            "rekeyed": rekeyed if flat else None,
            "by_frame": tuple(round(error, 5) for error in by_frame),
            "damaged": as_runs(damaged),
        }
    )


def _alpha_found(frames: list[Frame], content: Content) -> Plane | None:
    match content:
        case "keyed":
            assert frames[0].alpha is not None
            return frames[0].alpha
        case "matte":
            return frames[0].rgb[1]
        case "pair":
            return frames[1].rgb[1]
    return None


def _colour_error(found: Frame, handed: Record, cover: Plane, planned: Plan) -> tuple[Plane, float]:
    """Differences of colour ``(3, n)`` where colour is judged, and the mean of the worst tile."""
    content, step = planned.form.content, handed.every
    if content == "matte":
        return np.zeros((3, 0), np.float32), 0.0
    off = _off(found.rgb[:, ::step, ::step], handed)
    everywhere = content in ("flat", "over")
    seen = np.ones(off.shape[1:], bool) if everywhere else cover[::step, ::step] > 0.5
    across, down = (-(-side // _TILE) for side in (seen.shape[1], seen.shape[0]))
    tiled = np.zeros((2, down * _TILE, across * _TILE), np.float32)
    tiled[:, : seen.shape[0], : seen.shape[1]] = np.stack([off.mean(axis=0) * seen, seen])
    sums, counts = tiled.reshape(2, down, _TILE, across, _TILE).sum(axis=(2, 4))
    enough = counts >= _TILE * _TILE / 4
    tile = float((sums[enough] / counts[enough]).max()) if enough.any() else 0.0
    return off[:, seen], tile


def _edge_error(found: Frame, handed: Record, cover: Plane, planned: Plan) -> Plane:
    """Differences of premultiplied colour ``(3, n)`` at soft edges: there one kind of alpha is told from the other."""
    step = handed.every
    alpha = cover[::step, ::step]
    soft = (alpha > 0.1) & (alpha < 0.9)
    if planned.form.content != "keyed" or planned.form.alpha_depth == 1:
        soft[:] = False
    return _off(found.rgb[:, ::step, ::step], handed)[:, soft] * alpha[soft]


def _off(found: Plane, handed: Record) -> Plane:
    """Differences of colour; of highlights, as a share of how bright they are."""
    expected = handed.colour()
    if handed.colours.dtype == np.float32:
        return np.abs(found - expected) / np.maximum(1, np.abs(expected))
    return np.abs(found.clip(0, 1) - expected)


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
    if proof.worst_alpha > form.worst_alpha or proof.mean_alpha > form.mean_alpha:
        return f"alpha is off by up to {proof.worst_alpha * 255:.1f}/255 on frame {proof.worst_alpha_frame}."
    rounding = 1 / STEPS
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
