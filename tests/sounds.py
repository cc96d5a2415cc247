"""Sounds for tests, and when they are heard."""

import io
import subprocess
import wave
from pathlib import Path
from zlib import crc32

import numpy as np

#: Samples a second that files are listened to at.
RATE = 48_000


def write_clicks(path: Path, *at: float, seconds: float = 2.0) -> Path:
    """A file of silence with a short tone at each time, mono at 44.1 kHz.

    Its pitch says whose it is: the same bytes from another test would be known already in the house they share.
    """
    pitch = 1500 + crc32(f"{path.parent.name}/{path.name}".encode()) % 1000
    samples = np.zeros(round(seconds * 44_100))
    for start in at:
        first = round(start * 44_100)
        samples[first : first + 441] = 0.5 * np.sin(2 * np.pi * pitch * np.arange(441) / 44_100)
    packed = io.BytesIO()
    with wave.open(packed, "wb") as out:
        out.setparams((1, 2, 44_100, 0, "NONE", ""))
        out.writeframes((samples * 32767).astype("<i2").tobytes())
    path.write_bytes(packed.getvalue())
    return path


def clicks(path: Path) -> list[float]:
    """Seconds at which something begins to sound after silence, as Debian's FFmpeg decodes a file."""
    asked = ["ffmpeg", "-v", "error", "-i", str(path), "-map", "0:a", "-ac", "1", "-ar", "48000", "-f", "f32le", "-"]
    raw = np.frombuffer(subprocess.run(asked, capture_output=True, check=True).stdout, np.float32)
    loud = np.flatnonzero(np.abs(raw) > 0.05)
    begins = loud[np.diff(loud, prepend=-RATE) > RATE // 20]
    return [float(n / RATE) for n in begins]


def write_sounding(path: Path, movie: Path, *at: float, seconds: float = 2.0) -> Path:
    """A movie with a sound track of clicks, as Debian's FFmpeg puts it together."""
    sound = write_clicks(path.with_suffix(".wav"), *at, seconds=seconds)
    asked = [
        "ffmpeg",
        "-v",
        "error",
        "-i",
        str(movie),
        "-i",
        str(sound),
        "-c:v",
        "copy",
        "-c:a",
        "pcm_s16le",
        str(path),
    ]
    subprocess.run(asked, check=True)
    sound.unlink()
    return path
