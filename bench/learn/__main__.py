"""Makes the examples, trains a network and puts it into the package.

    .venv/bin/python -m bench.learn key examples FOLDER [--seeds 1000 1016 | --plates RENDERED]
    .venv/bin/python -m bench.learn pixels examples FOLDER [--seeds 1000 1016]
    .venv/bin/python -m bench.learn rims examples FOLDER [--seeds 1000 1016]
    .venv/bin/python -m bench.learn trace examples FOLDER [--seeds 1000 1090]
    .venv/bin/python -m bench.learn fine examples FOLDER [--seeds 3000 3110]
    PYTHONPATH=src:.:$(.venv/bin/python -c "import site; print(site.getsitepackages()[0])") \\
        TORCH/bin/python -m bench.learn key train FOLDER [--minutes 30] [--further --rate 2e-3]

The last needs PyTorch and onnx, which nothing else here does: `TORCH` is an environment that has them (made with
``python3.11 -m venv TORCH && TORCH/bin/pip install torch onnx``). The folder takes 7 GB for 16 seeds of the key's,
5 GB for 90 of the trace's, 1.2 GB for 110 of its single pixels', and as much memory. On two cores half an hour of
training is enough; the same seed gives about the same network, since how far it comes in that time is the machine's
affair.

The key's network in the package was trained for 77 minutes on plates of seeds 1000 to 1015, and `--further` at a rate
of 2e-3 for 60 more on those of seeds 1016 to 1035, then at 1.5e-3 for 29 on those of seeds 1016 to 1022 and 1036 to
1048. In the first 60 what is solid counted twice and `_of_other_colours` was not there yet; `_no_screen` came after all
of it.

That of single pixels was trained for 25 minutes on plates of seeds 1100 to 1131, and on those of the families that are
hardest for it (crossing, turning, gauze, glass, hair, lettering, phone) of seeds 1140 to 1155, less those of six seeds;
none of them had taught the key's. What trained it was a trial from which `bench/learn/pixels` was written: the same
layers, planes, crops and loss. Then, with holes and leaks counted as well, `--further` at 3e-3 on one core for 24
minutes on plates of seeds 1200 to 1221 and for 13 on those and 1340 to 1369, plain plates left out. Its examples are
made of the key's: the same folder does for both.

That of colours along edges was trained for 22 minutes on plates of seeds 1300 to 1335, none of which had taught
another, by its colour alone, and `--further` at 3e-3 for 15, by what is seen over grounds as well. It was asked about a
few more blocks then: those with any pixel that is covered, or is not solid.

The trace's was trained for 20 minutes on 47 clips of 48 frames, carried without it, by the code this grew from; then
`--further` at 1.5e-3 for 30 minutes on 57 such clips (seeds 1000 to 1072) and 81 of 60 frames, carried with it (seeds
1100 to 1180).

The trace's of single pixels was trained for 5 minutes on 28 clips (seeds from 3000 on, carried without it), `--further`
at 4e-3 for 12 on 70 (to 3120, the later ones carried with it), and, once `fine.ENDS` was there, for 16 on 113 (3000 to
3051, 3100 to 3148, and twelve of 3302 to 3314); on one core, beside other programs. What made its examples was a trial
from which `bench/learn/fine` was written: the same planes and places, but other families in turn (more of hair first,
more that are blurred at last). Then `--further` at 3e-3 for 30 minutes on those and 70 more (seeds 3400 to 3469, made
by `bench/learn/fine` and carried with it).
"""

import argparse
from importlib import import_module
from pathlib import Path

from upholster.core.matting import learnt, pixels, rims
from upholster.core.trace import fine, weighed

#: Where each network and a sample of its answers go.
_SAMPLES = Path(__file__).parents[2] / "tests/core"
NETWORKS = {
    "key": (Path(learnt.__file__).with_name("learnt.onnx"), _SAMPLES / "learnt_sample.npz"),
    "pixels": (Path(pixels.__file__).with_name("pixels.npz"), _SAMPLES / "pixels_sample.npz"),
    "rims": (Path(rims.__file__).with_name("rims.npz"), _SAMPLES / "rims_sample.npz"),
    "fine": (Path(fine.__file__).with_name("fine.npz"), _SAMPLES / "trace/fine_sample.npz"),
    "trace": (Path(weighed.__file__).with_name("weighed.onnx"), _SAMPLES / "trace/weighed_sample.npz"),
}


def main() -> None:
    parser = argparse.ArgumentParser(prog="python -m bench.learn")
    parser.add_argument("whose", choices=list(NETWORKS))
    parser.add_argument("what", choices=["examples", "train"])
    parser.add_argument("folder", type=Path)
    parser.add_argument(
        "--seeds", type=int, nargs=2, default=(1000, 1016), help="from, and before: none of the tables'"
    )
    parser.add_argument("--plates", type=Path, help="a folder of rendered plates to take in place of drawn ones")
    parser.add_argument("--minutes", type=float, default=30)
    parser.add_argument("--further", action="store_true", help="go on from the network in the package")
    parser.add_argument("--rate", type=float, help="how large the first steps are")
    said = parser.parse_args()
    if said.plates and said.whose != "key":
        parser.error("--plates goes with the key's examples alone")
    if said.what == "examples":
        _examples(said)
    else:
        _train(said)


def _examples(said: argparse.Namespace) -> None:
    # Imported late, here and below: whoever makes examples of one needs nothing of the other, and no PyTorch.
    examples = import_module(f"bench.learn.{said.whose}.examples")
    if said.plates:
        examples.take(said.folder, said.plates)
    else:
        examples.make(said.folder, range(*said.seeds))


def _train(said: argparse.Namespace) -> None:
    network, sample = NETWORKS[said.whose]
    begun = network if said.further else None
    rates = {"rate": said.rate} if said.rate else {}
    trained = import_module(f"bench.learn.{said.whose}.training").train(said.folder, said.minutes, begun, **rates)
    if network.suffix == ".onnx":
        from bench.learn.export import export as keep
    else:
        from bench.learn.sparse import keep
    keep(trained, network, sample)


if __name__ == "__main__":
    main()
