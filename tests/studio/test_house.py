"""Use cases against the real database and worker, and what happens when parts of the house are killed."""

import os
import re
import shutil
import signal
import subprocess
import sys
import tempfile
import time
import urllib.error
import urllib.request
from pathlib import Path

import numpy as np
import pytest
from sqlalchemy.exc import OperationalError

from conftest import House, start_house, wait_for
from deliveries import deliver
from plates import SKIN, flat, shot, write_video
from upholster.core.documents.recipe import Edge, Recipe
from upholster.media.delivery import Delivery
from upholster.media.errors import MediaError
from upholster.store.models import Render
from upholster.store.session import session
from upholster.studio import paths
from upholster.studio.errors import Refused
from upholster.studio.footage import bring_in, uploads
from upholster.studio.naming import next_version, safe_name
from upholster.studio.renders import listed, presets, renders
from upholster.studio.renders.states import ACTIVE
from upholster.studio.shots import shots
from upholster.studio.stock import search


@pytest.fixture(scope="module")
def shot_id(house: House, tmp_path_factory: pytest.TempPathFactory) -> int:
    """A shot long enough to be killed in the middle of its render."""
    return brought_in(tmp_path_factory.mktemp("long") / "in", "lantern.mp4", 96)


@pytest.fixture(scope="module")
def short_id(house: House, tmp_path_factory: pytest.TempPathFactory) -> int:
    """A shot of a single range."""
    return brought_in(tmp_path_factory.mktemp("short") / "in", "spark.mp4", 12)


def brought_in(folder: Path, name: str, length: int) -> int:
    folder.mkdir()
    write_video(folder / name, [shot(frame=n % 30)[0] for n in range(length)])
    footage, known = bring_in.take_in(folder, name)
    assert not known
    wait_for(lambda: bring_in.get_footage(footage.id).state == "ready")
    with session() as db:
        return int(db.get_one(type(footage), footage.id).shots[0].id)


def state(render_id: int) -> str:
    with session() as db:
        return db.get_one(Render, render_id).state


def order(shot_id: int, *forms: str, name: str = "", **choices: object) -> list[int]:
    deliveries = [Delivery(format=form, **choices) for form in forms]  # type: ignore[arg-type]
    return [r.id for r in renders.order(shot_id, shots.open_shot(shot_id).revision, deliveries, name)]


def answers(house: House) -> bool:
    try:
        return bool(urllib.request.urlopen(f"{house.address}/health").status == 200)
    except OSError:
        return False


def under_way(render_id: int) -> bool:
    row = next(r for r in listed.all_renders() if r.id == render_id)
    return sum(p.frames_done for p in row.ranges) > 0


def in_stock(render_id: int) -> bool:
    return any(c.render_id == render_id for c in search.clips())


@pytest.mark.parametrize(
    "part", ["upholster.work.worker", "postgres -D", "upholster.media.decoder.forkserver", "upholster.web"]
)
def test_a_render_outlives_whatever_is_killed(house: House, shot_id: int, part: str) -> None:
    (render_id,) = order(shot_id, "prores4444")
    wait_for(lambda: under_way(render_id))
    house.kill(part)

    def over() -> bool:
        try:
            kept, now = in_stock(render_id), state(render_id)
        except OperationalError:
            return False
        assert now == "done" or not kept, "a file was listed before it was whole"
        return now not in ACTIVE

    wait_for(over)
    if part == "upholster.media.decoder.forkserver":
        # A decoder that dies is a sentence and a retry, since the file may be what killed it.
        row = next(r for r in listed.all_renders() if r.id == render_id)
        assert row.state == "done" or "stopped short" in row.problem
        if row.state == "failed":
            renders.retry(render_id)
            wait_for(lambda: state(render_id) == "done")
    assert state(render_id) == "done"
    assert in_stock(render_id)
    assert not paths.render_folder(render_id).exists()
    wait_for(lambda: answers(house))


