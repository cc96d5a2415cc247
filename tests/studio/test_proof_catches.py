"""Real files broken in every way that has been seen: the proof made while rendering must say so."""

import subprocess
from collections.abc import Callable
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest
from PIL import Image

from deliveries import deliver, keyed_as
from plates import Plane, disc
from upholster.core.composite.over import premultiply
from upholster.core.documents.recipe import Recipe, Take
from upholster.media.compare import compare, compare_joined
from upholster.media.decoder.reader import probe
from upholster.media.delivery import Delivery, Plan, plan
from upholster.media.encoder import pixels
from upholster.media.encoder.join import join_movies, packet_digests
from upholster.media.facts import Facts
from upholster.media.proof import judged
from upholster.media.record import Record, load_records, save_records
from upholster.studio.making.keying import Footage, KeyJob
from upholster.studio.making.orders import Order
from upholster.studio.making.parts import Part, part_path, write_part
from upholster.studio.making.proving import prove_part, prove_whole
from upholster.studio.making.retiming import wrong_sound

COUNT, WIDTH, HEIGHT = 6, 160, 96
FACTS = Facts(
    kind="video", container="mov", codec="", width=WIDTH, height=HEIGHT, length=COUNT, rate=Fraction(24), depth=8
)
KEY_JOB = KeyJob(Footage((), FACTS), Recipe(), None)
Keyed = tuple[Plane, Plane]


def frame(number: int) -> Keyed:
    """A soft disc that moves, of a smooth many-coloured picture."""
    y, x = np.mgrid[0:HEIGHT, 0:WIDTH].astype(np.float32)
    rgb = np.stack([0.5 + 0.35 * np.sin((a * x + b * y) / 17 + number) for a, b in ((1, 2), (2, -1), (1, 0))])
    return rgb.astype(np.float32), disc(WIDTH, HEIGHT, x=50 + 9 * number, y=48, radius=28)


FRAMES = [frame(n) for n in range(COUNT)]


def order(name: str, **choices: object) -> Order:
    return Order(plan(Delivery(format=name, **choices), FACTS, Take()))  # type: ignore[arg-type]


def written(wanted: Order, folder: Path, frames: list[Keyed]) -> tuple[Path, list[Record]]:
    """A part of these frames, and what was handed over for it."""
    part = part_path(folder, 0, wanted.planned.form)
    part.parent.mkdir(parents=True, exist_ok=True)
    with keyed_as(frames):
        (records,) = write_part(KEY_JOB, [Part(wanted, part)], range(len(frames)))
    return part, records


def proved(wanted: Order, part: Path, records: list[Record]) -> tuple[bool, str]:
    found = prove_part(wanted, part, range(COUNT), records, part.with_name("kept.npz"))
    assert found is not None
    whole = judged([found], wanted.planned)
    return whole.passed, whole.reason


def swapped(frames: list[Keyed]) -> list[Keyed]:
    return [frames[0], frames[2], frames[1], *frames[3:]]


def repeated(frames: list[Keyed]) -> list[Keyed]:
    return [*frames[:3], frames[2], *frames[4:]]


def inverted(frames: list[Keyed]) -> list[Keyed]:
    return [(rgb, 1 - alpha) for rgb, alpha in frames]


def opaque(frames: list[Keyed]) -> list[Keyed]:
    return [(rgb, np.ones_like(alpha)) for rgb, alpha in frames]


def shifted(frames: list[Keyed]) -> list[Keyed]:
    return [(np.roll(rgb, 1, 2), np.roll(alpha, 1, 1)) for rgb, alpha in frames]


def multiplied(frames: list[Keyed]) -> list[Keyed]:
    return [(premultiply(rgb * 0.6, alpha), alpha) for rgb, alpha in frames]


def patched(frames: list[Keyed]) -> list[Keyed]:
    """A block of 30 pixels of one frame has another colour, as when a slice is damaged."""
    rgb = frames[4][0].copy()
    rgb[:, 34:64, 70:100] = np.array((0.0, 1.0, 0.0), np.float32)[:, None, None]
    return [*frames[:4], (rgb, frames[4][1]), *frames[5:]]


WRONG = [swapped, repeated, inverted, opaque, shifted, multiplied, patched]


@pytest.mark.parametrize("name", ["prores4444", "vp9", "ffv1", "png16"])
def test_what_is_right_passes(tmp_path: Path, name: str) -> None:
    wanted = order(name)
    part, records = written(wanted, tmp_path, FRAMES)
    assert proved(wanted, part, records) == (True, "")


