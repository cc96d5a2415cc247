"""`upholster fit`: layers over a ground into real files, read back by others."""

import csv
import json
import subprocess
from pathlib import Path
from typing import Any

import numpy as np
import opentimelineio as otio
import pytest
from PIL import Image

from plates import flat, green_clip
from sounds import clicks, write_clicks
from test_cli import key, run
from upholster.media.decoder.reader import Reader


@pytest.fixture(scope="module")
def stock(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A folder with a plate, a keyed clip, a recipe and a ground."""
    folder = tmp_path_factory.mktemp("fit")
    key(green_clip(folder / "bell.mp4", 12), folder / "bell.mov", "--save-recipe", folder / "bell.json")
    tones = np.linspace(0.1, 0.6, 320, dtype=np.float32) * flat((1, 0.6, 0.4))
    Image.fromarray((tones * 255).astype(np.uint8).transpose(1, 2, 0)).save(folder / "hall.png")
    return folder


def written(stock: Path, name: str, layers: list[dict[str, Any]], **more: Any) -> Path:
    document = {"frame": {"width": 320, "height": 180, "length": 12}, "layers": layers, **more}
    path = stock / f"{name}.json"
    path.write_text(json.dumps(document))
    return path


def frames_of(path: Path) -> list[tuple[np.ndarray, np.ndarray | None]]:
    with Reader([path]) as reader:
        return [(frame.rgb, frame.alpha) for frame in reader.frames(range(reader.facts.length))]


CLIP = {"source": {"kind": "file", "path": "bell.mov"}, "name": "Bell"}
HALL = {"ground": {"source": {"kind": "file", "path": "hall.png"}}}


def test_burned_in_and_laid_over_its_ground_it_is_the_fitting_over_its_ground(stock: Path, tmp_path: Path) -> None:
    """To the code values of both files: alpha has 16 bits, colours 8 here."""
    drift = [{"frame": 0, "value": -60}, {"frame": 11, "value": 40}]
    layers = [{**CLIP, "x": drift, "scale": 0.8, "turn": 10}, {**CLIP, "x": 50, "opacity": 0.6, "scale": 0.5}]
    path = written(stock, "two", layers, **HALL)
    for out, more in (("out.mkv", ("--format", "ffv1")), ("review.mp4", ())):
        done = run("fit", path, tmp_path / out, *more)
        assert done.returncode == 0, done.stderr
    ground = np.asarray(Image.open(stock / "hall.png")).transpose(2, 0, 1) / 255
    burned, over = frames_of(tmp_path / "out.mkv"), frames_of(tmp_path / "review.mp4")
    assert len(burned) == len(over) == 12
    for (rgb, alpha), (seen, _) in zip(burned, over, strict=True):
        assert alpha is not None and 0.02 < alpha.mean() < 0.6
        # Compressed 4:2:0 against lossless: alike on average, and nowhere far off.
        apart = np.abs(rgb * alpha + ground * (1 - alpha) - seen)
        assert apart.mean() < 0.006 and np.quantile(apart, 0.999) < 0.12
    sidecar = json.loads((tmp_path / "out.mkv.json").read_text())
    assert sidecar["proof"]["passed"] and len(sidecar["fitting"]["layers"]["order"]) == 2


def test_pictures_of_a_fitting_have_alpha_that_others_find(stock: Path, tmp_path: Path) -> None:
    path = written(stock, "same", [{**CLIP, "x": 20}], **HALL)
    assert run("fit", path, tmp_path / "a", "--format", "png16").returncode == 0
    picture = Image.open(sorted((tmp_path / "a").glob("*.png"))[3])
    assert picture.size == (320, 180)
    # An independent reader finds the alpha.
    told = subprocess.run(
        ["ffprobe", "-v", "error", "-show_entries", "stream=pix_fmt", sorted((tmp_path / "a").glob("*.png"))[3]],
        capture_output=True, text=True,
    ).stdout  # fmt: skip
    assert "rgba64" in told


def test_a_plate_keyed_live_is_what_its_clip_is(stock: Path, tmp_path: Path) -> None:
    live = {"source": {"kind": "file", "path": "bell.mp4", "recipe": "bell.json"}}
    for name, layer in (("live", live), ("clip", CLIP)):
        assert run("fit", written(stock, name, [layer]), tmp_path / f"{name}.mkv", "--format", "ffv1").returncode == 0
    for (_, one), (_, two) in zip(frames_of(tmp_path / "live.mkv"), frames_of(tmp_path / "clip.mkv"), strict=True):
        assert one is not None and two is not None and np.abs(one - two).max() < 0.02


def test_one_clip_becomes_a_crowd_one_layer_comes_alone_and_a_finish_tints(stock: Path, tmp_path: Path) -> None:
    crowd = {"copies": 12, "step_x": 18, "spread_y": 50, "spread_frames": 8, "seed": 3}
    blue = {"tint": 1, "tint_colour": [0, 0, 1]}
    layers = [
        {
            **CLIP,
            "name": "Crowd",
            "x": -100,
            "scale": 0.3,
            "repeat": crowd,
            "finish": blue,
        },
        {**CLIP, "name": "Hidden", "hidden": True},
    ]
    path = written(stock, "crowd", layers)
    assert run("fit", path, tmp_path / "crowd.mkv", "--format", "ffv1").returncode == 0
    rgb, alpha = frames_of(tmp_path / "crowd.mkv")[5]
    assert alpha is not None and alpha[:, 60:230].max(axis=0).min() > 0.5
    assert rgb[2][alpha > 0.9].mean() > 1.5 * rgb[0][alpha > 0.9].mean()
    assert run("fit", path, tmp_path / "one.mkv", "--format", "ffv1", "--layer", "Hidden").returncode == 0
    _, alone = frames_of(tmp_path / "one.mkv")[5]
    assert alone is not None and alone[90, 145] > 0.98 and alone[90, 20] == 0


@pytest.mark.parametrize(
    ("layer", "words"),
    [
        ({"source": {"kind": "file", "path": "gone.mov"}}, "gone.mov"),
        ({"source": {"kind": "clip", "id": 3}}, "uses a clip of the house"),
        ({**CLIP, "opacity": 7}, "opacity: 7 lies outside"),
    ],
)
def test_what_cannot_be_fitted_is_said_and_nothing_is_left(
    stock: Path, tmp_path: Path, layer: dict[str, Any], words: str
) -> None:
    done = run("fit", written(stock, "bad", [layer]), tmp_path / "out.mov")
    assert done.returncode == 1 and words in done.stderr and "Traceback" not in done.stderr
    assert list(tmp_path.iterdir()) == []


def test_a_fitting_with_sound_is_heard_in_its_file(stock: Path, tmp_path: Path) -> None:
    write_clicks(stock / "drip.wav", 0.1, seconds=0.5)
    drip = {"source": {"kind": "file", "path": "drip.wav"}, "name": "Drip", "start": 6, "after": "gone"}
    path = written(stock, "heard", [CLIP, drip], **HALL)
    assert run("fit", path, tmp_path / "heard.mp4", "--sound").returncode == 0
    assert clicks(tmp_path / "heard.mp4") == pytest.approx([0.35], abs=0.012)


def test_layers_come_apart_with_their_numbers_by_frame(stock: Path, tmp_path: Path) -> None:
    drift = [{"frame": 0, "value": 0}, {"frame": 10, "value": 50}]
    layers = [{**CLIP, "x": drift, "finish": {"tint": 1, "tint_colour": [0, 0, 1]}}, {**CLIP, "name": "Second bell"}]
    done = run("fit", written(stock, "apart", layers), tmp_path / "apart", "--apart", "--format", "ffv1")
    assert done.returncode == 0, done.stderr
    names = sorted(p.name for p in (tmp_path / "apart").iterdir())
    assert names == ["01_Bell.mkv", "02_Second_bell.mkv", "values.csv", "values.json"]
    tinted, plain = (frames_of(tmp_path / "apart" / name)[5] for name in names[:2])
    assert tinted[1] is not None and plain[1] is not None and np.array_equal(tinted[1], plain[1])
    assert tinted[0][2][tinted[1] > 0.9].mean() > 1.5 * plain[0][2][plain[1] > 0.9].mean()
    with (tmp_path / "apart/values.csv").open() as file:
        rows = list(csv.DictReader(file))
    assert len(rows) == 24 and float(rows[4]["x"]) == 20 and rows[4]["picture"] == "4"


def test_a_fitting_goes_to_a_timeline_and_back(stock: Path, tmp_path: Path) -> None:
    path = written(stock, "there", [{**CLIP, "start": 3, "after": "gone", "scale": 0.5}], **HALL)
    assert run("timeline", path, tmp_path / "there.otio").returncode == 0
    timeline = otio.adapters.read_from_file(str(tmp_path / "there.otio"))
    (clip,) = timeline.find_clips()
    assert clip.media_reference.target_url == "bell.mov" and timeline.tracks[0][0].duration().value == 3
    assert run("timeline", tmp_path / "there.otio", stock / "back.json").returncode == 0
    assert json.loads((stock / "back.json").read_text())["layers"]["each"]["n1"]["scale"] == 0.5
    assert run("fit", stock / "back.json", tmp_path / "back.mkv", "--format", "ffv1").returncode == 0
    again = run("timeline", tmp_path / "there.otio", stock / "back.json")
    assert again.returncode == 1 and "exists already" in again.stderr
    assert run("timeline", path, tmp_path / "there.txt").returncode == 2
