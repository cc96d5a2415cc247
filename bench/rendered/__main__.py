"""Renders plates with exact truth into a folder, for `bench.quality --plates` and `bench.learn examples --plates`.

    PYTHONPATH=src:.:$(.venv/bin/python -c "import site; print(site.getsitepackages()[0])") \\
        MITSUBA/bin/python -m bench.rendered FOLDER [--seeds 0 3] [--frames 4] [--rays 36] [--family WORD] \\
                                             [--everywhere]

It needs Mitsuba 3, which nothing else here does: `MITSUBA` is an environment that has it (made with
``python3.11 -m venv MITSUBA && MITSUBA/bin/pip install mitsuba``). It runs on LLVM, whose library is named by
`DRJIT_LIBLLVM_PATH` (Debian's libllvm19: /usr/lib/x86_64-linux-gnu/libLLVM-19.so); `--everywhere` does without,
several times slower. On two cores a frame takes half a minute, with hair a minute. What is there already is not
rendered again.
"""

import argparse
import shutil
from pathlib import Path

import cv2
import numpy as np
from bench.quality.stock import Stock, grained, write
from bench.rendered import render, scenes
from bench.rendered.truth import Light, Lit, encoded, truth_of


def case(folder: Path, name: str, seed: int, frames: int, rays: int) -> None:
    """A plate as a camera writes it, with a picture of its matte, colour, hair and glass for every frame."""
    draw = np.random.default_rng([seed, 7])
    lens, noise = draw.uniform(0.4, 0.8), draw.uniform(0.002, 0.01)
    stock = Stock(int(draw.integers(14, 22)), centred=bool(draw.random() < 0.2))
    part = folder / f"{name}-{seed}.part"
    shutil.rmtree(part, ignore_errors=True)
    plates: list[Light] = []
    for n in range(frames):
        lit, alone, kinds = render.lit(name, seed, float(n), rays)
        seen = Lit(*(cv2.GaussianBlur(p, (0, 0), lens) for p in lit))
        colour, alpha = truth_of(seen, alone)
        for what, plane in {"matte": alpha, "colour": colour, **kinds}.items():
            (part / what).mkdir(parents=True, exist_ok=True)
            picture = np.rint(plane.clip(0, 1) * 65535).astype(np.uint16)
            cv2.imwrite(str(part / what / f"{n:04d}.png"), picture if picture.ndim == 2 else picture[..., ::-1])
        plates.append(grained(encoded(seen.plate), noise, draw).clip(0, 1))
    write(part / "plate.mp4", plates, stock)
    part.rename(folder / f"{name}-{seed}")


def main() -> None:
    parser = argparse.ArgumentParser(prog="python -m bench.rendered")
    parser.add_argument("folder", type=Path)
    parser.add_argument("--seeds", type=int, nargs=2, default=(0, 3), help="from, and before")
    parser.add_argument("--frames", type=int, default=4)
    parser.add_argument("--rays", type=int, default=36, help="of a pixel: fewer are faster, and leave more grain")
    parser.add_argument("--family", default="", help="only families with this word")
    parser.add_argument("--everywhere", action="store_true", help="without LLVM, slowly")
    said = parser.parse_args()
    import mitsuba

    mitsuba.set_variant("scalar_rgb" if said.everywhere else "llvm_ad_rgb")
    mitsuba.set_log_level(mitsuba.LogLevel.Error)
    said.folder.mkdir(parents=True, exist_ok=True)
    for seed in range(*said.seeds):
        for name in scenes.FAMILIES:
            if said.family in name and not (said.folder / f"{name}-{seed}").exists():
                case(said.folder, name, seed, said.frames, said.rays)
                print(f"{name}-{seed}", flush=True)


if __name__ == "__main__":
    main()
