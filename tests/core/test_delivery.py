"""Timing, size, one-bit edges and kinds of alpha on cases small enough to do by hand."""

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from plates import GREEN, SKIN, disc, flat, shot
from upholster.core.composite.over import over, premultiply, unpremultiply
from upholster.core.delivery.alpha_kind import judge_alpha
from upholster.core.delivery.flat_colour import CANDIDATES, NEAR, plain_key, presence, propose_flat, subject_pixels
from upholster.core.delivery.one_bit import one_bit
from upholster.core.delivery.sizing import resized, within
from upholster.core.documents.recipe import Take
from upholster.media.delivery import Delivery, plan
from upholster.media.errors import MediaError
from upholster.media.facts import Facts

Colour = tuple[float, float, float]
share = st.floats(0, 1, width=32)


@given(share, share, st.sampled_from([16, 48, 160]))
@settings(deadline=None, max_examples=20)
def test_a_flat_picture_stays_flat_at_any_size(colour: float, alpha: float, width: int) -> None:
    rgb, cover = flat((colour, colour / 2, 1 - colour), 64, 36), np.full((36, 64), alpha, np.float32)
    small, less = resized(rgb, cover, *within(64, 36, width))
    assert less == pytest.approx(alpha, abs=1e-5)
    assert np.abs(small - rgb[:, :1, :1]).max() < 1e-4


def test_shrinking_averages_light_and_coverage_alike() -> None:
    """Porter and Duff 1984: premultiplied values are what may be averaged. Half a red and half nothing is
    half-covered red, not a dark one."""
    rgb, alpha = np.zeros((3, 2, 4), np.float32), np.zeros((2, 4), np.float32)
    rgb[0, :, ::2], alpha[:, ::2] = 1, 1
    small, cover = resized(rgb, alpha, 2, 1)
    assert cover == pytest.approx(0.5) and small[0] == pytest.approx(1) and small[1:] == pytest.approx(0)


def test_what_is_not_resized_is_not_touched() -> None:
    rgb, alpha = shot()
    same, cover = resized(rgb, alpha, 320, 180)
    assert same is rgb and cover is alpha
    assert within(1280, 720, None) == (1280, 720) and within(1281, 721, None, 2) == (1280, 720)
    assert within(720, 1280, 640) == (360, 640)


@given(st.floats(0.03125, 0.96875, width=32), share)
def test_a_hard_cut_keeps_what_covers_enough(cut: float, alpha: float) -> None:
    cover = np.full((4, 4), alpha, np.float32)
    kept = one_bit(flat(SKIN, 4, 4), cover, edge="threshold", cut=cut, blend=np.zeros((3, 1, 1), np.float32))[1]
    assert (kept == (np.float32(alpha) >= np.float32(cut))).all()


@given(share)
def test_dithering_keeps_the_share_that_is_covered(alpha: float) -> None:
    """Bayer 1973: of each 4 by 4 pixels as many are on as the level's sixteenths, to within one half."""
    cover = np.full((32, 32), alpha, np.float32)
    kept = one_bit(flat(SKIN, 32, 32), cover, edge="dither", cut=0.5, blend=np.zeros((3, 1, 1), np.float32))[1]
    assert abs(float(kept.mean()) - alpha) <= 0.5 / 16 + 1e-6


def test_dithered_edges_lie_still() -> None:
    """The pattern hangs on the picture, not on the subject: a still edge has a still pattern."""
    alpha = cv2.GaussianBlur(disc(), (0, 0), 3)
    black = np.zeros((3, 1, 1), np.float32)
    first = one_bit(flat(SKIN), alpha, edge="dither", cut=0.5, blend=black)[1]
    again = one_bit(flat(SKIN), alpha.copy(), edge="dither", cut=0.5, blend=black)[1]
    assert np.array_equal(first, again) and first[alpha > 0.99].all() and not first[alpha < 0.01].any()


@pytest.mark.parametrize("colour", CANDIDATES)
def test_every_candidate_keys_out_with_a_plain_key(colour: Colour) -> None:
    alpha = cv2.GaussianBlur(disc(), (0, 0), 1.2)
    ground = np.array(colour, np.float32).reshape(3, 1, 1)
    grey = flat((0.5, 0.5, 0.5))
    found = plain_key(over(grey, alpha, ground), colour)
    assert found[alpha == 0].max() == 0 and found[alpha == 1].min() == 1
    assert float(np.abs(found - alpha).mean()) < 0.01
    luma = 0.2126 * colour[0] + 0.7152 * colour[1] + 0.0722 * colour[2]
    assert 0.12 < luma < 0.85


