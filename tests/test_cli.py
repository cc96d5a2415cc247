"""The command line as somebody at a shell uses it: real files, no database."""

import json
import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import click
import cv2
import numpy as np
import pytest
from click.testing import CliRunner
from PIL import Image

from plates import green_clip, shot, street, street_strokes, write_video
from upholster.cli.program import _interrupted, main
from upholster.core.documents.recipe import read_recipe
from upholster.media.decoder.reader import Reader, probe
from upholster.media.formats import FORMATS


@pytest.fixture(scope="module")
def plate(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return green_clip(tmp_path_factory.mktemp("cli") / "bell.mp4", 16)


def run(*arguments: object) -> subprocess.CompletedProcess[str]:
    """The program called in this process: what it needs to begin with is loaded once for all tests."""
    # No database and no data folder: neither is needed.
    nothing = dict.fromkeys(name for name in os.environ if name.startswith("UPHOLSTER_"))
    on_interrupt = signal.getsignal(signal.SIGINT)
    try:
        done = CliRunner(env=nothing).invoke(main, [str(each) for each in arguments], prog_name="upholster")
    finally:
        signal.signal(signal.SIGINT, on_interrupt)
    if done.exception and not isinstance(done.exception, SystemExit):
        raise done.exception
    return subprocess.CompletedProcess(arguments, done.exit_code, done.stdout, done.stderr)


def test_no_option_of_a_command_has_two_meanings() -> None:
    called = click.Context(main)
    for name in main.list_commands(called):
        command = main.get_command(called, name)
        assert command is not None
        named = [word for each in command.params for word in (*each.opts, *each.secondary_opts)]
        assert sorted(set(named)) == sorted(named), name


def run_alone(*arguments: object) -> subprocess.CompletedProcess[str]:
    """The program as a process of its own."""
    program = Path(sys.executable).with_name("upholster")
    return subprocess.run([program, *map(str, arguments)], capture_output=True, text=True, env={"PATH": "/usr/bin"})


def key(plate: Path, out: Path, *arguments: object) -> subprocess.CompletedProcess[str]:
    done = run("key", plate, out, *arguments)
    assert done.returncode == 0, done.stderr
    return done


def test_whoever_reads_only_the_first_lines_is_told_of_no_fault() -> None:
    program = Path(sys.executable).with_name("upholster")
    reading, writing = os.pipe()
    os.close(reading)
    done = subprocess.run([program, "formats"], stdout=writing, stderr=subprocess.PIPE, text=True)
    os.close(writing)
    assert done.stderr == "" and done.returncode == 1


def test_the_table_of_formats_is_told_with_its_limits() -> None:
    told = json.loads(run("formats", "--json").stdout)
    assert [f["name"] for f in told] == list(FORMATS)
    gif = next(f for f in told if f["name"] == "gif")
    assert gif["alpha_depth"] == 1 and gif["most_rate"] == 50 and "palette" in gif["takes"]
    listed = run("formats").stdout
    assert "For editing and compositing:" in listed and all(f.name in listed for f in FORMATS.values())


def test_the_format_follows_from_the_suffix_and_the_recipe_from_the_plate(plate: Path, tmp_path: Path) -> None:
    done = run_alone("key", plate, tmp_path / "bell.webm", "--save-recipe", tmp_path / "bell.json")
    assert done.returncode == 0 and "green screen" in done.stderr and "Alpha checked: 16 of 16 frames" in done.stdout
    recipe = read_recipe(json.loads((tmp_path / "bell.json").read_text()))
    assert recipe.screen.kind == "screen" and recipe.matte.black_point > 0
    sidecar = json.loads((tmp_path / "bell.webm.json").read_text())
    assert sidecar["format"] == "vp9" and sidecar["proof"]["passed"]
    assert [p.name for p in sorted(tmp_path.iterdir())] == ["bell.json", "bell.webm", "bell.webm.json"]
    again = run_alone(
        "proof", tmp_path / "bell.webm", "--against", plate, "--recipe", tmp_path / "bell.json", "--format", "vp9"
    )
    assert again.returncode == 0, again.stderr


def test_size_speed_range_and_numbers(plate: Path, tmp_path: Path) -> None:
    options = [
        "--size",
        160,
        "--speed",
        50,
        "--between",
        "blend",
        "--range",
        "4-9",
        "--first-number",
        501,
        "--padding",
        4,
    ]
    key(plate, tmp_path / "out", "--format", "png8", *options)
    pictures = sorted((tmp_path / "out").glob("*.png"))
    assert [p.name for p in pictures][:2] == ["0501.png", "0502.png"] and len(pictures) == 12
    found = cv2.imread(str(pictures[0]), cv2.IMREAD_UNCHANGED)
    assert found is not None and found.shape == (90, 160, 4)
    truth = cv2.resize(shot(frame=4)[1], (160, 90), interpolation=cv2.INTER_AREA)
    assert np.mean((found[..., 3] / 255 - truth) ** 2) < 1e-3


def test_a_take_is_chosen_on_the_command_line_and_goes_before_the_recipes(plate: Path, tmp_path: Path) -> None:
    take = ["--frames", "2-9", "--speed", 50, "--backwards", "--hold-last", 3, "--crop-left", 40, "--crop-top", 20]
    key(plate, tmp_path / "out", "--format", "png8", *take, "--turns", 1, "--save-recipe", tmp_path / "r.json")
    pictures = sorted((tmp_path / "out").glob("*.png"))
    assert len(pictures) == 2 * 8 + 3
    with Image.open(pictures[0]) as first, Image.open(pictures[-1]) as last:
        assert first.size == last.size == (160, 280)
        # Turned to the right, the disc that moves to the right comes down; backwards, it goes up.
        rows = [np.argmax(np.asarray(picture)[..., 3].mean(axis=1) > 8) for picture in (first, last)]
        assert rows[0] > rows[1] + 15
    saved = json.loads((tmp_path / "r.json").read_text())["take"]
    assert saved["speed"] == 50 and saved["backwards"] and (saved["first"], saved["last"]) == (2, 9)
    key(plate, tmp_path / "same", "--format", "png8", "--recipe", tmp_path / "r.json", "--no-backwards")
    with Image.open(sorted((tmp_path / "same").glob("*.png"))[0]) as first:
        assert np.argmax(np.asarray(first)[..., 3].mean(axis=1) > 8) == pytest.approx(rows[1], abs=1)
    checked = run("proof", tmp_path / "out", "--against", plate, "--recipe", tmp_path / "r.json", "--format", "png8")
    assert checked.returncode == 0, checked.stderr


@pytest.mark.parametrize(("kind", "looks"), [("straight", "straight"), ("premultiplied", "premultiplied")])
def test_proof_tells_of_any_file_what_its_alpha_is(plate: Path, tmp_path: Path, kind: str, looks: str) -> None:
    out = tmp_path / "bell.mov"
    key(plate, out, "--format", "png-mov", "--alpha", kind)
    told = json.loads(run("proof", out, "--json").stdout)
    assert told["alpha"] and told["looks"] == looks and told["codec"] == "png" and told["frames"] == 16
    words = run("proof", out)
    assert words.returncode == 0 and f"it looks {looks}" in words.stdout


def test_proof_of_an_opaque_file_fails_with_the_reason(plate: Path) -> None:
    done = run("proof", plate)
    assert done.returncode == 1 and "Alpha is not in this file." in done.stdout and "H.264 cannot hold" in done.stdout
    assert done.stderr.startswith("upholster: ") and done.stderr.count("\n") == 1


def test_a_pair_is_a_folder_with_fill_and_matte(plate: Path, tmp_path: Path) -> None:
    key(plate, tmp_path / "pair", "--format", "pair-prores")
    assert sorted(p.name for p in (tmp_path / "pair").iterdir()) == ["clip.json", "fill.mov", "matte.mov"]
    with Reader([tmp_path / "pair" / "matte.mov"]) as reader:
        assert not reader.facts.alpha and np.mean((reader.frame(3).rgb[0] - shot(frame=3)[1]) ** 2) < 1e-3


def test_a_result_is_laid_over_a_picture(plate: Path, tmp_path: Path) -> None:
    """The ground fills the frame; where the subject is not, it is seen as it is."""
    Image.new("RGB", (400, 100), (30, 60, 200)).save(tmp_path / "sky.png")
    key(plate, tmp_path / "over.mp4", "--format", "over-h264", "--ground", tmp_path / "sky.png")
    with Reader([tmp_path / "over.mp4"]) as reader:
        frame = reader.frame(0)
    outside = shot(frame=0)[1] == 0
    assert np.abs(frame.rgb[:, outside] * 255 - np.array([[30], [60], [200]])).mean() < 3


def test_a_flat_colour_is_chosen_and_told(plate: Path, tmp_path: Path) -> None:
    done = key(plate, tmp_path / "flat.mp4", "--format", "flat-h264", "--json")
    told = json.loads(done.stdout)
    assert told["content"] == "flat" and told["rekeyed"] < 0.03
    chosen = json.loads((tmp_path / "flat.mp4.json").read_text())["delivery"]["colour"]
    assert chosen.startswith("#") and len(chosen) == 7
    assert probe([tmp_path / "flat.mp4"]).codec == "h264"


@pytest.mark.parametrize(
    ("arguments", "code", "words"),
    [
        (["out.xyz"], 2, "Say which format"),
        (["out.gif", "--rate", "90"], 1, "at most 50 frames"),
        (["out.mov", "--size", "huge"], 2, "size"),
        (["out.mov", "--alpha", "crooked"], 2, "alpha"),
        (["out.mov", "--rate", "0"], 2, "a rate lies between"),
        (["out.gif", "--bitrate", "700"], 2, "--bitrate means nothing to GIF"),
        (["out.mp4", "--format", "prores4444"], 2, "ends in .mov, not in .mp4"),
        ([f"{__file__}/out.mov"], 2, "is not a folder"),
        (["out", "--format", "png8", "--alpha", "premultiplied"], 1, "cannot hold premultiplied"),
        (["out.mov", "--sound"], 1, "no sound"),
        (["out.mov", "--range", "9-4"], 2, "--frames wants"),
        (["out.mov", "--recipe", "nowhere.json"], 1, "nowhere.json"),
        (["out.mp4", "--format", "over-h264", "--ground", "nowhere.png"], 1, "no file nowhere.png"),
        (["out.mov", "--speed", "0"], 1, "speed"),
        (["out.mov", "--speed", "fast"], 1, "take.speed"),
        (["out.mov", "--crop-left", "-4"], 1, "crop_left"),
        (["out.mov", "--turns", "7"], 1, "turns"),
        (["out.mov", "--between", "magic"], 1, "between"),
    ],
)
def test_what_cannot_be_done_is_one_sentence_and_leaves_nothing(
    plate: Path, tmp_path: Path, arguments: list[str], code: int, words: str
) -> None:
    done = run("key", plate, tmp_path / arguments[0], *arguments[1:])
    assert done.returncode == code and words in done.stderr and "Traceback" not in done.stderr
    assert not list(tmp_path.iterdir())


def test_a_premultiplied_plate_is_taken_as_it_looks_and_a_person_can_say_otherwise(plate: Path, tmp_path: Path) -> None:
    """A movie does not say of its alpha what kind it is; colours at soft edges, read by Pillow, do."""
    alone = tmp_path / "alone.json"
    alone.write_text(json.dumps({"version": 2, "screen": {"kind": "none"}}))
    found = {}
    for name, kind, *said in (
        ("straight", "straight"),
        ("judged", "premultiplied"),
        ("said", "premultiplied", "--plate-alpha", "straight"),
    ):
        key(plate, tmp_path / f"{name}.mov", "--format", "png-mov", "--alpha", kind, "--frames", "0-3")
        key(tmp_path / f"{name}.mov", tmp_path / name, "--format", "png8", "--recipe", alone, *said)
        found[name] = np.asarray(Image.open(sorted((tmp_path / name).glob("*.png"))[2])).astype(int)
    soft = (found["straight"][..., 3] > 60) & (found["straight"][..., 3] < 200)
    off = {n: np.abs(found[n][soft][:, :3] - found["straight"][soft][:, :3]).mean() for n in ("judged", "said")}
    assert off["judged"] < 4 and off["said"] > 20


def test_an_opaque_clip_is_delivered_as_webp(tmp_path: Path) -> None:
    """The encoder leaves alpha out that is solid everywhere; readers show it solid (Pillow)."""
    for number in range(3):
        cv2.imwrite(str(tmp_path / f"f_{number:04d}.png"), np.full((48, 64, 3), 80 + 60 * number, np.uint8))
    alone = tmp_path / "alone.json"
    alone.write_text(json.dumps({"version": 2, "screen": {"kind": "none"}}))
    key(tmp_path / "f_%04d.png", tmp_path / "solid.webp", "--recipe", alone)
    with Image.open(tmp_path / "solid.webp") as found:
        assert np.asarray(found.convert("RGBA"))[..., 3].min() == 255


def test_places_that_cannot_be_written_to_are_said(plate: Path, tmp_path: Path) -> None:
    """A pipe stays one, as a device would; nobody can write to /proc."""
    pipe = tmp_path / "pipe.mov"
    os.mkfifo(pipe)
    done = run("key", plate, pipe)
    assert done.returncode == 2 and "neither a file nor a folder" in done.stderr and pipe.is_fifo()
    done = run("key", plate, "/proc/clip.mov")
    assert done.returncode in (1, 2) and "written" in done.stderr and "Traceback" not in done.stderr


def test_nothing_is_ever_overwritten(plate: Path, tmp_path: Path) -> None:
    taken = tmp_path / "taken.mov"
    taken.write_text("mine")
    done = run("key", plate, taken)
    assert done.returncode == 1 and "exists already" in done.stderr and taken.read_text() == "mine"
    (tmp_path / "full").mkdir()
    (tmp_path / "full" / "0001.png").touch()
    done = run("key", plate, tmp_path / "full", "--format", "png8")
    assert done.returncode == 1 and "already holds files" in done.stderr


def test_the_command_line_needs_neither_database_nor_web() -> None:
    every = "[main.get_command(None, name) for name in main.list_commands(None)]"
    parts = "{module.partition('.')[0] for module in sys.modules}"
    code = f"import sys; from upholster.cli import main; {every}; print({parts})"
    loaded = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True).stdout
    assert "'numba'" in loaded
    assert not [name for name in ("sqlalchemy", "flask", "psycopg", "procrastinate") if f"'{name}'" in loaded]


