"""What is known to be wrong with a shot: by frame for the ribbon, as findings, worst first; what is left alone."""

from typing import Any, NamedTuple

from upholster.core.documents.recipe import Recipe
from upholster.core.findings.frame import Measured
from upholster.core.findings.kinds import KINDS, Name
from upholster.core.findings.mends import line_of
from upholster.core.findings.places import Place
from upholster.core.findings.spans import Finding, findings
from upholster.core.raster import scale_of
from upholster.store.models import Footage, Shot
from upholster.store.session import session
from upholster.studio.errors import Missing, Refused
from upholster.studio.findings import kept, measuring
from upholster.studio.shots import shots

#: Most findings that are told of.
MOST = 200
#: Most that can be left alone.
_MOST_ALONE = 500
#: How far a finding may lie outside of what is left alone, as a share of the picture.
_NEAR = 0.02


class Told(NamedTuple):
    """A finding with how it is told of.

    Attributes
    ----------
    number : int
        Its place among the findings of this state, worst first.
    line : int
        The line of the work order that mends it as a rule.
    alone : bool
        Whether it is to be left alone.
    """

    number: int
    finding: Finding
    sentence: str
    line: int
    alone: bool


class Standing(NamedTuple):
    """What is known of a shot.

    Attributes
    ----------
    frames : by int
        How bad each measured frame is, by kind, 0..1.
    stale : of int
        Frames that were measured of something else than is in force.
    missing : int
        How many frames are still to be measured, stale ones among them.
    findings : of Told
        Worst first.
    """

    frames: dict[int, dict[Name, float]]
    stale: list[int]
    missing: int
    findings: list[Told]
    alone: list[dict[str, Any]]


def standing(shot: Shot, footage: Footage, recipe: Recipe) -> Standing:
    """What is known of a shot as it is in force."""
    known = kept.digests(shot.id)
    wanted = measuring.digests(footage, recipe)
    stale = {frame for frame, digest in wanted.items() if known.get(frame) != digest}
    measured = {frame: found for frame, found in kept.measured_of(shot.id).items() if frame in wanted}
    told = told_of(measured, shot.left_alone, plate_scale(footage))
    alone = [each.finding for each in told if each.alone]
    frames = {frame: _bad(frame, found, alone) for frame, found in measured.items()}
    for each in told:
        if each.finding.kind == "jump" and not each.alone:
            frames[each.finding.first]["jump"] = round(each.finding.severity, 3)
    return Standing(frames, sorted(stale & set(measured)), len(stale), told, shot.left_alone)


def summarise(shot_id: int) -> None:
    """Keep how a shot stands, once all of it is measured, for the cards that show it."""
    try:
        state = shots.open_shot(shot_id)
        known = standing(state.shot, state.footage, state.recipe)
    except Refused:
        return
    if known.missing:
        return
    told = [each for each in known.findings if not each.alone]
    summary = {"revision": state.revision, "findings": len(told), "worst": told[0].sentence if told else ""}
    with session() as db:
        shot = db.get(Shot, shot_id)
        if shot is not None:
            shot.summary = summary


def places_on(shot_id: int, frame: int) -> list[tuple[Name, Place]]:
    """Where a frame is wrong, as far as it is measured and not left alone."""
    with session() as db:
        shot = db.get(Shot, shot_id)
    found = kept.measured_of(shot_id, [frame]).get(frame)
    if shot is None or found is None:
        return []
    places = [(kind, place) for kind, there in found.places.items() for place in there]
    return [
        (kind, place)
        for kind, place in places
        if not any(_covers(e, kind, place, frame, frame) for e in shot.left_alone)
    ]


def told_of(measured: dict[int, Measured], left_alone: list[dict[str, Any]], scale: float) -> list[Told]:
    """Findings as they are told of; those that are left alone come last."""
    found = [(each, is_left_alone(left_alone, each)) for each in findings(measured)]
    found.sort(key=lambda pair: pair[1])
    return [
        Told(number, each, each.sentence(scale), line_of(each), alone)
        for number, (each, alone) in enumerate(found[:MOST])
    ]


def is_left_alone(left_alone: list[dict[str, Any]], finding: Finding) -> bool:
    """Whether a finding is not to be told of."""
    return any(_covers(one, finding.kind, finding.place, finding.first, finding.last) for one in left_alone)


def plate_scale(footage: Footage) -> float:
    """Pixels of the plate for each of a picture 960 wide or high."""
    return scale_of(int(footage.facts["width"]), int(footage.facts["height"]))


def leave_alone(shot_id: int, kind: str, place: dict[str, Any] | None) -> None:
    """Tell no more of a kind in a shot, or of one place of it on some frames.

    Parameters
    ----------
    place
        ``box`` as shares of the picture, ``first`` and ``last`` as frames; None for all of the kind.
    """
    if kind not in KINDS:
        raise Refused("There is no such kind of trouble.")
    with session() as db:
        shot = db.get(Shot, shot_id, with_for_update=True)
        if shot is None:
            raise Missing("This shot is not here any more.")
        new = {"kind": kind} | (place or {})
        if new not in shot.left_alone:
            if len(shot.left_alone) >= _MOST_ALONE:
                raise Refused("Too much is left alone here already. Tell of all again, then leave whole kinds alone.")
            shot.left_alone = [*shot.left_alone, new]
    summarise(shot_id)


def tell_again(shot_id: int, number: int | None) -> None:
    """Tell of something again that was left alone, by its place in the list; of all where there is none."""
    with session() as db:
        shot = db.get(Shot, shot_id, with_for_update=True)
        if shot is None:
            raise Missing("This shot is not here any more.")
        shot.left_alone = [] if number is None else [e for k, e in enumerate(shot.left_alone) if k != number]
    summarise(shot_id)


def _covers(alone: dict[str, Any], kind: str, place: Place, first: int, last: int) -> bool:
    """Whether a place on some frames is left alone."""
    if alone["kind"] != kind:
        return False
    if "box" not in alone:
        return True
    if first > alone["last"] or last < alone["first"]:
        return False
    left, top, right, bottom = alone["box"]
    x, y = (place.box[0] + place.box[2]) / 2, (place.box[1] + place.box[3]) / 2
    return bool(left - _NEAR <= x <= right + _NEAR and top - _NEAR <= y <= bottom + _NEAR)


def _bad(frame: int, found: Measured, alone: list[Finding]) -> dict[Name, float]:
    """How bad a frame is by kind; what is left alone does not count."""
    bad: dict[Name, float] = {}
    for kind, there in found.places.items():
        counted = [p.severity for p in there if not any(_is(p.box, kind, frame, one) for one in alone)]
        if counted:
            bad[kind] = round(max(counted), 3)
    return bad


def _is(box: tuple[float, ...], kind: Name, frame: int, finding: Finding) -> bool:
    """Whether a place is one of a finding's."""
    if kind != finding.kind or not finding.first <= frame <= finding.last:
        return False
    left, top, right, bottom = finding.around
    return left <= box[0] and top <= box[1] and box[2] <= right and box[3] <= bottom
