"""What the web answers to requests no page of ours would send."""

import json
import re
from pathlib import Path
from typing import Any

import pytest
from sqlalchemy import select

from conftest import House, wait_for
from plates import green_clip
from upholster.media.delivery import Delivery
from upholster.store.models import Footage, Revision
from upholster.store.session import session
from upholster.studio.footage import bring_in
from upholster.studio.renders import listed, renders
from upholster.studio.shots import revisions, shots
from upholster.web import paging
from upholster.web.app import create_app
from visitor import Visitor, pixels_of


@pytest.fixture(scope="module")
def visitor(house: House) -> Visitor:
    return Visitor(house)


@pytest.fixture(scope="module")
def shot_id(house: House, tmp_path_factory: pytest.TempPathFactory) -> int:
    folder = tmp_path_factory.mktemp("route")
    footage, _ = bring_in.take_in(green_clip(folder / "kite.mp4", 10).parent, "kite.mp4")
    wait_for(lambda: bring_in.get_footage(footage.id).state == "ready")
    return next(f for f in bring_in.all_footage() if f.id == footage.id).shots[0].id


def request_for(shot_id: int, **more: Any) -> dict[str, Any]:
    return {"base": shots.open_shot(shot_id).revision, "seen": 1, "frame": 3, "window": "test", "sequence": 1, **more}


def test_a_picture_is_raw_straight_rgba(visitor: Visitor, shot_id: int) -> None:
    for quality in ("quick", "fine"):
        status, (content, headers) = visitor.ask(
            f"/bench/{shot_id}/picture", request_for(shot_id, window=quality, quality=quality)
        )
        assert status == 200 and headers["X-Size"] == "320x180"
        pixels = pixels_of(content, headers)
        assert pixels[5, 5, 3] == 0 and pixels[90, 139, 3] == 255
        assert len(content) < pixels.size, "what is clear is not sent"


def test_requests_overtaken_by_newer_ones_are_passed_over(visitor: Visitor, shot_id: int) -> None:
    def ask(sequence: int, **more: Any) -> int:
        return visitor.ask(f"/bench/{shot_id}/picture", request_for(shot_id, window="w", sequence=sequence, **more))[0]

    assert ask(10) == 200
    assert ask(2) == 204 and ask(2, quality="fine") == 204
    assert ask(2, keep=True) == 200, "pictures of a clip that plays are all wanted"
    assert ask(20, keep=True) == 200 and ask(11) == ask(11, quality="fine") == 200, "and take nothing from another"


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"changes": {"matte": {"black_point": 3}}}, "black_point: 3 lies outside"),
        ({"changes": {"nonsense": {"x": 1}}}, "nonsense"),
        ({"changes": {"version": {"x": 1}}}, "no such part"),
        ({"changes": {"matte": {"blur": 1}}}, "matte.blur"),
        ({"changes": {"matte": {"specks": None}}}, "matte.specks"),
        ({"changes": {"take": {"first": 9, "last": 3}}}, "out frame"),
        ({"changes": {"edge": {"choke": []}}}, "choke: there are no keyframes"),
        ({"changes": []}, "changes"),
        ({"base": -1}, "base"),
        ({"frame": 99}, "frames 0 to 9"),
        ({"frame": -1}, "frames 0 to 9"),
    ],
)
def test_nonsense_gets_a_sentence(visitor: Visitor, shot_id: int, change: dict[str, Any], words: str) -> None:
    status, told = visitor.ask(f"/bench/{shot_id}/picture", request_for(shot_id, window=str(change)) | change)
    assert status == 422 and words in told["problem"]


def test_a_broken_body_is_not_an_inner_error(visitor: Visitor, shot_id: int) -> None:
    for body in (b"{", b"\xff\xfe", b""):
        assert visitor.ask(f"/bench/{shot_id}/picture", body)[0] in (400, 415)
    for body in ({}, {"base": {}}, {"base": 99999}, [], "x", 3):
        assert visitor.ask(f"/bench/{shot_id}/picture", body)[0] in (400, 404, 422)


