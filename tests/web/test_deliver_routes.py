"""Delivering, presets, batches and the order of renders, asked for without a page."""

from typing import Any

import pytest

from conftest import House, wait_for
from deliveries import deliver
from plates import flat, green_clip, shot
from upholster.studio.footage import bring_in
from upholster.studio.renders import listed
from upholster.studio.renders.states import ACTIVE
from upholster.studio.shots import shots
from visitor import Visitor


@pytest.fixture(scope="module")
def visitor(house: House) -> Visitor:
    return Visitor(house)


@pytest.fixture(scope="module")
def shot_id(house: House, tmp_path_factory: pytest.TempPathFactory) -> int:
    folder = tmp_path_factory.mktemp("deliver")
    footage, _ = bring_in.take_in(green_clip(folder / "spool.mp4", 9).parent, "spool.mp4")
    wait_for(lambda: bring_in.get_footage(footage.id).state == "ready")
    return next(f for f in bring_in.all_footage() if f.id == footage.id).shots[0].id


def asked(shot_id: int, **more: Any) -> dict[str, Any]:
    return {"base": shots.open_shot(shot_id).revision, "sequence": 1, "window": "one", **more}


def ended(*names: str) -> bool:
    rows = {r.name: r.state for r in listed.all_renders()}
    return all(rows[name] not in ACTIVE for name in names)


@pytest.mark.parametrize("name", ["prores4444", "vp9", "webp", "flat-h264", "pair-prores", "png16"])
def test_a_quote_says_size_and_time(visitor: Visitor, shot_id: int, name: str) -> None:
    status, told = visitor.ask(f"/bench/{shot_id}/quote", asked(shot_id, deliveries=[{"format": name}]))
    assert status == 200 and told["bytes"] > 500 and told["words"].startswith("About ")


@pytest.mark.parametrize(
    ("delivery", "words"),
    [
        ({"format": "gif", "rate": "120"}, "at most 50"),
        ({"format": "png8", "alpha": "premultiplied"}, "cannot hold"),
        ({"format": "vp9", "size": 4}, "size"),
        ({"format": "over-h264", "ground": "0" * 64}, "not here any more"),
        ({"format": "prores4444", "sound": True}, "no sound"),
        ({"format": "tape"}, "formats offered"),
    ],
)
def test_an_impossible_delivery_is_said_before_it_is_made(
    visitor: Visitor, shot_id: int, delivery: dict[str, Any], words: str
) -> None:
    status, told = visitor.ask(f"/bench/{shot_id}/quote", asked(shot_id, deliveries=[delivery]))
    assert status == 422 and words in told["problem"]
    body = {"revision": 1, "deliveries": [delivery], "name": ""}
    status, told = visitor.ask(f"/bench/{shot_id}/render", body)
    assert status == 422 and words in told["problem"]


def test_questions_overtaken_by_newer_ones_are_passed_over(visitor: Visitor, shot_id: int) -> None:
    delivery = {"format": "png8"}
    assert visitor.ask(f"/bench/{shot_id}/quote", asked(shot_id, deliveries=[delivery], sequence=9))[0] == 200
    assert visitor.ask(f"/bench/{shot_id}/quote", asked(shot_id, deliveries=[delivery], sequence=5))[0] == 204
    other = asked(shot_id, deliveries=[delivery, {"format": "prores4444"}], window="two")
    assert visitor.ask(f"/bench/{shot_id}/quote", other)[0] == 200, "another window asks for itself"


def test_flat_colours_are_proposed_and_judged(visitor: Visitor, shot_id: int) -> None:
    status, told = visitor.ask(f"/bench/{shot_id}/flat", asked(shot_id, colour=None))
    assert status == 200 and told["fit"] and told["colour"].startswith("#")
    _, skin = visitor.ask(f"/bench/{shot_id}/flat", asked(shot_id, colour="#c78f70"))
    assert not skin["fit"] and "%" in skin["words"]
    _, dark = visitor.ask(f"/bench/{shot_id}/flat", asked(shot_id, colour="#000510"))
    assert not dark["fit"]


