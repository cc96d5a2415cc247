"""The stockroom among many clips: found by words, tags and kind; made again from their files; brought in."""

import json
from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from pathlib import Path

import cv2
import numpy as np
import pytest
from sqlalchemy import event, select, update

from brought import green_shot
from conftest import House, wait_for
from upholster.media.decoder.reader import Reader
from upholster.media.delivery import Delivery
from upholster.store.models import Clip, Footage, Render
from upholster.store.session import engine, session
from upholster.studio import paths
from upholster.studio.errors import Missing, Refused
from upholster.studio.footage import bring_in
from upholster.studio.renders import listed, missing, renders
from upholster.studio.renders.states import ACTIVE
from upholster.studio.shots import shots
from upholster.studio.stock import brought_in, search, stock
from upholster.studio.stock.search import Wanted


@pytest.fixture(scope="module")
def shot_id(house: House, tmp_path_factory: pytest.TempPathFactory) -> int:
    return green_shot(tmp_path_factory.mktemp("stockroom"), "finch", 6, 0.0373)


def finished(made: Render) -> Clip:
    wait_for(lambda: all(r.state not in ACTIVE for r in listed.all_renders() if r.id == made.id))
    problems = [r.problem for r in listed.all_renders() if r.id == made.id and r.problem]
    assert not problems, problems
    return next(c for c in search.clips() if c.render_id == made.id)


@pytest.fixture(scope="module")
def finch(shot_id: int) -> Clip:
    (made,) = renders.order(shot_id, shots.open_shot(shot_id).revision, [Delivery(format="ffv1")], "finch keyed")
    clip = finished(made)
    stock.tag(clip.id, "bird, dawn chorus")
    stock.note(clip.id, "  Wings too fast;\nslow it down. ")
    return stock.get_clip(clip.id)


@pytest.fixture
def many(house: House, finch: Clip) -> Iterator[list[int]]:
    """Rows beside the one real clip, of all kinds; no files belong to them."""
    made = []
    with session() as db:
        for n in range(60):
            footage = Footage(sha256=f"stockroom-{n}", name=f"row {n}", files=[], bytes=1, facts={}, state="failed")
            db.add(footage)
            db.flush()
            clip = Clip(
                footage_id=footage.id, name=f"plover_v{n:03d}", file="x.mov", bytes=1000 + n, width=320 + 60 * n,
                height=180, frames=24 + 12 * n, rate="24", seconds=1 + n / 2, sound=n % 3 == 0,
                alpha=("straight", "premultiplied", "")[n % 3], ground=("screen", "dark", "light", "none")[n % 4],
                format="prores", favourite=n == 7, tags=["wader"] + (["shore walk"] if n < 5 else []),
            )  # fmt: skip
            db.add(clip)
            db.flush()
            made.append((clip.id, footage.id))
    yield [clip for clip, _ in made]
    with session() as db:
        for clip, footage in made:
            db.delete(db.get_one(Clip, clip))
            db.flush()
            db.delete(db.get_one(Footage, footage))


def names(**wanted: object) -> list[str]:
    return [clip.name for clip in search.clips(Wanted(**wanted))]  # type: ignore[arg-type]


def test_words_are_found_as_they_are_typed_in_names_tags_and_notes(many: list[int], finch: Clip) -> None:
    for typed in ("fin", "FINCH key", "chor bird", "wing", "slow, fast"):
        assert names(words=typed) == ["finch keyed"], typed
    assert names(words="plover v007") == ["plover_v007"] == names(words="plover_v007")
    assert names(words="inch") == names(words="finch gull") == []
    for nonsense in ("'; DROP TABLE clip; --", "&|!():*", "\\", "%", "🦉"):
        assert isinstance(names(words=nonsense), list)
    assert len(names(words="***")) == len(names())


def test_clips_are_narrowed_by_what_they_are_and_sorted(many: list[int]) -> None:
    every = [c for c in search.clips() if c.id in many]
    assert {c.alpha for c in search.clips(Wanted(alpha="")) if c.id in many} == {""}
    assert len(names(ground="dark", words="plover")) == sum(c.ground == "dark" for c in every)
    assert all(c.sound for c in search.clips(Wanted(sound=True)))
    assert names(favourite=True) == ["plover_v007"]
    assert len(names(tags=("wader", "shore walk"))) == 5 and names(tags=("wade",)) == []
    assert [c.seconds for c in search.clips(Wanted(length="short"), most=3, skip=0)] == [1.5, 1.0, 0.25]
    assert all(2 <= c.seconds < 10 for c in search.clips(Wanted(length="middle")))
    assert all(max(c.width, c.height) > 1920 for c in search.clips(Wanted(size="large")))
    assert names(sort="largest")[0] == "plover_v059" == names(sort="longest")[0]
    assert names(sort="name", words="plover")[:2] == ["plover_v000", "plover_v001"]
    assert search.count(Wanted(words="plover")) == 60
    assert ("wader", 60) in search.tags() and ("shore walk", 5) in search.tags()


def test_the_number_of_queries_does_not_grow_with_the_clips(many: list[int]) -> None:
    def queries(most: int) -> int:
        seen: list[str] = []
        note = lambda *told: seen.append(told[2])  # noqa: E731
        event.listen(engine(), "before_cursor_execute", note)
        try:
            for clip in search.clips(most=most):
                _ = clip.name, clip.render and clip.render.shot and clip.render.shot.name
        finally:
            event.remove(engine(), "before_cursor_execute", note)
        return len(seen)

    assert queries(2) == queries(50)


