"""What a plate counts by goes on in its clips, as Debian's FFmpeg reads it."""

import json
import subprocess
from pathlib import Path
from typing import Any

import pytest
from click.testing import CliRunner
from PIL import Image

from plates import shot
from upholster.cli import main


def key(*asked: object) -> None:
    ran = CliRunner().invoke(main, ["key", *map(str, asked)])
    assert ran.exit_code == 0, ran.output


def tags(path: Path) -> list[dict[str, Any]]:
    asked = ["ffprobe", "-v", "error", "-show_streams", "-show_format", "-of", "json", str(path)]
    told = json.loads(subprocess.run(asked, check=True, capture_output=True).stdout)
    return [stream.get("tags", {}) for stream in told["streams"]] + [told["format"].get("tags", {})]


def codes(path: Path) -> set[str]:
    return {value for found in tags(path) for name, value in found.items() if name.lower() == "timecode"}


@pytest.mark.parametrize(("rate", "code", "after"), [("25", "10:00:00:00", "10:00:01:05"),
                                                     ("30000/1001", "00:00:59;10", "00:01:00;12")])  # fmt: skip
def test_timecode_goes_along_with_the_frames_used(tmp_path: Path, rate: str, code: str, after: str) -> None:
    """QuickTime File Format, "Timecode media"; SMPTE ST 12-1."""
    plate = tmp_path / "plate.mov"
    picture = f"color=c=0x269938:s=64x64:d=2:r={rate},drawbox=20:20:20:20:color=0xc88f70:t=fill"
    made = ["ffmpeg", "-v", "error", "-f", "lavfi", "-i", picture, "-timecode", code, "-c:v", "prores_ks", str(plate)]
    subprocess.run(made, check=True)
    for name, out in (("prores4444", "a.mov"), ("ffv1", "a.mkv")):
        key(plate, tmp_path / out, "--format", name, "--frames", "30-35")
        assert codes(tmp_path / out) == {after}
    told = json.loads((tmp_path / "a.mov.json").read_text())
    assert told["timecode"] == after and told["source"]["timecode"] == code and told["source"]["name"] == "plate.mov"
    key(plate, tmp_path / "fast.mov", "--format", "prores4444", "--speed", "200")
    assert codes(tmp_path / "fast.mov") == set(), "frames that are left out are not counted"


def test_pictures_keep_their_numbers_and_their_rate(tmp_path: Path) -> None:
    plate = tmp_path / "plate"
    plate.mkdir()
    for n in range(4):
        rgb = (shot(frame=n)[0].transpose(1, 2, 0) * 255).astype("uint8")
        Image.fromarray(rgb).save(plate / f"lamp.{1001 + n}.png")
    key(plate, tmp_path / "out", "--format", "png8", "--frames", "1-3", "--plate-rate", "25")
    assert [p.name for p in sorted((tmp_path / "out").glob("*.png"))] == [f"{n:06d}.png" for n in (1002, 1003, 1004)]
    told = json.loads((tmp_path / "out" / "clip.json").read_text())
    assert told["rate"] == told["proof"]["rate"] == "25" and told["source"]["first_number"] == 1001
