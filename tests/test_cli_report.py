"""`upholster report`: what is wrong with a plate on disk, in words, as JSON and as a sheet."""

import json
import re
from pathlib import Path

import pytest

from plates import HAZE_ON, HOLE_ON, LIGHT_FROM, faulty_clip, shot, write_video
from test_cli import run


@pytest.fixture(scope="module")
def faulty(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return faulty_clip(tmp_path_factory.mktemp("report") / "faulty.mp4")


def test_each_fault_is_told_and_the_sheet_needs_nothing_else(faulty: Path, tmp_path: Path) -> None:
    html = tmp_path / "sheet.html"
    told = json.loads(run("report", faulty, "--html", html, "--json").stdout)
    assert told["frames"] == 24
    spans = {(f["kind"], f["first"], f["last"]) for f in told["findings"]}
    assert {("haze", HAZE_ON[0], HAZE_ON[-1]), ("hole", HOLE_ON[0], HOLE_ON[-1])} <= spans
    assert ("jump", LIGHT_FROM, LIGHT_FROM) in spans
    page = html.read_text()
    assert told["findings"][0]["sentence"] in page
    assert not re.search(r"""(src|href)=["'](?!data:)""", page) and page.rstrip().endswith("</html>")
    # Nothing is overwritten.
    again = run("report", faulty, "--html", html)
    assert again.returncode
    assert "sheet.html" in again.stderr and html.read_text() == page


def test_the_take_and_the_recipe_are_followed(faulty: Path, tmp_path: Path) -> None:
    recipe = tmp_path / "recipe.json"
    run("key", faulty, tmp_path / "a.gif", "--save-recipe", recipe, "--frames", "0-3")
    kept = json.loads(recipe.read_text())
    kept["matte"]["black_point"] = 0.5
    recipe.write_text(json.dumps(kept))
    told = json.loads(run("report", faulty, "--recipe", recipe, "--json").stdout)
    assert told["frames"] == 4 and not any(f["kind"] == "haze" for f in told["findings"])
    assert json.loads(run("report", faulty, "--frames", "7-11", "--json").stdout)["frames"] == 5


def test_a_clip_that_is_right_is_said_to_be(tmp_path: Path) -> None:
    clip = write_video(tmp_path / "right.mp4", [shot(frame=n)[0] for n in range(3)])
    assert "Nothing wrong was found in 3 frames." in run("report", clip).stdout
