"""Compositing and transforms against published formulas, Pillow, scikit-image and Chromium."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image
from playwright.sync_api import Page
from skimage.transform import AffineTransform, warp

from upholster.core.composite.blend import blend
from upholster.core.composite.transform import Patch, placed
from upholster.core.documents.fitting import Blend

unit = st.floats(0, 1, width=32)
few = settings(max_examples=60, deadline=None)


def laid(way: Blend, below: tuple[float, ...], above: tuple[float, ...], opacity: float = 1.0) -> np.ndarray:
    """One pixel, straight RGBA, over another; straight RGBA."""
    canvas, layer = (np.array([[[*(c * p[3] for c in p[:3]), p[3]]]], np.float32) for p in (below, above))
    blend(canvas, Patch(0, 0, layer), way, opacity)
    alpha = canvas[0, 0, 3]
    return np.array([*(canvas[0, 0, :3] / alpha if alpha else (0, 0, 0)), alpha])


MIXES = {
    "over": lambda cb, cs: cs,
    "screen": lambda cb, cs: cb + cs - cb * cs,
    "multiply": lambda cb, cs: cb * cs,
}


@given(st.sampled_from(sorted(MIXES)), unit, unit, st.floats(0.0625, 1, width=32), st.floats(0.0625, 1, width=32))
@few
def test_layers_join_as_the_w3c_has_it(way: Blend, cb: float, cs: float, ab: float, alpha: float) -> None:
    """Compositing and Blending Level 1, section 5.5: Cs = (1 - ab) Cs + ab B(Cb, Cs), then source over; 10.1 for B."""
    mixed = (1 - ab) * cs + ab * MIXES[way](cb, cs)
    co = alpha * mixed + ab * cb * (1 - alpha)
    ao = alpha + ab * (1 - alpha)
    assert laid(way, (cb, cb, cb, ab), (cs, cs, cs, alpha)) == pytest.approx([co / ao] * 3 + [ao], abs=2e-5)


@given(unit, unit, st.floats(0.0625, 1, width=32))
@few
def test_light_is_added(cb: float, cs: float, alpha: float) -> None:
    """Compositing and Blending Level 1, `lighter`: co = as Cs + ab Cb; over an opaque ground."""
    out = laid("add", (cb, cb, cb, 1.0), (cs, cs, cs, alpha))
    assert out == pytest.approx([cb + alpha * cs] * 3 + [1.0], abs=1e-5)


def test_over_is_what_pillow_composites() -> None:
    """Pillow's `alpha_composite`, to a code value."""
    draw = np.random.default_rng(3)
    below, above = (draw.integers(0, 256, (16, 16, 4), np.uint8) for _ in range(2))
    theirs = np.asarray(Image.alpha_composite(Image.fromarray(below), Image.fromarray(above))).astype(float) / 255
    for y in range(16):
        for x in range(16):
            ours = laid("over", tuple(below[y, x] / 255), tuple(above[y, x] / 255))
            assert ours[3] == pytest.approx(theirs[y, x, 3], abs=0.5 / 255 + 1e-6)
            # The less is covered, the coarser its straight colour is in whole numbers.
            assert ours[:3] == pytest.approx(theirs[y, x, :3], abs=1.1 / 255 / max(theirs[y, x, 3], 0.05))


WAYS = {"over": "source-over", "add": "lighter", "screen": "screen", "multiply": "multiply"}