def test_masks_go_into_a_recipe_from_an_svg_and_out_again(plate: Path, tmp_path: Path) -> None:
    recipe, drawn, again = tmp_path / "bell.json", tmp_path / "drawn.svg", tmp_path / "again.svg"
    key(plate, tmp_path / "all.webm", "--save-recipe", recipe)
    box = "M100 40 H200 V140 H100 Z"
    later = "M140 40 H240 V140 H140 Z"
    values = f'<animate attributeName="d" dur="{10 / 24}s" values="{box};{later}"/>'
    drawn.write_text(f'<svg xmlns="http://www.w3.org/2000/svg"><path id="box" d="{box}">{values}</path></svg>')
    done = run("masks", plate, recipe, "--from", drawn)
    assert done.returncode == 0, done.stderr
    mask = read_recipe(json.loads(recipe.read_text())).masks.each["m1"]
    assert mask.name == "box" and mask.course.frames == (0, 10)
    key(plate, tmp_path / "out", "--recipe", recipe, "--format", "png8")
    pictures = sorted((tmp_path / "out").glob("*.png"))
    assert len(pictures) == 16
    for frame, left in ((0, 100), (5, 120), (15, 140)):
        alpha = np.asarray(Image.open(pictures[frame]))[..., 3]
        assert alpha[:, : left - 1].max() == 0 and alpha[:, left + 101 :].max() == 0 and alpha[:39].max() == 0
        assert alpha[90, 150 + 3 * frame if frame < 15 else 170] > 250
    assert run("masks", plate, recipe, "--to", again).returncode == 0
    assert again.read_text().count("<animate") == 1
    for what, suffix in (("svg", "svg"), ("matte", "png")):
        assert run("masks", plate, recipe, "--to", tmp_path / what, "--as", what).returncode == 0
        files = sorted((tmp_path / what).iterdir())
        assert [f.name for f in files] == [f"{n:06d}.{suffix}" for n in range(16)]
    grey = np.asarray(Image.open(tmp_path / "matte" / "000005.png"))
    assert grey.dtype == np.uint16 or grey.max() > 255
    assert grey[90, 121:219].min() == 65535 and grey[90, :118].max() == 0
    assert run("masks", plate, recipe, "--to", tmp_path / "svg").returncode == 1
    # Mattes are read into a recipe that has none, and leave of the picture what those left that wrote them.
    other = tmp_path / "other.json"
    other.write_text(json.dumps(json.loads(recipe.read_text()) | {"masks": {}}))
    done = run("masks", plate, other, "--from", tmp_path / "matte")
    assert done.returncode == 0, done.stderr
    assert run("masks", plate, other, "--to", tmp_path / "read", "--as", "matte").returncode == 0
    for name in (f"{n:06d}.png" for n in (0, 5, 15)):
        wrote, read = (cv2.imread(str(tmp_path / f / name), cv2.IMREAD_UNCHANGED) / 65535 for f in ("matte", "read"))
        assert np.abs(wrote - read).mean() < 2e-4
    done = run("masks", plate, other, "--from", tmp_path / "nowhere")
    assert done.returncode == 1 and len(done.stderr.splitlines()) == 1
    for arguments, words in (
        (("--from", Path(__file__)), "not a video"),
        (("--from", tmp_path / "nowhere.svg"), "could not be read"),
        ((), "Say --to or --from"),
    ):
        refused = run("masks", plate, recipe, *arguments)
        assert refused.returncode in (1, 2) and words in refused.stderr and "Traceback" not in refused.stderr


