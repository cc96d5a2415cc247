"""Mattes carried over a clip whose truth is known; what a correction does; what is there already stays."""

from collections.abc import Sequence
from typing import Any

import numpy as np
import pytest
from numpy.typing import NDArray
from skimage.data import coffee

from plates import street, street_strokes
from upholster.core.documents.recipe import read_recipe
from upholster.core.documents.strokes import Strokes
from upholster.core.documents.traces import Trace
from upholster.core.pipeline.runner import Plate, key, plate_of
from upholster.core.raster import Raster
from upholster.core.trace import anchor
from upholster.core.trace.painted import painted
from upholster.core.trace.run import Made, preview, run
from upholster.core.trace.scene import Scene
from upholster.core.trace.seen import Seen, seen
from upholster.core.trace.settle import _between

Plane = NDArray[np.float32]
LENGTH = 20
PLATES, TRUTH = street(LENGTH)
SEEN = [seen(plate) for plate in PLATES]


def overlap(cover: Plane, truth: Plane) -> float:
    one, two = cover >= 0.5, truth >= 0.5
    return np.count_nonzero(one & two) / np.count_nonzero(one | two)


def traced(strokes: Sequence[dict[str, Any]], have: dict[int, Plane] | None = None, **more: Any) -> list[Made]:
    trace = Trace.model_validate({"strokes": list(strokes), "last": LENGTH - 1} | more)
    return list(run(trace, SEEN.__getitem__, LENGTH, (320, 180), (have or {}).get))


@pytest.fixture(scope="module")
def whole() -> dict[int, Plane]:
    return {made.frame: made.cover for made in traced(street_strokes())}


def test_strokes_on_one_frame_carry_over_the_clip(whole: dict[int, Plane]) -> None:
    found = [overlap(whole[n], TRUTH[n]) for n in range(LENGTH)]
    assert np.mean(found) > 0.96 and min(found) > 0.93
    assert np.mean([(whole[n] - TRUTH[n]) ** 2 for n in range(LENGTH)]) < 2.5e-3
    assert all(cover.min() >= 0 and cover.max() <= 1 and cover.dtype == np.float32 for cover in whole.values())


def test_a_base_in_the_middle_is_carried_both_ways() -> None:
    made = traced(street_strokes(10), base=10, first=4, last=15)
    assert [m.frame for m in made] == [10, 11, 12, 13, 14, 15, 9, 8, 7, 6, 5, 4]
    assert min(overlap(m.cover, TRUTH[m.frame]) for m in made) > 0.93


def test_what_is_there_already_is_not_made_again(whole: dict[int, Plane]) -> None:
    """A run that was stopped goes on where it was, and comes to the same."""
    half = {n: whole[n] for n in range(11)}
    rest = traced(street_strokes(), half)
    assert [made.frame for made in rest] == list(range(11, LENGTH))
    for made in rest:
        assert overlap(made.cover, whole[made.frame]) > 0.98
    assert traced(street_strokes(), whole) == []


def test_a_correction_puts_right_what_was_carried_wrong() -> None:
    """A matte that has lost a third of the subject, and gained a piece of the ground, from one stroke on either."""
    scene = Scene(SEEN.__getitem__, LENGTH)
    wrong = np.where(np.arange(320) > 120, TRUTH[12], 0).astype(np.float32)
    wrong[150:170, 130:170] = 1
    assert overlap(wrong, TRUTH[12]) < 0.75
    keep = {"frame": 12, "kind": "keep", "radius": 5, "points": [[108, 85], [108, 100]]}
    drop = {"frame": 12, "kind": "drop", "radius": 5, "points": [[138, 160], [162, 160]]}
    brushed = painted(Strokes.read([keep, drop]).each, Raster.of_plate(320, 180))
    found = anchor.correct(scene, 12, brushed, wrong).cover
    assert overlap(found, TRUTH[12]) > 0.95
    assert (found[brushed == 1] == 1).all() and (found[brushed == 2] == 0).all()


def test_a_frame_that_was_looked_around_needs_no_other_for_its_first_matte(whole: dict[int, Plane]) -> None:
    asked: list[int] = []

    def read(number: int) -> Seen:
        asked.append(number)
        return SEEN[number]

    scene = Scene(read, LENGTH)
    scene.prepare(0)
    assert len(set(asked)) > 4
    asked.clear()
    trace = Trace.model_validate({"strokes": street_strokes(), "last": LENGTH - 1})
    assert np.array_equal(preview(scene, trace, 0, (320, 180), None).cover, whole[0])
    assert set(asked) == {0}


