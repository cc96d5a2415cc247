"""Places joined to findings over frames, which frames come first, and what would mend a finding."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from upholster.core.documents.recipe import Recipe, read_recipe
from upholster.core.documents.tracks import Keyframe, over_span, value_at
from upholster.core.findings.frame import Measured
from upholster.core.findings.jump import Tale
from upholster.core.findings.mends import Mend, Patch, mended, mends
from upholster.core.findings.places import Place
from upholster.core.findings.spans import Finding, findings
from upholster.core.findings.wanted import wanted_first
from upholster.core.masks.joined import of_mask
from upholster.core.raster import Raster

STILL = Tale(1.0, 0.3)
PLATE = Raster.of_plate(1920, 1080)


def place(x: float, bad: float = 0.5, y: float = 0.4, size: float = 0.1) -> Place:
    return Place((x, y, x + size, y + size), (255,) * 8, bad, 0.4, 12.0)


def measured(**places: list[Place]) -> Measured:
    return Measured(places, STILL)  # type: ignore[arg-type]


def test_a_place_that_wanders_is_one_finding_from_its_first_to_its_last_frame() -> None:
    frames = {n: measured(hole=[place(0.1 + 0.03 * n, bad=0.2 + 0.1 * n)]) for n in range(5)}
    (one,) = findings(frames)
    assert (one.first, one.last, one.worst, one.severity) == (0, 4, 4, pytest.approx(0.6))
    assert one.around == pytest.approx((0.1, 0.4, 0.32, 0.5))


def test_a_frame_left_out_does_not_part_a_finding_and_three_do() -> None:
    bad, good = measured(haze=[place(0.3)]), measured()
    assert len(findings({0: bad, 1: good, 2: bad})) == 1
    assert len(findings({0: bad, 1: good, 2: good, 3: good, 4: bad})) == 2
    # Those between are not measured yet.
    assert len(findings({0: bad, 8: bad})) == 1


def test_kinds_and_places_apart_are_findings_of_their_own_worst_first() -> None:
    found = findings({0: measured(hole=[place(0.1, 0.3), place(0.7, 0.9)], haze=[place(0.1, 0.5)])})
    assert [(f.kind, f.severity) for f in found] == [("hole", 0.9), ("haze", 0.5), ("hole", 0.3)]
    assert found[0].sentence() == "A hole in the solid part at the right, frame 0: 12 px wide, 40% coverage missing."
    assert "24 px wide" in found[0].sentence(2.0)


def test_a_change_of_light_is_a_jump_where_it_is_not_usual() -> None:
    calm = {n: Measured({}, Tale(1.0 if n < 6 else 0.7, 0.3)) for n in range(12)}
    (one,) = findings(calm)
    assert (one.kind, one.first) == ("jump", 6) and "from frame 5 to 6" in one.sentence()
    assert not findings({n: Measured({}, Tale(1.0 if n % 2 else 0.7, 0.3)) for n in range(12)}), (
        "it flickers throughout"
    )


@given(st.sets(st.integers(0, 400)), st.integers(0, 400))
def test_every_frame_is_wanted_once_and_those_round_the_playhead_first(frames: set[int], playhead: int) -> None:
    order = list(wanted_first(frames, playhead))
    assert len(order) == len(frames) and set(order) == frames
    near = [n for n in order if abs(n - playhead) <= 12]
    assert order[: len(near)] == near
    assert [abs(n - playhead) for n in near] == sorted(abs(n - playhead) for n in near)


def test_far_frames_are_wanted_coarse_to_fine() -> None:
    order = [n for n in wanted_first(range(300), 0) if n > 12]
    assert order[:4] == [64, 128, 192, 256] and order[4] == 32


@pytest.mark.parametrize("before", [8.0, (Keyframe(frame=0, value=2.0), Keyframe(frame=99, value=20.0))])
def test_a_number_on_a_span_is_what_it_was_before_and_after(before: float | tuple[Keyframe, ...]) -> None:
    after = over_span(before, 40, 50, 30.0, length=100)
    assert [value_at(after, n) for n in (40, 45, 50)] == [30.0] * 3
    for n in (0, 20, 38, 52, 80, 99):
        assert value_at(after, n) == pytest.approx(value_at(before, n))
    assert over_span(before, 0, 99, 30.0, length=100) == 30.0
    assert value_at(over_span(before, 0, 5, 30.0, length=100), 0) == 30.0
    assert value_at(over_span(before, 95, 99, 30.0, length=100), 99) == 30.0


def finding(kind: str, **more: object) -> Finding:
    return findings({3: measured(**{kind: [place(0.4)]})})[0]._replace(**more)


def test_mends_are_within_bounds_and_change_only_the_frames_of_the_finding() -> None:
    for kind in ("hole", "haze", "fringe", "chatter", "spill"):
        one = finding(kind, first=10, last=20)
        tried = [mend for mend in mends(one, Recipe(), 2.0) if isinstance(mend, Mend)]
        assert tried, kind
        for mend in tried:
            after = mended(Recipe(), mend, one, 100, PLATE)
            read_recipe(after.model_dump(mode="json"))
            number = getattr(getattr(after, mend.section), mend.field)
            standard = getattr(getattr(Recipe(), mend.section), mend.field)
            assert value_at(number, 15) == pytest.approx(mend.value), mend
            assert value_at(number, 5) == value_at(number, 60) == pytest.approx(standard), mend


def test_holes_are_closed_as_wide_as_they_are_in_pixels_of_the_plate() -> None:
    first = next(mends(finding("hole"), Recipe(), 2.0))
    assert isinstance(first, Mend)
    assert (first.field, first.value, first.line) == ("fill_holes", 26.0, 3)


def test_a_patch_lies_round_a_finding_on_its_frames_and_does_nothing_on_others() -> None:
    frames = {n: measured(hole=[place(0.3 + 0.01 * n)]) for n in range(4, 8)}
    (one,) = findings(frames)
    patch = next(mend for mend in mends(one, Recipe(), 2.0) if isinstance(mend, Patch))
    after = mended(Recipe(), patch, one, 100, PLATE)
    assert read_recipe(after.model_dump(mode="json")) == after
    assert not after.masks.at(3)["drawn"] and not after.masks.at(8)["drawn"]
    for n in range(4, 8):
        (drawn,) = after.masks.at(n)["drawn"]
        cover = of_mask(drawn, PLATE).over(1080, 1920)
        left, right = round((0.3 + 0.01 * n) * 1920), round((0.4 + 0.01 * n) * 1920)
        assert cover[432:540, left:right].min() > 0.97
        assert cover[:, : left - 60].max() == 0 and cover[:, right + 60 :].max() == 0
    again = mended(after, patch, one, 100, PLATE)
    assert [mask.name for mask in again.masks.in_order] == ["Patch 1", "Patch 2"]


def test_a_crop_through_the_subject_is_mended_at_its_side() -> None:
    recipe = read_recipe({"version": 2, "take": {"crop_left": 40, "crop_top": 10}})
    touching = finding("cut_off")._replace(place=place(0.0, size=0.2))
    (mend,) = mends(touching, recipe, 1.0)
    assert isinstance(mend, Mend) and (mend.section, mend.field) == ("take", "crop_left")
    assert mended(recipe, mend, touching, 100, PLATE).take.crop_left == 0


def test_no_value_mends_a_jump() -> None:
    assert not list(
        mends(findings({n: Measured({}, Tale(1.0 - 0.3 * (n > 5), 0.3)) for n in range(12)})[0], Recipe(), 1.0)
    )
