"""What is wrong with shots of a house: measured, gone stale, left alone, mended, summed up, put on a sheet."""

import re
from pathlib import Path

import pytest

from conftest import House, wait_for
from plates import HAZE_ON, HOLE_ON, LIGHT_FROM, faulty_clip
from upholster.core.documents.tracks import Keyframe
from upholster.core.findings.mends import line_of
from upholster.core.pipeline.runner import settings_digest
from upholster.store.models import Shot
from upholster.studio.errors import Refused
from upholster.studio.findings import kept, measuring, mending, sheets, standing
from upholster.studio.footage import bring_in
from upholster.studio.shots import screens, shots


@pytest.fixture(scope="module")
def shot_id(house: House, tmp_path_factory: pytest.TempPathFactory) -> int:
    folder = tmp_path_factory.mktemp("measured")
    faulty_clip(folder / "owl_measured.mp4", 23)
    footage, _ = bring_in.take_in(folder, "owl_measured.mp4")
    wait_for(lambda: bring_in.get_footage(footage.id).state == "ready")
    return shots.first_of(footage.id)


def known(shot_id: int) -> standing.Standing:
    state = shots.open_shot(shot_id)
    return standing.standing(state.shot, state.footage, state.recipe)


def measured(shot_id: int) -> standing.Standing:
    def asked() -> bool:
        # As the page does: a job that is about to end does not see the last change, and stands in the way of the next.
        measuring.ask(shot_id)
        return known(shot_id).missing == 0

    wait_for(asked)
    return known(shot_id)


def summary(shot_id: int) -> dict[str, object] | None:
    shot: Shot = shots.open_shot(shot_id).shot
    return shot.summary


def test_every_frame_is_measured_and_each_fault_found_on_its_frames(shot_id: int) -> None:
    assert known(shot_id).missing == 23 and not known(shot_id).findings
    found = measured(shot_id)
    assert set(found.frames) == set(range(23)) and not found.stale
    spans = {(t.finding.kind, t.finding.first, t.finding.last) for t in found.findings}
    assert ("haze", HAZE_ON[0], HAZE_ON[-1]) in spans
    assert ("hole", HOLE_ON[0], HOLE_ON[-1]) in spans
    assert ("jump", LIGHT_FROM, LIGHT_FROM) in spans
    assert found.frames[LIGHT_FROM]["jump"] > 0.2
    severities = [t.finding.severity for t in found.findings]
    assert severities == sorted(severities, reverse=True)


def test_a_change_makes_only_the_frames_stale_that_come_out_otherwise(shot_id: int) -> None:
    measured(shot_id)
    twin = shots.copy_shot(shot_id).id
    measured(twin)
    state = shots.open_shot(twin)
    keys = (Keyframe(frame=14, value=state.recipe.matte.white_point), Keyframe(frame=16, value=0.7))
    matte = state.recipe.matte.changed({"white_point": keys})
    shots.revise(twin, state.recipe.model_copy(update={"matte": matte}), "less", state.revision)
    now = known(twin)
    # Frame 15 is the first that differs; the one before it is compared with it.
    assert now.stale == list(range(14, 23))
    # A finish is no matter of the matte.
    state = shots.open_shot(twin)
    finish = state.recipe.finish.changed({"saturation": 0.5})
    shots.revise(twin, state.recipe.model_copy(update={"finish": finish}), "paler", state.revision)
    assert known(twin).stale == list(range(14, 23))
    assert not measured(twin).stale
    shots.undo(twin, shots.open_shot(twin).revision)
    shots.undo(twin, shots.open_shot(twin).revision)
    assert known(twin).stale == list(range(14, 23))


def test_the_mildest_value_that_takes_a_finding_away_is_offered_for_its_frames_alone(shot_id: int) -> None:
    told = measured(shot_id).findings
    state = shots.open_shot(shot_id)
    hole = next(t.finding for t in told if t.finding.kind == "hole")
    made = mending.mend_of_shot(state.footage, state.recipe, hole)
    assert made is not None and made.after < 0.5 * made.before
    assert f"on frames {HOLE_ON[0]} to {HOLE_ON[-1]}" in made.words
    # What the frames around it come out by stays as it was.
    screen = screens.knowledge(state.footage, state.recipe.screen)
    of = [
        [settings_digest(r, n, screen, lambda trace, frame: None) for n in range(23)]
        for r in (state.recipe, made.recipe)
    ]
    differ = [n for n in range(23) if of[0][n] != of[1][n]]
    assert set(HOLE_ON) <= set(differ) and differ[0] >= HOLE_ON[0] - 2 and differ[-1] <= HOLE_ON[-1] + 2
    jump = next(t.finding for t in told if t.finding.kind == "jump")
    assert mending.mend_of_shot(state.footage, state.recipe, jump) is None
    assert mending.line_for(jump, None) == line_of(jump) == 2


def test_a_shot_is_summed_up_and_again_when_something_is_left_alone(shot_id: int) -> None:
    twin = shots.copy_shot(shot_id).id
    told = measured(twin).findings
    wait_for(lambda: summary(twin) is not None)
    assert summary(twin) == {"revision": 1, "findings": len(told), "worst": told[0].sentence}
    standing.leave_alone(twin, told[0].finding.kind, None)
    left = [t for t in known(twin).findings if not t.alone]
    assert all(t.finding.kind != told[0].finding.kind for t in left)
    assert summary(twin) == {"revision": 1, "findings": len(left), "worst": left[0].sentence}
    standing.tell_again(twin, None)
    assert known(twin).alone == [] and not any(t.alone for t in known(twin).findings)
    with pytest.raises(Refused):
        standing.leave_alone(twin, "dust", None)


def test_a_worker_that_dies_while_it_measures_loses_nothing(house: House, shot_id: int) -> None:
    twin = shots.copy_shot(shot_id).id
    measuring.ask(twin)
    wait_for(lambda: len(kept.digests(twin)) > 3)
    house.kill("upholster.work.worker")
    before = len(kept.digests(twin))
    assert before > 3
    # As a page that is open does.
    wait_for(lambda: (measuring.ask(twin), known(twin).missing == 0)[1])
    told = [(t.finding.kind, t.finding.first, t.finding.last) for t in known(twin).findings]
    assert told == [(t.finding.kind, t.finding.first, t.finding.last) for t in measured(shot_id).findings]


def test_the_sheet_needs_nothing_beside_itself(shot_id: int, tmp_path: Path) -> None:
    found = measured(shot_id)
    sheet = sheets.sheet_of_shot(shot_id)
    assert not re.search(r"""(src|href)=["'](?!data:image/jpeg;base64,)""", sheet)
    assert found.findings[0].sentence in sheet
    assert sheet.count("<svg") == 7 and sheet.count("<img") % 3 == 0
    assert "matte.black_point" in sheet


def test_the_sheet_tells_nothing_of_what_a_shot_was_before(shot_id: int) -> None:
    twin = shots.copy_shot(shot_id).id
    told = measured(twin).findings
    state = shots.open_shot(twin)
    shots.revise(twin, state.recipe.model_copy(update={"screen": state.recipe.screen.changed({"paused": True})}), "", 1)
    assert known(twin).missing
    now = sheets.sheet_of_shot(twin)
    assert told[0].sentence not in now
