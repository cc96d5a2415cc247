"""Fittings in the house: kept as revisions, made of clips and live shots, rendered, proofed and stocked."""

import json
import subprocess
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from brought import green_shot
from conftest import House, wait_for
from plates import green_clip
from upholster.core.composite.layers import whole
from upholster.core.documents.fitting import Fitting, Source, changed, read_fitting
from upholster.core.documents.recipe import Finish
from upholster.core.documents.recipe import changed as changed_recipe
from upholster.media.decoder.reader import Reader, probe
from upholster.media.delivery import Delivery
from upholster.store.models import Clip
from upholster.studio.errors import Missing, Refused, Stale
from upholster.studio.fittings import fittings, look, sources
from upholster.studio.footage import bring_in
from upholster.studio.making.elements import element_of, premultiplied
from upholster.studio.making.elements import finished as with_finish
from upholster.studio.making.keying import Footage
from upholster.studio.making.layer_footage import size_of, unkeyed
from upholster.studio.renders import listed, renders
from upholster.studio.renders.states import ACTIVE
from upholster.studio.shots import shots
from upholster.studio.stock import search, stock


@pytest.fixture(scope="module")
def shot_id(house: House, tmp_path_factory: pytest.TempPathFactory) -> int:
    return green_shot(tmp_path_factory.mktemp("fittings"), "owl", 8, 0.021)


def finished(ids: list[int]) -> list[Clip]:
    wait_for(lambda: all(r.state not in ACTIVE for r in listed.all_renders() if r.id in ids))
    failed = [r.problem for r in listed.all_renders() if r.id in ids and r.problem]
    assert not failed, failed
    return [c for c in search.clips() if c.render_id in ids]


@pytest.fixture(scope="module")
def clip(shot_id: int) -> Clip:
    (made,) = renders.order(shot_id, shots.open_shot(shot_id).revision, [Delivery(format="ffv1")], "owl keyed")
    return finished([made.id])[0]


def fitting(*layers: dict[str, Any], **ground: Any) -> Fitting:
    frame = {"width": 320, "height": 180, "length": 8}
    return read_fitting({"frame": frame, "layers": list(layers), "ground": ground or {}})


def of_clip(clip: Clip, **more: Any) -> dict[str, Any]:
    return {"source": {"kind": "clip", "id": clip.id}, "name": clip.name, **more}


def test_revisions_are_made_undone_and_branched(house: House) -> None:
    row = fittings.new_fitting("  Night\n market ")
    state = fittings.open_fitting(row.id)
    assert (state.row.name, state.revision, state.undo) == ("Night market", 1, None)
    longer = changed(state.document, {"frame": {"length": 12}})
    second = fittings.revise(row.id, longer, "Longer", 1)
    assert (second.revision, second.undo) == (2, "Longer")
    wider = changed(state.document, {"frame": {"width": 640}})
    with pytest.raises(Stale, match="Another window changed this fitting since, to revision 2: Longer"):
        fittings.revise(row.id, wider, "Wider", 1)
    third = fittings.revise(row.id, wider, "Wider", 1, branch=True)
    assert third.revision == 3 and third.document.frame.length == 96
    assert fittings.undo(row.id, 3).revision == 1
    assert fittings.redo(row.id, 1).revision == 3
    assert fittings.go_to(row.id, 2).document.frame.length == 12
    assert [r.change for r in fittings.history(row.id)] == ["Wider", "Longer", "Begun"]
    twin = fittings.copy(row.id)
    assert fittings.open_fitting(twin.id).document.frame.length == 12
    fittings.remove(row.id)
    with pytest.raises(Missing):
        fittings.open_fitting(row.id)


