"""Each kind of trouble told where it was put in, and nowhere else; pictures drawn by hand."""

from dataclasses import replace

import cv2
import numpy as np
import pytest

from upholster.core.findings.frame import measure
from upholster.core.findings.jump import jump, tale
from upholster.core.findings.places import Place, places, severity
from upholster.core.findings.seen import Seen, screen_share

WIDTH, HEIGHT = 960, 540
GREEN, SKIN = (0.2, 0.6, 0.25), (0.75, 0.55, 0.45)
Y, X = np.mgrid[0:HEIGHT, 0:WIDTH].astype(np.float32)


def flat(colour: tuple[float, float, float]) -> np.ndarray:
    return np.broadcast_to(np.array(colour, np.float32)[:, None, None], (3, HEIGHT, WIDTH)).copy()


def disc(x: float, y: float, radius: float) -> np.ndarray:
    """Coverage of a disc whose edge is two pixels soft."""
    return np.clip((radius - np.hypot(X - x, Y - y)) / 2 + 0.5, 0, 1).astype(np.float32)


def frame(number: int = 0, x: float = 480) -> Seen:
    """A plain subject before a green screen, keyed as it truly is; a pattern on it shows how it moves."""
    alpha = disc(x, 270, 160)
    shade = 1 + 0.06 * np.sin((X - x) / 9) * np.sin(Y / 11)
    subject = flat(SKIN) * shade.astype(np.float32)
    plate = subject * alpha + flat(GREEN) * (1 - alpha)
    clean = np.broadcast_to(np.array(GREEN, np.float32)[:, None, None], (3, 12, 20)).copy()
    return Seen(number, plate, subject, alpha, alpha, clean)


def told(here: Seen, before: Seen | None = None, after: Seen | None = None) -> dict[str, list[Place]]:
    return measure(here, before, after).places


def centre(place: Place) -> tuple[float, float]:
    left, top, right, bottom = place.box
    return (left + right) / 2 * WIDTH, (top + bottom) / 2 * HEIGHT


def test_a_clip_that_is_right_is_told_nothing_of() -> None:
    for shift in (0, 6):
        assert told(frame(1, 480), frame(0, 480 - shift), frame(2, 480 + shift)) == {}


def test_a_hole_is_told_where_it_is_with_its_width() -> None:
    whole = frame()
    dip = 0.8 * disc(520, 250, 9)
    found = told(replace(whole, alpha=whole.alpha * (1 - dip)))
    (hole,) = found["hole"]
    assert set(found) == {"hole"}
    assert centre(hole) == pytest.approx((520.5, 250.5), abs=2)
    assert hole.width == pytest.approx(18, abs=4)
    assert 0.3 < hole.amount < 0.7


def strands(number: int = 0, shift: float = 0) -> Seen:
    """A mane of strands 8 pixels wide with gaps of 10 between them, keyed as it truly is."""
    comb = np.clip(4.5 - np.abs((X - shift) % 18 - 9), 0, 1).astype(np.float32)
    alpha = np.maximum(disc(480, 270, 100), comb * (np.abs(X - 480) < 240) * (np.abs(Y - 270) < 120))
    plain = frame(number)
    plate = plain.rgb * alpha + flat(GREEN) * (1 - alpha)
    return replace(plain, plate=plate, alpha=alpha, raw=alpha)


def lacking(whole: Seen, dip: np.ndarray) -> Seen:
    """Less coverage than the plate shows."""
    return replace(whole, alpha=whole.alpha * (1 - dip), raw=whole.raw * (1 - dip))


def test_a_shaded_gap_between_two_legs_is_no_hole() -> None:
    plain = frame()
    legs = np.maximum(disc(440, 270, 100), disc(660, 270, 100)).astype(np.float32)
    plate = plain.rgb * legs + flat(GREEN) * (1 - legs) * (0.4 + 0.6 * np.clip(np.hypot(X - 550, Y - 270) / 150, 0, 1))
    assert "hole" not in told(replace(plain, plate=plate.astype(np.float32), alpha=legs, raw=legs))


def test_less_light_on_everything_makes_no_hole_of_a_blurred_gap() -> None:
    plain = frame()
    legs = cv2.GaussianBlur(np.maximum(disc(440, 270, 100), disc(650, 270, 100)), (0, 0), 3).astype(np.float32)
    plate = plain.rgb * legs + flat(GREEN) * (1 - legs)
    assert "hole" not in told(replace(plain, plate=plate * np.float32(0.6), alpha=legs, raw=legs))


def test_a_mark_on_the_screen_beside_the_subject_is_no_hole() -> None:
    plain = frame()
    mark = disc(650, 270, 6) * (1 - plain.alpha)
    assert "hole" not in told(replace(plain, plate=plain.plate + mark * (flat((0.8, 0.7, 0.6)) - plain.plate)))


def test_a_hole_among_hair_is_told_and_hair_is_none() -> None:
    assert "hole" not in told(strands())
    for hole in told(lacking(strands(), 0.8 * disc(640, 250, 9)))["hole"]:
        assert centre(hole) == pytest.approx((640, 250), abs=16)


