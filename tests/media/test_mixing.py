"""Loudness and limiting against what is published of them, and against FFmpeg's own meter."""

import re
import subprocess
from pathlib import Path

import numpy as np
import pytest

from upholster.core.sound.mix import RATE
from upholster.media.mixing import CEILING, limited, loudness, packed, unpacked


def sine(decibels: float, seconds: float = 20, pitch: float = 1000) -> np.ndarray:
    at = np.arange(round(seconds * RATE)) / RATE
    return np.tile((10 ** (decibels / 20) * np.sin(2 * np.pi * pitch * at)).astype(np.float32), (2, 1))


def test_loudness_of_the_published_test_signals() -> None:
    """EBU Tech 3341 (2023), table 1, cases 1 to 3: a stereo sine of 1000 Hz, within 0.1 LU."""
    assert loudness(sine(-23)).integrated == pytest.approx(-23.0, abs=0.1)
    assert loudness(sine(-33)).integrated == pytest.approx(-33.0, abs=0.1)
    gated = np.concatenate([sine(-36, 10), sine(-23, 60), sine(-36, 10)], axis=1)
    assert loudness(gated).integrated == pytest.approx(-23.0, abs=0.1)


def test_loudness_is_what_ffmpegs_meter_says(tmp_path: Path) -> None:
    rng = np.random.default_rng(3)
    noise = (rng.normal(0, 0.05, (2, 8 * RATE)) * np.linspace(0.2, 1, 8 * RATE)).astype(np.float32)
    (tmp_path / "noise.wav").write_bytes(packed(noise))
    asked = ["ffmpeg", "-nostats", "-i", str(tmp_path / "noise.wav"), "-af", "ebur128", "-f", "null", "-"]
    said = subprocess.run(asked, capture_output=True, text=True, check=True).stderr
    summary = re.findall(r"I:\s+(-?[\d.]+) LUFS", said)[-1]
    assert loudness(noise).integrated == pytest.approx(float(summary), abs=0.15)


def test_silence_and_short_pieces_have_no_loudness_and_what_is_over_is_said_when() -> None:
    assert loudness(np.zeros((2, RATE), np.float32)) == (None, -120.0, None)
    assert loudness(np.zeros((2, 0), np.float32)).integrated is None
    assert loudness(sine(-6, 0.2)).integrated is None and loudness(sine(-6, 0.2)).peak == pytest.approx(-6, abs=0.01)
    loud = sine(-6, 2)
    loud[1, RATE] = 1.5
    assert loudness(loud).over == 1.0 and loudness(loud).peak == pytest.approx(20 * np.log10(1.5), abs=0.01)


def test_a_limited_mix_stays_below_its_ceiling_in_step_and_otherwise_as_it_was() -> None:
    quiet = sine(-12, 1)
    assert limited(quiet) is quiet
    loud = sine(-12, 3)
    loud[:, RATE : RATE + 4800] *= 6
    out = limited(loud)
    assert out.shape == loud.shape and np.abs(out).max() <= 10 ** (CEILING / 20) + 1e-3
    assert np.abs(out[:, : RATE - 2400] - loud[:, : RATE - 2400]).max() < 1e-4
    middle = slice(RATE + 1000, RATE + 4000)
    shift = np.argmax(np.correlate(out[0, middle], loud[0, middle], "full")) - (4000 - 1000 - 1)
    assert abs(int(shift)) <= 1


def test_a_wav_comes_back_as_it_was_and_is_cut_off_at_full_scale() -> None:
    samples = sine(-3, 0.5)
    assert np.abs(unpacked(packed(samples)) - samples).max() < 2e-7
    assert np.abs(unpacked(packed(samples * 4))).max() <= 1