def test_points_outside_the_picture_are_refused(visitor: Visitor, shot_id: int) -> None:
    for path, more in (
        ("readout", {"x": 320, "y": 0}),
        ("screen", {"measure": {"frame": 0, "x": -50, "y": 10, "radius": 3}}),
    ):
        status, told = visitor.ask(f"/bench/{shot_id}/{path}", request_for(shot_id, **more))
        assert status == 422 and "outside the picture" in told["problem"]


def test_a_ground_must_be_measured_before_it_is_taken_out(visitor: Visitor, shot_id: int) -> None:
    bare = {"kind": "colour", "colour": None, "samples": []}
    status, told = visitor.ask(f"/bench/{shot_id}/screen", request_for(shot_id, screen=bare))
    assert status == 422 and "Measure the ground first" in told["problem"]


def test_the_histogram_counts_every_pixel(visitor: Visitor, shot_id: int) -> None:
    status, counts = visitor.ask(f"/bench/{shot_id}/instruments/histogram", request_for(shot_id))
    assert status == 200 and len(counts) == 64 and sum(counts) == 320 * 180
    assert counts[0] > 0.6 * 320 * 180


def test_the_other_instruments_show_the_edge_and_the_colours(visitor: Visitor, shot_id: int) -> None:
    status, profile = visitor.ask(f"/bench/{shot_id}/instruments/profile", request_for(shot_id))
    assert status == 200 and profile["matte"][0] < 0.05 and profile["matte"][-1] > 0.95
    status, colours = visitor.ask(f"/bench/{shot_id}/instruments/chroma", request_for(shot_id))
    assert status == 200 and sum(n for _, _, n in colours["plate"]) == 320 * 180
    # The screen is green: to the left of grey, and below it.
    assert colours["screen"] and all(u < 24 and v < 24 for u, v, _ in colours["screen"])
    status, told = visitor.ask(f"/bench/{shot_id}/instruments/barometer", request_for(shot_id))
    assert status == 422 and "no such instrument" in told["problem"]


def test_a_clean_plate_that_is_gone_is_one_sentence_and_can_be_changed(visitor: Visitor, shot_id: int) -> None:
    asked = request_for(shot_id)
    gone = {"empty": "0" * 64}
    status, told = visitor.ask(f"/bench/{shot_id}/screen", asked | {"screen": gone})
    assert status == 422 and "empty set is gone" in told["problem"]
    lost = asked | {"changes": {"screen": gone}, "screen": {"empty": None}}
    status, told = visitor.ask(f"/bench/{shot_id}/screen", lost)
    assert status == 200 and told["recipe"]["screen"]["empty"] is None


def test_a_measured_screen_brings_its_own_clear_and_solid_unless_they_were_set(visitor: Visitor, shot_id: int) -> None:
    twin = shots.copy_shot(shot_id).id
    asked = request_for(twin, measure={"frame": 0, "x": 20, "y": 20, "radius": 6})
    status, told = visitor.ask(f"/bench/{twin}/screen", asked)
    assert status == 200 and len(told["recipe"]["screen"]["samples"]) == 1
    sample = told["recipe"]["screen"]["samples"][0]
    assert sample["colour"][1] > 2 * sample["colour"][0]
    place = {"frame": 0, "x": 300, "y": 20, "radius": 6}
    asked = {"base": 2, "changes": {"matte": {"black_point": 0.222}}, "seen": 2, "measure": place}
    assert visitor.ask(f"/bench/{twin}/screen", asked)[1]["recipe"]["matte"]["black_point"] == 0.222


@pytest.mark.parametrize(
    "path",
    ["/bench/9999", "/footage/9999/frame/0.jpg", "/stockroom/9999/sidecar", "/nowhere", "/bench/x"],
)
def test_what_is_not_there_is_said_in_a_sentence(visitor: Visitor, path: str) -> None:
    status, told = visitor.ask(path)
    assert status == 404 and told["problem"].endswith(".")