def test_a_cancel_takes_effect_soon_and_leaves_nothing(house: House, shot_id: int) -> None:
    (render_id,) = order(shot_id, "prores4444")
    wait_for(lambda: under_way(render_id))
    asked = time.monotonic()
    renders.cancel(render_id)
    wait_for(lambda: not paths.render_folder(render_id).exists())
    time.sleep(1.5)
    assert time.monotonic() - asked < 10 and state(render_id) == "cancelled"
    assert not paths.render_folder(render_id).exists(), "a worker went on writing"
    assert not in_stock(render_id)
    renders.retry(render_id)
    wait_for(lambda: state(render_id) == "done")


def test_a_source_that_vanished_is_one_sentence_with_a_retry(house: House, short_id: int) -> None:
    footage = shots.open_shot(short_id).footage
    file = paths.footage_folder(footage.sha256) / footage.files[0]
    away = file.with_suffix(".away")
    file.rename(away)
    try:
        (render_id,) = order(short_id, "ffv1")
        wait_for(lambda: state(render_id) == "failed")
        row = next(r for r in listed.all_renders() if r.id == render_id)
        assert re.fullmatch(r"The file original.mp4 is no longer where it was\. Bring it in again\.", row.problem)
    finally:
        away.rename(file)
    renders.retry(render_id)
    wait_for(lambda: state(render_id) == "done")


def test_a_full_disk_is_one_sentence_and_leaves_nothing(house: House, shot_id: int) -> None:
    """/dev/full (Linux) stands for a disk without room where the first part would grow."""
    (before,) = order(shot_id, "prores4444")
    (render_id,) = order(shot_id, "rle-mov")
    folder = paths.render_folder(render_id)
    folder.mkdir(parents=True)
    for position in range(4):
        (folder / f"part-{position:05d}.mov.part").symlink_to("/dev/full")
    wait_for(lambda: state(render_id) == "failed")
    row = next(r for r in listed.all_renders() if r.id == render_id)
    assert row.problem == "The disk is full. Free some room and render again."
    assert not in_stock(render_id)
    wait_for(lambda: not folder.exists())
    renders.retry(render_id)
    wait_for(lambda: state(render_id) == state(before) == "done")


def test_a_frame_that_cannot_be_decoded_is_one_sentence(house: House, tmp_path_factory: pytest.TempPathFactory) -> None:
    folder = tmp_path_factory.mktemp("wick") / "in"
    deliver([(shot(frame=n)[0], np.ones((180, 320), np.float32)) for n in range(6)], folder, "png8")
    footage, _ = bring_in.take_in(folder, "wick.png")
    wait_for(lambda: bring_in.get_footage(footage.id).state == "ready")
    with session() as db:
        wick = int(db.get_one(type(footage), footage.id).shots[0].id)
    picture = paths.footage_folder(footage.sha256) / footage.files[4]
    whole = picture.read_bytes()
    picture.write_bytes(b"\0" * len(whole))
    (render_id,) = order(wick, "ffv1")
    wait_for(lambda: state(render_id) not in ACTIVE)
    row = next(r for r in listed.all_renders() if r.id == render_id)
    assert row.state == "failed" and re.fullmatch(r"[A-Z][^.]+\.( [A-Z][^.]+\.)?", row.problem)
    assert not in_stock(render_id) and not paths.render_folder(render_id).exists()
    picture.write_bytes(whole)
    renders.retry(render_id)
    wait_for(lambda: state(render_id) == "done")


def test_names_never_collide(house: House, short_id: int) -> None:
    (first,) = order(short_id, "png8", name="candle")
    with pytest.raises(Refused, match="candle already. Use candle_v001"):
        order(short_id, "png8", name="candle")
    with pytest.raises(MediaError, match="cannot hold premultiplied"):
        order(short_id, "png8", name="wick", alpha="premultiplied")
    wait_for(lambda: state(first) == "done")
    assert next_version("a", {"a_v001", "a_v003"}) == "a_v002"
    assert next_version("a", {"a_v001_gif", "ab_v002"}) == "a_v002"


def test_several_formats_are_made_in_one_pass_and_one_can_be_called_off(house: House, shot_id: int) -> None:
    made = order(shot_id, "ffv1", "gif", "prores4444", name="taper", size=160)
    with session() as db:
        rows = [db.get_one(Render, n) for n in made]
        assert len({r.pass_id for r in rows}) == 1
        assert [r.name for r in rows] == ["taper_ffv1", "taper_gif", "taper_prores4444"]
    wait_for(lambda: under_way(made[2]))
    renders.cancel(made[2])
    wait_for(lambda: [state(n) for n in made] == ["done", "done", "cancelled"])
    assert in_stock(made[0]) and in_stock(made[1]) and not in_stock(made[2])
    assert not any(paths.render_folder(n).exists() for n in made)