@pytest.mark.parametrize("name", ["prores4444", "vp9", "ffv1", "png16"])
@pytest.mark.parametrize("wrong", WRONG)
def test_wrong_pictures_are_caught(tmp_path: Path, name: str, wrong: Callable[[list[Keyed]], list[Keyed]]) -> None:
    wanted = order(name)
    _, records = written(wanted, tmp_path / "right", FRAMES)
    part, _ = written(wanted, tmp_path / "wrong", wrong(FRAMES))
    passed, reason = proved(wanted, part, records)
    assert not passed and reason.endswith(".")


def test_straight_taken_for_premultiplied_is_caught(tmp_path: Path) -> None:
    for name in ("prores4444", "ffv1"):
        straight, premultiplied = order(name), order(name, alpha="premultiplied")
        part, _ = written(straight, tmp_path / name / "straight", FRAMES)
        _, records = written(premultiplied, tmp_path / name / "premultiplied", FRAMES)
        assert not proved(premultiplied, part, records)[0]


@pytest.mark.parametrize("change", [{"matrix": "bt601"}, {"code_range": "full"}])
def test_a_wrong_matrix_or_range_is_caught(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, change: dict[str, str]
) -> None:
    """Code values made with one rule and tagged with another, as a misconfigured encoder does (ITU-T H.273)."""
    wanted = order("prores4444")
    whole = pixels.from_rgb
    monkeypatch.setattr(pixels, "from_rgb", lambda rgb, **how: whole(rgb, **{**how, **change}))
    part, records = written(wanted, tmp_path, FRAMES)
    passed, reason = proved(wanted, part, records)
    assert not passed and "colour" in reason


