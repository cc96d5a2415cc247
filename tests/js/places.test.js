import assert from "node:assert/strict";
import test from "node:test";
import { cropped, onPlate, onScreen } from "../../src/upholster/web/static/bench/places.js";

test("places go to the screen and back, mirrored and turned", () => {
  for (const matrix of [[1, 0, 0, 1, -4, -3], [0, 1, -1, 0, 180, 0], [-2, 0, 0, 1, 640, 0]]) {
    const { x, y } = onScreen(matrix, 12, 34);
    assert.deepEqual(onPlate(matrix, x, y), { x: 12, y: 34 });
  }
});

const none = { left: 0, top: 0, right: 0, bottom: 0 };
const size = { width: 320, height: 180 };

test("a side is dragged in even steps and nothing else changes", () => {
  assert.deepEqual(cropped(none, "left", { x: 33.4, y: 90 }, size), { ...none, left: 34 });
  assert.deepEqual(cropped(none, "bottom", { x: 0, y: 150.2 }, size), { ...none, bottom: 30 });
});

test("a side goes neither beyond the plate nor past the other", () => {
  assert.equal(cropped(none, "right", { x: 900, y: 0 }, size).right, 0);
  assert.equal(cropped({ ...none, right: 100 }, "left", { x: 900, y: 0 }, size).left, 204);
});
