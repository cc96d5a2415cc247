"""The network of single pixels along a traced outline: where it is asked, what it is told, and what comes of it."""

from pathlib import Path
from typing import Any

import cv2
import numpy as np
import pytest
from numpy.typing import NDArray

from plates import haired, haired_strokes
from upholster.core.documents.traces import Trace
from upholster.core.trace import fine
from upholster.core.trace.geometry import signed_distance
from upholster.core.trace.plate import UNKNOWN, Ground
from upholster.core.trace.run import run
from upholster.core.trace.seen import seen
from upholster.core.trace.soft import Sides

Plane = NDArray[np.float32]

#: Colours of a ground, a subject, and the hair on it, as OpenCV's L*a*b*.
GROUND, SUBJECT, HAIR = (90, 120, 140), (180, 150, 110), (150, 160, 100)


def left_half(height: int = 60, width: int = 200) -> Plane:
    label = np.zeros((height, width), np.float32)
    label[:, : width // 2] = 1
    return label


def known(label: Plane, lab: NDArray[np.uint8] | None = None, doubt: int = 2) -> fine.Known:
    flat = [np.full((*label.shape, 3), colour, np.uint8) for colour in (SUBJECT, GROUND)]
    picture = np.where(label[..., None] >= 0.5, *flat) if lab is None else lab
    ground = Ground(flat[1], np.full(label.shape, doubt, np.uint8))
    sides = Sides(*(colour.astype(np.float32) for colour in flat))
    said = np.zeros((label.shape[0] // 2, label.shape[1] // 2), np.float32)
    return fine.Known(picture, label, label.copy(), sides, ground, said, label)


def where(of: fine.Known) -> NDArray[np.bool_]:
    """Blocks that are asked about."""
    out = np.zeros(of.said.shape, np.bool_)
    places = fine.asked(of, signed_distance(of.label >= 0.5))
    assert (np.diff(places[:, 0]) >= 0).all(), "row by row"
    out[places[:, 0], places[:, 1]] = True
    return out


def test_it_answers_as_where_it_was_trained() -> None:
    """Outputs of PyTorch for the same inputs, kept beside this test by `bench/learn`."""
    with np.load(Path(__file__).with_name("fine_sample.npz")) as sample:
        given = fine.NETWORK.answer(sample["told"], sample["places"])
        assert given == pytest.approx(sample["given"], abs=2e-2)


def test_it_is_asked_along_the_outline() -> None:
    """Within six pixels of it, and a block around."""
    columns = np.flatnonzero(where(known(left_half())).all(axis=0))
    assert columns.tolist() == list(range(46, 54))


def test_it_is_asked_where_the_clean_plate_disputes_what_was_found() -> None:
    label = left_half()
    lab = known(label).lab.copy()
    # A strand on the ground, and a gap in the subject; another of each is too far away.
    for left in (10, 75, 130, 190):
        lab[30:32, left : left + 2] = GROUND if left < 100 else HAIR
    found = where(known(label, lab))
    assert [bool(found[15, left // 2]) for left in (10, 75, 130, 190)] == [False, True, True, False]
    # A ground that is as unsure as that disputes no strand; where it is not known, it disputes nothing.
    assert not where(known(label, lab, doubt=100))[15, 65]
    assert not where(known(label, lab, doubt=UNKNOWN))[15, [37, 65]].any()


def test_what_is_told_of_a_block() -> None:
    """Against NumPy, of single blocks of a noisy picture."""
    draw = np.random.default_rng(3)
    label = cv2.GaussianBlur(left_half(), (0, 0), 3)
    of = known(label, draw.integers(60, 200, (*label.shape, 3)).astype(np.uint8))
    of = of._replace(
        cover=draw.random(label.shape, np.float32), said=draw.normal(0, 3, of.said.shape).astype(np.float32)
    )
    away = signed_distance(label >= 0.5)
    places = np.array([(12, 46), (12, 50), (20, 52)], np.int32)
    told = fine.told(of, away, places)
    assert told.shape == (3, fine.TOLD) and told.dtype == np.float32
    off = (of.lab.astype(np.float32) - of.sides.behind) / 32
    way = (np.array(SUBJECT, np.float32) - GROUND) / 32
    halves = off.reshape(30, 2, 100, 2, 3).mean(axis=(1, 3))
    far = (halves**2).sum(axis=2) * 32**2
    weight = far / (far + 100)
    for (j, i), cell in zip(places, told, strict=True):
        block = np.s_[2 * j : 2 * j + 2, 2 * i : 2 * i + 2]
        assert cell[:4] == pytest.approx(label[block].ravel())
        assert cell[4:8] == pytest.approx(of.cover[block].ravel())
        departures = cell[8:20].reshape(3, 4).T
        assert departures == pytest.approx(off[block].reshape(4, 3))
        assert cell[20:24] == pytest.approx(np.linalg.norm(off[block].reshape(4, 3), axis=1), rel=1e-4)
        along = (off[block].reshape(4, 3) @ way) / (way @ way)
        assert cell[24:28] == pytest.approx(along.clip(-1, 2), abs=1e-4)
        near = np.s_[j - 4 : j + 5, i - 4 : i + 5]
        nearby = (halves[near] * weight[near][..., None]).sum(axis=(0, 1)) / weight[near].sum()
        assert cell[35:38] == pytest.approx(nearby, abs=1e-4)
        along = (off[block].reshape(4, 3) @ nearby) / max(nearby @ nearby, 0.02)
        assert cell[28:32] == pytest.approx(along.clip(-1, 2), abs=1e-3)
        assert cell[32:35] == pytest.approx(way, abs=1e-5)
        assert cell[39] == 1 and cell[40] == pytest.approx(0.1)
        assert cell[41] == pytest.approx(away[block].mean() / 24, abs=1e-5)
        assert cell[43] == pytest.approx(of.said[j, i] / 4, abs=1e-5)
        around = np.s_[2 * j - 14 : 2 * j + 16, 2 * i - 14 : 2 * i + 16]
        assert cell[44] == pytest.approx(label[around].mean(), abs=1e-4)
        assert cell[46] == pytest.approx(weight[near].mean(), abs=1e-4)
    unknown = fine.told(of._replace(ground=None), away, places)
    assert (unknown[:, 39:41] == 0).all()


def test_what_it_says_is_added_within_bounds_and_elsewhere_nothing_changes(monkeypatch: pytest.MonkeyPatch) -> None:
    of = known(left_half())
    away = signed_distance(of.label >= 0.5)
    monkeypatch.setattr(fine.NETWORK, "answer", lambda told, places: np.full((len(told), 4), 0.25, np.float32))
    held = np.zeros(of.label.shape, np.bool_)
    held[20:40] = True
    found = fine.corrected(of, away, held=held)
    asked = where(of).repeat(2, axis=0).repeat(2, axis=1) & ~held
    assert found[asked] == pytest.approx(np.minimum((of.cover[asked] + 0.25 - 0.02) / 0.96, 1))
    assert (found[~asked] == of.cover[~asked]).all()
    nothing = known(np.zeros((20, 20), np.float32))
    assert fine.corrected(nothing, signed_distance(nothing.label >= 0.5)) is nothing.cover


def test_strands_come_out_nearer_to_what_is_true(monkeypatch: pytest.MonkeyPatch) -> None:
    """A head with hair, drawn here and never seen in learning: on the brushed frame and on those it is carried to."""
    length = 12
    frames, truth = zip(*(haired(n) for n in range(length)), strict=True)
    looked = [seen(rgb) for rgb in frames]
    trace = Trace.model_validate({"strokes": haired_strokes(), "last": length - 1})

    def missed() -> NDArray[np.float64]:
        made = {m.frame: m.cover for m in run(trace, looked.__getitem__, length, (320, 180), lambda n: None)}
        return np.array([np.mean((made[n] - truth[n]) ** 2) for n in range(length)])

    found = missed()
    monkeypatch.setattr(fine, "corrected", lambda known, *rest: known.cover)
    without = missed()
    assert found[0] < 0.8 * without[0] and found[1:].mean() < 0.8 * without[1:].mean()


def test_strands_between_two_brushed_frames_are_as_good_as_those_carried_from_one() -> None:
    """The head with hair again: strands have no outline by which what comes from either side could be joined."""
    length = 12
    frames, truth = zip(*(haired(n) for n in range(length)), strict=True)
    looked = [seen(rgb) for rgb in frames]
    last = length - 1
    more = [{**s, "frame": last, "points": [[x + 3 * last, y] for x, y in s["points"]]} for s in haired_strokes()]

    def missed(strokes: list[dict[str, Any]]) -> float:
        trace = Trace.model_validate({"strokes": strokes, "last": last})
        made = {m.frame: m.cover for m in run(trace, looked.__getitem__, length, (320, 180), lambda n: None)}
        return float(np.mean([np.mean((made[n] - truth[n]) ** 2) for n in range(1, last)]))

    assert missed([*haired_strokes(), *more]) < 1.25 * missed(haired_strokes())


def test_what_was_partly_covered_before_is_asked_about_again() -> None:
    """Far from the outline: near what was expected, where no clean plate is known, and nothing of what is solid."""
    label = left_half()
    told = known(label, doubt=UNKNOWN)
    away = signed_distance(label >= 0.5)
    strand = label.copy()
    strand[30:32, 100:150] = 0.4
    first, again = (fine.asked(each, away) for each in (told, told._replace(expected=strand)))
    assert 2 * first[:, 1].max() < 112 and 150 < 2 * again[:, 1].max() < 160
    beyond = again[2 * again[:, 1] > 112]
    assert beyond[:, 0].min() == 12 and beyond[:, 0].max() == 18
    assert again[:, 1].min() == first[:, 1].min()
    sure = known(label)._replace(expected=strand)
    assert np.array_equal(fine.asked(sure, away), fine.asked(known(label), away))
