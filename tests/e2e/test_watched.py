"""Folders of the machine are watched from the browser: what lands is keyed, delivered and put away."""

import json
from pathlib import Path

import numpy as np
import pytest
from PIL import Image
from playwright.sync_api import Page, expect

from brought import green_shot
from conftest import WATCHED, House, wait_for
from plates import green_clip, shot
from sounds import write_clicks
from upholster.media.decoder.reader import Reader
from upholster.media.delivery import Delivery
from upholster.studio.errors import Refused
from upholster.studio.footage import bring_in
from upholster.studio.shots import shots
from upholster.studio.stock import search
from upholster.studio.watched import folders

pytestmark = pytest.mark.e2e


@pytest.fixture(scope="module")
def allowed(house: House) -> Path:
    """The folder that may be watched, with some inside."""
    root = house.root / WATCHED
    for name in ("day one", "day two", "night/late"):
        (root / name).mkdir(parents=True)
    return root


def landed(page: Page, name: str) -> str:
    """How an arrival stands, as the page tells it."""
    row = page.locator(f'[data-arrival="{name}"]').first
    return (row.get_attribute("data-state") or "") if row.count() else ""


def test_what_lands_is_delivered_and_what_cannot_be_is_told(page: Page, allowed: Path, tmp_path: Path) -> None:
    giving = green_shot(tmp_path, "moorhen_recipe", 5, 0.0713)
    state = shots.open_shot(giving)
    finish = state.recipe.finish.changed({"saturation": 0.25})
    shots.revise(giving, state.recipe.model_copy(update={"finish": finish}), "paler", state.revision)
    page.goto("/watched")
    expect(page.locator("#list")).to_contain_text("No folder is watched.")
    expect(page.locator("#folder option")).to_have_text([str(allowed), "day one", "day two", "night", "night/late"])
    page.locator("#folder").select_option("day one")
    page.locator("#recipe").select_option(label="the recipe of moorhen_recipe")
    page.locator("#delivery").select_option("ffv1")
    page.get_by_label("with a proof sheet").check()
    page.get_by_role("button", name="Watch it").click()
    card = page.locator('[data-watched="day one"]')
    expect(card).to_contain_text("Nothing has landed yet.")
    expect(page.locator("#folder option", has_text="day one")).to_have_count(0)
    home = allowed / "day one"
    green_clip(home / "moorhen.mp4", 5, 0.0721)
    (home / "broken.mp4").write_bytes(b"no film" * 99)
    (home / "widgeon").mkdir()
    for n in range(3):
        frame = (shot(frame=n, uneven=0.0733)[0].transpose(1, 2, 0) * 255).astype(np.uint8)
        Image.fromarray(frame).save(home / "widgeon" / f"p.{n:04d}.png")
    (home / "way out").symlink_to("/etc")
    wait_for(lambda: [landed(page, n) for n in ("moorhen.mp4", "broken.mp4", "widgeon")] == ["done", "failed", "done"])
    expect(page.locator('[data-arrival="broken.mp4"]')).to_contain_text(".")
    expect(card).to_contain_text("2 done, 1 failed")
    assert sorted(p.name for p in home.iterdir()) == ["delivered", "done", "failed", "way out"]
    made = sorted(p.name for p in (home / "delivered").iterdir())
    assert [n.split(".", 1)[1] for n in made] == ["mkv", "mkv.html", "mkv.json"] * 2
    assert (home / "failed" / "broken.mp4.txt").read_text().strip().endswith(".")
    for name in made[::3]:
        with Reader([home / "delivered" / name]) as reader:
            alpha = reader.frame(0).alpha
        assert alpha is not None and alpha[90, 130] > 0.98 and alpha[5, 5] == 0
        told = json.loads((home / "delivered" / f"{name}.json").read_text())
        assert told["proof"]["passed"] and told["recipe"]["finish"]["saturation"] == 0.25
    assert any(c.name.startswith("moorhen_v") for c in search.clips()), "it stands in the Stockroom as well"
    page.reload()
    expect(page.locator('[data-arrival="widgeon"] a')).to_have_text(made[3])


