"""Keying from files alone: no database, no browser."""

import json
from pathlib import Path

import numpy as np
import pytest

from plates import GREEN, green_clip, shot, write_video
from upholster.core.first_recipe import first_look
from upholster.core.recipe import Recipe
from upholster.demo import grounds, sparks
from upholster.media.decoder.frames import Frame
from upholster.media.decoder.reader import probe
from upholster.media.formats import FORMATS
from upholster.media.preview import write_preview
from upholster.media.sequences import find_pictures, in_order
from upholster.studio.keying import (
    Footage,
    keyed_frames,
    load_survey,
    prove_keyed,
    read_through,
    save_survey,
    screen_of,
    survey_footage,
    write_keyed,
)
from upholster.studio.sidecar import sha256_of, write_sidecar
from upholster.web import words


@pytest.fixture(scope="module")
def footage(tmp_path_factory: pytest.TempPathFactory) -> Footage:
    path = green_clip(tmp_path_factory.mktemp("keying") / "a.mp4", 12)
    return Footage((path,), probe([path]))


def test_reading_through_surveys_as_seeking_does(footage: Footage, tmp_path: Path) -> None:
    seen: list[int] = []

    def each(number: int, frame: Frame) -> None:
        seen.append(number)
        assert frame.rgb.shape == (3, 180, 320)

    through, sought = read_through(footage, each), survey_footage(footage)
    assert seen == list(range(12))
    assert np.array_equal(through.mean, sought.mean) and np.array_equal(through.frames, sought.frames)
    save_survey(tmp_path / "s.npz", through)
    stored = load_survey(tmp_path / "s.npz")
    assert all(np.array_equal(a, b) for a, b in zip(stored, through, strict=True))


def test_frames_keyed_in_parts_are_the_frames_keyed_in_one_go(footage: Footage) -> None:
    taken = survey_footage(footage)
    recipe = first_look(taken).recipe
    known = screen_of(taken, recipe)
    whole = list(keyed_frames(footage, recipe, known, range(2, 8)))
    parts = [f for numbers in (range(2, 5), range(5, 8)) for f in keyed_frames(footage, recipe, known, numbers)]
    for (rgb, alpha), (part_rgb, part_alpha) in zip(whole, parts, strict=True):
        assert np.array_equal(rgb, part_rgb) and np.array_equal(alpha, part_alpha)


def test_work_called_off_leaves_no_file(footage: Footage, tmp_path: Path) -> None:
    def stop(done: int) -> None:
        if done == 3:
            raise KeyboardInterrupt

    with pytest.raises(KeyboardInterrupt):
        write_keyed(footage, Recipe(), None, range(12), FORMATS["ffv1"], tmp_path / "a.mkv", "straight", progress=stop)
    assert not list(tmp_path.iterdir())


def test_a_proof_against_another_recipe_fails(footage: Footage, tmp_path: Path) -> None:
    taken = survey_footage(footage)
    recipe = first_look(taken).recipe
    known = screen_of(taken, recipe)
    form, file = FORMATS["ffv1"], tmp_path / "a.mkv"
    write_keyed(footage, recipe, known, range(6), form, file, "straight")
    assert prove_keyed(footage, recipe, known, range(6), form, [file], "straight").passed
    other = recipe.model_copy(update={"edge": recipe.edge.model_copy(update={"shift": 2.0})})
    assert not prove_keyed(footage, other, known, range(6), form, [file], "straight").passed
    assert not prove_keyed(footage, recipe, known, range(1, 7), form, [file], "straight").passed


def test_footage_that_brings_alpha_keeps_it(tmp_path: Path, footage: Footage) -> None:
    taken = survey_footage(footage)
    recipe = first_look(taken).recipe
    file = tmp_path / "a.mov"
    write_keyed(footage, recipe, screen_of(taken, recipe), range(3), FORMATS["prores4444"], file, "straight")
    keyed = Footage((file,), probe([file]))
    assert keyed.facts.alpha and keyed.facts.alpha_kind == "straight"
    alpha = next(keyed_frames(keyed, Recipe(), None, range(1)))[1]
    assert np.mean((alpha - shot(frame=0)[1]) ** 2) < 1e-3


