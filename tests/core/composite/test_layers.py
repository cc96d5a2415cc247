"""One frame of a fitting: where layers are, which of their pictures they show, and how they lie over each other."""

from fractions import Fraction
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from upholster.core.composite.layers import Element, Size, composite, copies, needed, trimmed, whole
from upholster.core.documents.fitting import Fitting, FittingError, read_fitting
from upholster.core.timemap import Mix

SIZE = Size(40, 20, 10, Fraction(24))
few = settings(max_examples=25, deadline=None)


def fitting(*layers: dict[str, Any], size: dict[str, Any] | None = None, **more: Any) -> Fitting:
    each = [{"source": {"kind": "file", "path": "a"}, **layer} for layer in layers]
    return read_fitting({"frame": {"width": 160, "height": 90, "length": 48, **(size or {})}, "layers": each, **more})


def board(mark: str, mix: Mix) -> Element:
    """A solid board whose red tells the number of the picture."""
    rgba = np.zeros((20, 40, 4), np.float32)
    rgba[...] = (mix.first / 100, 0.5, 0.2, 1)
    return trimmed(rgba)


def seen(made: Fitting, frame: int = 0, **more: Any) -> np.ndarray:
    sizes = dict.fromkeys(made.layers.order, SIZE)
    return composite(made, frame, sizes, more.pop("picture", board), more.pop("ground", None), **more)


def shown_numbers(made: Fitting, frames: range) -> list[int | None]:
    """Which of the pictures the only layer shows."""
    found = []
    for frame in frames:
        there = list(copies(made, frame, {"n1": SIZE}))
        found.append(there[0].mix.first if there else None)
    return found


def test_a_layer_stands_in_the_middle_at_its_own_size_untouched() -> None:
    out = seen(fitting({}))
    expected = np.zeros((90, 160, 4), np.float32)
    expected[35:55, 60:100] = (0, 0.5, 0.2, 1)
    assert (out == expected).all()


@pytest.mark.parametrize(
    ("layer", "box"),
    [
        ({"x": 10, "y": -5}, (70, 30, 110, 50)),
        ({"scale": 2}, (40, 25, 120, 65)),
        ({"scale": 0.5}, (70, 40, 90, 50)),
        ({"turn": 90}, (70, 25, 90, 65)),
        ({"anchor_x": 0, "anchor_y": 0}, (80, 45, 120, 65)),
        ({"stretch": 2}, (40, 35, 120, 55)),
        ({"crop_left": 0.5, "crop_bottom": 0.25}, (80, 35, 100, 50)),
        ({"x": 70}, (130, 35, 160, 55)),
    ],
)
def test_places_sizes_turns_and_crops(layer: dict[str, Any], box: tuple[int, int, int, int]) -> None:
    left, top, right, bottom = box
    alpha = seen(fitting(layer))[..., 3]
    inside = np.zeros((90, 160), bool)
    inside[top:bottom, left:right] = True
    assert alpha[inside].mean() > 0.97 and alpha[~inside].max() < 0.51
    assert alpha.sum() == pytest.approx(inside.sum(), rel=0.03)


@pytest.mark.parametrize(
    ("layer", "expected"),
    [
        ({"after": "gone"}, [*range(10), None, None]),
        ({"after": "hold"}, [*range(10), 9, 9]),
        ({"after": "loop"}, [*range(10), 0, 1]),
        ({"start": 3, "after": "gone"}, [None] * 3 + [*range(9)]),
        ({"start": -3, "after": "gone"}, [*range(3, 10)] + [None] * 5),
        ({"length": 4}, [0, 1, 2, 3] + [None] * 8),
        ({"backwards": True}, [*range(9, -1, -1), 9, 8]),
        ({"speed": 200}, [0, 2, 4, 6, 8, 0, 2, 4, 6, 8, 0, 2]),
        ({"first": 2, "last": 5}, [2, 3, 4, 5] * 3),
        ({"hold_first": 2, "after": "hold"}, [0, 0, 0, *range(1, 10)]),
    ],
)
def test_which_pictures_are_shown_when(layer: dict[str, Any], expected: list[int | None]) -> None:
    assert shown_numbers(fitting(layer), range(12)) == expected


def test_a_clip_of_another_rate_keeps_its_speed() -> None:
    made = fitting({"after": "hold"}, size={"rate": "48"})
    assert shown_numbers(made, range(8)) == [0, 0, 1, 1, 2, 2, 3, 3]


