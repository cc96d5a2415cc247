"""Programs that had no part in writing a file: Debian's FFmpeg, Pillow, tifffile, OpenEXR."""

import json
import subprocess
from collections.abc import Sequence
from fractions import Fraction
from pathlib import Path
from typing import Any, NamedTuple

import numpy as np
import OpenEXR
import tifffile
from numpy.typing import NDArray
from PIL import Image, ImageSequence

from upholster.core.colour import encode_srgb

Pictures = NDArray[np.float32]


class Seen(NamedTuple):
    """What a reader found.

    Attributes
    ----------
    pictures : (frames, height, width, channels) float32
        0..1, with alpha as the fourth channel where there is one.
    rate : Fraction or None
        Frames a second, where the file says so.
    seconds : float or None
        How long its pictures last.
    """

    by: str
    pictures: Pictures
    rate: Fraction | None = None
    seconds: float | None = None
    tags: str = ""


def by_ffmpeg(path: Path, channels: int) -> Seen:
    """A movie as Debian's FFmpeg decodes it; alpha of VP9 needs the decoder of the codec's makers."""
    about = probe(path)
    video = next(s for s in about["streams"] if s["codec_type"] == "video")
    decoder = ["-c:v", "libvpx-vp9"] if video["codec_name"] == "vp9" else []
    asked = [*decoder, "-i", str(path), "-map", "0:v:0", "-fps_mode", "passthrough"]
    pixels = "rgba64le" if channels == 4 else "rgb48le"
    raw = _run("ffmpeg", "-v", "error", *asked, "-pix_fmt", pixels, "-f", "rawvideo", "-")
    found = np.frombuffer(raw, "<u2").reshape(-1, int(video["height"]), int(video["width"]), channels)
    tags = [video.get(name, "–") for name in ("color_space", "color_primaries", "color_transfer", "color_range")]
    rate = Fraction(video["r_frame_rate"])
    return Seen("FFmpeg", (found / np.float32(65535)).astype(np.float32), rate, _lasts(path, rate), "/".join(tags))


def by_pillow(path: Path) -> Seen:
    """An animated picture as Pillow reads it."""
    with Image.open(path) as film:
        frames, millis = [], []
        for picture in ImageSequence.Iterator(film):
            frames.append(np.asarray(picture.convert("RGBA"), np.float32) / 255)
            millis.append(float(picture.info.get("duration", film.info.get("duration", 0))))
    seconds = sum(millis) / 1000
    return Seen("Pillow", np.stack(frames), Fraction(len(frames) / seconds).limit_denominator(1001), seconds)


def by_picture_readers(files: Sequence[Path]) -> Seen:
    """Numbered pictures, each kind by its own reader."""
    read = {".png": _png, ".tif": _tiff, ".exr": _exr}[files[0].suffix]
    by = {".png": "FFmpeg", ".tif": "tifffile", ".exr": "OpenEXR"}[files[0].suffix]
    return Seen(by, np.stack([read(file) for file in files]))


def _png(path: Path) -> Pictures:
    return by_ffmpeg(path, 4).pictures[0]


def _tiff(path: Path) -> Pictures:
    return tifffile.imread(path).astype(np.float32) / 65535


def _exr(path: Path) -> Pictures:
    with OpenEXR.File(str(path), separate_channels=True) as file:
        held = {name: channel.pixels.astype(np.float32) for name, channel in file.channels().items()}
    alpha = held["A"]
    rgb = np.stack([held[c] for c in "RGB"], axis=-1)
    straight = np.divide(rgb, alpha[..., None], out=np.zeros_like(rgb), where=alpha[..., None] > 1e-4)
    return np.dstack([encode_srgb(straight) * alpha[..., None], alpha])


def _lasts(path: Path, rate: Fraction) -> float:
    """From the first picture to the end of the last, by its packets."""
    asked = ["-select_streams", "v:0", "-show_entries", "packet=pts_time,duration_time", "-of", "json"]
    packets = json.loads(_run("ffprobe", "-v", "error", *asked, str(path)))["packets"]
    times = [float(p["pts_time"]) for p in packets if "pts_time" in p]
    return max(times) - min(times) + float(1 / rate) if times else 0.0


def burst(path: Path, level: float = 0.2) -> tuple[float, float] | None:
    """When the sound's burst begins and how long the sound lasts, in seconds from the first picture; None if silent."""
    about = probe(path)
    audio = next((s for s in about["streams"] if s["codec_type"] == "audio"), None)
    video = next(s for s in about["streams"] if s["codec_type"] == "video")
    if audio is None:
        return None
    # As a player lays them out: what stands before or after the first picture is cut or filled with silence.
    early = float(video.get("start_time", 0))
    asked = ["-map", "0:a:0", "-af", "aresample=async=1:first_pts=0", "-ac", "1", "-ar", "48000", "-f", "f32le", "-"]
    raw = _run("ffmpeg", "-v", "error", "-copyts", "-i", str(path), *asked)
    samples = np.abs(np.frombuffer(raw, np.float32))
    if not samples.size or samples.max() < level:
        return None
    return float(np.argmax(samples > level)) / 48_000 - early, samples.size / 48_000 - early


def probe(path: Path) -> dict[str, Any]:
    asked = ["-show_streams", "-show_format", "-of", "json"]
    return dict(json.loads(_run("ffprobe", "-v", "error", *asked, str(path))))


def _run(*asked: str) -> bytes:
    return subprocess.run(asked, check=True, capture_output=True).stdout
