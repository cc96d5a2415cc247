"""What the page computes for itself, held against the core: keyframed numbers and the time map."""

import json
import random
import subprocess
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest

import upholster.web
from upholster.core.composite.layers import Size, copies
from upholster.core.documents.fitting import read_fitting
from upholster.core.documents.tracks import Keyframe, value_at
from upholster.core.masks.course import Course
from upholster.core.timemap import Timing, time_map

BENCH = Path(upholster.web.__file__).parent / "static" / "bench"


def node(script: str, given: object) -> object:
    """What a module script writes about the JSON it is given."""
    code = f"const given = JSON.parse(require('fs').readFileSync(0)); import('{BENCH}/{script}"
    done = subprocess.run(["node", "-e", code], input=json.dumps(given).encode(), check=True, capture_output=True)
    return json.loads(done.stdout)


def test_keyframed_numbers_are_the_cores() -> None:
    draw = random.Random(11)
    tracks = []
    for _ in range(60):
        frames = sorted(draw.sample(range(60), draw.randint(1, 9)))
        tracks.append(
            [{"frame": f, "value": round(draw.uniform(-9, 9), 2), "next": draw.choice(["hold", "linear", "smooth"])}
             for f in frames]
        )  # fmt: skip
    found = node(
        "tracks.js').then(({ valueAt }) => console.log(JSON.stringify(given.map((track) => "
        "Array.from({ length: 70 }, (_, k) => valueAt(track, k - 5))))))",
        tracks,
    )
    for track, values in zip(tracks, found, strict=True):  # type: ignore[call-overload]
        keys = tuple(Keyframe.model_validate(key) for key in track)
        assert values == pytest.approx([value_at(keys, k - 5) for k in range(70)], abs=1e-9)


def test_frames_are_counted_as_the_core_counts_them() -> None:
    draw = random.Random(12)
    maps = []
    for _ in range(80):
        timing = Timing(
            first=draw.randint(0, 9), speed=draw.choice([10, 50, 99.5, 100, 130, 400, 1000]),
            between=draw.choice(["repeat", "blend"]), backwards=draw.random() < 0.5, hold_first=draw.randint(0, 5),
            hold_last=draw.randint(0, 5),
        )  # fmt: skip
        maps.append(time_map(timing, draw.randint(1, 40), Fraction(24)))
    given = [
        {"first": m.span.start, "last": m.span.stop - 1, "frames": m.frames, "before": m.before, "after": m.after,
         "step": [m.step.numerator, m.step.denominator], "between": m.between, "backwards": m.backwards}
        for m in maps
    ]  # fmt: skip
    found = node(
        "times.js').then(({ source, output }) => console.log(JSON.stringify(given.map((m) => ["
        "Array.from({ length: m.frames }, (_, n) => source(m, n)), "
        "Array.from({ length: 60 }, (_, frame) => output(m, frame))]))))",
        given,
    )
    for times, (sources, outputs) in zip(maps, found, strict=True):  # type: ignore[call-overload]
        assert sources == [times.source(n) for n in range(times.frames)]
        assert outputs == [times.output(frame) for frame in range(60)]


def test_outlines_go_from_keyframe_to_keyframe_as_the_cores_do() -> None:
    draw = random.Random(13)
    courses = []
    for _ in range(25):
        count = draw.randint(1, 7)
        frames = sorted(draw.sample(range(40), draw.randint(1, 6)))
        keys = [
            {"frame": f, "next": draw.choice(["hold", "linear", "smooth"]),
             "points": [[round(draw.uniform(-99, 99), 2) for _ in range(8)] for _ in range(count)]}
            for f in frames
        ]  # fmt: skip
        courses.append({"closed": True, "tied": [True] * count, "keys": keys})
    # Shapes that turn, which random ones hardly do.
    square = [[0, 0], [10, 0], [10, 10], [0, 10]]
    turned = [[10, 10], [0, 10], [0, 0], [10.5, 0]]
    corners = [[[*place, *[0] * 6] for place in places] for places in (square, turned)]
    keys = [{"frame": 9 * n, "next": "smooth", "points": points} for n, points in enumerate(corners)]
    courses.append({"closed": True, "tied": [True] * 4, "keys": keys})
    found = node(
        "course.js').then(({ pointsAt }) => console.log(JSON.stringify(given.map((course) => "
        "Array.from({ length: 45 }, (_, k) => pointsAt(course, k - 2))))))",
        courses,
    )
    for course, frames in zip(courses, found, strict=True):  # type: ignore[call-overload]
        read = Course.read(course)
        for k, points in enumerate(frames):
            assert np.asarray(points) == pytest.approx(read.at(k - 2), abs=2e-3)


def test_layers_lie_where_the_core_lays_them() -> None:
    """Corners and spans of layers as the page draws them, against `copies` of the core."""
    draw = random.Random(13)
    given, expected = [], []
    for _ in range(60):
        layer = {
            "source": {"kind": "file", "path": "a"}, "x": draw.uniform(-90, 90), "y": draw.uniform(-90, 90),
            "scale": draw.uniform(0.1, 3), "stretch": draw.uniform(0.5, 2), "turn": draw.uniform(-400, 400),
            "anchor_x": draw.uniform(0, 1), "anchor_y": draw.uniform(0, 1), "start": draw.randint(-5, 20),
            "length": draw.choice([None, 7]), "speed": draw.choice([50, 100, 240]), "backwards": draw.random() < 0.5,
            "after": draw.choice(["gone", "hold", "loop"]), "first": draw.randint(0, 4),
        }  # fmt: skip
        fitting = read_fitting({"frame": {"width": 320, "height": 200, "length": 60}, "layers": [layer]})
        size = Size(64, 48, 20, Fraction(draw.choice([24, 30])))
        document = fitting.model_dump(mode="json")
        told = {"width": 64, "height": 48, "length": 20, "rate": str(size.rate)}
        given.append([document["layers"]["each"]["n1"], told, document["frame"]])
        there = {frame: list(copies(fitting, frame, {"n1": size})) for frame in range(60)}
        seen = [frame for frame, found in there.items() if found]
        matrix = there[seen[0]][0].matrix
        expected.append((seen[0], seen[-1] + 1, matrix.T.ravel().tolist()))
    found = node(
        "../fitting/geometry.js').then(({ matrixOf, spanOf }) => console.log(JSON.stringify(given.map(([layer, source, "
        "fitting]) => [...spanOf(layer, source, fitting), matrixOf(layer, 0, source, fitting)]))))",
        given,
    )
    for (first, end, matrix), (start, stop, drawn) in zip(expected, found, strict=True):  # type: ignore[call-overload]
        assert (max(0, start), min(60, stop)) == (first, end)
        assert drawn == pytest.approx(matrix, abs=1e-6)