def test_a_fitting_of_a_clip_and_a_live_shot_is_rendered_stocked_and_opened_again(shot_id: int, clip: Clip) -> None:
    live = {"source": {"kind": "shot", "id": shot_id}, "name": "Live", "x": 60, "scale": 0.5}
    document = fitting(of_clip(clip, x=-60, scale=0.5, opacity=0.8), live, colour="#204060")
    row = fittings.new_fitting("Two owls", document)
    kinds = [Delivery(format="ffv1"), Delivery(format="over-h264")]
    made = renders.order_fitting(row.id, 1, kinds)
    assert [r.name for r in made] == ["Two_owls_v001_ffv1", "Two_owls_v001_over-h264"]
    assert made[0].pinned == {str(shot_id): shots.open_shot(shot_id).revision}
    over, burned = sorted(finished([r.id for r in made]), key=lambda c: c.name, reverse=True)
    with Reader([stock.file_of(burned)]) as one, Reader([stock.file_of(over)]) as two:
        keyed, seen = one.frame(4), two.frame(4)
    assert keyed.alpha is not None and keyed.alpha.max() > 0.98 and keyed.alpha[5, 160] == 0
    ground = np.array([0x20, 0x40, 0x60], np.float32).reshape(3, 1, 1) / 255
    assert np.abs(keyed.rgb * keyed.alpha + ground * (1 - keyed.alpha) - seen.rgb).mean() < 0.01
    sidecar = json.loads(stock.file_of(burned, "sidecar").read_text())
    assert sidecar["revision"] == 1 and sidecar["fitting"]["frame"]["width"] == 320
    # What is seen is what is delivered.
    shown = look.picture(document, 4, "fine", over_ground=False) / 255
    assert np.abs(shown[..., 3] - keyed.alpha).mean() < 0.004
    assert stock.get_clip(burned.id).render.fitting_id == row.id
    assert "Two owls" in fittings.uses("clip")[clip.id] and fittings.uses("shot")[shot_id] == ["Two owls"]
    with pytest.raises(Refused, match="Clips were made from this fitting"):
        fittings.remove(row.id)


def test_a_render_goes_on_with_the_recipe_it_was_ordered_with(shot_id: int) -> None:
    before = shots.open_shot(shot_id)
    row = fittings.new_fitting("Pinned", fitting({"source": {"kind": "shot", "id": shot_id}}))
    (made,) = renders.order_fitting(row.id, 1, [Delivery(format="ffv1")])
    gone = changed_recipe(before.recipe, {"finish": {"brightness": -1.0}})
    shots.revise(shot_id, gone, "Dark", before.revision)
    with Reader([stock.file_of(finished([made.id])[0])]) as reader:
        frame = reader.frame(0)
    assert frame.alpha is not None and frame.rgb[:, frame.alpha > 0.9].mean() > 0.3
    shots.go_to(shot_id, before.revision)


def test_pictures_in_a_zip_are_laid_in_as_a_clip(shot_id: int) -> None:
    (made,) = renders.order(shot_id, shots.open_shot(shot_id).revision, [Delivery(format="png8")], "owl pictures")
    (clip,) = finished([made.id])
    job = sources.job_of(fitting(of_clip(clip)), over_ground=False)
    (frame,) = job.frames([3])
    assert frame.alpha.max() > 0.98 and frame.alpha[5, 5] == 0


def test_what_is_gone_is_told_by_name_and_a_place_is_kept_for_it(clip: Clip) -> None:
    document = fitting(of_clip(clip), {"source": {"kind": "clip", "id": 9_999_999}, "name": "Comet", "x": 40})
    jobs, told = sources.resolved(document)
    assert list(jobs) == ["n1"]
    assert [(t.name, t.why) for t in told] == [("Comet", "the clip is not in the stockroom any more")]
    assert look.picture(document, 0, "quick").shape == (180, 320, 4)
    row = fittings.new_fitting("Gone", document)
    with pytest.raises(Refused, match="“Comet”: the clip is not in the stockroom any more"):
        renders.order_fitting(row.id, 1, [Delivery(format="ffv1")])
    with pytest.raises(Refused, match="a path of another machine"):
        sources.job_of_source(Source(kind="file", path="/etc/passwd"))


