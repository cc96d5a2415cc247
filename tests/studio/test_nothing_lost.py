"""What people made stays, whatever is killed, refused or sent twice."""

import errno
import io
import os
import shutil
import threading
import zipfile
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from sqlalchemy import event, text
from sqlalchemy.exc import IntegrityError, OperationalError

from conftest import House, wait_for
from deliveries import deliver
from plates import SKIN, flat, green_clip, shot, write_video
from upholster.media.decoder.frames import Frame
from upholster.media.delivery import Delivery
from upholster.media.errors import MediaError
from upholster.media.files import put_whole
from upholster.media.proxy import ProxyWriter
from upholster.store.models import Clip, Footage, Reading, Render, Revision, Shot
from upholster.store.session import engine, session
from upholster.store.states import ReadingState
from upholster.studio import paths, queue
from upholster.studio.errors import Missing, Refused, Stale
from upholster.studio.footage import bring_in, reading, uploads
from upholster.studio.making import keying
from upholster.studio.renders import listed, missing, renders
from upholster.studio.renders.states import ACTIVE
from upholster.studio.shots import screens, shots
from upholster.studio.stock import search, stock


def ready(footage_id: int) -> Callable[[], bool]:
    return lambda: bring_in.get_footage(footage_id).state == "ready"


def taken_in(folder: Path, name: str, make: Callable[[Path], object]) -> Footage:
    """Footage of its own, read."""
    folder.mkdir(parents=True)
    make(folder / name)
    footage, _ = bring_in.take_in(folder, name)
    wait_for(ready(footage.id))
    return bring_in.get_footage(footage.id)


def shot_of(footage: Footage) -> int:
    return next(f for f in bring_in.all_footage() if f.id == footage.id).shots[0].id


def rendered(shot_id: int, form: str = "ffv1") -> int:
    revision = shots.open_shot(shot_id).revision
    (made,) = renders.order(shot_id, revision, [Delivery(format=form)])
    return made.id


def state(render_id: int) -> str:
    with session() as db:
        return db.get_one(Render, render_id).state


def counts() -> tuple[int, ...]:
    with session() as db:
        return tuple(db.query(model).count() for model in (Footage, Shot, Revision, Render, Clip))


@contextmanager
def queries() -> Iterator[list[str]]:
    """What is asked of the database within the block."""
    asked: list[str] = []

    def note(connection: Any, cursor: Any, statement: str, *more: Any) -> None:
        asked.append(statement)

    event.listen(engine(), "before_cursor_execute", note)
    try:
        yield asked
    finally:
        event.remove(engine(), "before_cursor_execute", note)


@pytest.fixture(scope="module")
def keyed(house: House, tmp_path_factory: pytest.TempPathFactory) -> Footage:
    """Footage that brings alpha, with a shot that a clip was made from."""
    folder = tmp_path_factory.mktemp("keyed")
    frames = [(flat(SKIN), shot(frame=n, soft=2.0)[1]) for n in range(6)]
    made = deliver(frames, folder / "made", "prores4444")
    footage = taken_in(folder / "in", "ghost.mov", lambda path: shutil.copy(made.files[0], path))
    render_id = rendered(shot_of(footage))
    wait_for(lambda: state(render_id) == "done")
    return footage


