"""Finishing against published formulas and general-purpose reference libraries."""

import colour
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from skimage.filters import unsharp_mask

from upholster.core.colour import decode_srgb
from upholster.core.documents.recipe import Finish
from upholster.core.finish.cast import cast_of
from upholster.core.finish.cdl import Decision, from_cdl, to_cdl
from upholster.core.finish.measured import decided, decision_of
from upholster.core.finish.oklab import to_oklab
from upholster.core.finish.white import NEUTRAL, Light, adaptation, light_of, white_of
from upholster.core.stages.finish.balance import balanced
from upholster.core.stages.finish.grade import Grade, graded
from upholster.core.stages.finish.sharpen import sharpened
from upholster.core.stages.finish.wrap import wrapped

few = settings(max_examples=25, deadline=None)
PICTURE = np.random.default_rng(5).random((3, 48, 64), np.float32)


@pytest.mark.parametrize("kelvin", [2000, 2222, 2856, 4000, 5003, 6500, 9300, 15000])
def test_whites_lie_on_the_published_locus(kelvin: float) -> None:
    """Kang et al. 2002, as colour-science has it."""
    assert white_of(Light(kelvin, 0)) == pytest.approx(colour.temperature.CCT_to_xy_Kang2002(kelvin), abs=1e-7)


@pytest.mark.parametrize("kelvin", [2856, 4000, 9300])
def test_colours_are_adapted_as_colour_science_adapts_them(kelvin: float) -> None:
    """Bradford (CIE 159:2004) from the white of a light to that of a neutral one."""
    light = decode_srgb(PICTURE).reshape(3, -1).T.astype(np.float64)
    ours = light @ adaptation(Light(kelvin, 0)).T
    whites = [colour.xy_to_XYZ(white_of(Light(k, 0))) for k in (kelvin, NEUTRAL)]
    space = colour.RGB_COLOURSPACES["sRGB"]
    to_xyz = space.matrix_RGB_to_XYZ
    theirs = colour.adaptation.chromatic_adaptation_VonKries(light @ to_xyz.T, *whites, transform="Bradford")
    assert ours == pytest.approx(theirs @ np.linalg.inv(to_xyz).T, abs=3e-4)
    encoded = colour.models.eotf_inverse_sRGB(np.clip(ours, 0, None)).T.reshape(PICTURE.shape)
    shown = ours.T.reshape(PICTURE.shape) > 0
    assert balanced(PICTURE, adaptation(Light(kelvin, 0)))[shown] == pytest.approx(encoded[shown], abs=3e-4)


@given(st.floats(2100, 14000), st.floats(-80, 80))
@few
def test_the_light_on_a_grey_is_found_again(kelvin: float, tint: float) -> None:
    grey = np.linalg.inv(adaptation(Light(kelvin, tint))) @ np.full(3, 0.4)
    if (grey <= 0.001).any():
        return
    found = light_of(grey)
    assert found.temperature == pytest.approx(kelvin, rel=0.01) and found.tint == pytest.approx(tint, abs=1)


def test_the_perceptual_space_is_oklab() -> None:
    """Ottosson 2020, as colour-science has it (from XYZ, so only to the precision of both matrices)."""
    ours = to_oklab(PICTURE).transpose(1, 2, 0)
    xyz = colour.RGB_to_XYZ(colour.models.eotf_sRGB(PICTURE.transpose(1, 2, 0)), "sRGB")
    assert ours == pytest.approx(colour.XYZ_to_Oklab(xyz), abs=5e-4)


@given(
    st.tuples(*[st.floats(0, 2)] * 3),
    st.tuples(*[st.floats(-0.3, 0.3)] * 3),
    st.tuples(*[st.floats(0.3, 3)] * 3),
    st.floats(0, 2),
)
@few
def test_tones_are_those_of_the_asc_cdl(
    slope: tuple[float, ...], offset: tuple[float, ...], power: tuple[float, ...], saturation: float
) -> None:
    """ASC Color Decision List v1.2, Pinteric et al. 2009: out = clamp(in * slope + offset) ** power, then saturation
    with the luma of Rec. 709; compared where the standard's clamps do nothing."""
    finish = decided(Finish(), Decision(slope, offset, power, saturation))
    shape = (3, 1, 1)
    s, o, p = (np.array(part).reshape(shape) for part in (slope, offset, power))
    linear = PICTURE * s + o
    sop = np.clip(linear, 0, 1) ** p
    luma = (np.array([0.2126, 0.7152, 0.0722]).reshape(shape) * sop).sum(axis=0)
    expected = luma + saturation * (sop - luma)
    free = ((linear > 0.01) & (linear < 1)).all(axis=0)
    ours = graded(PICTURE, **finish.at(0, Grade))
    assert ours[:, free] == pytest.approx(expected[:, free], abs=6e-4)


