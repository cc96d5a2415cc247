"""The sound of a night harbour: water that laps at a quay, and a bell far off."""

from fractions import Fraction
from pathlib import Path

import av
import numpy as np
from numpy.typing import NDArray

from upholster.core.sound.mix import RATE

Samples = NDArray[np.float32]

SECONDS = 8.0
#: Seconds at which the bell is struck.
STRUCK = (0.6, 3.1, 5.4)
#: Partials of a bell about its strike tone: hum, prime, tierce, quint, nominal and above (from memory, no source), with
#: their loudness and the seconds in which each falls to a third.
_PARTIALS = (
    (0.5, 0.5, 3.2),
    (1.0, 0.8, 2.0),
    (1.2, 0.7, 1.5),
    (1.5, 0.35, 1.1),
    (2.0, 1.0, 1.0),
    (2.67, 0.3, 0.5),
    (4.1, 0.2, 0.3),
)
_PITCH = 392.0


def harbour() -> Samples:
    """Samples ``(2, n)``."""
    count = round(SECONDS * RATE)
    at = np.arange(count) / RATE
    rng = np.random.default_rng(31)
    out = np.zeros((2, count))
    for k, struck in enumerate(STRUCK):
        since = np.maximum(at - struck, 0)
        rung = np.zeros(count)
        for ratio, loud, falls in _PARTIALS:
            rung += loud * np.exp(-since / falls) * np.sin(2 * np.pi * _PITCH * ratio * since + ratio)
        rung *= (at >= struck) * np.minimum(since / 0.004, 1) * (0.06 if k != 1 else 0.045)
        # Heard from the right, and once more from the houses on the left.
        late = round(0.19 * RATE)
        echo = np.concatenate([np.zeros(late), rung[:-late]]) * 0.35
        out += np.stack([0.55 * rung + 0.9 * echo, 0.9 * rung + 0.4 * echo])
    for side in range(2):
        noise = np.fft.rfft(rng.standard_normal(count))
        pitch = np.fft.rfftfreq(count, 1 / RATE)
        water = np.fft.irfft(noise / np.maximum(pitch, 40) ** 0.9 * (pitch < 3200), count)
        water /= np.abs(water).max()
        lap = (
            0.35
            + 0.65
            * np.clip(np.sin(2 * np.pi * (at / 1.9 + 0.3 * side)) + 0.4 * np.sin(2 * np.pi * at / 0.83), 0, 2)
            / 1.4
        )
        out[side] += 0.10 * water * lap
    # It begins again where it ends.
    fade = np.minimum(1, np.minimum(at, SECONDS - at) / 0.25)
    return (out * fade).astype(np.float32)


def write(path: Path) -> None:
    """Write the sound as FLAC, which is lossless."""
    samples = np.rint(np.clip(harbour(), -1, 1) * 32767).astype(np.int16)
    part = path.with_suffix(".part.flac")
    with av.open(str(part), "w") as out:
        stream = out.add_stream("flac", rate=RATE, layout="stereo")
        for first in range(0, samples.shape[1], 4096):
            piece = samples[:, first : first + 4096]
            frame = av.AudioFrame.from_ndarray(
                np.ascontiguousarray(piece.T).reshape(1, -1), format="s16", layout="stereo"
            )
            frame.sample_rate, frame.pts, frame.time_base = RATE, first, Fraction(1, RATE)
            out.mux(stream.encode(frame))
        out.mux(stream.encode(None))
    part.replace(path)
