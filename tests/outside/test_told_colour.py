"""Colour that is told to be stored another way, against the conversion of Debian's own FFmpeg."""

import subprocess
from pathlib import Path

import numpy as np
import pytest
from click.testing import CliRunner, Result

from upholster.cli import main
from upholster.media.decoder.reader import Reader, probe
from upholster.media.facts import told_colour


@pytest.fixture(scope="module")
def plate(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A file that says nothing of its colour: whole chroma, so that only matrix and range make a difference."""
    path = tmp_path_factory.mktemp("told") / "bars.mkv"
    bars = "smptebars=s=128x96:r=24:d=0.2,format=yuv444p"
    subprocess.run(["ffmpeg", "-v", "error", "-f", "lavfi", "-i", bars, "-c:v", "ffv1", str(path)], check=True)
    return path


@pytest.mark.parametrize("matrix", ["bt601", "bt709", "bt2020"])
@pytest.mark.parametrize("code_range", ["limited", "full"])
def test_code_values_are_the_colours_they_are_told_to_be(plate: Path, matrix: str, code_range: str) -> None:
    convert = f"scale=in_color_matrix={matrix}:in_range={code_range}:out_range=full:flags=accurate_rnd+full_chroma_int"
    asked = ["ffmpeg", "-v", "error", "-i", str(plate), "-vf", convert, "-pix_fmt", "gbrp", "-frames:v", "1"]
    raw = subprocess.run([*asked, "-f", "rawvideo", "-"], check=True, capture_output=True).stdout
    green, blue, red = np.frombuffer(raw, np.uint8).reshape(3, 96, 128).astype(int)
    facts = told_colour(probe([plate]), [matrix, code_range])
    assert facts.colour.in_words().endswith("(as it was told)")
    with Reader([plate], facts) as reader:
        found = np.rint(reader.frame(0).rgb.clip(0, 1) * 255).astype(int)
    assert np.abs(found - (red, green, blue)).max() <= 1


def test_the_command_line_is_told(plate: Path, tmp_path: Path) -> None:
    def key(out: str, *told: str, given: Path = plate) -> Result:
        return CliRunner().invoke(main, ["key", str(given), str(tmp_path / out), "--format", "ffv1", *told])

    def made(out: str) -> np.ndarray:
        asked = ["ffmpeg", "-v", "error", "-i", str(tmp_path / out), "-pix_fmt", "gbrp", "-f", "rawvideo", "-"]
        return np.frombuffer(subprocess.run(asked, check=True, capture_output=True).stdout, np.uint8).astype(int)

    assert key("stated.mkv").exit_code == key("told.mkv", "--plate-colour", "bt2020, full").exit_code == 0
    assert np.abs(made("stated.mkv") - made("told.mkv")).mean() > 3
    for told, given, said in (
        ("bt601,loud", plate, "full, left or center, not as 'loud'."),
        ("center", plate, "no place to tell"),
        ("bt601", tmp_path / "told.mkv", "stores it as Y'CbCr; this does not"),
    ):
        refused = key("refused.mkv", "--plate-colour", told, given=given)
        assert refused.exit_code == 2 and said in refused.output
