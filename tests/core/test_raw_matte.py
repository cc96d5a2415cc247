"""Coverage by colour alone: mixtures as they were mixed, other colours by what they have of the screen's."""

import numpy as np
import pytest

from plates import BLUE, GREEN, SKIN, flat
from upholster.core.documents.screen import Kind
from upholster.core.grids import upsampled
from upholster.core.stages.matte.raw_matte import raw_matte

Colour = tuple[float, float, float]

CLOTH = (0.30, 0.45, 0.65)


def coverage(colour: Colour, subject: Colour, screen: Colour = GREEN, kind: Kind = "screen") -> float:
    """Of a picture of one colour, whose subject is thought to have another."""
    ground, own = (upsampled(flat(each, 4, 4), 64, 8) for each in (screen, subject))
    found = raw_matte(flat(colour, 64, 8), kind, ground, own)
    assert np.ptp(found) < 1e-5
    return float(found[0, 0])


@pytest.mark.parametrize("share", [0.0, 0.1, 0.25, 0.35, 0.9, 1.0])
@pytest.mark.parametrize(("subject", "screen"), [(SKIN, GREEN), (CLOTH, GREEN), (SKIN, BLUE), ((0.8, 0.1, 0.1), GREEN)])
def test_a_mixture_of_screen_and_subject_is_covered_as_it_was_mixed(
    share: float, subject: Colour, screen: Colour
) -> None:
    mixed = tuple(share * f + (1 - share) * b for f, b in zip(subject, screen, strict=True))
    # Between 0.4 and 0.8 it may be a subject in shade as well.
    assert coverage(mixed, subject, screen) == pytest.approx(share, abs=0.02 if share < 0.4 else 0.06)  # type: ignore[arg-type]


@pytest.mark.parametrize("colour", [(0.25, 0.12, 0.22), (0.5, 0.45, 0.5), (0.85, 0.3, 0.3), (0.06, 0.05, 0.07)])
def test_what_has_nothing_of_the_screens_colour_is_solid_whatever_the_subject_is_thought_to_be(colour: Colour) -> None:
    """A dark strand before blue cloth, a grey seam, a red thread: none is a mixture of green and blue."""
    assert coverage(colour, CLOTH) > 0.96


@pytest.mark.parametrize("shade", [1.2, 0.9, 0.7, 0.5, 0.3])
def test_what_shade_makes_of_a_screen_is_no_other_colour(shade: float) -> None:
    """Against the projection alone, which screens of little colour are keyed by."""
    dark = tuple(shade * c for c in GREEN)
    for subject in (SKIN, CLOTH):
        assert coverage(dark, subject) == coverage(dark, subject, kind="colour")  # type: ignore[arg-type]


def test_bare_screen_between_thin_parts_stays_clear_where_their_cell_is_said_to_be_solid() -> None:
    plate = flat(GREEN, 64, 8)
    plate[:, :, 32:] = np.array((0.35, 0.75, 0.6), np.float32)[:, None, None]
    told = np.concatenate([flat(SKIN, 4, 4), np.full((1, 4, 4), 0.9, np.float32)])
    found = raw_matte(plate, "screen", upsampled(flat(GREEN, 4, 4), 64, 8), upsampled(told, 64, 8))
    assert found[:, :32].max() < 1e-5 and found[:, 32:].min() >= 0.9


@pytest.mark.parametrize("fill", [1e4, -1e4, 0.0])
def test_an_odd_pixel_brings_a_number_and_harms_none_beside_it(fill: float) -> None:
    plate = flat(GREEN, 64, 8)
    plate[:, 4, 10] = fill
    told = np.concatenate([flat(SKIN, 4, 4), np.full((1, 4, 4), 0.9, np.float32)])
    found = raw_matte(plate, "screen", upsampled(flat(GREEN, 4, 4), 64, 8), upsampled(told, 64, 8))
    assert ((found >= 0) & (found <= 1)).all()
    found[4, 10] = 0
    assert not found.any()