def test_the_same_bytes_have_a_shot_of_their_own_and_a_paused_folder_waits(page: Page, allowed: Path) -> None:
    home = allowed / "day two"
    green_clip(home / "turnstone.mp4", 4, 0.0741)
    row = folders.watch("day two", None, Delivery(format="ffv1"))
    wait_for(lambda: (home / "done" / "turnstone.mp4").exists())
    footage = next(f for f in bring_in.all_footage() if f.name == "turnstone")
    page.goto("/watched")
    page.locator('[data-watched="day two"]').get_by_role("button", name="Pause").click()
    expect(page.locator('[data-watched="day two"]').get_by_role("button", name="Go on")).to_be_visible()
    (home / "done" / "turnstone.mp4").rename(home / "turnstone.mp4")
    page.wait_for_timeout(8000)
    assert (home / "turnstone.mp4").exists()
    page.get_by_role("button", name="Go on").click()
    wait_for(lambda: (home / "done" / "turnstone.mp4").exists())
    assert len(bring_in.footage_with_shots(footage.id).shots) == 2
    assert len(list((home / "delivered").glob("*.mkv"))) == 2
    page.on("dialog", lambda dialog: dialog.accept())
    page.get_by_label("Watch day two no more").click()
    expect(page.locator('[data-watched="day two"]')).to_have_count(0)
    assert row.folder in folders.choices()


def test_sound_alone_is_told_to_have_nothing_to_key_and_files_are_copied(allowed: Path) -> None:
    home = allowed / "night"
    row = folders.watch("night", None, Delivery(format="ffv1"))
    write_clicks(home / "rain.wav", 0.1, seconds=0.5)
    green_clip(home / "dunlin.mp4", 4, 0.0747)
    wait_for(lambda: (home / "failed" / "rain.wav.txt").exists() and (home / "done" / "dunlin.mp4").exists())
    assert "nothing to key" in (home / "failed" / "rain.wav.txt").read_text()
    (footage,) = (f for f in bring_in.all_footage() if f.name == "dunlin")
    (kept,) = bring_in.source_of(footage).files
    assert kept.stat().st_ino != (home / "done" / "dunlin.mp4").stat().st_ino
    # Folders that hold none but folders, or are watched themselves, have not landed.
    assert (home / "late").is_dir()
    inner = folders.watch("night/late", None, Delivery(format="ffv1"))
    assert (folders.leads_to(row, inner), folders.leads_to(inner, row)) == ("late", "")
    folders.give_up(inner.id)
    folders.give_up(row.id)


def test_a_worker_that_dies_in_the_middle_goes_on(house: House, allowed: Path) -> None:
    home = allowed / "night" / "late"
    folders.watch("night/late", None, Delivery(format="prores4444"))
    green_clip(home / "wagtail.mp4", 40, 0.0751)
    states = lambda: [a.state for told in folders.all_watched() for a in told.arrivals if a.name == "wagtail.mp4"]  # noqa: E731
    wait_for(lambda: states() == ["making"])
    house.kill("upholster.work.worker")
    wait_for(lambda: (home / "done" / "wagtail.mp4").exists())
    (made,) = (home / "delivered").glob("*.mov")
    with Reader([made]) as reader:
        assert reader.facts.length == 40


@pytest.mark.parametrize("folder", ["..", "/etc", "day one/done", "nowhere", ""])
def test_no_other_folder_can_be_watched(allowed: Path, folder: str) -> None:
    with pytest.raises(Refused, match="choose one of those"):
        folders.watch(folder, None, Delivery(format="ffv1"))


def test_a_recipe_that_is_given_stays(allowed: Path, tmp_path: Path) -> None:
    giving = green_shot(tmp_path, "coot_recipe", 4, 0.0761)
    row = folders.watch("night", giving, Delivery(format="ffv1"))
    with pytest.raises(Refused, match="watched folder night"):
        bring_in.remove(shots.footage_id_of(giving))
    folders.give_up(row.id)
    bring_in.remove(shots.footage_id_of(giving))
