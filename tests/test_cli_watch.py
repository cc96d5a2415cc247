"""`upholster watch`: a folder in which plates land, what comes of them, and what is left when it is killed."""

import json
import signal
import subprocess
import sys
import time
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from PIL import Image

from plates import green_clip, shot
from test_cli import run
from upholster.media.decoder.reader import Reader


def events(text: str) -> list[dict[str, Any]]:
    return [json.loads(line) for line in text.splitlines()]


def started(*arguments: object) -> subprocess.Popen[str]:
    program = Path(sys.executable).with_name("upholster")
    return subprocess.Popen(
        [program, "watch", *map(str, arguments)], stdout=subprocess.PIPE, text=True, env={"PATH": "/usr/bin"}
    )


def pictures(folder: Path) -> None:
    folder.mkdir()
    for n in range(3):
        frame = (shot(frame=n)[0].transpose(1, 2, 0) * 255).astype(np.uint8)
        Image.fromarray(frame).save(folder / f"p.{n:04d}.png")


def test_what_lands_is_keyed_and_what_cannot_be_is_told(tmp_path: Path) -> None:
    inside, out = tmp_path / "in", tmp_path / "out"
    inside.mkdir()
    green_clip(inside / "bell.mp4", 5)
    pictures(inside / "reel")
    (inside / "broken.mp4").write_bytes(b"no film" * 99)
    (inside / ".hidden").write_text("not meant")
    done = run("watch", inside, out, "--format", "ffv1", "--settled", "0.2", "--once", "--json")
    assert done.returncode == 0, done.stderr
    told = {e["plate"]: e for e in events(done.stdout) if e["event"] in ("done", "failed")}
    assert {name: e["event"] for name, e in told.items()} == {
        "bell.mp4": "done", "broken.mp4": "failed", "reel": "done",
    }  # fmt: skip
    assert sorted(p.name for p in out.iterdir()) == ["bell.mkv", "bell.mkv.json", "reel.mkv", "reel.mkv.json"]
    assert sorted(p.name for p in inside.iterdir()) == [".hidden", "done", "failed"]
    assert sorted(p.name for p in (inside / "done").iterdir()) == ["bell.mp4", "reel"]
    assert (inside / "failed" / "broken.mp4.txt").read_text().strip().endswith(".")
    for name in ("bell", "reel"):
        assert json.loads((out / f"{name}.mkv.json").read_text())["proof"]["passed"]
        with Reader([out / f"{name}.mkv"]) as reader:
            alpha = reader.frame(0).alpha
        assert alpha is not None and alpha[90, 130] > 0.98 and alpha[5, 5] == 0
    # The same name once more finds a name of its own.
    green_clip(inside / "bell.mp4", 4)
    assert run("watch", inside, out, "--format", "ffv1", "--settled", "0.2", "--once", "--report").returncode == 0
    assert (out / "bell_2.mkv").is_file() and (inside / "done" / "bell_2.mp4").is_file()
    assert "bell_2.mkv, ffv1" in (out / "bell_2.mkv.html").read_text()


def test_what_still_grows_is_left_until_it_has_arrived(tmp_path: Path) -> None:
    inside, out = tmp_path / "in", tmp_path / "out"
    inside.mkdir()
    data = green_clip(tmp_path / "whole.mp4", 6).read_bytes()
    watching = started(inside, out, "--format", "ffv1", "--settled", "4", "--once", "--json")
    with (inside / "slow.mp4").open("wb") as file:
        for k in range(6):
            file.write(data[k * len(data) // 6 : (k + 1) * len(data) // 6])
            file.flush()
            time.sleep(0.5)
    told = events(watching.communicate(timeout=120)[0])
    assert [e["event"] for e in told] == ["watching", "begun", "done"]
    with Reader([out / "slow.mkv"]) as reader:
        assert reader.facts.length == 6


@pytest.mark.parametrize("how", [signal.SIGKILL, signal.SIGINT])
def test_stopped_in_the_middle_it_begins_that_one_anew(tmp_path: Path, how: signal.Signals) -> None:
    inside, out = tmp_path / "in", tmp_path / "out"
    inside.mkdir()
    green_clip(inside / "long.mp4", 150)
    watching = started(inside, out, "--format", "prores4444", "--settled", "0.2", "--json")
    assert watching.stdout
    for line in watching.stdout:
        if json.loads(line)["event"] == "begun":
            break
    time.sleep(1.0)
    watching.send_signal(how)
    watching.wait(60)
    assert (inside / "long.mp4").is_file() and not (out / "long.mov").exists()
    done = run("watch", inside, out, "--format", "prores4444", "--settled", "0.2", "--once", "--json")
    assert [e["event"] for e in events(done.stdout)] == ["watching", "begun", "done"]
    assert sorted(p.name for p in out.iterdir()) == ["long.mov", "long.mov.json"]


def test_what_cannot_be_watched_is_said(tmp_path: Path) -> None:
    assert "is not a folder" in run("watch", tmp_path / "no", tmp_path / "out", "--once").stderr
    (tmp_path / "in").mkdir()
    wrong = run("watch", tmp_path / "in", tmp_path / "out", "--once", "--format", "png8", "--palette", "9")
    assert wrong.returncode == 2 and "means nothing" in wrong.stderr
