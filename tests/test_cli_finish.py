"""`upholster finish`, and a finish in the files of `upholster key`."""

import json
from pathlib import Path

import numpy as np
import pytest
from PIL import Image

from plates import flat, green_clip
from test_cli import key, run
from upholster.core.documents.recipe import read_recipe
from upholster.core.finish.cdl import from_cdl
from upholster.media.decoder.reader import Reader


@pytest.fixture(scope="module")
def keyed(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A folder with a plate, the recipe of its first key, and a ground."""
    folder = tmp_path_factory.mktemp("finish")
    key(green_clip(folder / "bell.mp4", 6), folder / "first.mov", "--save-recipe", folder / "bell.json")
    Image.fromarray((flat((0.1, 0.15, 0.4)) * 255).astype(np.uint8).transpose(1, 2, 0)).save(folder / "night.png")
    return folder


def colour_of(path: Path) -> np.ndarray:
    with Reader([path]) as reader:
        frame = reader.frame(2)
    assert frame.alpha is not None
    return frame.rgb[:, frame.alpha > 0.99].mean(axis=1)


def test_a_cast_and_a_ground_are_measured_into_the_recipe_and_delivered(keyed: Path, tmp_path: Path) -> None:
    recipe = tmp_path / "r.json"
    recipe.write_text((keyed / "bell.json").read_text())
    done = run("finish", keyed / "bell.mp4", recipe, "--neutral", "--ground", keyed / "night.png", "--grain")
    assert done.returncode == 0, done.stderr
    finish = read_recipe(json.loads(recipe.read_text())).finish
    assert finish.neutral == 1 and finish.scene is not None and finish.scene.name == "night.png"
    key(keyed / "bell.mp4", tmp_path / "night.mov", "--recipe", recipe)
    before, after = colour_of(keyed / "first.mov"), colour_of(tmp_path / "night.mov")
    assert after.mean() < before.mean() - 0.05 and after[2] / after[0] > before[2] / before[0] + 0.1


def test_a_grey_and_a_decision(keyed: Path, tmp_path: Path) -> None:
    recipe, out = tmp_path / "r.json", tmp_path / "look.cdl"
    document = json.loads((keyed / "bell.json").read_text())
    recipe.write_text(json.dumps(document | {"finish": {"slope_red": 1.1}}))
    assert run("finish", keyed / "bell.mp4", recipe, "--write-cdl", out).returncode == 0
    assert from_cdl(out.read_text()).slope == (1.1, 1.0, 1.0) and "ColorDecisionList" in out.read_text()
    recipe.write_text(json.dumps(document))
    done = run("finish", keyed / "bell.mp4", recipe, "--read-cdl", out, "--grey", "0,130,90")
    assert done.returncode == 0, done.stderr
    finish = read_recipe(json.loads(recipe.read_text())).finish
    assert finish.slope_red == 1.1 and isinstance(finish.temperature, float) and finish.temperature < 5500


@pytest.mark.parametrize(
    ("arguments", "code", "words"),
    [
        ((), 2, "Say what to do"),
        (("--neutral", "--grain"), 2, "--grain is that of a --ground"),
        (("--grey", "here"), 2, "--grey wants FRAME,X,Y"),
        (("--grey", "99,0,0"), 2, "frames go from 0 to 5"),
        (("--grey", "0,300,10"), 1, "nothing of the subject"),
        (("--read-cdl", "no.cdl"), 1, "could not be read"),
        (("--ground", "no.png", "--neutral"), 1, "no.png"),
    ],
)
def test_what_cannot_be_is_said(keyed: Path, arguments: tuple[str, ...], code: int, words: str) -> None:
    before = (keyed / "bell.json").read_bytes()
    done = run("finish", keyed / "bell.mp4", keyed / "bell.json", *arguments)
    assert done.returncode == code and words in done.stderr and "Traceback" not in done.stderr
    assert (keyed / "bell.json").read_bytes() == before
