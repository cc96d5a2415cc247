"""Grounds under a delivery, and deliveries made from several places at once."""

from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest

from deliveries import deliver, keyed_as
from plates import SKIN, disc, flat, shot, write_video
from upholster.core.documents.recipe import Recipe, Take
from upholster.media.decoder.reader import Reader, probe
from upholster.media.delivery import Delivery, plan
from upholster.media.facts import Facts
from upholster.media.formats import FORMATS
from upholster.studio.making.assembling import assemble
from upholster.studio.making.grounds import filling, open_ground
from upholster.studio.making.keying import Footage, KeyJob
from upholster.studio.making.orders import Order
from upholster.studio.making.parts import Part, part_path, write_part
from upholster.studio.making.proving import prove_files
from upholster.studio.renders.estimate import estimate

FACTS = Facts(kind="video", container="mov", codec="", width=320, height=180, length=12, rate=Fraction(24), depth=8)
FRAMES = [(flat(SKIN), shot(frame=n)[1]) for n in range(12)]
KEY_JOB = KeyJob(Footage((), FACTS), Recipe(), None)


def order(name: str, ground: Footage | None = None, **choices: object) -> Order:
    form = FORMATS[name]
    choices.setdefault("alpha", (form.alpha_kinds or ("straight",))[0])
    return Order(plan(Delivery(format=name, **choices), FACTS, Take()), ground)  # type: ignore[arg-type]


@pytest.fixture(scope="module")
def stripes(tmp_path_factory: pytest.TempPathFactory) -> Footage:
    """A clip of four frames, each a shade of grey, at 12 frames a second."""
    shades = [flat((v, v, v), 160, 160) for v in (0.2, 0.4, 0.6, 0.8)]
    path = write_video(tmp_path_factory.mktemp("ground") / "grey.mkv", shades, codec="ffv1", pixels="bgr0", rate=12)
    return Footage((path,), probe([path]))


@pytest.mark.parametrize("size", [(320, 180), (180, 320), (64, 64), (641, 359)])
def test_a_ground_of_another_shape_fills_the_frame(size: tuple[int, int]) -> None:
    picture = np.zeros((3, 90, 200), np.float32)
    picture[:, 40:50, 95:105] = 1
    filled = filling(picture, *size)
    assert filled.shape == (3, size[1], size[0])
    rows, columns = np.nonzero(filled[0] > 0.5)
    assert abs(rows.mean() - (size[1] - 1) / 2) <= 1 and abs(columns.mean() - (size[0] - 1) / 2) <= 1
    assert abs(np.ptp(rows) - np.ptp(columns)) <= 2, "nothing is stretched"


def test_a_clip_runs_at_its_own_rate_and_begins_again(stripes: Footage) -> None:
    with open_ground(order("over-h264", ground=stripes).planned, stripes) as ground:
        assert ground is not None
        shades = [float(ground(n, 320, 180)[0, 90, 160]) for n in range(12)]
    assert shades == pytest.approx([0.2, 0.2, 0.4, 0.4, 0.6, 0.6, 0.8, 0.8, 0.2, 0.2, 0.4, 0.4], abs=0.01)


def test_formats_without_a_ground_want_none(stripes: Footage) -> None:
    for name in ("prores4444", "flat-h264", "matte-png16"):
        planned = order(name, **({"colour": "#1ab833"} if name == "flat-h264" else {})).planned
        with open_ground(planned, stripes) as ground:
            assert ground is None


def test_a_clip_behind_the_subject_is_in_the_file(tmp_path: Path, stripes: Footage) -> None:
    made = deliver(FRAMES, tmp_path, "over-h264", ground=stripes)
    assert made.proof.passed
    with Reader(made.files) as reader:
        for number, shade in ((0, 0.2), (7, 0.8), (8, 0.2)):
            frame = reader.frame(number).rgb
            assert float(frame[:, 5, 5].mean()) == pytest.approx(shade, abs=0.02)
            inside = FRAMES[number][1] > 0.999
            assert np.abs(frame[:, inside].mean(axis=1) - SKIN).max() < 0.03