def test_a_gap_through_which_the_screen_is_seen_is_no_hole() -> None:
    whole = frame()
    gap = disc(500, 260, 30)
    alpha = whole.alpha * (1 - gap)
    plate = flat(SKIN) * alpha + flat(GREEN) * (1 - alpha)
    assert "hole" not in told(replace(whole, plate=plate, alpha=alpha, raw=alpha))


def test_what_is_see_through_on_purpose_is_no_hole_but_what_comes_and_goes_is() -> None:
    whole = frame()
    glass = replace(whole, alpha=whole.alpha * (1 - 0.6 * disc(480, 270, 80)), veils=True)
    assert told(glass, glass, glass) == {}
    assert "hole" in told(replace(glass, alpha=glass.alpha * (1 - 0.5 * disc(400, 200, 20))), glass, glass)


def test_haze_is_told_on_the_ground_and_not_at_a_soft_edge() -> None:
    whole = frame()
    film = 0.12 * disc(150, 120, 60)
    found = told(replace(whole, alpha=np.maximum(whole.alpha, film)))
    (haze,) = found["haze"]
    assert set(found) == {"haze"} and centre(haze) == pytest.approx((150, 120), abs=4)
    soft = replace(whole, alpha=cv2.GaussianBlur(whole.alpha, (0, 0), 5))
    assert "haze" not in told(soft)


def glowing(faint: np.ndarray, lit: bool = True) -> Seen:
    """Light on a black ground: a bright core, and something faint apart from it, which the plate shows or not."""
    core = disc(300, 270, 60)
    alpha = np.maximum(core, faint)
    plate = flat((1, 1, 1)) * (alpha if lit else core)
    return Seen(0, plate, flat((1, 1, 1)), alpha, alpha, np.zeros((3, 12, 20), np.float32), glow=True)


def test_on_a_dark_ground_what_stays_or_is_not_on_the_plate_is_haze_and_what_flies_off_is_none() -> None:
    flying = [glowing(0.12 * disc(600 + 25 * n, 200 + 10 * n, 20)) for n in range(3)]
    assert told(flying[1], flying[0], flying[2]) == {}
    resting = glowing(0.12 * disc(625, 210, 20))
    (haze,) = told(resting, resting, resting)["haze"]
    assert centre(haze) == pytest.approx((625, 210), abs=4)
    made = glowing(0.12 * disc(625, 210, 20), lit=False)
    assert "haze" in told(made, flying[0], flying[2])


def test_a_wire_apart_from_the_subject_is_no_haze() -> None:
    whole = frame()
    wire = cv2.line(np.zeros((HEIGHT, WIDTH), np.float32), (100, 100), (220, 400), 1.0, 3, cv2.LINE_AA)
    assert "haze" not in told(replace(whole, alpha=np.maximum(whole.alpha, cv2.GaussianBlur(wire, (0, 0), 1))))


@pytest.mark.parametrize("colour", [GREEN, (0.0, 0.0, 0.0), (1.0, 1.0, 1.0)])
def test_a_rim_with_the_screen_or_a_line_in_it_is_a_fringe(colour: tuple[float, float, float]) -> None:
    whole = frame()
    rim = (whole.alpha < 0.98).astype(np.float32)
    rim = cv2.GaussianBlur(cv2.dilate(rim, np.ones((5, 5))), (0, 0), 0.8) * (X > 480)
    found = told(replace(whole, rgb=whole.rgb + 0.8 * rim * (flat(colour) - whole.rgb)))
    assert found["fringe"] and all(place.box[2] * WIDTH > 480 for place in found["fringe"])
    assert not {"hole", "haze", "chatter"} & set(found)


def test_a_dark_rim_is_a_fringe_where_it_was_made_so_and_none_where_the_plate_has_it() -> None:
    whole = frame()
    rim = (1 - disc(480, 270, 155)) * (X > 480)
    darker = replace(whole, rgb=whole.rgb * (1 - 0.25 * rim))
    assert "fringe" in told(darker)
    alpha = whole.alpha
    assert "fringe" not in told(replace(darker, plate=darker.rgb * alpha + flat(GREEN) * (1 - alpha)))
    # Nor is it a fringe that all light on the plate is another, or so much that it is burnt out.
    for light in (0.7, 1.2, 2.0):
        assert "fringe" not in told(replace(whole, plate=np.minimum(light * whole.plate, 1)))


def test_strands_that_were_made_darker_are_a_fringe() -> None:
    whole = strands()
    away = np.clip((X - 620) / 20, 0, 1).astype(np.float32)
    found = told(replace(whole, rgb=whole.rgb * (1 - 0.5 * away)))
    assert found["fringe"] and all(place.box[0] * WIDTH > 600 for place in found["fringe"])


