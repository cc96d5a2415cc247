"""Keying from files alone: no database, no browser."""

import json
import subprocess
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest

from plates import GREEN, green_clip, shot
from upholster.core.documents.recipe import Recipe
from upholster.core.first_recipe import first_look
from upholster.demo import grounds, sparks
from upholster.media.compare import compare
from upholster.media.decoder.frames import Frame
from upholster.media.decoder.reader import probe
from upholster.media.delivery import Delivery, Picture, plan, read_delivery
from upholster.media.preview import PreviewWriter
from upholster.media.proof import judged
from upholster.media.sequences import find_pictures, in_order
from upholster.studio.making.delivering import deliver
from upholster.studio.making.keying import (
    Footage,
    KeyJob,
    keyed_frames,
    load_survey,
    read_through,
    save_survey,
    screen_of,
    survey_footage,
)
from upholster.studio.making.orders import Order
from upholster.studio.making.parts import Part, write_part
from upholster.studio.making.proving import handed_over, prove_files
from upholster.studio.making.sidecar import Source, sha256_of, write_sidecar
from upholster.studio.renders.estimate import estimate
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

    (through, damaged), sought = read_through(footage, each), survey_footage(footage)
    assert damaged == ()
    assert seen == list(range(12))
    assert np.array_equal(through.mean, sought.mean) and np.array_equal(through.frames, sought.frames)
    save_survey(tmp_path / "s.npz", through)
    stored = load_survey(tmp_path / "s.npz")
    # What is not still is no number.
    assert all(
        np.array_equal(a, b, equal_nan=np.issubdtype(np.asarray(b).dtype, np.floating))
        for a, b in zip(stored, through, strict=True)
    )


def test_a_survey_that_was_taken_before_seams_were_looked_for_knows_of_none(footage: Footage, tmp_path: Path) -> None:
    taken = survey_footage(footage)
    about = taken._asdict()
    del about["still"]
    np.savez(tmp_path / "old.npz", **about)
    recipe = first_look(taken).recipe
    old, new = screen_of(load_survey(tmp_path / "old.npz"), recipe), screen_of(taken, recipe)
    assert old is not None and new is not None and old.fine is None
    assert np.array_equal(old.plate, new.plate)


def first_key_job(footage: Footage) -> KeyJob:
    taken = survey_footage(footage)
    recipe = first_look(taken).recipe
    return KeyJob(footage, recipe, screen_of(taken, recipe))


def of_frames(key_job: KeyJob, first: int, last: int) -> KeyJob:
    """The same with a shorter take."""
    take = key_job.recipe.take.model_copy(update={"first": first, "last": last})
    return key_job._replace(recipe=key_job.recipe.model_copy(update={"take": take}))


def ordered(key_job: KeyJob, name: str) -> Order:
    return Order(plan(Delivery(format=name), key_job.footage.facts, key_job.recipe.take))


def test_frames_keyed_in_parts_are_the_frames_keyed_in_one_go(footage: Footage) -> None:
    key_job = first_key_job(footage)
    whole = list(keyed_frames(key_job, range(2, 8)))
    parts = [f for numbers in (range(2, 5), range(5, 8)) for f in keyed_frames(key_job, numbers)]
    for frame, part in zip(whole, parts, strict=True):
        assert np.array_equal(frame.rgb, part.rgb) and np.array_equal(frame.alpha, part.alpha)


@pytest.mark.parametrize("steady", [0.0, 0.7])
def test_frames_picked_out_are_the_frames_keyed_in_order(footage: Footage, steady: float) -> None:
    key_job = first_key_job(footage)
    matte = key_job.recipe.matte.model_copy(update={"temporal_denoise": steady})
    key_job = key_job._replace(recipe=key_job.recipe.model_copy(update={"matte": matte}))
    whole, picked = list(keyed_frames(key_job, range(12))), [0, 1, 5, 9, 11]
    for number, frame in zip(picked, keyed_frames(key_job, picked), strict=True):
        assert np.array_equal(frame.alpha, whole[number].alpha)


def test_work_called_off_leaves_no_file(footage: Footage, tmp_path: Path) -> None:
    def stop(done: int) -> None:
        if done == 3:
            raise KeyboardInterrupt

    key_job = KeyJob(footage, Recipe(), None)
    order = ordered(key_job, "ffv1")
    with pytest.raises(KeyboardInterrupt):
        write_part(key_job, [Part(order, tmp_path / "a.mkv")], range(12), progress=stop)
    assert not list(tmp_path.iterdir())


def test_a_proof_against_another_recipe_fails(footage: Footage, tmp_path: Path) -> None:
    key_job, file = of_frames(first_key_job(footage), 0, 5), tmp_path / "a.mkv"
    order = ordered(key_job, "ffv1")
    assert deliver(key_job, order, file).passed
    shifted = key_job.recipe.model_copy(update={"edge": key_job.recipe.edge.model_copy(update={"choke": -2.0})})
    assert not prove_files(key_job._replace(recipe=shifted), order, [file]).passed
    later = of_frames(key_job, 1, 6)
    assert not prove_files(later, ordered(later, "ffv1"), [file]).passed


def test_a_file_proved_in_runs_has_the_proof_of_the_whole(footage: Footage, tmp_path: Path) -> None:
    key_job, file = of_frames(first_key_job(footage), 0, 8), tmp_path / "a.mov"
    order = ordered(key_job, "prores4444")
    whole = deliver(key_job, order, file)
    runs = [
        compare([file], order.planned, handed_over(key_job, order, numbers), numbers)
        for numbers in (range(4), range(4, 9))
    ]
    joined = judged(runs, order.planned)
    assert joined.passed and joined.by_frame == pytest.approx(whole.by_frame, abs=2e-5)
    assert whole.by_frame[joined.worst_alpha_frame] == pytest.approx(whole.worst_alpha, abs=2e-5)
    assert joined.mean_colour == pytest.approx(whole.mean_colour, abs=1e-5)
    assert joined.mean_alpha == pytest.approx(whole.mean_alpha, abs=1e-5)


