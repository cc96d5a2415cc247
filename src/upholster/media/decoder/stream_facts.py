"""What a video stream says of itself, and what its times say of its rate."""

from fractions import Fraction
from typing import Any

import numpy as np
from numpy.typing import NDArray

from upholster.core.colour import Matrix, Siting
from upholster.core.raster import NARROWEST, WIDEST
from upholster.media.decoder.planes import Planes
from upholster.media.errors import MediaError
from upholster.media.facts import FASTEST, SLOWEST, ColourTags, untagged
from upholster.media.limits import FRAMES, HOURS

#: Rates footage is shot at; a measured rate within 0.2 % of one is taken to be it.
RATES = [
    *(Fraction(n * 1000, 1001) for n in (24, 30, 60, 120)),
    *(Fraction(n) for n in (8, 10, 12, 15, 18, 24, 25, 30, 48, 50, 60, 100, 120)),
]  # fmt: skip
_MATRICES: dict[int, Matrix] = {1: "bt709", 4: "bt601", 5: "bt601", 6: "bt601", 9: "bt2020", 10: "bt2020"}
_PRIMARIES = {1: "bt709", 5: "bt470bg", 6: "smpte170m", 9: "bt2020", 12: "smpte432"}
#: Tone curves for HDR (ITU-R BT.2100), as people call them.
_HDR = {"pq": "PQ", "hlg": "HLG"}
_TRANSFERS = {
    1: "bt709",
    6: "smpte170m",
    8: "linear",
    13: "srgb",
    14: "bt2020-10",
    15: "bt2020-12",
    16: "pq",
    18: "hlg",
}
# Chroma siting is not exposed by PyAV; MPEG video is sampled at the left (H.264 table E-1 default), JPEG at the centre.
_CENTRED = ("mjpeg", "jpeg")


def timing(
    stream: Any, pts: NDArray[np.int64] | None, count: int
) -> tuple[Fraction, tuple[int, ...] | None, list[str]]:
    """The constant rate of a stream, the frame of the file that each of its frames shows, and what to say of it.

    `pts` are the presentation times of its `count` frames, where it states them; shown is None where all are.
    """
    stated = stream.guessed_rate or stream.average_rate
    if stated and not SLOWEST <= stated <= FASTEST:
        stated = None
    if pts is None or count < 3:
        return (_known(Fraction(stated)) if stated else Fraction(24)), None, []
    seconds = (pts - pts[0]) * float(stream.time_base)
    steps = np.diff(seconds)
    usual = float(np.median(steps[steps > 0])) if (steps > 0).any() else 1 / 24
    tick = float(stream.time_base)
    if not seconds[-1] > 0:
        raise MediaError("All frames of this file have the same time. Export it again from where it came.")
    rate = _known(Fraction((count - 1) / float(seconds[-1])).limit_denominator(100_000))
    rate = min(max(rate, SLOWEST), FASTEST)
    # Times rounded to milliseconds cannot tell 24 from 24000/1001; what the file states can.
    if stated and abs(float(stated / rate) - 1) < 0.001 + 2 * tick / float(seconds[-1]):
        rate = Fraction(stated)
    if np.abs(seconds - np.arange(count) / float(rate)).max() <= 0.5 * usual + tick:
        return rate, None, []
    rate = min(_known(max(Fraction(1 / usual).limit_denominator(1001), SLOWEST)), Fraction(120))
    if seconds[-1] > HOURS * 3600:
        raise MediaError(
            f"This file runs for {seconds[-1] / 3600:.1f} hours; the limit is {HOURS:g}. Bring in a shorter piece."
        )
    length = max(1, round((seconds[-1] + usual) * float(rate)))
    if length > FRAMES:
        raise MediaError(
            f"At its {float(rate):.5g} frames a second this file has {length:,} frames; the limit is {FRAMES:,}. "
            "Bring in a shorter piece."
        )
    shown = np.searchsorted(seconds, (np.arange(length) + 0.5) / float(rate)) - 1
    note = (
        f"The rate of this file varies; it was brought to a constant {float(rate):.5g} frames a second by "
        "repeating or leaving out frames."
    )
    return rate, tuple(np.clip(shown, 0, count - 1).tolist()), [note, *_gaps(seconds, usual, float(rate))]


def _gaps(seconds: NDArray[np.float64], usual: float, rate: float) -> list[str]:
    """What to say of places where nothing is shown for much longer than a frame."""
    steps = np.diff(seconds)
    places = np.flatnonzero(steps > max(10 * usual, 1.0))
    notes = [
        f"Nothing is recorded for {steps[place]:.1f} s after frame {round(seconds[place] * rate)}; it is held so long."
        for place in places[:3]
    ]
    if len(places) > 3:
        notes.append(f"There are {len(places) - 3} more such gaps.")
    return notes


def pixel_aspect(stream: Any, rotation: int) -> float:
    """Width of a pixel over its height, after turning; 1 where the file says nothing that can be meant."""
    stated = stream.sample_aspect_ratio
    if not stated or not NARROWEST <= stated <= WIDEST:
        return 1.0
    return round(float(1 / stated if rotation in (90, 270) else stated), 6)


def timecode(container: Any) -> str:
    """The timecode of the first frame, wherever the container keeps it; empty where it has none."""
    kept = [container.metadata, *(stream.metadata for stream in container.streams)]
    return next((tags["timecode"] for tags in kept if tags.get("timecode")), "")[:16]


def sound_codec(container: Any) -> str:
    tracks = container.streams.audio
    return tracks[0].codec_context.name if tracks and tracks[0].codec_context else ""


def _known(rate: Fraction) -> Fraction:
    """The usual rate a measured one is meant to be, or itself."""
    nearest = min(RATES, key=lambda r: abs(r - rate))
    return nearest if abs(nearest / rate - 1) < Fraction(2, 1000) and nearest != rate else rate


def colour_tags(first: Any, layout: Planes, codec: str) -> ColourTags:
    if layout.model != "yuv":
        return ColourTags(
            matrix="bt709",
            range="full",
            transfer=_TRANSFERS.get(first.color_trc, "srgb"),
            primaries="bt709",
            tagged=True,
        )
    matrix = _MATRICES.get(first.colorspace)
    siting: Siting = "center" if codec in _CENTRED else "left"
    full = first.color_range == 2 or first.format.name.startswith("yuvj")
    return ColourTags(
        matrix=matrix or untagged(first.height, first.width),
        range="full" if full else "limited",
        siting=siting,
        transfer=_TRANSFERS.get(first.color_trc, "bt709"),
        primaries=_PRIMARIES.get(first.color_primaries, "bt709"),
        tagged=matrix is not None,
    )


def converted(tags: ColourTags) -> str:
    """What to say of colours that are brought to BT.709 as they are decoded; empty where they are not."""
    wide = tags.primaries == "bt2020"
    if tags.transfer in _HDR:
        return (
            f"Its tone curve is {_HDR[tags.transfer]}, for HDR. It is brought to BT.709, white where BT.2408 has it; "
            "what is brighter stays so in formats that hold floats."
        )
    return "Its colours are those of BT.2020; they are brought to BT.709." if wide else ""


def subsampling(layout: Planes) -> str:
    if layout.model != "yuv":
        return ""
    y, c = layout.arrays[0].shape, layout.arrays[1].shape
    across, down = round(y[1] / c[1]), round(y[0] / c[0])
    return {(1, 1): "4:4:4", (2, 1): "4:2:2", (2, 2): "4:2:0", (4, 1): "4:1:1"}.get((across, down), "")
