"""Every format, written, read back and compared; size, speed and what else a delivery chooses."""

from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from deliveries import deliver
from plates import SKIN, disc, flat, shot
from upholster.core.delivery.alpha_kind import judge_alpha
from upholster.core.delivery.flat_colour import CANDIDATES, plain_key, presence, propose_flat, subject_pixels
from upholster.core.delivery.one_bit import one_bit
from upholster.core.delivery.sizing import resized, within
from upholster.core.documents.recipe import Take
from upholster.media.decoder.reader import Reader
from upholster.media.delivery import Delivery, no_sound, plan, read_delivery, too_odd
from upholster.media.encoder.writer import open_writer
from upholster.media.errors import MediaError
from upholster.media.facts import Facts
from upholster.media.formats import FORMATS

RATE = Fraction(24000, 1001)
FRAMES = [(flat(SKIN), shot(frame=n)[1]) for n in range(10)]


@pytest.mark.parametrize("name", FORMATS)
def test_every_format_passes_its_proof_in_every_kind_of_alpha_it_allows(tmp_path: Path, name: str) -> None:
    for kind in FORMATS[name].alpha_kinds or ("straight",):
        made = deliver(FRAMES, tmp_path / kind, name, rate=RATE, cuts=(4, 5), alpha=kind)
        assert made.proof.passed, made.proof.reason
        assert made.proof.frames == 10 and len(made.proof.by_frame) == 10
        assert not list(tmp_path.rglob("*.part"))
        if FORMATS[name].lossless:
            assert made.proof.worst_alpha <= FORMATS[name].worst_alpha


@pytest.mark.parametrize("name", ["prores4444", "vp9", "exr-half", "gif", "flat-h264", "matte-prores", "pair-prores"])
def test_a_proof_fails_where_the_file_shows_something_else(tmp_path: Path, name: str) -> None:
    other = [((rgb * 0.8).astype(np.float32), np.roll(alpha, 40, axis=1)) for rgb, alpha in FRAMES]
    assert not deliver(FRAMES[:3], tmp_path, name, expected=other[:3]).proof.passed


def test_a_proof_names_what_is_wrong(tmp_path: Path) -> None:
    weak = [(rgb, np.where(alpha > 0.5, alpha, alpha * 0.5).astype(np.float32)) for rgb, alpha in FRAMES]
    assert "alpha is off by up to" in deliver(FRAMES, tmp_path / "a", "ffv1", expected=weak).proof.reason
    dark = [((rgb * 0.9).astype(np.float32), alpha) for rgb, alpha in FRAMES]
    assert "colour is off" in deliver(FRAMES, tmp_path / "b", "ffv1", expected=dark).proof.reason
    skin = [(flat((0.12, 0.66, 0.18)), alpha) for _, alpha in FRAMES]
    made = deliver(skin, tmp_path / "c", "flat-h264", colour="#1ab833")
    assert not made.proof.passed and "the subject does not contain" in made.proof.reason


@pytest.mark.parametrize("name", ["prores4444", "ffv1", "vp9", "gif", "over-h264", "pair-prores", "tiff16"])
def test_however_it_is_cut_into_parts_the_same_pictures_come_out(tmp_path: Path, name: str) -> None:
    whole = deliver(FRAMES, tmp_path / "whole", name)
    parts = deliver(FRAMES, tmp_path / "parts", name, cuts=(3, 6))
    pieces = [[f] for f in whole.files] if name == "pair-prores" else [whole.files]
    others = [[f] for f in parts.files] if name == "pair-prores" else [parts.files]
    for one, two in zip(pieces, others, strict=True):
        with Reader(one) as first, Reader(two) as second:
            assert first.facts.length == second.facts.length == 10
            for a, b in zip(first.frames(range(10)), second.frames(range(10)), strict=True):
                # VP9 begins each part anew, so there only nearly.
                assert np.abs(a.rgb - b.rgb).mean() < (0.01 if name == "vp9" else 1e-6)


def test_a_file_that_was_not_finished_never_has_its_name(tmp_path: Path) -> None:
    for name in ("ffv1", "png8", "pair-prores"):
        form = FORMATS[name]
        with (
            pytest.raises(ZeroDivisionError),
            open_writer(form, tmp_path / name, width=320, height=180, rate=RATE, alpha="straight") as writer,
        ):
            writer.write(*FRAMES[0])
            _ = 1 / 0
        assert not (tmp_path / name).is_file()
    assert not list(tmp_path.rglob("*.part"))


