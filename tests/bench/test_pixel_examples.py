"""What the network of single pixels learns from: the truth of the very pixels it is told of."""

import sys
from pathlib import Path

import numpy as np
import pytest

sys.path.insert(0, str(Path(__file__).parents[2]))
from bench.learn.key import examples as filmed  # noqa: E402
from bench.learn.pixels.examples import load, make  # noqa: E402

from plates import GREEN, flat, shot  # noqa: E402
from upholster.core.matting import pixels  # noqa: E402


def test_each_block_is_told_with_its_own_truth_whatever_its_size(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Of plates that are keyed well, coverage as told is near to what is said to be true there."""
    made = [shot(frame=n) for n in range(12)]
    plates, alphas = (np.stack([pair[k] for pair in made]).astype(np.float16) for k in (0, 1))
    screens = np.stack([flat(GREEN)] * len(made)).astype(np.float16)
    about = {"noise": 0.004, "kind": "screen", "primary": 1}
    np.savez(tmp_path / "disc-0.npz", plate=plates, screen=screens, alpha=alphas, rgb=plates, **about)
    monkeypatch.setattr(filmed, "make", lambda folder, seeds: None)
    make(tmp_path, [])
    found = load(tmp_path)
    assert len(found) == len(made)
    # As they are, larger and smaller.
    assert len({int(example.places.max()) // 16 for example in found}) > 1
    for example in found:
        assert example.told.shape == (len(example.places), pixels.TOLD)
        told, truth = example.told[:, 12:16].astype(np.float32), example.alpha.astype(np.float32)
        assert np.abs(told - truth).mean() < 0.04
        # Pixels that changed places would be further off.
        assert np.abs(told - truth).mean() < 0.8 * np.abs(told - truth[:, ::-1]).mean()
