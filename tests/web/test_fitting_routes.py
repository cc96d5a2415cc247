"""What the web answers about fittings, also to requests no page of ours would send."""

from pathlib import Path
from typing import Any

import pytest

from conftest import House, wait_for
from plates import green_clip
from upholster.core.documents.fitting import read_fitting
from upholster.studio.fittings import fittings
from upholster.studio.footage import bring_in
from visitor import Visitor, pixels_of


@pytest.fixture(scope="module")
def visitor(house: House) -> Visitor:
    return Visitor(house)


@pytest.fixture(scope="module")
def fitting_id(house: House, tmp_path_factory: pytest.TempPathFactory) -> int:
    folder = tmp_path_factory.mktemp("fitted")
    footage, _ = bring_in.take_in(green_clip(folder / "wren.mp4", 6, 0.023).parent, "wren.mp4")
    wait_for(lambda: bring_in.get_footage(footage.id).state == "ready")
    shot = next(f for f in bring_in.all_footage() if f.id == footage.id).shots[0]
    frame = {"width": 320, "height": 180, "length": 6}
    layer = {"source": {"kind": "shot", "id": shot.id}, "name": "Wren"}
    return fittings.new_fitting("Routes", read_fitting({"frame": frame, "layers": [layer]})).id


def asked(**more: Any) -> dict[str, Any]:
    return {"base": 1, "seen": 1, "frame": 2, "window": "t", "sequence": 1, **more}


def test_a_picture_lies_over_its_ground_and_follows_changes(visitor: Visitor, fitting_id: int) -> None:
    status, (content, headers) = visitor.ask(f"/fittings/{fitting_id}/picture", asked(window="a"))
    assert status == 200 and headers["X-Size"] == "320x180"
    pixels = pixels_of(content, headers)
    assert pixels[5, 5].tolist() == [0, 0, 0, 255] and pixels[90, 136, 0] > 150
    changes = {"layers": {"each": {"n1": {"x": 100}}}, "ground": {"colour": None}}
    _, (content, headers) = visitor.ask(f"/fittings/{fitting_id}/picture", asked(window="b", changes=changes))
    pixels = pixels_of(content, headers)
    assert pixels[90, 80, 3] == 0 and pixels[90, 236, 3] == 255


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"frame": 99}, "frames 0 to 5"),
        ({"changes": {"layers": {"each": {"n1": {"scale": 0}}}}}, "scale: 0 lies outside"),
        ({"changes": {"layers": {"order": ["n1", "n2"]}}}, "names each of the layers once"),
        ({"changes": {"layers": {"each": {"n1": {"source": {"kind": "moon"}}}}}}, "source.kind"),
        ({"changes": {"frame": {"rate": "fast"}}}, "a rate is a number"),
        ({"changes": {"sky": {}}}, "no such part"),
        ({"changes": {"ground": {"colour": "red"}}}, "ground.colour"),
    ],
)
def test_nonsense_gets_a_sentence(visitor: Visitor, fitting_id: int, change: dict[str, Any], words: str) -> None:
    status, told = visitor.ask(f"/fittings/{fitting_id}/picture", asked(window=str(change)) | change)
    assert status == 422 and words in told["problem"]


def test_newer_questions_overtake_and_stale_saves_are_told(visitor: Visitor, fitting_id: int) -> None:
    for sequence, status in ((9, 200), (2, 204)):
        body = asked(window="w", sequence=sequence)
        assert visitor.ask(f"/fittings/{fitting_id}/picture", body)[0] == status
    longer = asked(changes={"frame": {"length": 5}}, change="Shorter")
    assert visitor.ask(f"/fittings/{fitting_id}/recipe", longer)[0] == 200
    status, told = visitor.ask(f"/fittings/{fitting_id}/recipe", asked(changes={"frame": {"length": 4}}, change="X"))
    assert status == 409 and "revision 2: Shorter" in told["problem"]
    assert visitor.ask(f"/fittings/{fitting_id}/undo", {"seen": 2})[0] == 200


def test_what_can_be_laid_in_and_what_it_costs(visitor: Visitor, fitting_id: int) -> None:
    status, told = visitor.ask("/fittings/source", {"kind": "clip", "id": 999_999})
    assert status == 422 and "not in the stockroom any more" in told["problem"]
    shot = fittings.open_fitting(fitting_id).document.layers.each["n1"].source.id
    status, told = visitor.ask("/fittings/source", {"kind": "shot", "id": shot})
    assert status == 200 and (told["width"], told["height"], told["length"], told["blend"]) == (320, 180, 6, "over")
    body = asked(deliveries=[{"format": "ffv1"}, {"format": "over-h264"}], window="q")
    status, told = visitor.ask(f"/fittings/{fitting_id}/quote", body)
    assert status == 200 and told["words"].startswith("About ")
    status, told = visitor.ask(f"/fittings/{fitting_id}/flat", asked())
    assert status == 200 and told["colour"].startswith("#")


def test_pages_and_lists_open(visitor: Visitor, fitting_id: int) -> None:
    for path in ("/fittings", "/fittings/list", f"/fittings/{fitting_id}", f"/fittings/{fitting_id}/history"):
        status, (content, _) = visitor.ask(path)
        assert status == 200 and content
    status, (content, headers) = visitor.ask(f"/fittings/{fitting_id}/picture.jpg")
    assert status == 200 and headers["Content-Type"] == "image/jpeg" and content[:2] == b"\xff\xd8"
    assert visitor.ask("/fittings/999999")[0] == 404


def test_a_fitting_begins_empty_or_with_a_clip_and_is_renamed_copied_and_removed(visitor: Visitor) -> None:
    status, told = visitor.ask("/fittings", {})
    number = int(Path(told["at"]).name)
    assert status == 200 and fittings.open_fitting(number).document.layers.order == ()
    assert visitor.ask(f"/fittings/{number}/name", {"name": "  "})[0] == 422
    assert visitor.ask(f"/fittings/{number}/name", {"name": "Harbour"})[1]["name"] == "Harbour"
    twin = int(Path(visitor.ask(f"/fittings/{number}/copy", {})[1]["at"]).name)
    assert fittings.open_fitting(twin).row.name == "Harbour copy"
    for gone in (number, twin):
        assert visitor.ask(f"/fittings/{gone}/remove", {})[0] == 200
    assert visitor.ask("/fittings", {"clip": 999_999})[0] == 404
