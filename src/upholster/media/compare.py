"""Reading a finished file back and comparing it with what was handed to its encoder."""

from collections.abc import Generator, Iterable, Sequence
from contextlib import ExitStack, closing
from fractions import Fraction
from itertools import repeat
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from upholster.core.delivery.flat_colour import plain_key
from upholster.core.timemap import TimeMap
from upholster.media.decoder.frames import Frame, to_frame
from upholster.media.decoder.planes import Planes, same_codes
from upholster.media.decoder.reader import Reader
from upholster.media.delivery import Plan, hex_colour
from upholster.media.encoder.join import packet_digests
from upholster.media.errors import MediaError
from upholster.media.facts import Facts, as_runs
from upholster.media.formats import Content
from upholster.media.proof import Proof, failed
from upholster.media.record import Record, digest_found

Plane = NDArray[np.float32]

#: Side of the tiles that colour is judged in, in pixels whose colour is kept.
_TILE = 8
#: Seconds to which a container keeps time, where it does not keep it exactly, and how far it rounds a rate.
_TICKS = {"gif": (0.01, 0.05), "webp": (0.001, 0.01), "avif": (0.001, 0.01), "apng": (0.0001, 0.001)}


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
                rate=str(planned.timing.rate if form.sequence else facts.rate),
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
            if trouble := _wrong_repeats(paths[0], planned):
                return proof.model_copy(update={"passed": False, "reason": trouble})
            return _measured(readers, expected, planned, proof, numbers)
    except MediaError as error:
        return failed(planned, str(error))


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


def _wrong(facts: Facts, planned: Plan, count: int) -> str:
    form, timing = planned.form, planned.timing
    if form.alpha_depth and not facts.alpha and not form.leaves_solid:
        return "the file has no alpha"
    if facts.length != count and not (form.merges_same and facts.length == 1):
        return f"{facts.length} frames were found, {count} written"
    if (facts.width, facts.height) != (planned.width, planned.height):
        return f"the size is {facts.width}x{facts.height}"
    # Of one or two frames no rate can be seen.
    rated = not form.sequence and min(count, facts.length) > 2
    if rated and not _keeps_time(facts.rate, timing, count, form.container):
        return f"the rate is {facts.rate}, not {timing.rate}"
    return ""


def _wrong_repeats(path: Path, planned: Plan) -> str:
    """Whether an animated picture says how often it plays as it was asked to."""
    if "loop" not in planned.form.takes:
        return ""
    try:
        with Image.open(path) as film:
            # One picture alone does not play.
            if not getattr(film, "is_animated", False):
                return ""
            said = film.info.get("loop")
    except (OSError, SyntaxError):
        return "another program cannot read it."
    # GIF counts the times after the first, and says nothing where there are none.
    found = (0 if said == 0 else (said or 0) + 1) if planned.form.container == "gif" else said
    return "" if found == planned.delivery.loop else f"it plays {found} times, not {planned.delivery.loop}."


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
        found = [stack.enter_context(closing(_planes(reader, numbers))) for reader in readers]
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


def _planes(reader: Reader, numbers: range) -> Generator[Planes]:
    """Code values of frames in order; a still shows the same one every time."""
    if reader.facts.length > 1 or len(numbers) == 1:
        yield from reader.planes(numbers)
    else:
        (still,) = reader.planes(range(1))
        yield from repeat(still, len(numbers))


def _alpha_found(frames: list[Frame], content: Content) -> Plane | None:
    match content:
        case "keyed":
            # Solid alpha that a file leaves out is shown solid; where it should not be, it is an error like any other.
            return np.ones(frames[0].rgb.shape[1:], np.float32) if frames[0].alpha is None else frames[0].alpha
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