def test_a_subject_of_every_candidate_leaves_the_least_bad_one() -> None:
    subject = np.array(CANDIDATES, np.float32).T
    assert propose_flat(subject) in CANDIDATES
    assert presence(GREEN, np.zeros((3, 0), np.float32)).share == 0


def test_presence_counts_what_lies_near() -> None:
    subject = np.concatenate([flat(GREEN, 10, 1).reshape(3, -1), flat(SKIN, 30, 1).reshape(3, -1)], axis=1)
    found = presence(GREEN, subject)
    assert found.share == pytest.approx(0.25) and found.distance < NEAR < presence(GREEN, subject[:, 10:]).distance


def test_only_solid_pixels_are_the_subject() -> None:
    rgb, alpha = flat(SKIN), disc()
    rgb[:, alpha < 0.5] = 1
    pixels = subject_pixels([(rgb, alpha)])
    assert pixels.shape[1] > 500 and np.abs(pixels - np.array(SKIN, np.float32)[:, None]).max() < 1e-6
    assert subject_pixels([]).shape == (3, 0)


@pytest.mark.parametrize("soft", [1.0, 2.5, 5.0])
@pytest.mark.parametrize("noise", [0.0, 0.01])
def test_kinds_of_alpha_are_told_apart_through_grain_and_softness(soft: float, noise: float) -> None:
    alpha = cv2.GaussianBlur(disc(), (0, 0), soft)
    grain = np.random.default_rng(4).normal(0, noise, (3, 180, 320)).astype(np.float32)
    rgb = np.clip(flat((0.7, 0.3, 0.5)) + grain, 0, 1)
    assert judge_alpha(rgb, alpha).kind == "straight"
    verdict = judge_alpha(premultiply(rgb, alpha), alpha)
    assert verdict.kind == "premultiplied" and verdict.over == (0.0, 0.0, 0.0)
    assert judge_alpha(unpremultiply(premultiply(rgb, alpha), alpha), alpha).kind == "straight"


def test_an_edge_whose_colour_is_a_little_off_in_every_way_is_straight() -> None:
    """As a key leaves it; with soft edges the other kind is still told from it."""
    alpha = cv2.GaussianBlur(disc(), (0, 0), 1.5)
    off = np.random.default_rng(6).normal(0, 0.05, (3, 180, 320)).astype(np.float32)
    rgb = np.where(alpha < 0.98, flat(SKIN) + off, flat(SKIN)).clip(0, 1).astype(np.float32)
    assert judge_alpha(rgb, alpha).kind == "straight"
    assert judge_alpha(premultiply(rgb, alpha), alpha).kind == "premultiplied"
    assert judge_alpha(over(rgb, alpha, flat(GREEN)), alpha).kind == "premultiplied"


def test_a_hard_matte_without_soft_edges_tells_nothing() -> None:
    assert judge_alpha(flat(SKIN), (disc() > 0.5).astype(np.float32)).kind == "unclear"


def test_thin_smoke_without_a_solid_part_is_judged_by_its_limits() -> None:
    """Premultiplied colour never exceeds alpha (Porter and Duff 1984); straight colour of thin smoke does."""
    alpha = (0.4 * cv2.GaussianBlur(disc(), (0, 0), 20)).astype(np.float32)
    smoke = flat((0.8, 0.8, 0.85))
    assert judge_alpha(smoke, alpha).kind == "straight"
    assert judge_alpha(premultiply(smoke, alpha), alpha).kind == "premultiplied"


@pytest.mark.parametrize(("width", "height"), [(1080, 1920), (322, 180), (101, 100), (16, 400)])
def test_cineform_is_refused_beforehand_at_sizes_its_encoder_does_not_take(width: int, height: int) -> None:
    """FFmpeg's encoder of SMPTE ST 2073 wants whole macroblocks across; found by trying."""
    facts = Facts(kind="video", container="mov", codec="", width=width, height=height, length=9, rate=24, depth=8)
    with pytest.raises(MediaError, match=f"multiple of 16 .* {width}x{height}"):
        plan(Delivery(format="cineform"), facts, Take())
    assert plan(Delivery(format="prores4444"), facts, Take()).width == width
