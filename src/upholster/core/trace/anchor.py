"""The matte on a frame that was brushed on: from strokes alone, or from strokes on a matte carried there."""

import cv2
import numpy as np
from numpy.typing import NDArray

from upholster.core.trace import colours, evidence
from upholster.core.trace.cues import resting
from upholster.core.trace.geometry import Box, Mask, box_around, signed_distance
from upholster.core.trace.painted import DROP, KEEP
from upholster.core.trace.reach import reached
from upholster.core.trace.scene import Scene
from upholster.core.trace.seen import Bytes
from upholster.core.trace.settle import AROUND, Traced, settle, walked
from upholster.core.trace.walk import walk

Plane = NDArray[np.float32]

#: How much smaller than the working picture the first guess is made, and how often it is made anew.
_SMALLER, _ROUNDS = 4, 4
#: How strongly a pixel is drawn there, and how fast what is far from any stroke belongs to the ground.
_PULL, _FAR = 0.04, 0.35
#: How far around a stroke that corrects the matte is looked at anew, in pixels; how far over what has its colours, and
#: how far away at most.
_CORRECTS, _REACHES, _FARTHEST = 40, 100.0, 160
#: How much such a stroke says of what it reaches, as logarithm of odds, and over how long a way that falls to a third.
_BRUSHED, _SPREADS = 4.0, 40.0
#: How much each pixel that lies deeper in what was there says for it, down to a few, as far as no such stroke reaches.
_THERE, _DEEP = 0.4, 8


def begin(scene: Scene, number: int, painted: Bytes) -> Traced:
    """The matte of strokes alone.

    Parameters
    ----------
    painted : (h, w) uint8
        What strokes say of each pixel, at working size, as `painted.painted` gives it.

    Notes
    -----
    Colours of subject and ground are learnt from the strokes, a random walk over a small picture finds what belongs to
    each, the colours are learnt anew from that, and so on, as Rother, Kolmogorov and Blake 2004 ("GrabCut") do with
    cuts. Then the outline is found at full size as on any other frame.
    """
    if not (painted == KEEP).any():
        nothing = np.zeros(painted.shape, np.float32)
        return Traced(nothing, nothing, 0.0)
    rough = _rough(scene, number, painted)
    full = cv2.resize(rough, painted.shape[::-1], interpolation=cv2.INTER_LINEAR)
    full[painted == KEEP], full[painted == DROP] = 1, 0
    return _settled(scene, number, full, painted)


def correct(scene: Scene, number: int, painted: Bytes, carried: Plane) -> Traced:
    """The matte carried to a frame with strokes that say where it is wrong.

    What lies around strokes that contradict it, and further away what has a stroke's colours and hangs together with
    it, is believed the less the nearer it is: colours are learnt anew there, and the walk decides. So one dot drops a
    piece of wall that was taken for the subject's.
    """
    wrong = ((painted == KEEP) & (carried < 0.5)) | ((painted == DROP) & (carried >= 0.5))
    believed = carried.copy()
    believed[painted == KEEP], believed[painted == DROP] = 1, 0
    if not wrong.any():
        return _settled(scene, number, believed, painted)
    return _settled(scene, number, _repaired(scene, number, believed, painted, wrong), painted)


def _repaired(scene: Scene, number: int, believed: Plane, painted: Bytes, wrong: Mask) -> Plane:
    """A matte solved anew around what is wrong with it."""
    lab = scene.seen(number).lab
    around, near = (_away_from(strokes) for strokes in (wrong, (painted == KEEP) | (painted == DROP)))
    box = box_around(near < _FARTHEST + colours.REACH, 0)
    assert box is not None
    part, cover, brushed = lab[box.slices].copy(), believed[box.slices].copy(), painted[box.slices]
    away, nearer = _spread(part, brushed)
    away = np.minimum(away, around[box.slices] / np.float32(_CORRECTS))
    unsettled = (away < 1) & (near[box.slices] < _FARTHEST) & (brushed == 0)
    # The closer to a stroke that contradicts, the less is learnt from what was there.
    learn = cover.copy()
    learn[unsettled] = 0.5
    places = np.nonzero(unsettled)
    rows, columns = (p.astype(np.int32) for p in places)
    ground = scene.ground(number, box)
    inside = signed_distance(cover >= 0.5)
    from_ground = np.zeros_like(cover)
    if ground is not None:
        sure = ~unsettled
        from_ground = evidence.of_ground(part, ground, sure & (inside > 4), sure & (inside < -4))
    moved = np.stack([columns, rows], 1).astype(np.float32)
    of_strokes = colours.whole(part, _strokes_only(brushed), scene.colours)
    brush, _ = colours.likelihood(of_strokes, part, (rows, columns), 0 * moved)
    there = np.float32(_THERE) * np.clip(inside[places], -_DEEP, _DEEP) * away[places]
    fixed = np.float32(_BRUSHED) * nearer[places] + np.float32(0.5) * evidence.odds(brush, 3.0) + there
    everywhere = np.ones(cover.shape, np.uint8)
    for _ in range(2):
        windows = colours.learnt(part, learn, scene.colours, everywhere)
        share, trust = colours.likelihood(windows, part, (rows, columns), moved)
        said = from_ground.copy()
        said[places] += (0.3 + trust) * evidence.odds(share) + fixed
        cover = walked(part, cover, unsettled, said)
        learn = np.where(abs(cover - 0.5) > 0.3, np.round(cover), 0.5).astype(np.float32)
    out = believed.copy()
    out[box.slices] = cover
    return out


