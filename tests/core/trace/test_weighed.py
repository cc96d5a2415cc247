"""What a small network makes of the cues around an outline."""

from pathlib import Path

import cv2
import numpy as np
import pytest
from numpy.typing import NDArray

from plates import street, street_strokes
from upholster.core.documents.traces import Trace
from upholster.core.trace import weighed
from upholster.core.trace.cues import Colours, Cues, summed
from upholster.core.trace.plate import UNKNOWN
from upholster.core.trace.run import run
from upholster.core.trace.seen import seen
from upholster.core.trace.weighed import TOLD, told
from upholster.demo import kite
from upholster.demo.plates import plates
from upholster.media.decoder.reader import Reader, probe

Plane = NDArray[np.float32]


def plane(value: float, shape: tuple[int, int] = (5, 7)) -> Plane:
    return np.full(shape, value, np.float32)


def cues(**other: Plane | NDArray[np.uint8]) -> Cues:
    flat = {name: plane(0) for name in Cues._fields}
    nothing = Colours(plane(0), plane(0), plane(0))
    lab = np.full((5, 7, 3), 128, np.uint8)
    return Cues(**{**flat, "lab": lab, "colours": nothing, "doubt": np.full((5, 7), UNKNOWN, np.uint8), **other})


def test_it_answers_as_where_it_was_trained() -> None:
    """Outputs of PyTorch for the same inputs, kept beside this test by `bench/learn`."""
    with np.load(Path(__file__).with_name("weighed_sample.npz")) as sample:
        assert weighed.NETWORK.answer(sample["told"]) == pytest.approx(sample["given"], abs=2e-2)


def test_what_is_told_is_of_the_order_of_one_however_far_it_goes() -> None:
    far = cues(inside=plane(900), changed=plane(765), astray=plane(400), doubt=np.full((5, 7), 254, np.uint8))
    planes = told(far)
    assert planes.shape == (TOLD, 5, 7) and planes.dtype == np.float32
    assert np.abs(planes).max() <= 3


def test_a_ground_that_is_not_known_says_nothing_of_its_doubt() -> None:
    unknown, known = told(cues()), told(cues(doubt=np.full((5, 7), 10, np.uint8)))
    changed = np.abs(known - unknown).max(axis=(1, 2))
    assert np.count_nonzero(changed) == 2 and sorted(changed[changed > 0]) == [0.5, 1.0]


def test_colours_and_shape_add_up() -> None:
    """By hand: trusted colours stand beside 0.35 of those of the whole, others leave these alone; the shape speaks
    0.22 a pixel, up to ten of them, and 1.3 - trust times that."""
    of = Colours(*(np.array(v, np.float32) for v in ([2.0, 2.0, 0.0], [1.0, 1.0, 0.0], [1.0, 0.0, 1.0])))
    inside, unsure, along = (np.array(v, np.float32) for v in ([0.0, 0.0, 50.0], [0.0, 0.0, 1.0], [1.0, 1.0, 1.0]))
    assert summed(of, inside, unsure, along) == pytest.approx([2 + 0.35, 1.0, 0.22 * 0.3 * 10 * 0.4])


def test_mattes_are_better_with_it_than_without(monkeypatch: pytest.MonkeyPatch) -> None:
    """On a clip that it never saw."""
    length = 20
    plates, truth = street(length)
    frames = [seen(rgb) for rgb in plates]
    trace = Trace.model_validate({"strokes": street_strokes(), "last": length - 1})

    def wrong() -> float:
        made = {m.frame: m.cover for m in run(trace, frames.__getitem__, length, (320, 180), lambda n: None)}
        return float(np.mean([(made[n] >= 0.5) != (truth[n] >= 0.5) for n in range(length)]))

    found = wrong()
    monkeypatch.setattr(weighed, "corrected", lambda cues: np.zeros_like(cues.said))
    assert found < wrong()


def test_deep_inside_it_opens_nothing_that_moves_otherwise_than_the_ground(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(weighed.NETWORK, "answer", lambda told: told[:1] * 0 - 9)
    assert (weighed.corrected(cues(inside=plane(20), astray=plane(4))) == -1).all()
    for other in ({"inside": plane(3)}, {"astray": plane(0)}, {"unsure": plane(1)}):
        assert (weighed.corrected(cues(**{"inside": plane(20), "astray": plane(4), **other})) == -9).all()


def test_a_side_of_the_kite_that_turns_as_pale_as_a_cloud_stays_its_own() -> None:
    """The demo's kite, its tail apart, on a frame on which one of its four sides is lost where that is not held."""
    last, size, plate = 18, (960, 540), next(path for path in plates() if path.name == "kite.mp4")
    with Reader([plate], probe([plate])) as reader:
        frames = [seen(frame.rgb) for frame in reader.frames(range(kite.FRAMES))]
    trace = Trace.model_validate({"strokes": kite.brushed(), "last": last})
    made = {
        m.frame: m.cover for m in run(trace, frames.__getitem__, kite.FRAMES, (kite.WIDTH, kite.HEIGHT), lambda n: None)
    }
    truth = (cv2.resize(kite.shot(last).alpha, size, interpolation=cv2.INTER_AREA) >= 0.5).astype(np.uint8)
    sail = cv2.morphologyEx(truth, cv2.MORPH_OPEN, np.ones((9, 9), np.uint8)) > 0
    lost = np.count_nonzero(sail & (made[last] < 0.5)) / np.count_nonzero(sail)
    assert lost < 0.05, f"{lost:.0%} of it"