def test_a_layer_is_matched_to_the_ground(clip: Clip) -> None:
    document = fitting(of_clip(clip), colour="#102050")
    found = look.matched(document, "n1")
    finish = found.layers.each["n1"].finish
    assert finish.scene is not None and finish.match == 0.5
    before, after = (look.picture(each, 3, "quick", over_ground=False).astype(float) for each in (document, found))
    solid = before[..., 3] > 250
    assert after[solid][:, :3].mean() < before[solid][:, :3].mean() - 20
    assert (
        after[solid][:, 2].mean() / after[solid][:, 0].mean() > before[solid][:, 2].mean() / before[solid][:, 0].mean()
    )
    with pytest.raises(Refused, match="no ground to match"):
        look.matched(fitting(of_clip(clip), colour=None), "n1")
    with pytest.raises(Refused, match="no pictures"):
        look.matched(document, "n9")


def test_footage_that_a_fitting_uses_stays(house: House, tmp_path: Path) -> None:
    footage, _ = bring_in.take_in(green_clip(tmp_path / "bat.mp4", 3, 0.024).parent, "bat.mp4")
    wait_for(lambda: bring_in.get_footage(footage.id).state == "ready")
    row = fittings.new_fitting("Belfry", fitting(source={"kind": "footage", "id": footage.id}))
    with pytest.raises(Refused, match="used in Belfry. Take it out there first"):
        bring_in.remove(footage.id)
    fittings.remove(row.id)
    bring_in.remove(footage.id)


def test_pictures_kept_are_those_made_anew(clip: Clip, tmp_path: Path) -> None:
    document = fitting(of_clip(clip, scale=0.7, turn=12, finish={"saturation": 0.5}))
    first, again = (look.picture(document, 2, "quick") for _ in range(2))
    assert (first == again).all()
    other = changed(document, {"layers": {"each": {"n1": {"finish": {"saturation": 1.5}}}}})
    assert (look.picture(other, 2, "quick") != first).any()


def test_an_element_is_finished_as_its_whole_picture_is() -> None:
    """Without clear borders it is the same as with them, sharpened and graded as well."""
    rng = np.random.default_rng(8)
    rgb, alpha = rng.random((3, 90, 160)).astype(np.float32), np.zeros((90, 160), np.float32)
    alpha[20:60, 50:120] = rng.random((40, 70))
    finish = Finish.model_validate(
        {"contrast": 1.3, "saturation": 0.6, "sharpen": 0.8, "sharpen_radius": 3, "tint": 0.4, "gamma": 1.2}
    )
    element = element_of(rgb, alpha, finish, 3)
    assert element.rgba.shape[0] < 90 and element.rgba.shape[1] < 160
    plain = element_of(rgb, alpha, Finish(), 3)
    assert (plain.left, plain.top, plain.rgba.shape[:2]) == (50, 20, (40, 70))
    expected = premultiplied(*with_finish(rgb, alpha, finish, 3))
    assert np.abs(whole(element) - expected).max() < 1e-5
    clear = element_of(rgb, np.zeros_like(alpha), Finish(), 3)
    assert clear.rgba.shape[:2] == (1, 1) and not clear.rgba[..., 3].any()


def test_pixels_that_are_not_square_are_made_so(tmp_path: Path) -> None:
    """A clip of 64x36 whose pixels are twice as wide as high (ITU-T H.273, SampleAspectRatio) is shown 128 wide."""
    wide = tmp_path / "wide.mov"
    asked = [
        "ffmpeg",
        "-v",
        "error",
        "-f",
        "lavfi",
        "-i",
        "testsrc=s=64x36:r=24:d=0.25",
        "-vf",
        "format=rgba,setsar=2/1",
    ]
    subprocess.run([*asked, "-c:v", "png", str(wide)], check=True)
    job = unkeyed(Footage((wide,), probe([wide])))
    assert size_of(job)[:2] == (128, 36)
    (frame,) = job.frames([2])
    assert frame.alpha.shape == (36, 128)
