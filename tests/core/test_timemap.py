"""Which frame is shown when: by hand, and what must hold of every take."""

import math
from fractions import Fraction

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from upholster.core.timemap import Mix, TimeMap, Timing, time_map

RATE = Fraction(24)
#: Exact fractions take their time.
loose = settings(deadline=None, max_examples=60)
lengths = st.integers(1, 40)
speeds = st.one_of(st.sampled_from([10, 25, 50, 100, 200, 400, 1000]), st.floats(10, 1000).map(lambda s: round(s, 2)))
timings = st.builds(
    Timing, speed=speeds, between=st.sampled_from(["repeat", "blend", "flow"]), backwards=st.booleans(),
    hold_first=st.integers(0, 9), hold_last=st.integers(0, 9),
)  # fmt: skip


def shown(times: TimeMap) -> list[int]:
    return [times.mix(n).first for n in range(times.frames)]


@pytest.mark.parametrize(
    ("timing", "length", "expected"),
    [
        (Timing(), 3, [0, 1, 2]),
        (Timing(first=1, last=2), 5, [1, 2]),
        (Timing(speed=200), 5, [0, 2, 4]),
        (Timing(speed=200), 6, [0, 2, 4]),
        (Timing(speed=50), 3, [0, 0, 1, 1, 2, 2]),
        (Timing(backwards=True, first=1), 4, [3, 2, 1]),
        (Timing(backwards=True, speed=50), 2, [1, 1, 0, 0]),
        (Timing(hold_first=2, hold_last=3), 2, [0, 0, 0, 1, 1, 1, 1]),
        (Timing(backwards=True, hold_last=1), 3, [2, 1, 0, 0]),
    ],
)
def test_frames_shown_by_hand(timing: Timing, length: int, expected: list[int]) -> None:
    assert shown(time_map(timing, length, RATE)) == expected


def test_blended_frames_lie_between_their_neighbours_and_the_last_one_stays() -> None:
    times = time_map(Timing(speed=50, between="blend"), 3, RATE)
    assert [times.mix(n) for n in range(6)] == [
        Mix(0, 0, 0.0), Mix(0, 1, 0.5), Mix(1, 1, 0.0), Mix(1, 2, 0.5), Mix(2, 2, 0.0), Mix(2, 2, 0.0)
    ]  # fmt: skip


@given(lengths, timings)
@loose
def test_every_output_frame_shows_frames_of_the_span_in_one_direction(length: int, timing: Timing) -> None:
    times = time_map(timing, length, RATE)
    mixes = [times.mix(n) for n in range(times.frames)]
    at = [mix.first + mix.weight for mix in mixes]
    assert all(m.first in times.span and m.second in times.span and 0 <= m.weight < 1 for m in mixes)
    assert all(m.second - m.first == (m.weight > 0) for m in mixes)
    steps = [b - a for a, b in zip(at, at[1:], strict=False)]
    assert all(step <= 0 if timing.backwards else step >= 0 for step in steps)
    assert times.needed(range(times.frames)) == sorted({n for m in mixes for n in (m.first, m.second)})


@given(lengths, timings)
@loose
def test_backwards_of_backwards_is_as_it_was(length: int, timing: Timing) -> None:
    there = time_map(timing.model_copy(update={"hold_first": 0, "hold_last": 0}), length, RATE)
    back = there._replace(backwards=not there.backwards)
    assert [there.mix(n) for n in range(there.frames)] == [back.mix(n) for n in reversed(range(back.frames))]


@given(lengths, timings, st.integers(0, 50), st.integers(0, 50))
@loose
def test_holds_add_exactly_their_frames(length: int, timing: Timing, before: int, after: int) -> None:
    bare = time_map(timing.model_copy(update={"hold_first": 0, "hold_last": 0}), length, RATE)
    held = time_map(timing.model_copy(update={"hold_first": before, "hold_last": after}), length, RATE)
    assert held.frames == bare.frames + before + after
    assert [held.mix(n) for n in held.moving] == [bare.mix(n) for n in range(bare.frames)]
    assert {held.mix(n) for n in range(before + 1)} == {bare.mix(0)}
    assert {held.mix(held.frames - 1 - n) for n in range(after + 1)} == {bare.mix(bare.frames - 1)}


@given(st.integers(1, 500))
def test_half_the_speed_gives_twice_the_frames(length: int) -> None:
    assert time_map(Timing(speed=50), length, RATE).frames == 2 * length


@given(lengths, timings)
@loose
def test_the_way_back_finds_a_frame_that_shows_it_or_its_nearest(length: int, timing: Timing) -> None:
    times = time_map(timing, length, RATE)
    for frame in times.span:
        number = times.output(frame)
        assert 0 <= number < times.frames
        showing = [n for n in times.moving if times.mix(n).first == frame]
        if showing:
            assert number == showing[0]
        else:
            assert abs(times.mix(number).first - frame) <= 2 * math.ceil(times.step)


@given(lengths, timings, st.sampled_from([Fraction(24), Fraction(25), Fraction(30000, 1001), Fraction(50)]))
@loose
def test_another_rate_keeps_the_running_time(length: int, timing: Timing, rate: Fraction) -> None:
    one, other = time_map(timing, length, RATE), time_map(timing, length, RATE, rate)
    # Each of the three parts is rounded to whole frames.
    assert abs(one.frames / RATE - other.frames / rate) <= 2 * (1 / RATE + 1 / rate)


def test_film_rates_stay_exact() -> None:
    times = time_map(Timing(speed=50), 1001, Fraction(24000, 1001), Fraction(30000, 1001))
    assert times.step == Fraction(2, 5) and times.frames == 2503 and times.mix(2502).first == 1000


@given(lengths, timings, st.integers(0, 200))
@loose
def test_parts_need_together_what_the_whole_needs(length: int, timing: Timing, cut: int) -> None:
    times = time_map(timing, length, RATE)
    cut = min(cut, times.frames)
    parts = set(times.needed(range(cut))) | set(times.needed(range(cut, times.frames)))
    assert sorted(parts) == times.needed(range(times.frames))