def _spread(lab: Bytes, brushed: Bytes) -> tuple[Plane, Plane]:
    """How far each pixel is from strokes, over what has their colours: from 0 to 1, beyond which nothing is reached.

    And how much nearer it is to those that keep than to those that drop, -1..1.
    """
    keeps, drops = (reached(lab, brushed == kind, _REACHES) for kind in (KEEP, DROP))
    nearer = np.exp(-keeps / np.float32(_SPREADS)) - np.exp(-drops / np.float32(_SPREADS))
    away = np.minimum(keeps, drops) / np.float32(_REACHES)
    return np.asarray(away, np.float32), np.asarray(nearer, np.float32)


def _away_from(where: Mask) -> Plane:
    """Distance of each pixel from some, in pixels."""
    return cv2.distanceTransform(1 - where.astype(np.uint8), cv2.DIST_L2, 3).astype(np.float32, copy=False)


def _strokes_only(brushed: Bytes) -> Plane:
    """Strokes as a coverage to learn from."""
    out = np.full(brushed.shape, 0.5, np.float32)
    out[brushed == KEEP], out[brushed == DROP] = 1, 0
    return out


def _rough(scene: Scene, number: int, painted: Bytes) -> Plane:
    """A first guess, at a part of the size."""
    lab = scene.seen(number).lab
    height, width = painted.shape
    size = max(2, width // _SMALLER), max(2, height // _SMALLER)
    small = cv2.resize(lab, size, interpolation=cv2.INTER_AREA)
    brushed = _smaller(painted, size)
    unknown = brushed == 0
    far = [cv2.distanceTransform((brushed != kind).astype(np.uint8), cv2.DIST_L2, 5) for kind in (KEEP, DROP)]
    drops = (brushed == DROP).any()
    # Without a word of what to drop, the rim of the picture is dropped.
    if not drops:
        unknown[[0, -1]] = unknown[:, [0, -1]] = False
    nearer = np.clip((far[1] - far[0]) / 12, -1, 1) if drops else np.clip(1 - far[0] / (0.15 * size[0]), -1, 1)
    from_ground = _ground_of_all(scene, number, small, brushed)
    cover = _strokes_only(brushed)
    if not drops:
        cover[~unknown & (brushed == 0)] = 0
    rows, columns = (p.astype(np.int32) for p in np.nonzero(unknown))
    nowhere = np.zeros((len(rows), 2), np.float32)
    label = cover.copy()
    picture = small.astype(np.float32)
    mean = float((np.diff(picture, axis=1) ** 2).sum(axis=2).mean()) + 4.0
    for turn in range(_ROUNDS):
        share, _ = colours.likelihood(colours.whole(small, cover, scene.colours), small, (rows, columns), nowhere)
        said = from_ground + _FAR * nearer.astype(np.float32)
        said[rows, columns] += evidence.odds(share, 3.0)
        towards, away = np.empty_like(said), np.empty_like(said)
        evidence.pulls(said, towards, away, np.float32(_PULL))
        label = walk(
            label, unknown, picture, (towards, away), beta=0.7 / mean, little=0.01, sweeps=80 if turn == 0 else 24
        )
        sure = 0.35 if turn < _ROUNDS - 1 else 0.2
        cover = np.where(unknown, np.where(abs(label - 0.5) > sure, np.round(label), 0.5), cover).astype(np.float32)
    return _under_strokes(np.clip(label, 0, 1), brushed)


def _under_strokes(label: Plane, brushed: Bytes) -> Plane:
    """Only those parts of a first guess that a stroke lies on."""
    count, parts = cv2.connectedComponents((label >= 0.5).astype(np.uint8))
    kept = np.zeros(count, np.bool_)
    kept[np.unique(parts[brushed == KEEP])] = True
    return np.where(kept[parts] | (label < 0.5), label, 0).astype(np.float32)


def _ground_of_all(scene: Scene, number: int, small: Bytes, brushed: Bytes) -> Plane:
    """What the clean plate says of the whole of a frame, learnt from the strokes."""
    width, height = scene.seen(number).size
    ground = scene.ground(number, Box(0, 0, width // 2 * 2, height // 2 * 2))
    if ground is None or not (brushed == DROP).any():
        return np.zeros(small.shape[:2], np.float32)
    size = small.shape[1::-1]
    lab = cv2.resize(ground.lab, size, interpolation=cv2.INTER_AREA)
    doubt = cv2.resize(ground.doubt, size, interpolation=cv2.INTER_NEAREST)
    return evidence.of_ground(small, ground._replace(lab=lab, doubt=doubt), brushed == KEEP, brushed == DROP)


def _smaller(painted: Bytes, size: tuple[int, int]) -> Bytes:
    """Strokes at a smaller size; a thin one does not vanish."""
    out = np.zeros(size[::-1], np.uint8)
    for kind in (DROP, KEEP):
        share = cv2.resize((painted == kind).astype(np.float32), size, interpolation=cv2.INTER_AREA)
        out[share > 0.25] = kind
    return out


def _settled(scene: Scene, number: int, expected: Plane, painted: Bytes) -> Traced:
    """A rough matte brought to the outlines of the picture, with strokes as they are."""
    box = box_around((expected > 0.05) | (painted == KEEP), AROUND)
    if box is None:
        nothing = np.zeros_like(expected)
        return Traced(nothing, nothing, 0.0)
    lab = scene.seen(number).lab
    part, brushed = expected[box.slices].copy(), painted[box.slices]
    near = (abs(signed_distance(part >= 0.5)) < colours.REACH).astype(np.uint8)
    # What lies at the outline may be on the wrong side of it.
    learn = np.where(abs(signed_distance(part >= 0.5)) < 3, np.float32(0.5), part)
    windows = colours.learnt(lab[box.slices].copy(), learn, scene.colours, near)
    return settle(scene, number, box, resting(part), windows, brushed)