def test_light_of_the_screen_that_fades_inward_is_spill_and_a_green_coat_or_hem_is_none() -> None:
    whole = frame()
    deep = np.maximum(160 - np.hypot(X - 480, Y - 270), 0)
    light = 0.3 * (flat(GREEN) - 0.2)
    (spill,) = told(replace(whole, rgb=whole.rgb + light * np.exp(-deep / 20) * (X < 420)))["spill"]
    assert spill.box[2] * WIDTH < 460
    coat = replace(whole, rgb=flat((0.35, 0.5, 0.37)))
    assert "spill" not in told(coat)
    # As much of it as the light has on average, but as far as a seam and no further.
    assert "spill" not in told(replace(whole, rgb=whole.rgb + 0.6 * light * (deep < 16) * (X < 420)))


def test_an_edge_to_and_fro_chatters_and_one_that_moves_on_does_not() -> None:
    still = frame()
    wide = replace(still, alpha=cv2.dilate(still.alpha, np.ones((13, 13))) * (X > 480) + still.alpha * (X <= 480))
    (place,) = told(wide, still, still)["chatter"]
    assert place.box[0] * WIDTH > 470
    assert "chatter" not in told(wide, still, wide), "it came and stayed"


def test_hair_that_comes_and_goes_chatters_and_hair_that_waves_does_not() -> None:
    before, here, after = strands(0), strands(1), strands(2)
    (place,) = told(lacking(here, 0.6 * disc(640, 250, 25)), before, after)["chatter"]
    assert centre(place) == pytest.approx((640, 250), abs=12)
    assert "chatter" not in told(strands(1, 5), before, after)


@pytest.mark.parametrize("side", range(4))
def test_a_subject_that_touches_the_crop_is_cut_off_and_one_that_leaves_the_plate_is_not(side: int) -> None:
    whole = frame(x=480)
    rows, columns = [np.s_[:, 480:], np.s_[270:, :], np.s_[:, :480], np.s_[:270, :]][side]
    planes = {n: np.ascontiguousarray(getattr(whole, n)[..., rows, columns]) for n in ("plate", "rgb", "alpha", "raw")}
    cut = replace(whole, **planes, cut=tuple(k == side for k in range(4)))
    (place,) = told(cut)["cut_off"]
    assert (place.box[0] < 0.01, place.box[1] < 0.01, place.box[2] > 0.99, place.box[3] > 0.99)[side]
    assert "cut_off" not in told(replace(cut, cut=(False,) * 4))


def test_a_mask_through_the_subject_cuts_it_off_and_one_on_the_ground_does_not() -> None:
    whole = frame()
    (place,) = told(replace(whole, alpha=whole.alpha * (X < 520)))["cut_off"]
    assert place.box[0] * WIDTH == pytest.approx(520, abs=12)
    assert "cut_off" not in told(replace(whole, alpha=whole.alpha * (X < 700)))


def test_a_light_switched_on_is_a_jump_and_one_that_drifts_is_not() -> None:
    here = tale(frame())
    brighter = tale(replace(frame(), plate=frame().plate * np.float32(1.3)))
    much = jump(here, brighter, usual=0.1)
    assert much is not None and much[1] == pytest.approx(0.3, abs=0.02)
    assert jump(here, brighter, usual=5.0) is None
    assert jump(here, here, usual=0.0) is None


def test_places_part_what_is_far_apart_and_join_what_is_near() -> None:
    error = np.zeros((100, 200), np.uint8)
    error[10:20, 10:30] = 200
    error[10:20, 33:40] = 100
    error[70:80, 150:160] = 255
    error[50, 100] = 255
    error[44:54, 10:20] = 100
    found = places(error, floor=0.2, peak=0.6, least=20, unit=1.0)
    assert [p.box for p in found] == [(0.05, 0.1, 0.2, 0.2), (0.75, 0.7, 0.8, 0.8)]
    assert found[0].amount == pytest.approx((200 * 200 + 70 * 100) / 270 / 255)
    assert found[1].mask == (255,) * 8
    assert found[1].severity == pytest.approx(severity(100.0))


def test_severity_rises_with_what_is_wrong_and_stays_within_bounds() -> None:
    told_of = [severity(e) for e in (0, 0.01, 1, 10, 1000, 1e9)]
    assert told_of == sorted(told_of) and told_of[0] == 0 and told_of[-1] == 1


def test_the_screen_is_seen_through_a_gap_and_not_where_skin_is() -> None:
    whole = frame()
    assert screen_share(whole, (0.05, 0.1, 0.15, 0.3)) == 1.0
    assert screen_share(whole, (0.45, 0.4, 0.55, 0.6)) == 0.0


@pytest.mark.parametrize("size", [(1, 1), (1, 40), (3, 2), (16, 5), (33, 17)])
@pytest.mark.parametrize("cover", [0.0, 0.5, 1.0])
def test_pictures_of_any_size_are_measured(size: tuple[int, int], cover: float) -> None:
    def one(number: int) -> Seen:
        plate = np.full((3, size[1], size[0]), 0.4, np.float32)
        alpha = np.full(size[::-1], cover, np.float32)
        return Seen(number, plate, plate, alpha, alpha, np.array(GREEN, np.float32)[:, None, None])

    found = measure(one(1), one(0), one(2))
    assert all(0 <= place.severity <= 1 for there in found.places.values() for place in there)
    assert one(1).depth.max() <= max(size) and one(1).away.max() <= max(size)
