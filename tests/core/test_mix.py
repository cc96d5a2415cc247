"""Layers of sound over each other, by hand: 24 frames of 2000 samples each a second."""

from fractions import Fraction

import numpy as np
import pytest

from upholster.core.documents.fitting import Layer, Source
from upholster.core.sound.mix import RATE, Heard, mixed, placed

FILE = Source(kind="file", path="bell.wav")


def heard(samples: int, value: float = 0.5, **layer: object) -> Heard:
    return Heard(
        np.full((2, samples), value, np.float32), Layer.model_validate({"source": FILE, "after": "gone"} | layer)
    )


def test_a_layer_is_heard_from_its_frame_on_for_as_long_as_it_lasts() -> None:
    out = mixed([heard(5000, start=3)], 10, Fraction(24))
    assert out.shape == (2, 20_000)
    assert (out[:, 6000:11_000] == 0.5).all() and not out[:, :6000].any() and not out[:, 11_000:].any()
    # One that began before the fitting has lost its beginning.
    ramp = Heard(np.tile(np.arange(8000, dtype=np.float32), (2, 1)), heard(1, start=-2).layer)
    assert np.array_equal(mixed([ramp], 10, Fraction(24))[0, :4000], np.arange(4000, 8000))


def test_what_begins_again_sounds_again_and_a_length_ends_it() -> None:
    ramp = np.tile(np.arange(3000, dtype=np.float32), (2, 1))
    layer = Layer.model_validate({"source": FILE, "after": "loop", "start": 1, "length": 4})
    start, sound = placed(Heard(ramp, layer), 10, Fraction(24))
    assert (start, sound.shape[1]) == (2000, 8000) and np.array_equal(sound[0], np.arange(8000) % 3000)


def test_gain_is_in_decibels_and_follows_its_keyframes_and_sixty_down_is_silence() -> None:
    assert mixed([heard(2000, gain=-20)], 1, Fraction(24))[0, 100] == pytest.approx(0.05)
    assert not mixed([heard(2000, gain=-60)], 1, Fraction(24)).any()
    keys = [{"frame": 0, "value": 0}, {"frame": 4, "value": -12}]
    out = mixed([heard(20_000, gain=keys)], 10, Fraction(24))[0]
    for frame, decibels in ((0, 0), (2, -6), (4, -12), (9, -12)):
        assert out[2000 * frame] == pytest.approx(0.5 * 10 ** (decibels / 20), rel=1e-4)


def test_fades_are_straight_and_end_with_the_layer() -> None:
    out = mixed([heard(20_000, 1.0, length=8, fade_in=2, fade_out=4)], 10, Fraction(24))[0]
    assert [out[k] for k in (0, 2000, 4000, 8000, 12_000)] == pytest.approx([0, 0.5, 1, 1, 0.5], abs=1e-3)
    assert out[15_999] == pytest.approx(0, abs=1e-3) and not out[16_000:].any()


def test_layers_add_up_and_rates_that_do_not_divide_keep_in_step() -> None:
    rate = Fraction(30_000, 1001)
    out = mixed([heard(RATE * 3, 0.25), heard(RATE * 3, -0.5)], 60, rate)
    assert out.shape[1] == round(60 * RATE / rate) and np.allclose(out, -0.25)
    assert mixed([], 5, rate).shape == (2, 8008) and not mixed([heard(0)], 5, rate).any()
