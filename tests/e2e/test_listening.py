"""A shot is heard while it plays: in its take, forwards and backwards, as shot and as delivered."""

from pathlib import Path

import numpy as np
import pytest
from bench_page import kept, open_own_shot, set_value, settled
from playwright.sync_api import Page, expect

from conftest import House, wait_for
from plates import shot, write_video
from sounds import RATE, write_sounding
from upholster.core.documents.recipe import Recipe, Take
from upholster.store.models import Footage
from upholster.studio.footage import bring_in
from upholster.studio.looking import listening

pytestmark = pytest.mark.e2e

#: Seconds at which it clicks, of two.
AT = (0.5, 1.25)


@pytest.fixture(scope="module")
def plate(tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("heard")
    silent = write_video(folder / "silent.mov", [shot(frame=n, uneven=0.063)[0][:, :180, :320] for n in range(48)])
    made = write_sounding(folder / "clapping_toad.mov", silent, *AT)
    silent.unlink()
    return made


def begins(samples: np.ndarray) -> list[float]:
    """Seconds at which something begins to sound after silence."""
    loud = np.flatnonzero(np.abs(samples[0]) > 0.05)
    return [float(n / RATE) for n in loud[np.diff(loud, prepend=-RATE) > RATE // 20]]


def brought(plate: Path) -> Footage:
    footage, _ = bring_in.take_in(plate.parent, plate.name)
    wait_for(lambda: bring_in.get_footage(footage.id).state == "ready")
    return bring_in.get_footage(footage.id)


def test_it_sounds_as_long_as_its_frames_and_when_they_are_seen(house: House, plate: Path) -> None:
    footage = brought(plate)
    heard = lambda taken, **take: listening.heard(footage, Recipe(take=Take(**take)), taken=taken)  # noqa: E731
    assert begins(heard(False)) == pytest.approx(AT, abs=0.002)
    cut = heard(False, first=12, last=35)
    assert cut.shape == (2, RATE) and begins(cut) == pytest.approx([0.0, 0.75], abs=0.002)
    # As it is delivered: after half a second that is held, at twice the speed, backwards.
    assert begins(heard(True, hold_first=12)) == pytest.approx([AT[0] + 0.5, AT[1] + 0.5], abs=0.005)
    fast = heard(True, speed=200)
    assert fast.shape[1] == pytest.approx(RATE, abs=RATE // 24)
    assert begins(fast) == pytest.approx([t / 2 for t in AT], abs=0.02)
    assert begins(heard(True, backwards=True)) == pytest.approx([2 - t - 0.01 for t in reversed(AT)], abs=0.02)
    assert heard(True, speed=1000) is None, "nothing one would want to hear"


PLAYED = """() => {
    window.played = [];
    document.addEventListener("frame-played", (event) => window.played.push(event.detail));
}"""


def test_pictures_follow_the_sound_both_ways_and_it_can_be_left_out(page: Page, plate: Path) -> None:
    open_own_shot(page, plate)
    with page.expect_response(lambda answer: answer.url.endswith("sound.wav")):
        page.reload()
    page.evaluate(PLAYED)
    for way in ("Space", "Shift+Space"):
        page.evaluate("() => (window.played = [])")
        page.keyboard.press(way)
        page.wait_for_function("() => window.played.length >= 12")
        page.keyboard.press("Space")
        settled(page)
        told = page.evaluate("() => window.played")
        assert all(isinstance(each["late"], int | float) for each in told), "it plays to the clock of its sound"
        counts, frames = ([each[what] for each in told] for what in ("count", "frame"))
        assert counts == sorted(counts)
        on = 1 if way == "Space" else -1
        assert all((f - frames[0] - on * (c - counts[0])) % 48 == 0 for c, f in zip(counts, frames, strict=True))
    # Another take is heard anew.
    with page.expect_response(lambda answer: answer.url.endswith("sound.wav")) as heard:
        set_value(page, "First frame", "10")
        kept(page)
    assert heard.value.status == 200
    page.get_by_label("Play without sound").click()
    expect(page.get_by_label("Play without sound")).to_have_attribute("aria-pressed", "true")
    page.evaluate("() => (window.played = [])")
    page.get_by_label("Play", exact=True).click()
    page.wait_for_function("() => window.played.length >= 3")
    page.get_by_label("Play", exact=True).click()
    assert page.evaluate("() => window.played.every(({ late }) => late === null)")
    page.reload()
    settled(page)
    expect(page.get_by_label("Play without sound")).to_have_attribute("aria-pressed", "true")