def test_a_failing_reading_and_the_same_bytes_again_delete_nothing(keyed: Footage, tmp_path: Path) -> None:
    before, facts = counts(), bring_in.get_footage(keyed.id).facts
    file = paths.footage_folder(keyed.sha256) / keyed.files[0]
    whole = file.read_bytes()
    file.write_bytes(whole[: len(whole) // 2])
    try:
        bring_in.interpret(keyed.id, "premultiplied")
        wait_for(lambda: (p := bring_in.get_footage(keyed.id).pending) and p.state == "failed")
        now = bring_in.get_footage(keyed.id)
        assert now.state == "ready" and now.facts == facts and now.reading_id == keyed.reading_id
        assert now.pending and now.pending.problem.endswith(".")
    finally:
        file.write_bytes(whole)
    again = tmp_path / "again"
    again.mkdir()
    (again / "ghost.mov").write_bytes(whole)
    assert bring_in.take_in(again, "ghost.mov")[1], "the same bytes are the same footage"
    assert counts() == before
    assert (paths.reading_folder(keyed.sha256, keyed.reading_id) / "proxy").exists()
    bring_in.leave_as_is(keyed.id)
    assert bring_in.get_footage(keyed.id).pending is None


def test_nothing_made_goes_by_a_cascade(keyed: Footage) -> None:
    before = counts()
    for table in ("footage", "shot", "render", "render_pass"):
        with pytest.raises(IntegrityError), session() as db:
            db.execute(text(f"DELETE FROM {table}"))
    assert counts() == before


def test_footage_that_failed_is_read_again_with_the_same_row(house: House, tmp_path: Path) -> None:
    footage = taken_in(tmp_path / "one", "retry.mp4", lambda path: green_clip(path, 5, 0.03))
    with session() as db:
        db.get_one(Footage, footage.id).state = "failed"
    shutil.copytree(tmp_path / "one", tmp_path / "two")
    again, known = bring_in.take_in(tmp_path / "two", "retry.mp4")
    assert again.id == footage.id and not known
    wait_for(ready(footage.id))
    assert shots.open_shot(shot_of(footage)).revision == 1


def test_who_takes_up_the_work_of_one_who_lives_leaves_it_to_him(
    house: House, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A worker silent for long is taken for dead; where it was only slow, two would be at the same files."""
    from upholster.work import tasks

    footage = taken_in(tmp_path / "in", "slow.mp4", lambda path: green_clip(path, 4, 0.035))
    home = paths.reading_folder(footage.sha256, footage.reading_id)
    really, begun, may_go_on = keying.read_through, threading.Event(), threading.Event()

    def slowly(*arguments: Any) -> Any:
        if not begun.is_set():
            begun.set()
            assert may_go_on.wait(60)
        return really(*arguments)

    monkeypatch.setattr(keying, "read_through", slowly)
    with ThreadPoolExecutor() as pool:
        with engine().begin() as held:
            # The house asks for no work until ours is begun.
            held.execute(text("SELECT pg_advisory_xact_lock(hashtext('upholster asks'))"))
            with session() as db:
                db.get_one(Reading, footage.reading_id).state = ReadingState.READING
            shutil.rmtree(home)
            slow = pool.submit(tasks.read_footage, reading_id=footage.reading_id)
            assert begun.wait(60)
        tasks.read_footage(reading_id=footage.reading_id)
        assert not home.joinpath("proxy").exists(), "it was read by two"
        may_go_on.set()
        slow.result()
    assert screens.survey_of(footage) and home.joinpath("proxy").exists()
    assert bring_in.get_footage(footage.id).state == "ready"


@pytest.mark.parametrize("way", ["worker", "connection"])
def test_stocking_is_cut_off_between_file_and_row_and_done_again(
    house: House, keyed: Footage, tmp_path: Path, way: str
) -> None:
    """The table of clips is held, so that the files are there and the row cannot be written; then somebody dies."""
    waiting = text("SELECT pid FROM pg_stat_activity WHERE wait_event_type = 'Lock' AND query LIKE 'INSERT INTO clip%'")
    with engine().connect() as held, held.begin():
        held.execute(text("LOCK TABLE clip IN SHARE MODE"))
        render_id = rendered(shot_of(keyed), "png8")
        with engine().execution_options(isolation_level="AUTOCOMMIT").connect() as other:
            wait_for(lambda: other.execute(waiting).first())
            assert paths.clip_folder(render_id).exists() and state(render_id) == "checking"
            if way == "worker":
                house.kill("upholster.work.worker")
            else:
                other.execute(text("SELECT pg_terminate_backend(:pid)"), {"pid": other.execute(waiting).scalar()})
    wait_for(lambda: state(render_id) not in ACTIVE)
    assert state(render_id) == "done"
    clip = next(c for c in search.clips() if c.render_id == render_id)
    assert stock.file_of(clip).stat().st_size == clip.bytes
    with zipfile.ZipFile(stock.file_of(clip)) as archive:
        assert archive.testzip() is None
    wait_for(lambda: not paths.render_folder(render_id).exists())


def test_files_are_put_whole_however_often(tmp_path: Path) -> None:
    (tmp_path / "a").write_text("a")
    (tmp_path / "b").write_text("b")
    home = tmp_path / "clips" / "7"
    (tmp_path / "clips" / "7.part").mkdir(parents=True)
    (tmp_path / "clips" / "7.part" / "half").write_text("h")
    for _ in range(2):
        put_whole([tmp_path / "a", tmp_path / "b"], home)
        assert sorted(p.name for p in home.iterdir()) == ["a", "b"] and (tmp_path / "a").exists()
    with pytest.raises(FileNotFoundError):
        put_whole([tmp_path / "gone"], home)
    assert sorted(p.name for p in home.iterdir()) == ["a", "b"], "what was whole stays"
    assert [p.name for p in home.parent.iterdir()] == ["7", "7.part"] or not (home.parent / "7.part" / "gone").exists()


def test_looking_for_missing_work_takes_as_many_queries_for_long_passes_as_for_short(
    house: House, keyed: Footage, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(queue, "ask_all", lambda wanted: asked.append(len(wanted)))
    asked: list[int] = []
    shot_id = shot_of(keyed)

    def passes(length: int, formats: int) -> int:
        with session() as db:
            made_in = renders._new_pass(shot_id, length)
            names = [f"count_{length}_{k}" for k in range(formats)]
            db.add_all(
                Render(shot_id=shot_id, made_in=made_in, revision=1, name=n, delivery={"format": "ffv1"},
                       frames=length, state="cancelled")
                for n in names
            )  # fmt: skip
            db.flush()
            return made_in.id

    def counted(pass_id: int) -> int:
        with session() as db:
            db.execute(text("UPDATE render SET state = 'running' WHERE pass_id = :p"), {"p": pass_id})
            db.flush()
            monkeypatch.setattr(missing, "session", lambda: _same(db))
            with queries() as found:
                missing.enqueue_missing(pass_id)
            db.execute(text("UPDATE render SET state = 'cancelled' WHERE pass_id = :p"), {"p": pass_id})
        return len(found)

    short, long = passes(24, 1), passes(417, 3)
    try:
        assert counted(short) == counted(long) <= 4
        assert asked == [1, 18]
    finally:
        with session() as db:
            db.execute(text("DELETE FROM render WHERE name LIKE 'count_%'"))
            db.execute(text("DELETE FROM render_pass WHERE id IN (:a, :b)"), {"a": short, "b": long})


@contextmanager
def _same(db: Any) -> Iterator[Any]:
    yield db


def test_asking_for_much_work_takes_three_queries(house: House, monkeypatch: pytest.MonkeyPatch) -> None:
    wanted = [queue.Asked(queue.RANGE, {"pass_id": 10**6, "position": k}) for k in range(300)]
    try:
        with queries() as found:
            queue.ask_all(wanted)
            queue.ask_all(wanted)
        assert len(found) <= 5
        with session() as db:
            there = db.execute(text("SELECT count(*) FROM procrastinate_jobs WHERE lock LIKE 'render_range-1000000-%'"))
            assert there.scalar() == 300
    finally:
        with session() as db:
            db.execute(text("DELETE FROM procrastinate_jobs WHERE lock LIKE 'render_range-1000000-%'"))


def test_listing_clips_takes_one_query(house: House, keyed: Footage) -> None:
    with queries() as found:
        clips = search.clips()
        assert clips and all(c.render.shot.footage.name for c in clips)
    assert len(found) == 1


def test_what_completes_a_render_comes_before_other_renders_frames() -> None:
    first = [queue.priority(task, 0) for task in (queue.RANGE, queue.CHECK, queue.ASSEMBLE, queue.FINISH)]
    assert first == sorted(first) and len(set(first)) == 4
    assert queue.priority(queue.FINISH, -50) > queue.priority(queue.RANGE, 10**9)
    assert queue.priority(queue.RANGE, 1) > queue.priority(queue.ASSEMBLE, 0)


def test_four_uploads_of_the_same_bytes_at_once_are_one_piece_of_footage(house: House, tmp_path: Path) -> None:
    data = green_clip(tmp_path / "same.mp4", 7, 0.03).read_bytes()
    tokens = []
    for _ in range(4):
        tokens.append(uploads.begin(len(data)))
        uploads.receive(tokens[-1], "same.mp4", 0, data)
    with ThreadPoolExecutor(4) as pool:
        found = list(pool.map(lambda token: bring_in.finish_upload(token, "same.mp4"), tokens))
    assert len({f.id for f, _ in found}) == 1 and sorted(known for _, known in found) == [False, True, True, True]
    assert not any(paths.upload_folder(t).exists() for t in tokens)
    wait_for(ready(found[0][0].id))
    twins = [f for f in bring_in.all_footage() if f.sha256 == found[0][0].sha256]
    assert len(twins) == 1 and len(twins[0].shots) == 1


def test_an_upload_outlives_a_database_that_does_not_answer(
    house: House, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    data = green_clip(tmp_path / "late.mp4", 6, 0.03).read_bytes()
    token = uploads.begin(len(data))
    uploads.receive(token, "late.mp4", 0, data)

    @contextmanager
    def away() -> Iterator[None]:
        raise OperationalError("", {}, Exception("gone"))
        yield

    with monkeypatch.context() as broken:
        broken.setattr(bring_in, "session", away)
        with pytest.raises(OperationalError):
            bring_in.finish_upload(token, "late.mp4")
    assert paths.upload_folder(token).exists(), "what was sent is still there for a second try"
    footage, known = bring_in.finish_upload(token, "late.mp4")
    assert not known and not paths.upload_folder(token).exists()
    wait_for(ready(footage.id))
    with pytest.raises(Missing):
        bring_in.finish_upload(token, "late.mp4")


def test_names_no_database_takes_are_cleaned_and_leave_nothing_behind(house: House, tmp_path: Path) -> None:
    folder = tmp_path / "in"
    folder.mkdir()
    green_clip(folder / "odd.mp4", 8, 0.03)
    footage, _ = bring_in.take_in(folder, "a\x00b\ud800c.mp4")
    assert footage.name == "a b c"
    wait_for(ready(footage.id))


def archived(pictures: dict[str, bytes], method: int = zipfile.ZIP_STORED) -> bytes:
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w", method) as archive:
        for name, data in pictures.items():
            archive.writestr(name, data)
    return packed.getvalue()


def sent(data: bytes, name: str = "a.zip") -> str:
    token = uploads.begin(len(data))
    uploads.receive(token, name, 0, data)
    return token


@pytest.mark.parametrize("method", [zipfile.ZIP_LZMA, zipfile.ZIP_BZIP2, zipfile.ZIP_DEFLATED])
def test_archives_with_corrupt_members_get_one_sentence(house: House, method: int) -> None:
    picture = np.random.default_rng(0).integers(0, 256, 40_000, np.uint8).tobytes()
    data = bytearray(archived({"f.0001.png": picture}, method))
    for at in range(60, 4000, 3):
        data[at] ^= 0x5A
    token = sent(bytes(data))
    with pytest.raises(MediaError, match="broken or locked"):
        bring_in.finish_upload(token, "a.zip")
    assert not paths.upload_folder(token).exists()


def test_two_folders_of_an_archive_with_the_same_names_are_told(house: House) -> None:
    token = sent(archived({"a/f.0001.png": b"1", "b/f.0001.png": b"2"}))
    with pytest.raises(MediaError, match="holds f.0001.png twice, as “a/f.0001.png” and “b/f.0001.png”"):
        bring_in.finish_upload(token, "a.zip")


def test_a_full_disk_during_an_upload_is_a_sentence_and_frees_its_room(
    house: House, monkeypatch: pytest.MonkeyPatch
) -> None:
    token = uploads.begin(10)
    uploads.receive(token, "big.mov", 0, b"12345")
    open_ = Path.open

    class Full(io.BytesIO):
        def write(self, block: Any) -> int:
            raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))

    with monkeypatch.context() as full:
        full.setattr(Path, "open", lambda self, *how, **more: Full() if "b" in how[0] else open_(self, *how, **more))
        with pytest.raises(Refused, match="The disk is full. Make room"):
            uploads.receive(token, "big.mov", 5, b"67890")
    assert not paths.upload_folder(token).exists()
    with pytest.raises(Refused, match=r"The disk has [\d.]+ GiB left"):
        monkeypatch.setattr(uploads, "UPLOAD", 1 << 60)
        uploads.begin(1 << 50)


def test_a_full_disk_while_reading_leaves_no_part(tmp_path: Path) -> None:
    """/dev/full (Linux) stands for a disk without room."""
    (tmp_path / "proxy.part").symlink_to("/dev/full")
    frame = Frame(np.random.default_rng(0).random((3, 900, 960), np.float32), None)
    with pytest.raises(OSError, match="No space left"), ProxyWriter(tmp_path / "proxy", 4) as writer:
        for _ in range(4):
            writer.write(frame)
    assert not list(tmp_path.iterdir())
    assert "The disk is full" in reading._sentence(OSError(errno.ENOSPC, "no room"))


def test_cleaning_up_spares_a_folder_made_while_it_looks(house: House, monkeypatch: pytest.MonkeyPatch) -> None:
    """Listed first, asked for then: a render that begins in between is not among the listed."""
    early = paths.render_folders()
    late = paths.render_folder(10**8)

    def listed() -> list[Path]:
        late.mkdir(parents=True)
        return early

    monkeypatch.setattr(paths, "render_folders", listed)
    try:
        missing.sweep()
        assert late.exists()
    finally:
        shutil.rmtree(late)


def test_what_stocking_left_without_a_row_is_swept_and_clips_stay(house: House, keyed: Footage) -> None:
    orphans = [paths.clip_folder(10**8), paths.clip_folder(10**8 + 1).with_suffix(".part")]
    for orphan in orphans:
        orphan.mkdir(parents=True)
    missing.sweep()
    assert not any(o.exists() for o in orphans)
    assert all(stock.file_of(clip).exists() for clip in search.clips())


def test_a_stale_save_is_told_and_can_go_on_as_a_branch(house: House, keyed: Footage) -> None:
    twin = shots.copy_shot(shot_of(keyed)).id
    recipe = shots.open_shot(twin).recipe
    one, two, three = (
        recipe.model_copy(update={"edge": recipe.edge.model_copy(update={"choke": s})}) for s in (1.0, 2.0, 3.0)
    )
    assert shots.revise(twin, one, "one", 1).revision == 2
    with pytest.raises(Stale, match="to revision 2: one"):
        shots.revise(twin, two, "two", 1)
    with pytest.raises(Stale):
        shots.undo(twin, 1)
    assert shots.open_shot(twin).recipe == one, "nothing was overwritten"
    branch = shots.revise(twin, three, "three", 1, branch=True)
    assert branch.revision == 3 and shots.undo(twin, 3).revision == 1
    assert {r.number: r.parent for r in shots.history(twin)} == {1: None, 2: 1, 3: 1}
    assert shots.revise(twin, recipe, "the same", 99).revision == 1, "what is in force already conflicts with nothing"


def test_first_opens_at_once_make_one_revision(house: House, tmp_path: Path) -> None:
    footage = taken_in(tmp_path / "in", "first.mp4", lambda path: green_clip(path, 9, 0.03))
    shot_id = shot_of(footage)
    with ThreadPoolExecutor(4) as pool:
        assert {s.revision for s in pool.map(lambda _: shots.open_shot(shot_id), range(4))} == {1}
    assert [r.change for r in shots.history(shot_id)] == ["First look"]


def test_damaged_frames_are_on_the_card_and_in_the_proof(house: House, tmp_path: Path) -> None:
    def spoiled(path: Path) -> None:
        import av

        options = {"crf": "14", "g": "8", "bf": "0", "x264-params": "scenecut=0"}
        write_video(path, [shot(frame=n, noise=0.01)[0] for n in range(16)], options=options)
        with av.open(str(path)) as source:
            packet = [p for p in source.demux(video=0) if p.size][11]
            start = packet.pos + packet.size // 3
        data = bytearray(path.read_bytes())
        data[start : start + 40] = np.random.default_rng(3).integers(0, 256, 40, np.uint8).tobytes()
        path.write_bytes(data)

    footage = taken_in(tmp_path / "in", "hurt.mp4", spoiled)
    assert footage.facts["damaged"] == [[11, 15]]
    render_id = rendered(shot_of(footage))
    wait_for(lambda: state(render_id) not in ACTIVE)
    (row,) = (r for r in listed.all_renders() if r.id == render_id)
    proof = listed.proof_of(row)
    assert proof and proof.in_words().endswith("The plate is damaged at frames 11 to 15.")


def test_asking_again_while_it_is_read_takes_the_last_wish(keyed: Footage) -> None:
    for kind in ("premultiplied", "", "straight"):
        bring_in.interpret(keyed.id, kind)
    wait_for(lambda: bring_in.get_footage(keyed.id).pending is None)
    found = bring_in.get_footage(keyed.id)
    assert found.state == "ready" and found.facts["alpha_kind"] == "straight"
    assert [r.state for r in found.readings if r.state != "complete"] == []


def test_a_reading_waits_for_the_renders_that_go_by_the_one_before(house: House, keyed: Footage) -> None:
    before = bring_in.get_footage(keyed.id).reading_id
    bring_in.interpret(keyed.id, "premultiplied")
    render_id = rendered(shot_of(keyed), "ffv1")
    wait_for(lambda: state(render_id) not in ACTIVE)
    assert state(render_id) == "done"
    wait_for(lambda: bring_in.get_footage(keyed.id).pending is None)
    after = bring_in.get_footage(keyed.id)
    assert after.reading_id != before and after.facts["alpha_kind"] == "premultiplied"
    home = paths.footage_folder(keyed.sha256)
    assert {p.name for p in home.glob("reading-*")} <= {f"reading-{before}", f"reading-{after.reading_id}"}
