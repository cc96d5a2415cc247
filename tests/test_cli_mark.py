"""`upholster mark`, and what is marked in the files of `upholster key`."""

import json
from pathlib import Path

import cv2
import numpy as np
import pytest

from marked_plates import patched, taped
from plates import disc, write_video
from test_cli import key, run
from upholster.core.documents.recipe import read_recipe
from upholster.media.decoder.reader import Reader


@pytest.fixture(scope="module")
def plate(tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("marked")
    frames = [patched(n)[0] for n in range(5)]
    return write_video(folder / "rook.mp4", frames, options={"crf": "12"})


def test_a_place_is_marked_and_the_file_keeps_what_has_its_colours(plate: Path, tmp_path: Path) -> None:
    recipe = tmp_path / "r.json"
    key(plate, tmp_path / "first.mov", "--save-recipe", recipe)
    done = run("mark", plate, recipe, "--subject", "0,150,90,12", "--ground", "0,20,160")
    assert done.returncode == 0, done.stderr
    samples = read_recipe(json.loads(recipe.read_text())).screen.samples
    assert [(sample.of, sample.radius) for sample in samples] == [("ground", 4), ("subject", 12)]
    key(plate, tmp_path / "marked.mov", "--recipe", recipe)
    patch = disc(x=162, radius=17) > 0
    holes = []
    for name in ("first.mov", "marked.mov"):
        with Reader([tmp_path / name]) as reader:
            alpha = reader.frame(3).alpha
        assert alpha is not None
        holes.append(np.mean(alpha[patch] < 0.9))
    assert holes[0] > 0.2 and holes[1] < 0.02


def test_tracking_marks_go_without_a_recipe_and_stay_where_it_says_so(tmp_path: Path) -> None:
    shot = [taped(n, pan=5) for n in range(6)]
    plate = write_video(tmp_path / "taped_lark.mp4", [frame for frame, _, _ in shot], options={"crf": "16"})
    recipe = tmp_path / "r.json"
    key(plate, tmp_path / "clean.mov", "--save-recipe", recipe)
    document = json.loads(recipe.read_text())
    document["matte"]["tracking_marks"] = False
    recipe.write_text(json.dumps(document))
    key(plate, tmp_path / "left.mov", "--recipe", recipe)
    _, alpha, tape = shot[3]
    lone = (tape > 0.9) & (cv2.dilate(alpha, np.ones((41, 41))) == 0)
    with Reader([tmp_path / "clean.mov"]) as clean, Reader([tmp_path / "left.mov"]) as left:
        gone, there = clean.frame(3).alpha, left.frame(3).alpha
    assert gone is not None and gone[lone].max() < 0.05
    assert there is not None and np.median(there[lone]) > 0.9


@pytest.mark.parametrize(
    ("arguments", "code", "words"),
    [
        ([], 2, "Say what to mark: --ground, --subject or --veil."),
        (["--subject", "there"], 2, "--subject wants FRAME,X,Y[,RADIUS], in pixels of the plate; 'there' is not that."),
        (["--subject", "1,2"], 2, "is not that"),
        (["--subject", "1,2,3,4,5"], 2, "is not that"),
        (["--veil", "99,10,10"], 2, "--veil: frames go from 0 to 4."),
        (["--ground", "0,10,10,-3"], 2, "a radius is more than 0 pixels"),
        (["--ground", "0,nan,10"], 2, "is not that"),
        (["--ground", "0,1e9,10"], 2, "--ground: that point lies outside the picture."),
    ],
)
def test_nonsense_gets_one_sentence_and_changes_nothing(
    plate: Path, tmp_path: Path, arguments: list[str], code: int, words: str
) -> None:
    recipe = tmp_path / "r.json"
    recipe.write_text("{}")
    done = run("mark", plate, recipe, *arguments)
    assert done.returncode == code and words in " ".join(done.stderr.split()), done.stderr
    assert recipe.read_text() == "{}"