def test_a_recipe_of_strokes_alone_traces_any_plate(tmp_path: Path) -> None:
    """With progress; what is kept in a cache is not made again; the alpha is read by Pillow."""
    plates, truth = street(12, seed=7)
    plate = write_video(tmp_path / "street.mp4", plates)
    recipe = tmp_path / "walker.json"
    trace = {"name": "walker", "base": 0, "first": 0, "last": 11, "strokes": street_strokes()}
    recipe.write_text(json.dumps({"version": 2, "traces": [trace]}))
    cache = tmp_path / "cache"
    done = run("key", plate, tmp_path / "out", "--recipe", recipe, "--format", "png16", "--cache", cache)
    assert done.returncode == 0, done.stderr
    assert "Tracing" in done.stderr
    kept = sorted(cache.rglob("*.png"))
    assert len(kept) == 12 and not list(cache.rglob("*.part"))
    for number, file in enumerate(sorted((tmp_path / "out").glob("*.png"))):
        alpha = np.asarray(Image.open(file))[..., 3]
        inside = truth[number] >= 0.5
        half = alpha >= np.iinfo(alpha.dtype).max / 2
        assert np.count_nonzero(half & inside) / np.count_nonzero(half | inside) > 0.93
    # Stopped in the middle, it goes on from there.
    times = {file: file.stat().st_mtime_ns for file in kept}
    kept[0].unlink()
    done = run("key", plate, tmp_path / "again", "--recipe", recipe, "--format", "png16", "--cache", cache)
    assert done.returncode == 0, done.stderr
    assert sum(file.stat().st_mtime_ns == times[file] for file in kept) == 11
    for strokes, words in (([{"frame": 0}], "strokes"), ("brush", "given in full here")):
        recipe.write_text(json.dumps({"version": 2, "traces": [trace | {"strokes": strokes}]}))
        refused = run("key", plate, tmp_path / "no", "--recipe", recipe, "--format", "png16")
        assert refused.returncode == 1 and words in refused.stderr and "Traceback" not in refused.stderr


def test_ready_values_are_a_word(plate: Path, tmp_path: Path) -> None:
    key(plate, tmp_path / "sticker.gif", "--ready", "sticker", "--size", "200")
    with Image.open(tmp_path / "sticker.gif") as sticker:
        assert max(sticker.size) == 200 and sticker.info["duration"] in (80, 90)
    document = json.loads((tmp_path / "sticker.gif.json").read_text())["delivery"]
    assert document["palette"] == 128 and document["rate"] == "12"
    assert run("key", plate, tmp_path / "x.gif", "--ready", "postcard").returncode == 2


def test_ctrl_c_that_comes_while_kernels_are_compiled_is_heard_a_moment_later() -> None:
    code = compile("stop(number, frame())", "/site-packages/llvmlite/binding/executionengine.py", "exec")
    with pytest.raises(KeyboardInterrupt):
        exec(code, {"stop": _interrupted, "number": signal.SIGINT, "frame": sys._getframe})
        heard = "not at once"
        time.sleep(10)
    assert heard == "not at once"
    with pytest.raises(KeyboardInterrupt):
        _interrupted(signal.SIGINT, sys._getframe())
