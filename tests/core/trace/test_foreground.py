"""Colours of a subject at its soft edge, against PyMatting's own estimate and by their definition."""

import runpy
from importlib.util import find_spec
from pathlib import Path

import cv2
import numpy as np

from plates import disc
from upholster.core.trace.foreground import foreground


def _scene() -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """A soft red disc over a blue and green ground: plate, matte and true colours."""
    rng = np.random.default_rng(3)
    soft = cv2.GaussianBlur(disc(radius=40), (0, 0), 5)
    true = np.stack([np.full(soft.shape, v, np.float32) for v in (0.8, 0.25, 0.2)])
    true += 0.05 * cv2.GaussianBlur(rng.normal(0, 4, soft.shape).astype(np.float32), (0, 0), 6)
    ground = np.stack([np.full(soft.shape, v, np.float32) for v in (0.1, 0.55, 0.6)])
    return (true * soft + ground * (1 - soft)).astype(np.float32), soft, true


def _estimate_foreground_ml(plate: np.ndarray, soft: np.ndarray) -> np.ndarray:
    """PyMatting's own, from its file alone: the package compiles all that it has for a minute when it is imported."""
    found = find_spec("pymatting")
    assert found is not None and found.origin is not None
    module = runpy.run_path(str(Path(found.origin).parent / "foreground/estimate_foreground_ml.py"))
    return module["estimate_foreground_ml"](plate.astype(np.float64), soft.astype(np.float64))


def test_colours_come_as_near_to_the_truth_as_pymattings() -> None:
    """Germer et al. 2020; PyMatting is by the authors."""
    plate, soft, true = _scene()
    ours = foreground(plate, soft)
    theirs = _estimate_foreground_ml(plate.transpose(1, 2, 0), soft)
    rim = (soft > 0.1) & (soft < 0.95)
    error = np.abs(ours - true).mean(axis=0)[rim].mean()
    reference = np.abs(theirs.transpose(2, 0, 1) - true).mean(axis=0)[rim].mean()
    plain = np.abs(plate - true).mean(axis=0)[rim].mean()
    assert error < 1.15 * reference and error < plain / 5


def test_whole_and_empty_pixels_stay_as_they_are() -> None:
    plate, soft, _ = _scene()
    ours = foreground(plate, soft)
    assert np.array_equal(ours[:, soft >= 0.998], plate[:, soft >= 0.998])
    nothing = np.zeros_like(soft)
    assert np.array_equal(foreground(plate, nothing), plate)