@pytest.mark.parametrize("name", ["png8", "tiff16", "exr-half", "ffv1"])
def test_a_full_disk_is_one_sentence(name: str) -> None:
    """/dev/full (Linux) takes nothing and says that there is no room."""
    folder = Path("/dev/shm/upholster-full")
    folder.mkdir(exist_ok=True)
    form = FORMATS[name]
    for part in ("000000.part", f"clip{form.suffix}.part"):
        (folder / part).unlink(missing_ok=True)
        (folder / part).symlink_to("/dev/full")
    target = folder if form.sequence else folder / f"clip{form.suffix}"
    try:
        with (
            pytest.raises(MediaError, match="disk is full|could not be written"),
            open_writer(form, target, width=320, height=180, rate=RATE, alpha=form.alpha_kinds[0]) as writer,
        ):
            for frame in FRAMES:
                writer.write(*frame)
        assert not (folder / f"clip{form.suffix}").exists()
    finally:
        for part in folder.iterdir():
            part.unlink()
        folder.rmdir()


FACTS = Facts(
    kind="video",
    container="mov",
    codec="h264",
    width=1280,
    height=720,
    length=48,
    rate=Fraction(24),
    depth=8,
    sound="aac",
)


@pytest.mark.parametrize(
    ("choices", "words"),
    [
        ({"format": "png16", "alpha": "premultiplied"}, "cannot hold premultiplied alpha"),
        ({"format": "exr-half", "alpha": "straight"}, "cannot hold straight alpha"),
        ({"format": "gif", "rate": "60"}, "at most 50 frames a second"),
        ({"format": "png8", "sound": True}, "without sound"),
    ],
)
def test_choices_that_do_not_go_together_are_one_sentence(choices: dict[str, object], words: str) -> None:
    with pytest.raises(MediaError, match=words):
        plan(Delivery(**choices), FACTS, Take())  # type: ignore[arg-type]


@pytest.mark.parametrize(
    ("document", "word"),
    [
        ({}, "format"),
        ({"format": "nothing"}, "formats offered"),
        ({"format": "gif", "palette": 3000}, "palette"),
        ({"format": "gif", "blend_with": "red"}, "blend with"),
        ({"format": "over-h264", "ground": "../../etc/passwd"}, "ground"),
        ({"format": "gif", "colours": 3}, "colours"),
        ({"format": "gif", "version": 2, "speed": 50}, "speed"),
        ({"format": "gif", "version": 99}, "version 99"),
        ([], "delivery"),
    ],
)
def test_what_is_not_a_delivery_is_refused_with_a_sentence(document: object, word: str) -> None:
    with pytest.raises(MediaError, match=word):
        read_delivery(document)


def test_deliveries_of_the_release_before_are_read_without_their_speed() -> None:
    before = {"format": "gif", "alpha": "straight", "speed": 50, "missing": "blend", "rate": "25"}
    assert read_delivery(before) == Delivery(format="gif", rate=Fraction(25))


def test_every_reason_for_silence_is_said() -> None:
    silent = FACTS.model_copy(update={"sound": ""})
    assert no_sound(FORMATS["prores4444"], FACTS) == ""
    assert "no sound" in no_sound(FORMATS["prores4444"], silent)
    assert too_odd(30) and "between 50 % and 200 %" in too_odd(300) and not too_odd(50)
    wanted = Delivery(format="prores4444", sound=True)
    assert plan(wanted, FACTS, Take(speed=30)).sound is None and plan(wanted, FACTS, Take(speed=60)).sound
    assert "without sound" in no_sound(FORMATS["gif"], FACTS)


def test_slow_motion_repeats_or_blends(tmp_path: Path) -> None:
    shades = [(flat((v, v, v), 32, 18), np.ones((18, 32), np.float32)) for v in (0.0, 0.5, 1.0)]
    for between, expected in (("repeat", [0, 0, 0.5, 0.5, 1, 1]), ("blend", [0, 0.25, 0.5, 0.75, 1, 1])):
        take = Take(speed=50, between=between)  # type: ignore[arg-type]
        made = deliver(shades, tmp_path / between, "png16", take=take, first_number=1001, padding=4)
        assert made.proof.passed and made.files[0].name == "1001.png" and len(made.files) == 6
        with Reader(made.files) as reader:
            assert [float(f.rgb[0, 9, 9]) for f in reader.frames(range(6))] == pytest.approx(expected, abs=1e-3)