def test_several_deliveries_of_one_pass_are_each_what_they_would_be_alone(tmp_path: Path) -> None:
    names = ("ffv1", "png8", "matte-prores", "gif", "pair-prores")
    orders = [order(name) for name in names]
    targets = []
    for name in names:
        (tmp_path / name).mkdir()
        targets.append(part_path(tmp_path / name, 0, FORMATS[name]))
    with keyed_as(FRAMES):
        write_part(KEY_JOB, [Part(o, t) for o, t in zip(orders, targets, strict=True)], range(12))
        for one, name in zip(orders, names, strict=True):
            form = FORMATS[name]
            target = tmp_path / name / ("pair" if form.content == "pair" else f"clip{form.suffix}")
            files = assemble(KEY_JOB, one.planned, tmp_path / name, 1, target)
            assert prove_files(KEY_JOB, one, files).passed, name
    alone = deliver(FRAMES, tmp_path / "alone", "ffv1")
    with Reader(alone.files) as first, Reader([tmp_path / "ffv1" / "clip.mkv"]) as second:
        for a, b in zip(first.frames(range(12)), second.frames(range(12)), strict=True):
            assert np.array_equal(a.rgb, b.rgb) and np.array_equal(a.alpha, b.alpha)  # type: ignore[arg-type]


def test_one_that_cannot_be_written_stops_the_pass_and_leaves_nothing(tmp_path: Path) -> None:
    good, bad = order("ffv1"), order("prores4444")
    (tmp_path / "in the way").touch()
    targets = [Part(good, tmp_path / "good.mkv"), Part(bad, tmp_path / "in the way" / "bad.mov")]
    with keyed_as(FRAMES), pytest.raises(Exception, match="could not be written|Not a directory"):
        write_part(KEY_JOB, targets, range(12))
    assert [p.name for p in tmp_path.iterdir()] == ["in the way"]


@pytest.mark.parametrize("name", ["ffv1", "png8", "rle-mov", "apng", "webp", "over-h264", "exr-half", "pair-prores"])
def test_estimates_lie_near_what_files_weigh(tmp_path: Path, name: str) -> None:
    """Busy pictures, so that the file is more than its container; within the 20 % that is promised."""
    rng = np.random.default_rng(8)
    busy = [np.clip(flat(SKIN) + rng.normal(0, 0.1, (3, 180, 320)), 0, 1).astype(np.float32) for _ in range(12)]
    frames = [(rgb, disc(x=100 + 8 * n, radius=80)) for n, rgb in enumerate(busy)]
    made = deliver(frames, tmp_path, name)
    with keyed_as(frames):
        told = estimate(KEY_JOB, Order(made.planned))
    assert told.bytes == pytest.approx(sum(f.stat().st_size for f in made.files), rel=0.2)


def test_an_estimate_never_exceeds_a_limit_on_kilobits() -> None:
    rng = np.random.default_rng(9)
    frames = [(rng.random((3, 180, 320), np.float32), alpha) for _, alpha in FRAMES]
    with keyed_as(frames):
        told = estimate(KEY_JOB, order("flat-h264", colour="#1ab833", bitrate=100))
    assert told.bytes <= 100_000 / 8 * 0.5


@pytest.mark.parametrize("length", [1, 2, 5, 13])
def test_estimates_of_short_takes_look_at_what_there_is(length: int) -> None:
    facts = FACTS.model_copy(update={"length": length})
    key_job = KeyJob(Footage((), facts), Recipe(), None)
    frames = [FRAMES[n % 12] for n in range(length)]
    for name in ("png8", "gif"):
        with keyed_as(frames):
            told = estimate(key_job, Order(plan(Delivery(format=name), facts, Take())))
        assert told.bytes > 0 and told.seconds >= 0