def test_footage_that_brings_alpha_keeps_it(tmp_path: Path, footage: Footage) -> None:
    key_job, file = of_frames(first_key_job(footage), 0, 2), tmp_path / "a.mov"
    deliver(key_job, ordered(key_job, "prores4444"), file)
    keyed = Footage((file,), probe([file]))
    assert keyed.facts.alpha and keyed.facts.alpha_kind == "straight"
    alpha = next(keyed_frames(KeyJob(keyed, Recipe(), None), range(1)))[1]
    assert np.mean((alpha - shot(frame=0)[1]) ** 2) < 1e-3


def test_the_sidecar_says_all_that_is_needed_to_make_the_file_again(footage: Footage, tmp_path: Path) -> None:
    key_job, file = of_frames(KeyJob(footage, Recipe(), None), 0, 1), tmp_path / "out"
    order = ordered(key_job, "png8")
    proof = deliver(key_job, order, file)
    digest, delivery = sha256_of(footage.files), order.planned.delivery
    sidecar = file / "clip.json"
    source = Source("bell.mp4", digest, footage.facts)
    write_sidecar(sidecar, recipe=Recipe(), source=source, planned=order.planned, proof=proof, revision=4)
    told = json.loads(sidecar.read_text())
    assert told["revision"] == 4 and told["source"]["sha256"] == digest and told["recipe"]["version"] == 2
    assert told["proof"]["frames"] == 2 and told["colour"]["matrix"] == "bt709" and told["format"] == "png8"
    assert read_delivery(told["delivery"]) == delivery


def test_an_estimate_is_near_the_real_size(footage: Footage, tmp_path: Path) -> None:
    key_job = first_key_job(footage)
    for name in ("prores4444", "vp9", "gif"):
        order = ordered(key_job, name)
        file = tmp_path / f"{name}{order.planned.form.suffix}"
        deliver(key_job, order, file)
        told = estimate(key_job, order)
        # Twelve frames are mostly container; the bench measures longer clips.
        assert told.bytes == pytest.approx(file.stat().st_size, rel=0.4) and told.seconds > 0


def test_a_preview_is_small_and_has_alpha(tmp_path: Path) -> None:
    rgb, alpha = shot()
    wide = np.repeat(rgb, 4, 2), np.repeat(alpha, 4, 1)
    with PreviewWriter(tmp_path / "p.webm", Fraction(24)) as writer:
        for _ in range(3):
            writer.write(Picture(*wide, wide[1]))
    facts = probe([tmp_path / "p.webm"])
    assert facts.width == 480 and facts.length == 3 and facts.alpha


def test_sound_goes_along_in_time(tmp_path: Path) -> None:
    """A tone that begins at one second is found at half a second of a take that begins at half a second."""
    film = tmp_path / "film.mov"
    green_clip(tmp_path / "silent.mov", 36)
    tone = "aevalsrc='if(gte(t,1),sin(2*PI*440*t),0)':s=48000:d=1.5"
    made = ["ffmpeg", "-v", "error", "-i", tmp_path / "silent.mov", "-f", "lavfi", "-i", tone, "-c:v", "copy", "-c:a"]
    subprocess.run([str(word) for word in [*made, "pcm_s16le", film]], check=True)
    footage = Footage((film,), probe([film]))
    assert footage.facts.sound == "pcm_s16le"
    key_job = of_frames(KeyJob(footage, Recipe(), None), 12, 35)
    for name in ("ffv1", "prores4444"):
        order = Order(plan(Delivery(format=name, sound=True), footage.facts, key_job.recipe.take))
        out = tmp_path / f"out{order.planned.form.suffix}"
        assert deliver(key_job, order, out).passed
        heard = ["ffmpeg", "-v", "error", "-i", str(out), "-map", "0:a", "-f", "f32le", "-"]
        samples = np.frombuffer(subprocess.run(heard, check=True, capture_output=True).stdout, np.float32)
        begins = np.argmax(np.abs(samples) > 0.01) / 48000
        assert begins == pytest.approx(0.5, abs=0.001) and samples.size == 48000


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
    assert [words.size(n) for n in (7, 1500, 45_600_000, 3_200_000_000)] == [
        "7\u00a0bytes", "1.5\u00a0kB", "46\u00a0MB", "3.20\u00a0GB",
    ]  # fmt: skip
    assert words.rate("24000/1001") == "23.976" and words.rate("25") == "25"
    assert words.seconds(42.4) == "42\u00a0s" and words.seconds(185) == "3\u00a0min 05\u00a0s"
    assert words.error_line([0.0, 1.0], 10, 12) == "0.0,11.0 10.0,1.0"


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


@pytest.mark.parametrize(
    ("delivery", "said"),
    [
        ({"format": "gif"}, "GIF, straight alpha"),
        ({"format": "exr-half", "alpha": "premultiplied"}, "OpenEXR, half, premultiplied alpha"),
        ({"format": "flat-h264", "colour": "#1ab833"}, "H.264 over a flat colour, over #1ab833"),
        ({"format": "prores4444", "sound": True}, "ProRes 4444, straight alpha, with sound"),
        ({"format": "matte-png16"}, "PNG, 16 bits, matte"),
        ({"format": "of-a-later-release"}, "of-a-later-release"),
    ],
)
def test_deliveries_are_said_in_a_few_words(delivery: dict[str, object], said: str) -> None:
    assert words.delivered(delivery) == said