def test_the_sidecar_says_all_that_is_needed_to_make_the_file_again(footage: Footage, tmp_path: Path) -> None:
    form, file = FORMATS["png8"], tmp_path / "out"
    write_keyed(footage, Recipe(), None, range(2), form, file, "straight")
    proof = prove_keyed(footage, Recipe(), None, range(2), form, sorted(file.iterdir()), "straight")
    digest = sha256_of(footage.files)
    write_sidecar(file / "clip.json", recipe=Recipe(), source_sha256=digest, form=form, proof=proof, revision=4)
    told = json.loads((file / "clip.json").read_text())
    assert told["revision"] == 4 and told["source_sha256"] == digest and told["recipe"]["version"] == 1
    assert told["proof"]["frames"] == 2 and told["colour"]["matrix"] == "bt709" and told["format"] == "png8"


def test_a_preview_is_small_and_has_alpha(tmp_path: Path) -> None:
    rgb, alpha = shot()
    wide = [(np.repeat(rgb, 4, 2), np.repeat(alpha, 4, 1))] * 3
    write_preview(tmp_path / "p.webm", wide, probe([write_video(tmp_path / "x.mkv", [rgb])]).rate)
    facts = probe([tmp_path / "p.webm"])
    assert facts.width == 480 and facts.length == 3 and facts.alpha


@pytest.mark.parametrize(
    ("names", "problem"),
    [
        ([], "no pictures"),
        (["a1.png", "b1.png"], "several sequences"),
        (["a1.png", "a3.png"], "Picture 2"),
        (["a.png", "b.png"], "no number"),
        (["a1.png", "a01.png"], "twice"),
    ],
)
def test_heaps_that_are_no_sequence_are_refused(tmp_path: Path, names: list[str], problem: str) -> None:
    with pytest.raises(Exception, match=problem):
        in_order([tmp_path / n for n in names])


def test_a_pattern_finds_only_its_own_pictures(tmp_path: Path) -> None:
    for name in ("a.0001.png", "a.0002.png", "ab.0001.png", "a.x.png", "a.0001.txt"):
        (tmp_path / name).touch()
    assert [p.name for p in find_pictures(str(tmp_path / "a.%04d.png"))] == ["a.0001.png", "a.0002.png"]
    assert [p.name for p in find_pictures(str(tmp_path / "a.####.png"))] == ["a.0001.png", "a.0002.png"]


def test_numbers_are_said_as_people_read_them() -> None:
    assert [words.size(n) for n in (7, 1500, 45_600_000, 3_200_000_000)] == ["7 bytes", "1.5 kB", "46 MB", "3.20 GB"]
    assert words.rate("24000/1001") == "23.976" and words.rate("25") == "25"
    assert words.seconds(42.4) == "42 s" and words.seconds(185) == "3 min 05 s"
    assert words.format_title("vp9") == "WebM VP9"


def test_the_demo_is_drawn_the_same_every_time_and_tells_the_truth() -> None:
    first, again = sparks.shot(20), sparks.shot(20)
    assert np.array_equal(first.plate, again.plate)
    black = np.array([0.012, 0.011, 0.014])
    laid = first.rgb * first.alpha[..., None] + black * (1 - first.alpha[..., None])
    assert np.abs(laid - first.plate).mean() < 0.01
    for picture in (grounds.night_harbour(), grounds.attic_stage(3)):
        assert picture.shape == (720, 1280, 3) and picture.min() >= 0 and picture.max() <= 1 and picture.std() > 0.03


def test_green_is_what_the_plates_say() -> None:
    assert np.allclose(shot(noise=0)[0][:, 0, 0], GREEN)
