"""Wide and bright colours against zimg, the library behind the `zscale` filter of Debian's FFmpeg."""

import subprocess

import numpy as np
import pytest

from upholster.core.wide_colour import Curve, to_bt709

NAMES = {"pq": "smpte2084", "hlg": "arib-std-b67", "gamma": "bt2020-10"}


def by_zimg(rgb: np.ndarray, curve: Curve) -> np.ndarray:
    """The same by zscale: to linear light, to the primaries of BT.709, to its curve; white at 203 cd/m2 (BT.2408)."""
    height, width = rgb.shape[1:]
    steps = [
        f"zscale=min=gbr:tin={NAMES[curve]}:pin=bt2020:rin=full:m=gbr:t=linear:p=bt2020:npl=203",
        "format=gbrpf32le",
        "zscale=min=gbr:tin=linear:pin=bt2020:m=gbr:p=bt709:t=linear",
        "zscale=min=gbr:tin=linear:pin=bt709:m=gbr:t=bt709:npl=203",
        "format=gbrpf32le",
    ]
    size = ["-f", "rawvideo", "-pix_fmt", "gbrpf32le", "-s", f"{width}x{height}"]
    asked = ["ffmpeg", "-v", "error", *size, "-i", "-", "-vf", ",".join(steps), "-f", "rawvideo", "-"]
    raw = subprocess.run(asked, input=rgb[[1, 2, 0]].tobytes(), capture_output=True, check=True).stdout
    return np.frombuffer(raw, np.float32).reshape(3, height, width)[[2, 0, 1]]


@pytest.mark.parametrize(("curve", "tint"), [("pq", 0.07), ("gamma", 0.07), ("hlg", 0.0)])
def test_wide_colours_are_those_of_zimg(curve: Curve, tint: float) -> None:
    """Rec. ITU-R BT.2100-2, BT.2087-0, Report BT.2408. Of HLG greys alone: of RGB zimg knows no luma for its OOTF.

    Not far from grey, and below white: there both gamuts hold them, and zimg cuts nothing off.
    """
    rng = np.random.default_rng(3)
    rgb = (rng.uniform(0.1, 0.5, (1, 40, 60)) + rng.uniform(-tint, tint, (3, 40, 60))).astype(np.float32)
    ours, theirs = to_bt709(rgb, curve, wide=True), by_zimg(rgb, curve)
    seen = theirs.min(axis=0) > 0.02
    assert seen.mean() > 0.5
    assert np.abs(ours - theirs)[:, seen].max() < 0.002


def test_hlg_keeps_the_hue_of_the_scene() -> None:
    """BT.2100-2, table 5: the OOTF multiplies all components by the same power of luma."""
    signal = np.array([0.4, 0.3, 0.2], np.float32).reshape(3, 1, 1)
    light = to_bt709(signal, "hlg", wide=False) ** 2.4
    assert (light / light[0]).ravel() == pytest.approx([1, 0.09 / 0.16, 0.04 / 0.16], rel=1e-3)


def test_a_white_sheet_is_white() -> None:
    """BT.2408, table 1: reference white is a signal of 75 % in HLG and 58 % in PQ."""
    for curve, signal in (("hlg", 0.75), ("pq", 0.5807)):
        white = to_bt709(np.full((3, 2, 2), signal, np.float32), curve, wide=True)  # type: ignore[arg-type]
        assert white == pytest.approx(1.0, abs=0.01)
