"""Sound in and out of samples: read from a file, limited, measured as EBU R 128 has it, written as WAV."""

import io
import warnings
from fractions import Fraction
from typing import Any, NamedTuple

import av
import numpy as np
from av.filter import Graph
from numpy.typing import NDArray

from upholster.core.sound.mix import RATE

Samples = NDArray[np.float32]

#: What a mix that is limited stays below, in decibels of full scale (EBU R 128-2023: a true peak of -1 dBTP at most).
CEILING = -1.0
#: How a look-ahead limiter attacks and releases, in milliseconds.
_LIMITER = f"limit={10 ** (CEILING / 20):.6f}:attack=5:release=80:level=false:latency=true"
_LAYOUT, _CHUNK = "stereo", 4096
#: Level below which there is nothing to measure, in decibels.
_NOTHING = -120.0


class Loudness(NamedTuple):
    """How loud a mix is.

    Attributes
    ----------
    integrated : float or None
        LUFS (Rec. ITU-R BS.1770-5, annex 1); None where it is silent or shorter than a block of 400 ms.
    peak : float
        Of its samples, in decibels of full scale.
    over : float or None
        Second at which it first goes beyond full scale; None where it does not.
    """

    integrated: float | None
    peak: float
    over: float | None


def unpacked(packed: bytes) -> Samples:
    """The samples ``(2, n)`` of a sound file, brought to the rate of a mix and to two channels.

    One channel alone is heard on both as loud as it is; more are mixed down.
    """
    found = []
    with av.open(io.BytesIO(packed)) as source:
        layout = "mono" if source.streams.audio[0].channels == 1 else _LAYOUT
        resampler = av.AudioResampler(format="fltp", layout=layout, rate=RATE)
        for frame in source.decode(audio=0):
            found += [same.to_ndarray() for same in resampler.resample(frame)]
        found += [same.to_ndarray() for same in resampler.resample(None)]
    samples = np.concatenate(found, axis=1) if found else np.zeros((2, 0), np.float32)
    return np.repeat(samples, 2, axis=0) if len(samples) == 1 else samples


def packed(samples: Samples) -> bytes:
    """A WAV file of samples, 24 bits; what goes beyond full scale is cut off there."""
    out = io.BytesIO()
    with av.open(out, "w", format="wav") as target:
        stream = target.add_stream("pcm_s24le", rate=RATE, layout=_LAYOUT)
        for frame in _frames(samples):
            target.mux(stream.encode(frame))
        target.mux(stream.encode(None))
    return out.getvalue()


def limited(samples: Samples) -> Samples:
    """A mix turned down shortly wherever it would go beyond `CEILING`, by FFmpeg's filter for it."""
    if not samples.size or np.abs(samples).max() <= 10 ** (CEILING / 20):
        return samples
    graph = Graph()
    inlet = graph.add_abuffer(format="fltp", sample_rate=RATE, layout=_LAYOUT, time_base=Fraction(1, RATE))
    outlet: Any = graph.add("abuffersink")
    graph.link_nodes(
        inlet, graph.add("alimiter", _LIMITER), graph.add("aformat", "sample_fmts=fltp"), outlet
    ).configure()
    found: list[Samples] = []
    for frame in [*_frames(samples), None]:
        inlet.push(frame)
        while True:
            try:
                found.append(outlet.pull().to_ndarray())
            except (av.BlockingIOError, av.EOFError):
                break
    return np.concatenate(found, axis=1)[:, : samples.shape[1]].astype(np.float32)


def loudness(samples: Samples) -> Loudness:
    """How loud a mix is."""
    # Imported late: it takes long, and every command would wait for it.
    from pyloudnorm import Meter

    peak = float(np.abs(samples).max(initial=0))
    over = np.flatnonzero(np.abs(samples).max(axis=0, initial=0) > 1 + 1e-6)
    integrated = None
    if samples.shape[1] >= 0.4 * RATE and peak > 10 ** (_NOTHING / 20):
        with warnings.catch_warnings():
            # It warns of what would be cut off when turned up, which nothing is here.
            warnings.simplefilter("ignore")
            measured = float(Meter(RATE).integrated_loudness(samples.T.astype(np.float64)))
        integrated = measured if np.isfinite(measured) else None
    decibels = 20 * float(np.log10(max(peak, 10 ** (_NOTHING / 20))))
    return Loudness(integrated, decibels, float(over[0] / RATE) if len(over) else None)


def _frames(samples: Samples) -> list[av.AudioFrame]:
    frames = []
    for first in range(0, samples.shape[1], _CHUNK):
        part = np.ascontiguousarray(samples[:, first : first + _CHUNK], np.float32)
        frame = av.AudioFrame.from_ndarray(part, format="fltp", layout=_LAYOUT)
        frame.sample_rate, frame.pts, frame.time_base = RATE, first, Fraction(1, RATE)
        frames.append(frame)
    return frames