def test_paths_cannot_be_climbed(visitor: Visitor, house: House) -> None:
    for path in ("/static/../app.py", "/static/..%2f..%2fapp.py", "/footage/uploads/..%2f..%2f?name=x&offset=0"):
        assert visitor.ask(path, b"x" if "uploads" in path else None, "PUT" if "uploads" in path else None)[0] == 404
    assert not (house.root / "media" / "x").exists()


def test_an_upload_over_the_limit_leaves_nothing(visitor: Visitor, house: House) -> None:
    _, told = visitor.ask("/footage/uploads", {})
    token = told["token"]
    assert visitor.ask(f"/footage/uploads/{token}?name=a.mp4&offset=0", b"12345", "PUT")[1] == {"have": 5}
    status, _ = visitor.ask(f"/footage/uploads/{token}?name=a.mp4&offset=5", bytes(17 << 20), "PUT")
    assert status == 413
    assert visitor.ask(f"/footage/uploads/{token}/done", {"name": "a.mp4"})[0] == 422
    assert visitor.ask(f"/footage/uploads/{token}/done", {"name": "a.mp4"})[0] == 404


def test_footage_with_clips_stays_and_without_goes(visitor: Visitor, house: House, tmp_path: Path) -> None:
    folder = tmp_path / "in"
    folder.mkdir()
    green_clip(folder / "gone.mp4", 3)
    footage, _ = bring_in.take_in(folder, "gone.mp4")
    wait_for(lambda: bring_in.get_footage(footage.id).state == "ready")
    home = house.root / "media/footage" / footage.sha256
    assert home.exists()
    assert visitor.ask(f"/footage/{footage.id}/remove", {})[0] == 200
    assert not home.exists()
    assert visitor.ask(f"/footage/{footage.id}/frame/0.jpg")[0] == 404


def test_footage_removed_in_another_window_or_unreadable_is_a_sentence_not_a_picture(
    visitor: Visitor, shot_id: int, tmp_path: Path
) -> None:
    (tmp_path / "in").mkdir()
    green_clip(tmp_path / "in" / "away.mp4", 4, 0.01)
    footage, _ = bring_in.take_in(tmp_path / "in", "away.mp4")
    wait_for(lambda: bring_in.get_footage(footage.id).state == "ready")
    away = next(f for f in bring_in.all_footage() if f.id == footage.id).shots[0].id
    asked = request_for(away)
    assert visitor.ask(f"/bench/{away}/picture", asked)[0] == 200
    bring_in.remove(footage.id)
    for path in ("picture", "instruments/histogram"):
        status, told = visitor.ask(f"/bench/{away}/{path}", asked)
        assert status == 404 and told["problem"].endswith(".")
    with session() as db:
        failed = Footage(sha256="f" * 64, name="bad", files=["a"], bytes=1, facts=footage.facts, state="failed")
        db.add(failed)
    try:
        status, told = visitor.ask(f"/footage/{failed.id}/frame/0.jpg")
        assert status == 404 and "no pictures" in told["problem"]
    finally:
        bring_in.remove(failed.id)


def test_pictures_are_kept_for_ever_only_under_the_reading_they_are_of(visitor: Visitor, shot_id: int) -> None:
    footage = shots.open_shot(shot_id).footage
    address = f"/footage/{footage.id}/frame/0.jpg"
    for query, kept in ((f"?reading={footage.reading_id}", True), ("", False), ("?reading=0", False)):
        _, (_, headers) = visitor.ask(address + query)
        assert ("immutable" in headers["Cache-Control"]) is kept, query
    _, (small, _) = visitor.ask(address + "?small=1")
    _, (whole, _) = visitor.ask(address)
    assert 0 < len(small) < len(whole) / 4


def test_how_the_bench_was_left_keeps_only_what_is_known(visitor: Visitor, shot_id: int) -> None:
    visitor.ask(f"/bench/{shot_id}/view-state", {"frame": 4, "view": "matte", "evil": "x" * 10})
    assert shots.open_shot(shot_id).shot.bench == {"version": 1, "frame": 4, "view": "matte"}


