"""What the network of colours along edges learns from: the truth of the very pixels it is told of."""

import sys
from pathlib import Path

import numpy as np
import pytest

sys.path.insert(0, str(Path(__file__).parents[2]))
from bench.learn.key import examples as filmed  # noqa: E402
from bench.learn.rims.examples import load, make  # noqa: E402

from plates import GREEN, SKIN, flat, shot  # noqa: E402
from upholster.core.matting import rims  # noqa: E402


def test_each_block_is_told_with_its_own_truth_whatever_its_size(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Of plates that are keyed well, colours as told are near to what is said to be true there."""
    made = [shot(frame=n) for n in range(6)]
    plates, alphas = (np.stack([pair[k] for pair in made]).astype(np.float16) for k in (0, 1))
    screens, colours = (np.stack([flat(colour)] * len(made)).astype(np.float16) for colour in (GREEN, SKIN))
    about = {"noise": 0.004, "kind": "screen", "primary": 1}
    np.savez(tmp_path / "disc-0.npz", plate=plates, screen=screens, alpha=alphas, rgb=colours, **about)
    monkeypatch.setattr(filmed, "make", lambda folder, seeds: None)
    make(tmp_path, [])
    found = load(tmp_path)
    assert len(found) == len(made)
    # As they are, larger and smaller.
    assert len({int(example.places.max()) // 16 for example in found}) > 1
    for example in found:
        assert example.told.shape == (len(example.places), rims.TOLD)
        told, true = example.told.astype(np.float32), example.true.astype(np.float32)
        cover = true[:, 12:]
        assert np.abs(told[:, 12:16] - cover).mean() < 0.04
        solid = cover > 0.99
        for first in (0, 4, 8):
            miss = np.abs(told[:, first : first + 4] - true[:, first : first + 4])
            assert miss[solid].mean() < 0.05
            # As far from the screen as the subject is.
            assert true[:, first : first + 4][solid].std() < 0.01