def test_copies_step_and_a_seed_scatters_them_the_same_way_each_time() -> None:
    steps = fitting({"repeat": {"copies": 3, "step_x": 20, "step_frames": 2}, "x": -50})
    places = [copy.matrix[:, 2].tolist() for copy in copies(steps, 8, {"n1": SIZE})]
    assert places == [[50.0, 35.0], [30.0, 35.0], [10.0, 35.0]]
    assert [copy.mix.first for copy in copies(steps, 8, {"n1": SIZE})] == [4, 6, 8]
    wild = {"copies": 30, "spread_x": 60, "spread_y": 30, "spread_scale": 0.5, "spread_turn": 40, "spread_frames": 9}
    one, same, other = (seen(fitting({"scale": 0.3, "repeat": {**wild, "seed": seed}})) for seed in (4, 4, 5))
    assert (one == same).all() and np.abs(one - other).max() > 0.1
    assert len({copy.mix.first for copy in copies(fitting({"repeat": wild}), 0, {"n1": SIZE})}) > 5


def test_opacity_fades_by_keyframes_and_nothing_is_asked_for_where_it_is_none() -> None:
    fade = [{"frame": 0, "value": 0.0}, {"frame": 10, "value": 1.0}]
    made = fitting({"opacity": fade})
    assert seen(made, 5)[45, 80, 3] == pytest.approx(0.5) and not seen(made, 0).any()
    assert needed(made, range(1), {"n1": SIZE}) == {} and needed(made, range(1, 3), {"n1": SIZE}) == {"n1": [1, 2]}


def test_layers_are_hidden_shown_alone_and_lie_in_their_order() -> None:
    low, high = {"x": -10}, {"x": 10}

    def red(mark: str, mix: Mix) -> Element:
        return trimmed(np.broadcast_to(np.float32((1, 0, 0, 1) if mark == "n2" else (0, 0, 1, 1)), (20, 40, 4)).copy())

    assert seen(fitting(low, high), picture=red)[45, 80, :3].tolist() == [1, 0, 0]
    assert seen(fitting(low, {**high, "hidden": True}), picture=red)[45, 80, :3].tolist() == [0, 0, 1]
    alone = seen(fitting({**low, "solo": True}, high), picture=red)
    assert alone[45, 80, :3].tolist() == [0, 0, 1] and alone[45, 105, 3] == 0


@given(st.integers(0, 30), st.integers(0, 12), st.integers(1, 10), st.integers(1, 8))
@few
def test_trimming_loses_nothing(left: int, top: int, wide: int, tall: int) -> None:
    rgba = np.zeros((20, 40, 4), np.float32)
    rgba[top : top + tall, left : left + wide] = 0.5
    assert (whole(trimmed(rgba)) == rgba).all()


def test_a_smaller_picture_of_the_same_stands_in_the_same_place() -> None:
    made = fitting({"x": 13, "scale": 0.8, "turn": 10})
    large, small = seen(made), seen(made, shrink=0.5)
    again = large.reshape(45, 2, 80, 2, 4).mean(axis=(1, 3))
    assert np.abs(again - small).mean() < 0.006

    def half(mark: str, mix: Mix) -> Element:
        return trimmed(board(mark, mix).rgba[::2, ::2].copy())

    assert np.abs(seen(made, picture=half) - large).mean() < 0.006


@pytest.mark.parametrize(
    ("document", "words"),
    [
        ([], "is a JSON object"),
        ({"frame": {"width": 5}}, "“frame.width”"),
        ({"frame": {"rate": "0"}}, "a rate lies between"),
        ({"version": 9}, "9"),
        ({"layers": [{"source": {"kind": "file"}, "scale": 0}]}, "scale: 0 lies outside"),
        ({"layers": [{"source": {"kind": "moon"}}]}, "source.kind"),
        ({"layers": [{}]}, "source"),
        ({"sun": 1}, "“sun”"),
    ],
)
def test_what_is_no_fitting_is_said_in_a_sentence(document: object, words: str) -> None:
    with pytest.raises(FittingError, match=words):
        read_fitting(document)


def test_one_layer_alone() -> None:
    made = fitting({"name": "Moon", "hidden": True, "blend": "add"}, {"name": "Kite"})
    alone = made.alone("Moon")
    assert [layer.name for _, layer in alone.layers.shown] == ["Moon"] and alone.ground.colour is None
    with pytest.raises(FittingError, match="no layers called Sun"):
        made.alone("Sun")