def test_a_render_can_be_put_before_others(house: House, shot_id: int) -> None:
    (first,) = order(shot_id, "prores4444")
    (second,) = order(shot_id, "ffv1", size=64)
    renders.move(second, "first")
    assert [r.id for r in listed.all_renders()][:2] == [second, first]
    wait_for(lambda: state(second) == "done")
    assert state(first) != "done"
    wait_for(lambda: state(first) == "done")
    with pytest.raises(Refused, match="under way can be moved"):
        renders.move(second, "first")


def test_a_delivery_is_settled_once_and_its_file_is_what_was_asked_for(house: House, short_id: int) -> None:
    (made,) = order(short_id, "flat-h264", size=128, bitrate=300, rate=48)
    wait_for(lambda: state(made) == "done")
    clip = next(c for c in search.clips() if c.render_id == made)
    assert (clip.width, clip.height, clip.frames) == (128, 72, 24)
    assert clip.render.delivery["colour"].startswith("#") and listed.proof_of(clip.render).rekeyed
    assert clip.bytes < 1.2 * 300_000 / 8


def test_presets_are_kept_replaced_and_removed(house: House) -> None:
    one = presets.save_preset("  For   the web ", Delivery(format="vp9", size=640))
    two = presets.save_preset("For the web", Delivery(format="webp"))
    assert one.id == two.id and presets.preset_delivery(one.id).format == "webp"
    assert [p.name for p in presets.presets()].count("For the web") == 1
    presets.remove_preset(one.id)
    with pytest.raises(Refused, match="name"):
        presets.save_preset(" ", Delivery(format="vp9"))


def test_keyed_clips_come_back_as_footage_with_their_alpha_rightly_taken(
    house: House, tmp_path_factory: pytest.TempPathFactory
) -> None:
    frames = [(flat(SKIN), shot(frame=n, soft=2.2)[1]) for n in range(6)]
    folder = tmp_path_factory.mktemp("keyed")
    for kind in ("straight", "premultiplied"):
        deliver(frames, folder / kind, "prores4444", alpha=kind)
        (folder / kind / "in").mkdir()
        (folder / kind / "clip.mov").rename(folder / kind / "in" / f"{kind}.mov")
        footage, _ = bring_in.take_in(folder / kind / "in", f"{kind}.mov")
        wait_for(lambda f=footage.id: bring_in.get_footage(f).state == "ready")  # type: ignore[misc]
        assert footage.facts["alpha_kind"] == kind
    bring_in.interpret(footage.id, "straight")
    wait_for(lambda: bring_in.get_footage(footage.id).pending is None)
    assert bring_in.get_footage(footage.id).facts["alpha_kind"] == "straight"
    bring_in.interpret(footage.id, "")
    wait_for(lambda: bring_in.get_footage(footage.id).pending is None)
    with pytest.raises(Refused, match="straight, premultiplied or not there"):
        bring_in.interpret(footage.id, "upside down")
    with pytest.raises(Refused, match="not as 'upside down'"):
        bring_in.tell_colour(footage.id, ["bt601", "upside down"])
    with pytest.raises(Refused, match="no place to tell"):
        bring_in.tell_colour(footage.id, ["center"])


def test_revisions_form_a_tree_in_which_nothing_is_lost(house: House, shot_id: int) -> None:
    twin = shots.copy_shot(shot_id).id
    recipe = shots.open_shot(twin).recipe

    def with_shift(shift: float) -> Recipe:
        return recipe.model_copy(update={"edge": Edge(choke=shift)})

    for seen, shift in ((1, 1.0), (2, 2.0)):
        shots.revise(twin, with_shift(shift), f"to {shift}", seen)
    shots.undo(twin, 3)
    state_now = shots.revise(twin, with_shift(3.0), "to 3", 2)
    assert state_now.revision == 4 and state_now.redo is None
    assert shots.undo(twin, 4).recipe.edge.choke == 1.0
    assert shots.redo(twin, 2).recipe.edge.choke == 3.0
    assert shots.go_to(twin, 3).recipe.edge.choke == 2.0
    assert [r.number for r in shots.history(twin)] == [4, 3, 2, 1]
    assert shots.revise(twin, with_shift(2.0), "same", 1).revision == 3


