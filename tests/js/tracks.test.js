/** Numbers with keyframes: what the work order does to them. `tests/web/test_same_formulas.py` holds values against Python. */

import assert from "node:assert/strict";
import test from "node:test";
import { keyedFrames, movedKey, neighbour, valueAt, withKey, withValue, withoutKey } from "../../src/upholster/web/static/bench/tracks.js";

const track = [
  { frame: 4, value: 1, next: "linear" },
  { frame: 8, value: 3, next: "hold" },
  { frame: 20, value: 0, next: "smooth" },
];

test("a constant stays a constant, and a first keyframe has its value", () => {
  assert.equal(withValue(2, 7, 5), 5);
  assert.deepEqual(withKey(2, 7), [{ frame: 7, value: 2, next: "smooth" }]);
});

test("a value set between keyframes is one more, in order, going on as the one before", () => {
  const changed = withValue(track, 6, 9);
  assert.deepEqual(changed.map((key) => key.frame), [4, 6, 8, 20]);
  assert.equal(changed[1].next, "linear");
  assert.equal(valueAt(changed, 6), 9);
});

test("a value set on a keyframe changes it alone", () => {
  assert.deepEqual(withValue(track, 8, 7).map((key) => key.value), [1, 7, 0]);
});

test("a keyframe set where there is none changes no value on any frame where ways are straight", () => {
  const more = withKey(track, 6);
  for (let frame = 0; frame < 25; frame++) assert.equal(valueAt(more, frame), valueAt(track, frame));
});

test("without its last keyframe a track is the constant it had", () => {
  assert.equal(withoutKey([track[0]], 4), 1);
  assert.deepEqual(withoutKey(track, 8).map((key) => key.frame), [4, 20]);
});

test("a keyframe does not pass its neighbours, nor the beginning", () => {
  assert.equal(movedKey(track, 8, 30, 1)[1].frame, 19);
  assert.equal(movedKey(track, 8, 1, 1)[1].frame, 5);
  assert.equal(movedKey(track, 4, -3, 1)[0].frame, 0);
  assert.equal(movedKey(track, 20, 99, 1)[2].frame, 99);
});

test("the keyframe before and after, among several values", () => {
  const tracks = [5, track, [{ frame: 6, value: 0, next: "hold" }]];
  assert.deepEqual(keyedFrames(tracks), [4, 6, 8, 20]);
  assert.equal(neighbour(tracks, 6, 1), 8);
  assert.equal(neighbour(tracks, 6, -1), 4);
  assert.equal(neighbour(tracks, 20, 1), undefined);
});