def test_another_format_is_made_from_a_fine_file_without_its_shot(finch: Clip) -> None:
    (made,) = renders.order_again(finch.id, [Delivery(format="prores4444")])
    assert (made.clip_id, made.shot_id) == (finch.id, finch.render and finch.render.shot_id)
    clip = finished(made)
    assert made.name.startswith("finch_keyed_v") and clip.tags == finch.tags and clip.ground == finch.ground
    own, other = (json.loads(stock.file_of(c, "sidecar").read_text()) for c in (finch, clip))
    assert other["clip"] == "finch keyed" and other["recipe"] == own["recipe"] and other["source"] == own["source"]
    with Reader([stock.file_of(finch)]) as before, Reader([stock.file_of(clip)]) as after:
        for n in range(6):
            one, two = before.frame(n), after.frame(n)
            assert one.alpha is not None and two.alpha is not None
            assert np.abs(one.alpha - two.alpha).max() < 0.01


def test_of_a_coarse_file_others_are_made_anew_from_its_shot(finch: Clip, shot_id: int) -> None:
    assert finch.render is not None
    (small,) = renders.order(shot_id, finch.render.revision, [Delivery(format="gif", size=64)], "finch tiny")
    clip = finished(small)
    assert not renders.from_its_file(clip)
    (made,) = renders.order_again(clip.id, [Delivery(format="webp")])
    assert (made.clip_id, made.shot_id, made.revision) == (None, shot_id, finch.render.revision)
    assert finished(made).width == finch.width


def _keyed_elsewhere(folder: Path, *, hides: bool = True) -> Path:
    folder.mkdir()
    rows, columns = np.mgrid[0:90, 0:160]
    for n in range(5):
        alpha = np.clip(30 - np.hypot(columns - 60 - 6 * n, rows - 45), 0, 1) if hides else np.ones((90, 160))
        picture = np.dstack([np.full((90, 160), 40 + n), rows * 2, columns, alpha * 255])
        cv2.imwrite(str(folder / f"lapwing.{n:04d}.png"), picture.astype(np.uint8))
    return folder


def test_what_was_keyed_elsewhere_is_kept_as_it_is_with_its_alpha_judged(house: House, tmp_path: Path) -> None:
    footage, _ = bring_in.take_in(_keyed_elsewhere(tmp_path / "in"), "lapwing.zip")
    # Asked for while it is still being read.
    brought_in.want(footage.id)
    wait_for(lambda: any(c.footage_id == footage.id for c in search.clips()))
    clip = next(c for c in search.clips() if c.footage_id == footage.id)
    assert (clip.name, clip.frames, clip.width, clip.alpha, clip.ground) == ("lapwing", 5, 160, "straight", "none")
    told = json.loads(stock.file_of(clip, "sidecar").read_text())["brought_in"]
    assert told["sha256"] == footage.sha256 and told["found"]["stated"] == "straight"
    assert stock.file_of(clip).suffix == ".zip" and stock.file_of(clip, "preview").stat().st_size > 200
    assert footage.id not in [waiting.id for waiting in brought_in.waiting()]
    with pytest.raises(Refused, match="a clip of the Stockroom already"):
        brought_in.want(footage.id)
    with pytest.raises(Refused, match="is a clip of the Stockroom, so it stays"):
        bring_in.remove(footage.id)
    (made,) = renders.order_again(clip.id, [Delivery(format="ffv1")])
    again = finished(made)
    with Reader([stock.file_of(again)]) as reader:
        alpha = reader.frame(3).alpha
    assert alpha is not None and alpha[45, 78] == 1 and alpha[45, 5] == 0
    # What is swept away is nobody's.
    missing.sweep()
    assert stock.file_of(clip).exists()


def test_what_hides_nothing_is_not_kept_and_it_is_said_why(house: House, tmp_path: Path) -> None:
    footage, _ = bring_in.take_in(_keyed_elsewhere(tmp_path / "in", hides=False), "solid.zip")
    brought_in.want(footage.id)
    wait_for(lambda: bool(bring_in.get_footage(footage.id).stock_problem))
    problem = bring_in.get_footage(footage.id).stock_problem
    assert problem.startswith("It was not kept as a clip:") and "hides nothing" in problem
    assert footage.id in [f.id for f in brought_in.waiting()]
    brought_in.forget(footage.id)
    assert footage.id not in [f.id for f in brought_in.waiting()]
    with pytest.raises(Missing):
        brought_in.want(9_999_999)


def test_the_bin_keeps_a_clip_for_thirty_days_and_what_was_made_from_it_for_good(shot_id: int, finch: Clip) -> None:
    assert finch.render is not None
    (made,) = renders.order(shot_id, finch.render.revision, [Delivery(format="ffv1")], "finch for the bin")
    clip = finished(made)
    other = finished(renders.order_again(clip.id, [Delivery(format="png-mov")])[0])
    stock.delete(clip.id)
    for days, gone in ((29, False), (31, True)):
        with session() as db:
            back = datetime.now(UTC) - timedelta(days=days)
            db.execute(update(Clip).where(Clip.id == clip.id).values(deleted_at=back))
        stock.empty_bin()
        with session() as db:
            assert (db.get(Clip, clip.id) is None) == gone
        assert paths.clip_folder(made.id).exists() != gone
    assert stock.file_of(stock.get_clip(other.id)).exists()
    with session() as db:
        kept = db.scalars(select(Render).where(Render.id == other.render_id)).one()
        assert (kept.clip_id, kept.shot_id) == (None, shot_id)