def test_frames_between_are_blended_as_light_adds(tmp_path: Path) -> None:
    """Porter and Duff 1984: mixing premultiplied, a clear black neighbour darkens nothing."""
    seen = flat((0.8, 0.4, 0.2), 32, 18), np.ones((18, 32), np.float32)
    gone = flat((0.0, 0.0, 0.0), 32, 18), np.zeros((18, 32), np.float32)
    made = deliver([seen, gone], tmp_path, "png16", take=Take(speed=50, between="blend"))
    with Reader(made.files) as reader:
        half = reader.frame(1)
    assert half.alpha is not None and half.alpha[9, 9] == pytest.approx(0.5, abs=1e-3)
    assert half.rgb[:, 9, 9] == pytest.approx((0.8, 0.4, 0.2), abs=1e-3)


@pytest.mark.parametrize("width", [64, 160, 640])
def test_size_is_changed_without_hidden_colour_bleeding_in(width: int) -> None:
    alpha = disc()
    rgb = np.where(alpha > 0, flat((0.8, 0.5, 0.2)), flat((0.0, 1.0, 0.0))).astype(np.float32)
    small, cover = resized(rgb, alpha, *within(320, 180, width))
    assert cover.shape[1] == width and cover.mean() == pytest.approx(alpha.mean(), rel=0.02)
    assert np.abs(small - np.array((0.8, 0.5, 0.2), np.float32).reshape(3, 1, 1))[:, cover > 0.05].max() < 0.01


@given(st.integers(1, 5000), st.integers(1, 5000), st.integers(16, 8192) | st.none())
def test_sizes_are_whole_and_even_where_they_must_be(width: int, height: int, side: int | None) -> None:
    across, down = within(width, height, side, 2)
    assert across % 2 == 0 and down % 2 == 0 and across > 0 and down > 0
    assert side is None or abs(max(across, down) - side) <= 1


def test_one_bit_edges_are_cut_or_scattered_in_still_patterns() -> None:
    """Bayer 1973: a level of k sixteenths switches on k of 16 pixels."""
    alpha = np.full((16, 16), 5 / 16, np.float32)
    rgb, white = flat((1.0, 0.0, 0.0), 16, 16), np.ones((3, 1, 1), np.float32)
    blended, kept = one_bit(rgb, alpha, edge="dither", cut=0.5, blend=white)
    assert kept.sum() == 5 * 16 and set(np.unique(kept)) == {0, 1}
    assert blended[:, 0, 0] == pytest.approx((1, 11 / 16, 11 / 16))
    assert one_bit(rgb, alpha, edge="threshold", cut=0.5, blend=white)[1].sum() == 0
    assert one_bit(rgb, alpha, edge="threshold", cut=0.3, blend=white)[1].all()


@pytest.mark.parametrize("colour", CANDIDATES)
def test_a_flat_colour_is_proposed_that_the_subject_lacks(colour: tuple[float, float, float]) -> None:
    subject = subject_pixels([(flat(colour), disc()), (flat((0.5, 0.5, 0.5)), disc(x=80))])
    proposed = propose_flat(subject)
    assert proposed != colour and presence(proposed, subject).share == 0
    assert presence(colour, subject).share > 0.3


def test_a_plain_key_gets_the_matte_back_from_a_flat_colour() -> None:
    rgb, alpha = flat(SKIN), disc()
    colour = propose_flat(subject_pixels([(rgb, alpha)]))
    ground = np.array(colour, np.float32).reshape(3, 1, 1)
    found = plain_key(rgb * alpha + ground * (1 - alpha), colour)
    assert found[alpha == 0].max() == 0 and found[alpha == 1].min() == 1


@pytest.mark.parametrize("over", [(0.0, 0.0, 0.0), (1.0, 1.0, 1.0), (0.9, 0.1, 0.8)])
@pytest.mark.parametrize("subjects", [1, 2])
def test_straight_and_premultiplied_pictures_are_told_apart(over: tuple[float, float, float], subjects: int) -> None:
    alpha = shot(soft=3.0)[1]
    rgb = flat(SKIN)
    if subjects == 2:
        rgb[:, 90:] = flat((0.2, 0.25, 0.5))[:, 90:]
    assert judge_alpha(rgb, alpha).kind == "straight"
    verdict = judge_alpha(rgb * alpha + flat(over) * (1 - alpha), alpha)
    assert verdict.kind == "premultiplied" and verdict.over == pytest.approx(over, abs=0.05)
    assert judge_alpha(rgb, np.ones_like(alpha)).kind == "opaque"
    assert judge_alpha(rgb, np.zeros_like(alpha)).kind == "empty"
