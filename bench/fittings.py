"""What fittings cost: `.venv/bin/python -m bench.fittings`.

Pictures of 960x540 with 1, 4 and 16 layers, and 40 repeats of one, held against laying one opaque picture of that size
over another with NumPy in the same run; then a whole fitting of 4 layers delivered, once as it is and once from frames
that are ready, which is what the codec and the proof take alone; and the memory held, for one length and for four times
that.
"""

import argparse
import resource
import tempfile
import time
from collections.abc import Generator, Sequence
from fractions import Fraction
from pathlib import Path
from typing import Any, NamedTuple

import numpy as np

from upholster.core.composite.layers import Element, Size, composite, trimmed, whole
from upholster.core.composite.over import over, pack_premultiplied8
from upholster.core.documents.fitting import Fitting, read_fitting
from upholster.core.documents.recipe import Recipe
from upholster.core.kernels import row_bands
from upholster.core.timemap import Mix
from upholster.media.decoder.reader import probe
from upholster.media.delivery import Delivery, plan
from upholster.media.encoder.writer import open_writer
from upholster.media.formats import FORMATS
from upholster.media.sound import SoundWanted
from upholster.studio.making.delivering import deliver
from upholster.studio.making.elements import straight
from upholster.studio.making.fitting import fit_job
from upholster.studio.making.keying import Footage, KeyedFrame
from upholster.studio.making.layer_footage import unkeyed
from upholster.studio.making.orders import Order

WIDTH, HEIGHT, LENGTH = 960, 540, 48
SIZE = Size(WIDTH, HEIGHT, LENGTH, Fraction(24))


def scene(layers: int, copies: int = 1) -> Fitting:
    """Layers that drift and turn, each covering about a tenth of the picture."""
    drift = [{"frame": 0, "value": -200}, {"frame": LENGTH - 1, "value": 200}]
    each: list[dict[str, Any]] = [
        {
            "source": {"kind": "file", "path": "a"}, "x": drift, "y": 12 * n - 90, "scale": 0.6, "turn": 7 * n,
            "blend": ("over", "add", "screen", "multiply")[n % 4],
            "repeat": {"copies": copies, "spread_x": 400, "spread_y": 200, "spread_frames": 40},
        }
        for n in range(layers)
    ]  # fmt: skip
    return read_fitting({"frame": {"width": WIDTH, "height": HEIGHT, "length": LENGTH}, "layers": each})


def elements() -> list[Element]:
    found = []
    for n in range(LENGTH):
        rgba = np.zeros((HEIGHT, WIDTH, 4), np.float32)
        rgba[120:420, 200 + n : 620 + n] = (0.5, 0.3, 0.2, 1)
        found.append(trimmed(rgba))
    return found


def timed(made: Fitting, pictures: list[Element]) -> np.ndarray:
    """Milliseconds of every frame."""
    ground = np.random.default_rng(1).random((3, HEIGHT, WIDTH)).astype(np.float32)
    took = []

    def picture(mark: str, mix: Mix) -> Element:
        return pictures[mix.first]

    with row_bands():
        for frame in range(LENGTH):
            began = time.perf_counter()
            pack_premultiplied8(composite(made, frame, dict.fromkeys(made.layers.order, SIZE), picture, ground))
            took.append(time.perf_counter() - began)
    return 1000 * np.array(took[2:])


class Ready(NamedTuple):
    """Frames that are ready, as something to deliver."""

    footage: Footage
    recipe: Recipe
    made: list[KeyedFrame]

    def frames(self, numbers: Sequence[int]) -> Generator[KeyedFrame]:
        yield from (self.made[n % len(self.made)] for n in numbers)

    def sound(self, wanted: SoundWanted) -> bytes | None:
        return None


def rendered(folder: Path, length: int) -> tuple[float, float]:
    """Seconds to deliver a fitting of 4 layers as FFV1, and to deliver frames of it that are ready."""
    clip = folder / f"clip-{length}.mkv"
    with open_writer(FORMATS["ffv1"], clip, width=WIDTH, height=HEIGHT, rate=Fraction(24), alpha="straight") as writer:
        for each in elements():
            rgb, alpha = straight(whole(each))
            writer.write(rgb, alpha)
    made = scene(4)
    made = made.model_copy(update={"frame": made.frame.model_copy(update={"length": length})})
    job = unkeyed(Footage((clip,), probe([clip])))
    fitted = fit_job(made, dict.fromkeys(made.layers.order, job), None, over_ground=False)
    ready = Ready(fitted.footage, Recipe(), list(fitted.frames(range(24))))
    took = []
    for each, name in ((fitted, "fitted"), (ready, "ready")):
        order = Order(plan(Delivery(format="ffv1"), each.footage.facts, Recipe().take))
        began = time.perf_counter()
        with row_bands():
            proof = deliver(each, order, folder / f"{name}-{length}.mkv", threads=2)
        took.append(time.perf_counter() - began)
        assert proof.passed, proof.reason
    return took[0], took[1]


def main() -> None:
    parser = argparse.ArgumentParser(prog="python -m bench.fittings")
    parser.add_argument("--rounds", type=int, default=3)
    rounds = parser.parse_args().rounds
    pictures = elements()
    rgb, alpha = (
        np.random.default_rng(k).random(s).astype(np.float32)
        for k, s in ((2, (3, HEIGHT, WIDTH)), (3, (HEIGHT, WIDTH)))
    )
    plain = []
    for _ in range(12):
        began = time.perf_counter()
        over(rgb, alpha, rgb)
        plain.append(time.perf_counter() - began)
    floor = 1000 * float(np.median(plain))
    print(f"{'':28}     p50     p95  times one plain over ({floor:.1f} ms)")
    for name, made in (
        ("1 layer", scene(1)), ("4 layers", scene(4)), ("16 layers", scene(16)), ("1 layer, 40 repeats", scene(1, 40)),
    ):  # fmt: skip
        took = np.concatenate([timed(made, pictures) for _ in range(rounds)])
        middle, late = np.quantile(took, (0.5, 0.95))
        print(f"{name:28}{middle:8.1f}{late:8.1f}{middle / floor:8.1f}")
    for length in (48, 192):
        with tempfile.TemporaryDirectory() as folder:
            whole_way, alone = rendered(Path(folder), length)
        held = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss >> 10
        times = f"{whole_way:.1f} s, {whole_way / alone:.2f} times frames that are ready"
        print(f"{length} frames of 4 layers delivered: {times}; most memory held so far {held} MiB")


if __name__ == "__main__":
    main()