DOCUMENT = """<?xml version="1.0" encoding="UTF-8"?>
<ColorDecisionList xmlns="urn:ASC:CDL:v1.2">
  <ColorDecision><ColorCorrection id="a">
    <SOPNode><Description>by hand</Description>
      <Slope>1.1 1.0 0.9</Slope><Offset>0.01 0 -0.02</Offset><Power>1 0.9 1.2</Power></SOPNode>
    <SATNode><Saturation>0.8</Saturation></SATNode>
  </ColorCorrection></ColorDecision>
</ColorDecisionList>"""


def test_decisions_of_others_are_read() -> None:
    """A document in the shape of the standard's example (ASC CDL v1.2, section on XML), values by hand."""
    found = from_cdl(DOCUMENT)
    assert found == Decision((1.1, 1.0, 0.9), (0.01, 0.0, -0.02), (1.0, 0.9, 1.2), 0.8)
    assert decision_of(decided(Finish(), found), 0) == found


@pytest.mark.parametrize("whole", [True, False])
def test_decisions_are_written_as_they_are_read(whole: bool) -> None:
    decision = Decision((1.25, 0.5, 1.0), (0.125, -0.25, 0.0), (2.0, 1.0, 0.5), 1.5)
    text = to_cdl(decision, 'a "name" <&>', whole=whole)
    assert from_cdl(text) == decision
    assert ("ColorDecisionList" in text) == whole


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("no xml", "not XML"),
        ("<a/>", "no colour correction"),
        ("<ColorCorrection><SOPNode><Slope>1 2</Slope></SOPNode></ColorCorrection>", "Slope is not three numbers"),
        (
            "<ColorCorrection><SATNode><Saturation>x</Saturation></SATNode></ColorCorrection>",
            "Saturation is not one number",
        ),
        ("<ColorCorrection><SOPNode><Power>0 1 1</Power></SOPNode></ColorCorrection>", "Power is not three numbers"),
        ('<!DOCTYPE a [<!ENTITY b "c">]><ColorCorrection/>', "definitions of its own"),
    ],
)
def test_what_is_no_decision_is_told_in_words(text: str, words: str) -> None:
    with pytest.raises(ValueError, match=words):
        from_cdl(text)


@pytest.mark.parametrize(("radius", "amount"), [(0.8, 0.5), (2.0, 1.5), (5.0, 3.0)])
def test_a_solid_picture_is_sharpened_as_scikit_image_does(radius: float, amount: float) -> None:
    """scikit-image, `filters.unsharp_mask`; borders apart, which each mirrors in its own way."""
    ours = sharpened(PICTURE, np.ones(PICTURE.shape[1:], np.float32), amount, radius)
    theirs = unsharp_mask(PICTURE, radius=radius, amount=amount, channel_axis=0, preserve_range=True)
    assert ours == pytest.approx(theirs, abs=1e-4)


def test_a_cast_is_the_minkowski_mean() -> None:
    """Finlayson and Trezzi 2004, worked by hand: two colours, order 6, one of them covered by half."""
    rgb = np.array([[[0.5, 1.0]], [[0.5, 0.5]], [[1.0, 0.5]]], np.float32)
    light = decode_srgb(rgb).astype(np.float64)
    weight = np.array([1.0, 0.5])
    mean = ((light[:, 0] ** 6 * weight).sum(axis=1) / 1.5) ** (1 / 6)
    assert cast_of([(rgb, weight.astype(np.float32)[None])]) == pytest.approx(tuple(mean / mean.mean()), rel=1e-5)
    with pytest.raises(ValueError, match="nothing of the subject"):
        cast_of([(rgb, np.zeros((1, 2), np.float32))])


def test_the_wrap_is_screened() -> None:
    """W3C Compositing and Blending Level 1, 10.1.4: B(cb, cs) = cb + cs - cb * cs; half of it on a straight edge."""
    alpha = np.zeros((41, 80), np.float32)
    alpha[:, 40:] = 1
    own, light = np.full((3, 41, 80), 0.4, np.float32), np.full((3, 41, 80), 0.6, np.float32)
    out = wrapped(own, alpha, light, 0.5, 24)
    # Beyond the edge at least half is clear, so that all of amount times light is screened over.
    assert out[0, 20, 38] == pytest.approx(0.4 + 0.3 - 0.4 * 0.3, abs=0.01)