@pytest.mark.parametrize("page", ["footage", "renders", "stockroom"])
def test_long_lists_come_in_pieces_that_follow_each_other(
    visitor: Visitor, shot_id: int, house: House, page: str, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    for number in (1, 2):
        (tmp_path / str(number)).mkdir()
        clip = green_clip(tmp_path / str(number) / "long.mp4", 3 + number, 0.02)
        footage, _ = bring_in.take_in(clip.parent, "long.mp4")
        wait_for(lambda n=footage.id: bring_in.get_footage(n).state == "ready")  # type: ignore[misc]
    if page != "footage" and len(listed.all_renders()) < 2:
        for name in ("piece_one", "piece_two"):
            renders.order(shot_id, 1, [Delivery(format="ffv1")], name)
        wait_for(lambda: listed.under_way() == 0)
    monkeypatch.setattr(paging, "PIECE", 1)
    client = create_app().test_client()
    marked = {"footage": "data-footage=", "renders": "data-render=", "stockroom": "data-clip="}[page]

    def piece(address: str) -> str:
        return client.get(address, base_url="http://127.0.0.1").get_data(as_text=True)

    first, second = piece(f"/{page}/list"), piece(f"/{page}/list?skip=1")
    entry = re.compile(marked + '"([^"]+)"')
    assert len(entry.findall(first)) == len(entry.findall(second)) == 1
    assert entry.findall(first) != entry.findall(second)
    assert f"/{page}/list?skip=1" in first and "<ul" in first and "<ul" not in second
    # A page drawn anew keeps what it has grown to.
    assert len(entry.findall(piece(f"/{page}/list?count=2"))) == 2
    assert piece(f"/{page}/list?skip=999999").count(marked) == 0


def test_a_thousand_changes_of_one_value_are_a_thousand_small_rows(house: House, shot_id: int) -> None:
    twin = shots.copy_shot(shot_id).id
    recipe = shots.open_shot(twin).recipe
    count = 200
    for number in range(1, count + 1):
        recipe = recipe.model_copy(update={"edge": recipe.edge.model_copy(update={"choke": number / 50})})
        shots.revise(twin, recipe, "Edge", number)
    with session() as db:
        kept = list(db.scalars(select(Revision).where(Revision.shot_id == twin).order_by(Revision.number)))
        assert sum(row.recipe is not None for row in kept) <= 1 + count // 30
        assert kept[1].differences == {"edge": {"choke": 0.02}}
    revisions._known.clear()
    for number in (1, 2, 32, 33, 34, 100, count + 1):
        assert shots.recipe_of(twin, number).edge.choke == (number - 1) / 50
    assert shots.undo(twin, count + 1).recipe.edge.choke == (count - 1) / 50


def test_pictures_are_cropped_turned_and_counted_as_the_take_has_them(visitor: Visitor, shot_id: int) -> None:
    take = {"crop_left": 20, "crop_top": 10, "turns": 1, "speed": 50, "between": "blend", "hold_last": 3}
    asked = request_for(shot_id, window="taken", changes={"take": take}, quality="fine", frame=22, taken=True)
    status, (content, headers) = visitor.ask(f"/bench/{shot_id}/picture", asked)
    assert status == 200 and headers["X-Size"] == "170x300"
    shown = json.loads(headers["X-Shown"])
    assert shown["size"] == shown["delivered"] == [170, 300] and shown["times"]["frames"] == 23
    a, b, c, d, e, f = shown["matrix"]
    # The plate's corner that stays lies at the upper right.
    assert (a * 20 + c * 10 + e, b * 20 + d * 10 + f) == (170, 0)
    status, told = visitor.ask(f"/bench/{shot_id}/picture", asked | {"frame": 23, "sequence": 2})
    assert status == 422 and "frames 0 to 22" in told["problem"]
    whole = asked | {"whole": True, "plate": True, "sequence": 3}
    status, (content, headers) = visitor.ask(f"/bench/{shot_id}/picture", whole)
    assert headers["X-Size"] == "180x320" and json.loads(headers["X-Shown"])["delivered"] == [170, 300]
    assert (pixels_of(content, headers)[..., 3] == 255).all()
    status, told = visitor.ask(f"/bench/{shot_id}/readout", asked | {"frame": 3, "x": 3, "y": 90})
    assert status == 422 and "cut away" in told["problem"]


BOX = {"keys": [{"frame": 0, "points": [[100, 40], [200, 40], [200, 140], [100, 140]]}]}


def masked(shot_id: int) -> dict[str, Any]:
    return {"masks": {"order": ["m1"], "each": {"m1": {"course": BOX}}}}


def test_masks_are_kept_by_content_and_looked_up_once(visitor: Visitor, shot_id: int) -> None:
    twin = shots.copy_shot(shot_id).id
    asked = request_for(twin, changes=masked(twin), change="A mask drawn")
    status, told = visitor.ask(f"/bench/{twin}/recipe", asked)
    assert status == 200
    digest = told["recipe"]["masks"]["each"]["m1"]["course"]
    assert re.fullmatch("[0-9a-f]{64}", digest)
    status, outline = visitor.ask(f"/bench/{twin}/drawings/{digest}", None)
    assert status == 200 and outline["keys"][0]["points"][0][:2] == [100, 40]
    moved = {"masks": {"each": {"m1": {"course": {"of": digest, "keys": {"4": [[9, 9]] * 4}}}}}}
    status, (content, headers) = visitor.ask(f"/bench/{twin}/picture", request_for(twin, changes=moved))
    assert status == 200 and pixels_of(content, headers)[5, 5, 3] == 0
    with session() as db:
        row = db.scalar(select(Revision).where(Revision.shot_id == twin, Revision.number == told["revision"]))
        assert row is not None and len(json.dumps(row.differences)) < 800, "a revision holds the digest"
    status, told = visitor.ask(f"/bench/{twin}/masks/thin", request_for(twin, mask="m1", tolerance=1))
    assert status == 200 and len(told["keys"]) == 1


@pytest.mark.parametrize(
    ("path", "more", "words"),
    [
        ("masks/follow", {"mask": "m9", "way": 1}, "not here any more"),
        ("masks/follow", {"mask": "m1", "way": 2}, "way"),
        ("masks/follow", {"mask": "m1", "way": 1, "motion": "leaps"}, "motion"),
        ("masks/follow", {"mask": "m1", "way": 1, "frame": 99}, "frames 0 to 9"),
        ("masks/thin", {"mask": "m1", "tolerance": -1}, "tolerance"),
        ("masks/thin", {"mask": "m9", "tolerance": 1}, "not here any more"),
        ("masks/read", {"svg": "no"}, "not an SVG"),
        ("masks/from-mattes", {"footage": "0" * 64}, "not here any more"),
        ("picture", {"changes": {"masks": {"each": {"m1": {"course": "f" * 64}}}}}, "not here any more"),
        ("picture", {"changes": {"masks": {"each": {"m1": {"course": {"of": 3}}}}}}, "an outline has"),
        ("picture", {"changes": {"masks": {"each": {"m1": {"line": "lighting"}}}}}, "line"),
    ],
)
def test_nonsense_about_masks_gets_a_sentence(
    visitor: Visitor, shot_id: int, path: str, more: dict[str, Any], words: str
) -> None:
    asked = request_for(shot_id, window=f"{path}{more}", changes=masked(shot_id))
    status, told = visitor.ask(f"/bench/{shot_id}/{path}", asked | more)
    assert status in (404, 422) and words in told["problem"] and told["problem"].endswith(".")


def test_masks_are_saved_and_read_as_svg(visitor: Visitor, shot_id: int) -> None:
    twin = shots.copy_shot(shot_id).id
    visitor.ask(f"/bench/{twin}/recipe", request_for(twin, changes=masked(twin), change="A mask drawn"))
    client = create_app().test_client()
    answer = client.get(f"/bench/{twin}/masks.svg", base_url="http://127.0.0.1")
    assert answer.status_code == 200 and answer.mimetype == "image/svg+xml"
    text = answer.get_data(as_text=True)
    assert 'd="M100.000 40.000C' in text
    status, found = visitor.ask(f"/bench/{twin}/masks/read", {"svg": text})
    assert status == 200 and found[0]["name"] == "Mask" and len(found[0]["course"]["keys"][0]["points"]) == 4


def test_a_mask_is_proposed_for_a_shot_with_a_screen(visitor: Visitor, shot_id: int) -> None:
    status, mask = visitor.ask(f"/bench/{shot_id}/masks/propose", request_for(shot_id))
    assert status == 200 and mask["name"] == "Garbage" and len(mask["course"]["keys"][0]["points"]) == 12
    nothing = {"screen": {"kind": "none"}}
    status, told = visitor.ask(f"/bench/{shot_id}/masks/propose", request_for(shot_id, changes=nothing))
    assert status == 422 and "Measure one first" in told["problem"]


KEEP = {"frame": 0, "kind": "keep", "radius": 9, "points": [[130, 90]]}


def with_trace(*strokes: dict[str, Any], **more: Any) -> dict[str, Any]:
    return {"traces": {"order": ["t1"], "each": {"t1": {"strokes": list(strokes)} | more}}}


def test_strokes_are_kept_by_content_and_patched(visitor: Visitor, shot_id: int) -> None:
    twin = shots.copy_shot(shot_id).id
    asked = request_for(twin, changes=with_trace(KEEP), change="Brushed")
    status, told = visitor.ask(f"/bench/{twin}/recipe", asked)
    assert status == 200
    digest = told["recipe"]["traces"]["each"]["t1"]["strokes"]
    status, strokes = visitor.ask(f"/bench/{twin}/drawings/{digest}", None)
    assert status == 200 and strokes == [KEEP]
    more = {"traces": {"each": {"t1": {"strokes": {"of": digest, "add": [KEEP | {"frame": 3}]}}}}}
    status, found = visitor.ask(f"/bench/{twin}/traces", request_for(twin, changes=more))
    assert status == 200 and found["t1"]["missing"] == list(range(10)) and found["t1"]["running"] == 0
    status, told = visitor.ask(f"/bench/{twin}/traces/cancel", {"trace": "t1"})
    assert status == 200


@pytest.mark.parametrize(
    ("path", "changes", "more", "words"),
    [
        ("traces/run", with_trace(KEEP), {"trace": "t9"}, "not here any more"),
        ("traces/run", with_trace(KEEP | {"kind": "drop"}), {"trace": "t1"}, "Brush over what to keep"),
        ("traces/run", with_trace(KEEP, base=4), {"trace": "t1"}, "base frame 4"),
        ("traces/run", with_trace(KEEP | {"frame": 50}, base=50, first=50), {"trace": "t1"}, "frames 0 to 9"),
        ("traces/ahead", {}, {"frame": 50}, "frames 0 to 9"),
        ("traces/ahead", {}, {"frame": "here"}, "frame"),
        ("picture", with_trace(KEEP | {"radius": "wide"}), {}, "a radius is a number"),
        ("picture", with_trace(KEEP, base=9, last=3), {}, "outside of the span"),
        ("picture", {"traces": {"each": {"t1": {"strokes": "f" * 64}}}}, {}, "not here any more"),
        ("traces", {"traces": {"order": ["t1"], "each": {}}}, {}, "names each of the traces once"),
    ],
)
def test_nonsense_about_traces_gets_a_sentence(
    visitor: Visitor, shot_id: int, path: str, changes: dict[str, Any], more: dict[str, Any], words: str
) -> None:
    asked = request_for(shot_id, window=f"{path}{more}{words}", changes=changes)
    status, told = visitor.ask(f"/bench/{shot_id}/{path}", asked | more)
    assert status in (404, 422) and words in told["problem"] and told["problem"].endswith(".")
