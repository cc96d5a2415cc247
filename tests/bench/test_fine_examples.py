"""What the trace's network of single pixels learns from: the truth of the very pixels it is told of."""

import sys
from pathlib import Path

import numpy as np
import pytest

sys.path.insert(0, str(Path(__file__).parents[2]))
from bench.learn import clips  # noqa: E402
from bench.learn.fine import examples  # noqa: E402
from bench.trace import __main__ as bench  # noqa: E402

from plates import haired  # noqa: E402
from upholster.core.trace import fine  # noqa: E402
from upholster.core.trace.seen import seen  # noqa: E402


def test_each_block_is_told_with_its_own_coverage(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    frames, truth = zip(*(haired(n) for n in range(9)), strict=True)
    plate = bench.Plate(list(frames), [seen(rgb) for rgb in frames], list(truth))
    for name, value in (("FRAMES", 9), ("WIDTH", 320), ("HEIGHT", 180)):
        monkeypatch.setattr(bench, name, value)
    monkeypatch.setattr(clips, "load", lambda name, seed: plate)
    clips._make(tmp_path, examples._seen, ("haired", 3000))
    found = examples.load(tmp_path)
    # While the base frame is brushed, and while the rest is traced.
    assert len(found) >= 2
    for example in found:
        assert example.told.shape == (len(example.places), fine.TOLD)
        # The more a pixel departs from what is behind, the more of it is covered: pixels that changed places would not.
        departs, covered = (_within(planes) for planes in (example.told[:, 20:24], example.true))
        assert (departs * covered).sum() > 2 * max((departs * covered[:, ::-1]).sum(), 0)


def _within(planes: np.ndarray) -> np.ndarray:
    """Of each pixel, beside the mean of its block."""
    some = planes.astype(np.float32)
    return some - some.mean(axis=1, keepdims=True)
