"""Whether the sound of a finished file is the one that was meant, by how loud it is from moment to moment."""

import io
from itertools import chain

import av
import numpy as np
from numpy.typing import NDArray

Loudness = NDArray[np.float64]

#: Samples a second that sounds are compared at, whatever their own: a whole number makes a moment.
_SAMPLES = 48_000
#: Moments a second, and seconds by which sound may be early or late: less is nothing an eye and an ear tell apart.
_MOMENTS, _LATE = 1000, 0.010
#: Seconds within which a shift is looked for, and seconds judged at a time.
_SHIFT, _WINDOW = 0.5, 1.0
#: Loudness, of full scale 1, below which a stretch is silent; the share of it below which a stretch got lost.
_SILENT, _LOST = 1e-3, 0.1
#: How much loudness must vary, as a share of its mean, for a shift to be seen.
_VARIES = 0.1


def sound_apart(expected: bytes, found: bytes | None) -> str:
    """What is wrong with a sound that was found; empty where nothing is.

    Parameters
    ----------
    expected, found : bytes
        WAV files as `Reader.sound` makes them anew, both from the first picture to the end of the last.
    """
    meant = _loudness(expected)
    if not found:
        return "its sound is missing."
    heard = _loudness(found)[: len(meant)]
    heard = np.pad(heard, (0, len(meant) - len(heard)))
    step = round(_WINDOW * _MOMENTS)
    for first in range(0, len(meant), step):
        part = slice(first, first + step)
        if meant[part].mean() > _SILENT and heard[part].mean() < _LOST * meant[part].mean():
            return f"its sound is silent from {first / _MOMENTS:.0f} s on, where it should not be."
    late = _shift(meant, heard)
    if abs(late) > _LATE:
        return f"its sound is {1000 * abs(late):.0f} ms {'late' if late > 0 else 'early'}."
    return ""


def _loudness(packed: bytes) -> Loudness:
    """Root mean square of each moment, over all channels."""
    energy: list[Loudness] = []
    left = np.zeros(0)
    with av.open(io.BytesIO(packed)) as source:
        per = _SAMPLES // _MOMENTS
        floats = av.AudioResampler(format="fltp", rate=_SAMPLES)
        for frame in chain(source.decode(audio=0), [None]):
            for same in floats.resample(frame):
                left = np.concatenate([left, np.square(same.to_ndarray().astype(np.float64)).mean(axis=0)])
            whole = len(left) // per * per
            energy.append(left[:whole].reshape(-1, per).mean(axis=1))
            left = left[whole:]
    return np.sqrt(np.concatenate(energy)) if energy else np.zeros(0)


def _shift(meant: Loudness, heard: Loudness) -> float:
    """Seconds by which one is later than the other; 0 where that cannot be seen."""
    # Imported late: it takes long, and every command would wait for it.
    from scipy.signal import correlate

    if not len(meant) or meant.std() < _VARIES * max(float(meant.mean()), _SILENT):
        return 0.0
    alike = correlate(heard - heard.mean(), meant - meant.mean(), method="fft")
    middle, most = len(meant) - 1, min(round(_SHIFT * _MOMENTS), len(meant) - 1)
    near = alike[middle - most : middle + most + 1]
    return float(int(np.argmax(near)) - most) / _MOMENTS
