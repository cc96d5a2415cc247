"""Plates with a known matte and a known sound, at sizes, lengths, rates and depths that are met."""

import subprocess
from fractions import Fraction
from pathlib import Path
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

Plane = NDArray[np.float32]

SUBJECT, SCREEN = (0.78, 0.56, 0.44), (0.15, 0.60, 0.22)
#: Samples a second of the plates' sound, and how long its burst of 1 kHz lasts.
SAMPLES, BURST = 48_000, 0.08


class Case(NamedTuple):
    """A plate, and what is delivered of it.

    Attributes
    ----------
    depth : int
        Bits a channel of the plate.
    sound : str
        Codec of its sound, or empty.
    first, last : int
        What is delivered of it, in its frames.
    burst : float
        Seconds from its first frame at which the burst begins.
    """

    name: str
    width: int
    height: int
    frames: int
    rate: Fraction
    depth: int
    sound: str
    first: int
    last: int
    burst: float = 0.0

    @property
    def length(self) -> int:
        return self.last - self.first + 1


CASES = [
    Case("odd", 335, 181, 3, Fraction(24), 8, "", 0, 2),
    Case("whole", 320, 182, 24, Fraction(25), 8, "pcm_s16le", 0, 23, 0.4),
    Case("range", 352, 200, 48, Fraction(30000, 1001), 10, "aac", 11, 40, 0.9),
    Case("copied", 320, 180, 36, Fraction(24), 8, "aac", 0, 35, 0.4),
    Case("fast", 320, 180, 48, Fraction(60000, 1001), 16, "pcm_s16le", 5, 40, 0.5),
]

#: Codec, pixels and file of a plate, by its depth.
_PLATES = {
    8: ("libx264", "yuv420p", ".mov", ["-crf", "12"]),
    10: ("prores_ks", "yuv422p10le", ".mov", ["-profile:v", "3"]),
    16: ("ffv1", "gbrp16le", ".mkv", []),
}


def matte(case: Case, number: int) -> Plane:
    """Coverage ``(height, width)``, 0..1, of a disc that walks to the right."""
    gy, gx = np.mgrid[0 : case.height, 0 : case.width].astype(np.float32)
    radius = 0.28 * case.height
    at = 0.35 * case.width + 0.8 * number
    return cv2.GaussianBlur(np.clip(radius + 0.5 - np.hypot(gx - at, gy - case.height / 2), 0, 1), (0, 0), 1.5)


def plate(case: Case, folder: Path) -> Path:
    """Write the plate of a case with Debian's FFmpeg."""
    codec, pixels, suffix, options = _PLATES[case.depth]
    path = folder / f"{case.name}{suffix}"
    rng = np.random.default_rng(7)
    raw = b"".join(_codes(case, number, rng).tobytes() for number in range(case.frames))
    size = f"{case.width}x{case.height}"
    given = ["-f", "rawvideo", "-pix_fmt", "gbrp16le", "-s", size, "-r", str(case.rate), "-i", "-"]
    if case.sound:
        tone = f"if(between(t,{case.burst},{case.burst + BURST}),0.8*sin(2*PI*1000*t),0)"
        given += ["-f", "lavfi", "-i", f"aevalsrc='{tone}':s={SAMPLES}:d={float(case.frames / case.rate):.6f}"]
        given += ["-c:a", case.sound]
    matrix = "scale=out_color_matrix=bt709:out_range=tv" if pixels.startswith("yuv") else "null"
    tags = ["-color_primaries", "bt709", "-color_trc", "bt709"]
    tags += ["-colorspace", "bt709"] if pixels.startswith("yuv") else []
    # Sides that chroma cannot halve: what is odd stays odd in a plate without subsampling.
    pixels = "yuv444p" if pixels == "yuv420p" and (case.width % 2 or case.height % 2) else pixels
    asked = ["ffmpeg", "-v", "error", "-y", *given, "-vf", matrix, *tags, "-c:v", codec, "-pix_fmt", pixels, *options]
    subprocess.run([*asked, str(path)], input=raw, check=True)
    return path


def _codes(case: Case, number: int, rng: np.random.Generator) -> NDArray[np.uint16]:
    """A picture as code values ``(3, height, width)``, in the order green, blue, red."""
    alpha = matte(case, number)
    lit = [a * alpha + b * (1 - alpha) for a, b in zip(SUBJECT, SCREEN, strict=True)]
    rgb = np.stack(lit) + rng.normal(0, 0.003, (3, *alpha.shape))
    return np.rint(rgb[[1, 2, 0]].clip(0, 1) * 65535).astype("<u2")
