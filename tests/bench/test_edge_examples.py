"""What the networks along edges learn from: the truth of the very pixels they are told of."""

import sys
from pathlib import Path

import numpy as np
import pytest

sys.path.insert(0, str(Path(__file__).parents[2]))
from bench.learn.key import examples as filmed  # noqa: E402
from bench.learn.pixels import examples as of_pixels  # noqa: E402
from bench.learn.rims import examples as of_rims  # noqa: E402

from plates import GREEN, SKIN, flat, shot  # noqa: E402
from upholster.core.matting import pixels, rims  # noqa: E402


@pytest.fixture
def folder(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    """Twelve plates that are keyed well."""
    made = [shot(frame=n) for n in range(12)]
    plates, alphas = (np.stack([pair[k] for pair in made]).astype(np.float16) for k in (0, 1))
    screens, colours = (np.stack([flat(colour)] * len(made)).astype(np.float16) for colour in (GREEN, SKIN))
    about = {"noise": 0.004, "kind": "screen", "primary": 1}
    np.savez(tmp_path / "disc-0.npz", plate=plates, screen=screens, alpha=alphas, rgb=colours, **about)
    monkeypatch.setattr(filmed, "make", lambda folder, seeds: None)
    return tmp_path


def test_each_block_is_told_with_its_own_coverage_whatever_its_size(folder: Path) -> None:
    of_pixels.make(folder, [])
    found = of_pixels.load(folder)
    assert len(found) == 12
    # As they are, larger and smaller.
    assert len({int(example.places.max()) // 16 for example in found}) > 1
    for example in found:
        assert example.told.shape == (len(example.places), pixels.TOLD)
        told, truth = example.told[:, 12:16].astype(np.float32), example.true.astype(np.float32)
        assert np.abs(told - truth).mean() < 0.04
        # Pixels that changed places would be further off.
        assert np.abs(told - truth).mean() < 0.8 * np.abs(told - truth[:, ::-1]).mean()


def test_each_block_is_told_with_its_own_colours_whatever_its_size(folder: Path) -> None:
    of_rims.make(folder, [])
    found = of_rims.load(folder)
    assert len(found) == 12
    assert len({int(example.places.max()) // 16 for example in found}) > 1
    for example in found:
        assert example.told.shape == (len(example.places), rims.TOLD)
        told, true = example.told.astype(np.float32), example.true.astype(np.float32)
        cover = true[:, 12:]
        assert np.abs(told[:, 12:16] - cover).mean() < 0.04
        assert np.abs(told[:, 12:16] - cover).mean() < 0.8 * np.abs(told[:, 12:16] - cover[:, ::-1]).mean()
        solid = cover > 0.99
        for first in (0, 4, 8):
            colours = true[:, first : first + 4][solid]
            assert np.abs(told[:, first : first + 4][solid] - colours).mean() < 0.05
            # As far from the screen as the subject is.
            assert colours.std() < 0.01