def test_a_block_sent_twice_does_no_harm_and_a_gap_is_noticed(house: House) -> None:
    token = uploads.begin()
    assert uploads.receive(token, "a.mp4", 0, b"12345") == 5
    assert uploads.receive(token, "a.mp4", 0, b"12345") == 5
    assert uploads.receive(token, "../../a.mp4", 5, b"678") == 8
    assert [p.name for p in paths.upload_folder(token).iterdir()] == ["a.mp4"]
    with pytest.raises(Refused, match="lost on the way"):
        uploads.receive(token, "a.mp4", 99, b"1")
    shutil.rmtree(paths.upload_folder(token))


@pytest.mark.parametrize("given", ["../../etc/passwd", "a/b\\c.mov", "\x00\n.mp4", "…", "con<>:|?*.png", "x" * 300])
def test_no_given_name_becomes_a_path(given: str) -> None:
    name = safe_name(given)
    assert name and len(name) <= 120 and not set(name) & set('/\\\0\n<>:|?*"') and not name.startswith(".")


def request(address: str, **headers: str) -> int:
    asked = urllib.request.Request(address, headers=headers, method=headers.pop("method", "GET"))
    try:
        return int(urllib.request.urlopen(asked).status)
    except urllib.error.HTTPError as error:
        return error.code


def test_the_door_is_kept(house: House) -> None:
    """OWASP: DNS rebinding (Host check), cross-site request forgery (token), content policy."""
    page = f"{house.address}/footage"
    assert request(page) == 200
    assert request(page, Host="evil.example") == 421
    assert request(f"{page}/uploads", method="POST") == 403
    assert request(f"{page}/uploads", method="POST", **{"X-CSRF-Token": ""}) == 403
    answer = urllib.request.urlopen(page)
    policy = answer.headers["Content-Security-Policy"]
    assert "default-src 'self'" in policy and "unsafe" not in policy
    assert answer.headers["X-Content-Type-Options"] == "nosniff"
    body = answer.read().decode()
    assert not re.search(r"<script(?![^>]*(src=|application/json))", body) and " style=" not in body
    assert "://" not in re.sub(r"http://(127\.0\.0\.1|www\.w3\.org)", "", body)
    assert request(f"{house.address}/stockroom/9999/file") == 404


def test_the_database_wants_a_password(house: House) -> None:
    port = (house.root / "postgres/data/postmaster.pid").read_text().splitlines()[3]
    asked = ["psql", "-h", "127.0.0.1", "-p", port, "-U", "upholster", "-w", "-c", "select 1", "postgres"]
    refused = subprocess.run(
        asked, capture_output=True, text=True, env={"PATH": os.environ["PATH"], "HOME": "/nowhere"}
    )
    assert refused.returncode and "password" in refused.stderr


def test_a_house_started_twice_says_so_and_one_restarted_keeps_all(clip_file: Path) -> None:
    root = Path(tempfile.mkdtemp(prefix="upholster-twice-"))
    root.chmod(0o755)
    try:
        first = start_house(root, "--empty")
        second = subprocess.run(
            [sys.executable, "-m", "upholster.service", "--empty"],
            env={**os.environ, "UPHOLSTER_DATA": str(root)},
            capture_output=True,
            text=True,
        )
        assert second.returncode and f"running already at {first.address}" in second.stderr
        # The house itself killed: its children go with it, and the next start finds everything in order.
        first.process.kill()
        first.process.wait()
        wait_for(lambda: not first.pids("upholster") and not first.pids("postgres"))
        again = start_house(root, "--empty")
        assert urllib.request.urlopen(f"{again.address}/footage").status == 200
        again.process.send_signal(signal.SIGINT)
        assert again.process.wait(30) == 0
        assert not again.pids("upholster") and not again.pids("postgres")
    finally:
        shutil.rmtree(root, ignore_errors=True)