def test_where_it_was_brushed_soft_coverage_lies_between(whole: dict[int, Plane]) -> None:
    soft = {"frame": 0, "kind": "soft", "radius": 10, "points": [[90, 48], [132, 90]]}
    made = {m.frame: m.cover for m in traced([*street_strokes(), soft], last=2)}
    under = painted(Strokes.read([soft]).each, Raster.of_plate(320, 180)) > 0
    between = [np.count_nonzero((c > 0.05) & (c < 0.95) & under) for c in (made[0], whole[0])]
    assert between[0] > 1.5 * between[1]
    assert overlap(made[0], TRUTH[0]) > 0.93 and overlap(made[2], TRUTH[2]) > 0.93


def test_between_two_brushed_frames_mattes_come_from_both_sides() -> None:
    made = {m.frame: m.cover for m in traced([*street_strokes(), *street_strokes(12)])}
    assert sorted(made) == list(range(LENGTH))
    assert min(overlap(made[n], TRUTH[n]) for n in range(LENGTH)) > 0.93


def test_outlines_that_are_apart_meet_between_and_what_is_unsure_on_both_sides_stays_so() -> None:
    """By hand, in equal shares: outlines at columns 40 and 48 meet at 44; strands of .2 and .4 are .3, and .2 is .1."""
    columns = np.arange(100)[None].repeat(60, 0)
    one, two = (np.where(columns < edge, np.float32(1), np.float32(0)) for edge in (40, 48))
    one[:, 70:80], two[:, 70:75] = 0.2, 0.4
    label = _between(one, two, np.float32(0.5))
    assert (label[:, :40] == 1).all() and (label[:, 48:70] == 0).all()
    assert (label[:, 40:44] >= 0.5).all() and (label[:, 44:48] < 0.5 + 1e-6).all()
    assert label[30, 72] == pytest.approx(0.3) and label[30, 77] == pytest.approx(0.1)


def test_what_comes_before_a_correction_stays_unless_it_is_asked(whole: dict[int, Plane]) -> None:
    made = {m.frame: m.cover for m in traced([*street_strokes(), *street_strokes(12)], corrects_back=False)}
    assert sorted(made) == list(range(LENGTH))
    assert all(np.array_equal(made[n], whole[n]) for n in range(12))
    assert not np.array_equal(made[12], whole[12]) and overlap(made[12], TRUTH[12]) > 0.93


def test_one_direction_leaves_the_other_alone() -> None:
    made = traced(street_strokes(10), base=10, first=4, last=15, direction="backward")
    assert [m.frame for m in made] == [10, 9, 8, 7, 6, 5, 4]
    made = traced(street_strokes(10), base=10, first=4, last=15, direction="forward")
    assert [m.frame for m in made] == [10, 11, 12, 13, 14, 15]


def test_a_wider_band_lets_more_of_the_edge_lie_between(whole: dict[int, Plane]) -> None:
    made = {m.frame: m.cover for m in traced(street_strokes(), last=2, band=8)}
    between = [np.count_nonzero((cover > 0.02) & (cover < 0.98)) for cover in (made[2], whole[2])]
    assert between[0] > between[1] and overlap(made[2], TRUTH[2]) > 0.93


def test_what_appears_out_of_nothing_is_in_doubt() -> None:
    """The same strokes, once with a subject that suddenly loses half of itself on frame 3."""
    cut = [plate.copy() for plate in PLATES[:6]]
    for plate in cut[3:]:
        plate[:, 92:] = 0.5
    trace = Trace.model_validate({"strokes": street_strokes(), "last": 5})
    frames = [seen(plate) for plate in cut]
    doubts = {m.frame: m.doubt for m in run(trace, frames.__getitem__, 6, (320, 180), lambda frame: None)}
    assert doubts[3] > 0.3 and doubts[3] > 2 * max(doubts[1], doubts[2])


@pytest.mark.parametrize(
    "strokes",
    [
        [{"frame": 0, "kind": "keep", "radius": 6, "points": [[90, 90]]}],
        [{"frame": 0, "kind": "drop", "radius": 6, "points": [[9, 9]]}],
        [{"frame": 0, "kind": "keep", "radius": 6, "points": [[-4000, 90]]}],
        [{"frame": 0, "kind": "keep", "radius": 900, "points": [[100, 90]]}],
    ],
)
def test_odd_strokes_give_a_matte_and_no_error(strokes: list[dict[str, Any]]) -> None:
    made = traced(strokes, last=3)
    assert len(made) == 4 and all(np.isfinite(m.cover).all() for m in made)


def test_clips_of_few_frames_and_small_pictures_are_traced() -> None:
    small = [seen(plate[:, 40:140:2, 40:140:2].copy()) for plate in PLATES[:3]]
    trace = Trace.model_validate({"strokes": [{"frame": 0, "kind": "keep", "radius": 5, "points": [[25, 25]]}]})
    made = list(run(trace, small.__getitem__, 3, (50, 50), lambda frame: None))
    assert [m.cover.shape for m in made] == [(50, 50)] * 3