@pytest.mark.parametrize("name", ["prores4444", "vp9", "ffv1"])
def test_a_truncated_file_and_a_missing_frame_are_caught(tmp_path: Path, name: str) -> None:
    wanted = order(name)
    part, records = written(wanted, tmp_path, FRAMES)
    data = part.read_bytes()
    part.write_bytes(data[: len(data) * 2 // 3])
    assert not proved(wanted, part, records)[0]
    short, _ = written(wanted, tmp_path / "short", FRAMES[:-1])
    passed, reason = proved(wanted, short, records)
    assert not passed and "5 frames were found, 6 written" in reason


@pytest.mark.parametrize("name", ["prores4444", "vp9", "ffv1"])
def test_what_goes_wrong_while_joining_is_caught(tmp_path: Path, name: str) -> None:
    wanted = order(name)
    form, rate = wanted.planned.form, wanted.planned.timing.rate
    parts = [written(wanted, tmp_path / str(k), [FRAMES[k], FRAMES[k + 1]])[0] for k in (0, 2, 4)]
    target = tmp_path / f"joined{form.suffix}"
    join_movies(form, parts, target, rate)
    assert compare_joined(target, parts, wanted.planned) == ""
    join_movies(form, [parts[0], parts[2], parts[1]], target, rate)
    assert "out of order" in compare_joined(target, parts, wanted.planned)
    join_movies(form, parts[:2], target, rate)
    assert "4 frames were found, 6 written" in compare_joined(target, parts, wanted.planned)


def test_alpha_beside_the_packets_of_a_webm_is_part_of_what_is_compared(tmp_path: Path) -> None:
    wanted = order("vp9")
    part, _ = written(wanted, tmp_path / "one", FRAMES)
    other, _ = written(wanted, tmp_path / "two", inverted(FRAMES))
    one, two = packet_digests([part]), packet_digests([other])
    # Only the first frame is whole; the alpha of the others says what changed, which inverting leaves alike.
    assert len(one) == COUNT and one[0] != two[0] and one[1:] == two[1:]


def test_records_wait_for_files_that_are_encoded_from_their_parts(tmp_path: Path) -> None:
    wanted = order("webp")
    records: list[Record] = written(wanted, tmp_path, FRAMES)[1]
    kept = [tmp_path / "a.npz", tmp_path / "b.npz"]
    save_records(kept[0], records[:4])
    save_records(kept[1], records[4:])
    back = [r for path in kept for r in load_records(path)]
    for one, two in zip(records, back, strict=True):
        assert (one.matte, one.shape, one.dtype, one.digest) == (two.matte, two.shape, two.dtype, two.digest)
        assert np.array_equal(one.colours, two.colours) and np.abs(one.cover() - two.cover()).max() == 0
    gone = prove_whole(wanted, [tmp_path / "nowhere.webp"], kept)
    assert not gone.passed and "no longer where it was" in gone.reason


def test_frames_made_from_damaged_ones_are_told_in_the_proof(tmp_path: Path) -> None:
    wanted = order("ffv1")
    part, records = written(wanted, tmp_path, FRAMES)
    hurt = [r._replace(damaged=n in (1, 2)) for n, r in enumerate(records)]
    found = prove_part(wanted, part, range(COUNT), hurt, tmp_path / "kept.npz")
    assert found and judged([found], wanted.planned).in_words().endswith("The plate is damaged at frames 1 to 2.")


def beep(path: Path, *filters: str) -> Path:
    """A second of pictures with a beep of 0.1 s after 0.3 s, changed by FFmpeg's audio filters."""
    tone = "aevalsrc='if(between(t,0.3,0.4),0.6*sin(2*PI*800*t),0)':s=48000:d=1"
    made = ["ffmpeg", "-v", "error", "-f", "lavfi", "-i", "testsrc=s=64x48:r=24:d=1", "-f", "lavfi", "-i", tone]
    made += ["-af", ",".join(filters)] if filters else []
    subprocess.run([*made, "-c:v", "mpeg4", "-c:a", "pcm_s16le", str(path)], check=True)
    return path


@pytest.mark.parametrize(
    ("filters", "words"),
    [
        ((), ""),
        (("volume=0.9", "lowpass=6000"), ""),
        (("volume=0",), "silent from 0 s on"),
        (("adelay=40",), "40 ms late"),
        (("atrim=start=0.03", "asetpts=PTS-STARTPTS"), "30 ms early"),
    ],
)
def test_sound_that_is_missing_silent_or_out_of_step_is_caught(
    tmp_path: Path, filters: tuple[str, ...], words: str
) -> None:
    film, made = beep(tmp_path / "film.mov"), beep(tmp_path / "made.mov", *filters)
    found = wrong_sound(KeyJob(sounding(film), Recipe(), None), heard_of(film), made)
    assert (words in found and found.endswith(".")) if words else found == ""


def test_sound_at_another_rate_of_samples_is_the_same_sound(tmp_path: Path) -> None:
    """As 44.1 kHz becomes 48 kHz for Opus (RFC 6716, section 2)."""
    tone = "aevalsrc='if(lt(mod(t,1.7),0.1),0.6*sin(2*PI*800*t),0)':s=44100:d=20"
    made = ["ffmpeg", "-v", "error", "-f", "lavfi", "-i", "testsrc=s=64x48:r=24:d=20", "-f", "lavfi", "-i", tone]
    film, other = tmp_path / "film.mov", tmp_path / "other.mov"
    subprocess.run([*made, "-c:v", "mpeg4", "-c:a", "pcm_s16le", str(film)], check=True)
    subprocess.run(["ffmpeg", "-v", "error", "-i", str(film), "-c:v", "copy", "-ar", "48000", str(other)], check=True)
    assert wrong_sound(KeyJob(sounding(film), Recipe(), None), heard_of(film), other) == ""


def test_a_file_without_the_sound_that_was_asked_for_is_caught(tmp_path: Path) -> None:
    film, made = beep(tmp_path / "film.mov"), tmp_path / "mute.mov"
    subprocess.run(["ffmpeg", "-v", "error", "-i", str(film), "-an", "-c", "copy", str(made)], check=True)
    assert "missing" in wrong_sound(KeyJob(sounding(film), Recipe(), None), heard_of(film), made)


def sounding(film: Path) -> Footage:
    return Footage((film,), probe([film]))


def heard_of(film: Path) -> Plan:
    return plan(Delivery(format="prores4444", sound=True), probe([film]), Take())


@pytest.mark.parametrize("name", ["gif", "apng", "webp"])
def test_another_number_of_repeats_is_caught(tmp_path: Path, name: str) -> None:
    made = deliver(FRAMES, tmp_path, name, loop=3)
    assert made.proof.passed
    asked = made.planned._replace(delivery=made.planned.delivery.model_copy(update={"loop": 0}))
    found = compare(made.files, asked, [], range(0))
    assert not found.passed and "it plays 3 times, not 0" in found.reason


def test_frames_that_stand_still_pass_as_webp(tmp_path: Path) -> None:
    """Its encoder lets a picture stand longer instead of writing it again (RFC 9649, 2.7.1.1: frame duration)."""
    assert deliver([FRAMES[0]] * 3, tmp_path / "all", "webp").proof.passed
    solid = (FRAMES[0][0], np.ones_like(FRAMES[0][1]))
    assert deliver([solid] * 3, tmp_path / "solid", "webp").proof.passed
    held = deliver([*[FRAMES[0]] * 7, *FRAMES[1:], *[FRAMES[-1]] * 5], tmp_path / "held", "webp", rate=25)
    assert held.proof.passed and held.proof.frames == 17
    with Image.open(held.files[0]) as film:
        assert film.n_frames < 17  # type: ignore[attr-defined]
    facts = probe(held.files)
    assert (facts.length, facts.rate) == (17, 25)
    other = deliver([FRAMES[0], FRAMES[0], FRAMES[1]], tmp_path / "other", "webp", expected=[FRAMES[0]] * 3)
    assert not other.proof.passed