@pytest.mark.e2e
@pytest.mark.parametrize("way", sorted(WAYS))
def test_layers_join_as_chromium_draws_them(page: Page, way: Blend) -> None:
    """Canvas 2D of Chromium, over an opaque ground."""
    draw = np.random.default_rng(4)
    below, above = draw.integers(0, 256, (24, 3)), draw.integers(0, 256, (24, 4))
    drawn = page.evaluate(
        """([way, below, above]) => {
            const context = Object.assign(document.createElement("canvas"), { width: 24, height: 1 }).getContext("2d");
            for (let x = 0; x < 24; x++) {
                context.globalCompositeOperation = "source-over";
                context.fillStyle = `rgb(${below[x].join(" ")})`;
                context.fillRect(x, 0, 1, 1);
                context.globalCompositeOperation = way;
                context.fillStyle = `rgb(${above[x].slice(0, 3).join(" ")} / ${above[x][3] / 255})`;
                context.fillRect(x, 0, 1, 1);
            }
            return [...context.getImageData(0, 0, 24, 1).data];
        }""",
        [WAYS[way], below.tolist(), above.tolist()],
    )
    for x, theirs in enumerate(np.array(drawn).reshape(24, 4)):
        ours = laid(way, (*below[x] / 255, 1.0), tuple(above[x] / 255))
        assert np.clip(ours, 0, 1) * 255 == pytest.approx(theirs, abs=2.1)


def picture() -> np.ndarray:
    """Premultiplied, soft and hard edges."""
    out = np.zeros((60, 80, 4), np.float32)
    out[10:50, 15:65] = (0.6, 0.3, 0.1, 1)
    out[20:30, 15:65] *= np.linspace(0, 1, 50, dtype=np.float32)[:, None]
    return out


def moved(angle: float, scale: float, shift: tuple[float, float]) -> np.ndarray:
    turn = np.deg2rad(angle)
    return np.column_stack([scale * np.array([[np.cos(turn), -np.sin(turn)], [np.sin(turn), np.cos(turn)]]), shift])


MOVES = [(20, 1.0, (30, 5.5)), (-75, 1.7, (80, 90.25)), (0, 1.0, (0.3, 0.7)), (180, 2.5, (150, 140))]


@pytest.mark.parametrize(("angle", "scale", "shift"), MOVES)
def test_pictures_are_moved_as_scikit_image_moves_them(angle: float, scale: float, shift: tuple[float, float]) -> None:
    """scikit-image, `transform.warp` of order 1, whose places count from the centres of pixels."""
    matrix = moved(angle, scale, shift)
    patch = placed(picture(), matrix, 160, 160)
    assert patch is not None
    ours = np.zeros((160, 160, 4), np.float32)
    ours[patch.top : patch.top + patch.rgba.shape[0], patch.left : patch.left + patch.rgba.shape[1]] = patch.rgba
    half = AffineTransform(translation=(0.5, 0.5))
    back = np.linalg.inv(half.params) @ np.linalg.inv(np.vstack([matrix, [0, 0, 1]])) @ half.params
    theirs = warp(picture(), AffineTransform(back), output_shape=(160, 160), order=1, mode="constant")
    assert ours == pytest.approx(theirs, abs=2e-3)


@pytest.mark.parametrize("factor", [2, 4, 5])
def test_what_is_made_smaller_is_the_mean_of_what_it_covers(factor: int) -> None:
    """By hand: blocks of pixels; neither overshoot nor loss of light."""
    draw = np.random.default_rng(6).random((60, 80, 4)).astype(np.float32)
    patch = placed(draw, np.array([[1 / factor, 0, 0], [0, 1 / factor, 0]], float), 80, 60)
    assert patch is not None
    blocks = draw.reshape(60 // factor, factor, 80 // factor, factor, 4).mean(axis=(1, 3))
    assert patch.rgba[: 60 // factor, : 80 // factor] == pytest.approx(blocks, abs=1e-5)


@given(st.floats(0.1, 3), st.floats(-180, 180), st.floats(-20, 20))
@few
def test_edges_never_ring(scale: float, angle: float, shift: float) -> None:
    patch = placed(picture(), moved(angle, scale, (80 + shift, 60)), 160, 120)
    if patch is not None:
        most = np.float32((0.6, 0.3, 0.1, 1)) + 1e-5
        assert patch.rgba.min() >= -1e-6 and (patch.rgba.max(axis=(0, 1)) <= most).all()