def test_what_passes_behind_a_post_comes_out_on_its_other_side() -> None:
    """A van in two colours, longer than the post is wide, before a photograph (scikit-image's)."""
    high, wide, post = 180, 480, slice(230, 292)
    ground = coffee()[100 : 100 + high, 60 : 60 + wide].astype(np.float32) / np.float32(255)
    plates, truth = [], []
    for n in range(20):
        left = 84 + 8 * n
        van = np.zeros((high, wide), np.float32)
        van[50:130, left : left + 120] = 1
        plate = np.where(van[..., None] > 0, np.float32((0.1, 0.75, 0.8)), ground)
        plate[50:90, left : left + 120] = (0.9, 0.2, 0.75)
        plate[:, post], van[:, post] = 0.55, 0
        plates.append(np.ascontiguousarray(plate.transpose(2, 0, 1)))
        truth.append(van)
    strokes = [
        {"frame": 0, "kind": "keep", "radius": 8, "points": [[100, 70], [190, 70], [190, 110], [100, 110]]},
        {"frame": 0, "kind": "drop", "radius": 8, "points": [[60, 30], [220, 30], [220, 150], [60, 150], [60, 30]]},
    ]
    trace = Trace.model_validate({"strokes": strokes, "last": 19})
    made = run(trace, [seen(plate) for plate in plates].__getitem__, 20, (wide, high), {}.get)
    found = {m.frame: overlap(m.cover, truth[m.frame]) for m in made}
    assert min(found.values()) > 0.9


def test_odd_sizes_are_traced_to_their_last_row_and_column() -> None:
    odd = [plate[:, :179, :319].copy() for plate in PLATES[:2]]
    small = [seen(plate) for plate in odd]
    assert small[0].size == (320, 180) or small[0].size == (318, 178)
    all_of_it = {"frame": 0, "kind": "keep", "radius": 900, "points": [[150, 90]]}
    recipe = read_recipe({"version": 2, "traces": [{"strokes": [all_of_it], "last": 1}]})
    (trace,) = recipe.traces.in_order
    made = {m.frame: m.cover for m in run(trace, small.__getitem__, 2, (319, 179), lambda frame: None)}
    alpha = key(plate_of(odd[0]), recipe, 0, None, traced=lambda trace, frame: made.get(frame)).alpha
    assert alpha.shape == (179, 319) and alpha.min() > 0.99


def test_a_key_is_left_where_a_trace_says_so(whole: dict[int, Plane]) -> None:
    """Alone where no screen is; a proxy and a crop see the same; one that is not there yet does nothing."""
    recipe = read_recipe({"version": 2, "traces": [{"strokes": street_strokes()}]})
    there = lambda trace, frame: whole.get(frame)  # noqa: E731
    alpha = key(plate_of(PLATES[5]), recipe, 5, None, traced=there).alpha
    assert np.abs(alpha - whole[5]).max() < 1e-6
    assert key(plate_of(PLATES[5]), recipe, 5, None).alpha.min() == 1
    double = np.repeat(np.repeat(PLATES[5], 2, 1), 2, 2)
    large = key(Plate(double, None, Raster.of_plate(320, 180).resized(640, 360)), recipe, 5, None, traced=there).alpha
    assert overlap(large[::2, ::2], whole[5]) > 0.97 and large.shape == (360, 640)
    cut = read_recipe(
        {"version": 2, "take": {"crop_left": 60, "crop_top": 20}, "traces": [{"strokes": street_strokes()}]}
    )
    assert np.abs(key(plate_of(PLATES[5]), cut, 5, None, traced=there).alpha - whole[5][20:, 60:]).max() < 1e-6
    inside = read_recipe({"version": 2, "traces": [{"strokes": street_strokes(), "does": "discard_inside"}]})
    assert np.abs(key(plate_of(PLATES[5]), inside, 5, None, traced=there).alpha - (1 - whole[5])).max() < 1e-6


def test_flicker_is_taken_out_and_steady_motion_left(whole: dict[int, Plane]) -> None:
    held = dict(whole)
    held[6] = np.where(np.hypot(*np.mgrid[-90:90, -114:206]) < 6, 0, whole[6]).astype(np.float32)
    recipe = read_recipe({"version": 2, "traces": [{"strokes": street_strokes(), "calm": 1}]})
    alpha = key(plate_of(PLATES[6]), recipe, 6, None, traced=lambda trace, frame: held.get(frame)).alpha
    assert held[6][90, 114] == 0 and alpha[90, 114] > 0.9
    assert overlap(alpha, whole[6]) > 0.97