def test_nothing_to_deliver_and_nothing_known_are_sentences(visitor: Visitor, shot_id: int) -> None:
    status, told = visitor.ask(f"/bench/{shot_id}/render", {"revision": 1, "deliveries": [], "name": ""})
    assert status == 422 and "Choose a format" in told["problem"]
    assert visitor.ask(f"/bench/{shot_id}/render", {"revision": 1, "name": ""})[0] == 422
    body = {"revision": 1, "deliveries": [{"format": "png8"}], "name": ""}
    assert visitor.ask("/bench/99999/render", body)[0] == 404
    assert visitor.ask("/presets", {"name": "  ", "delivery": {"format": "png8"}})[0] == 422
    assert visitor.ask("/presets/99999/remove", {})[0] == 404
    assert visitor.ask("/renders/99999/first", {})[0] == 422
    assert visitor.ask("/renders/1/sideways", {})[0] == 404
    assert visitor.ask("/footage/99999/alpha", b"kind=straight")[0] in (400, 422)


def test_a_preset_is_kept_and_used_for_several_shots(visitor: Visitor, shot_id: int) -> None:
    twin = shots.copy_shot(shot_id).id
    status, kept = visitor.ask("/presets", {"name": "Postcards", "delivery": {"format": "webp", "size": 96}})
    assert status == 200 and kept["name"] == "Postcards"
    status, made = visitor.ask("/renders/batch", {"shots": [shot_id, twin], "preset": kept["id"]})
    assert status == 200 and len(made["names"]) == 2
    wait_for(lambda: ended(*made["names"]))
    rows = [r for r in listed.all_renders() if r.name in made["names"]]
    assert [r.state for r in rows] == ["done", "done"] and all(r.delivery["size"] == 96 for r in rows)
    status, _ = visitor.ask("/renders/batch", {"shots": [shot_id], "delivery": {"format": "tape"}})
    assert status == 422
    assert visitor.ask(f"/presets/{kept['id']}/remove", {})[0] == 200
    assert visitor.ask("/renders/batch", {"shots": [shot_id], "preset": kept["id"]})[0] == 404


def test_one_order_makes_files_of_several_timings(visitor: Visitor, shot_id: int) -> None:
    """Deliveries of other speeds cannot share a pass, and are ordered together all the same."""
    deliveries = [{"format": "png8"}, {"format": "ffv1"}, {"format": "ffv1", "rate": "48"}]
    status, made = visitor.ask(f"/bench/{shot_id}/render", {"revision": 1, "deliveries": deliveries, "name": "bobbin"})
    assert status == 200 and made["names"] == ["bobbin_png8", "bobbin_ffv1", "bobbin_ffv1_2"]
    assert made["proposed"].startswith("spool_v")
    wait_for(lambda: ended(*made["names"]))
    rows = {r.name: r for r in listed.all_renders() if r.name in made["names"]}
    assert rows["bobbin_png8"].pass_id == rows["bobbin_ffv1"].pass_id != rows["bobbin_ffv1_2"].pass_id
    assert {r.state for r in rows.values()} == {"done"} and rows["bobbin_ffv1_2"].frames == 18


def test_a_ground_of_brought_in_footage_lies_behind_the_subject(
    visitor: Visitor, shot_id: int, tmp_path_factory: pytest.TempPathFactory
) -> None:
    folder = tmp_path_factory.mktemp("ground")
    made = deliver([(flat((0.9, 0.1, 0.1)), shot()[1] * 0 + 1)] * 3, folder / "made", "png8")
    (folder / "in").mkdir()
    made.files[0].rename(folder / "in" / "wall.png")
    ground, _ = bring_in.take_in(folder / "in", "wall.png")
    wait_for(lambda: bring_in.get_footage(ground.id).state == "ready")
    delivery = {"format": "over-h264", "ground": ground.sha256}
    status, told = visitor.ask(
        f"/bench/{shot_id}/render", {"revision": 1, "deliveries": [delivery], "name": "before_a_wall"}
    )
    assert status == 200
    wait_for(lambda: ended("before_a_wall"))
    row = next(r for r in listed.all_renders() if r.name == "before_a_wall")
    proof = listed.proof_of(row)
    assert row.state == "done" and proof is not None and proof.content == "over" and proof.mean_colour < 0.02
    assert "Picture checked: 9 of 9 frames" in proof.in_words()
