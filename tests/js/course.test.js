/** Shapes as they are drawn and reshaped. */

import assert from "node:assert/strict";
import test from "node:test";

import { along, corner, snapped, ellipse, freehand, inside, nearestOn, pointsAt, rectangle, reshaped, shifted, withoutPoints, withPoint } from "../../src/upholster/web/static/bench/course.js";
import { feathers, normal } from "../../src/upholster/web/static/bench/tools/shape/feather.js";
import { boxOf, grips, mapFor } from "../../src/upholster/web/static/bench/tools/shape/box.js";
import { transformed } from "../../src/upholster/web/static/bench/course.js";

const course = (points, ...more) => ({ closed: true, tied: points.map(() => true), keys: [{ frame: 0, next: "smooth", points }, ...more] });
const near = (a, b, by = 1e-9) => assert.ok(Math.abs(a - b) < by, `${a} is not ${b}`);

/** Area inside closed curves, by Green's theorem on many short lines. */
function area(points) {
  let sum = 0;
  let [x, y] = along(points, 0, 0);
  for (let k = 0; k < points.length; k++) {
    for (let step = 1; step <= 500; step++) {
      const [u, v] = along(points, k, step / 500);
      sum += x * v - u * y;
      [x, y] = [u, v];
    }
  }
  return Math.abs(sum) / 2;
}

test("an ellipse has the area of an ellipse", () => {
  near(area(ellipse([10, 20], [110, 60])) / (Math.PI * 50 * 20), 1, 1e-5);
});

test("a point added leaves the shape as it is, on every keyframe", () => {
  const round = ellipse([0, 0], [40, 40]);
  const made = withPoint(course(round, { frame: 9, next: "linear", points: ellipse([5, 5], [90, 30]) }), 3, 0.3);
  assert.equal(made.tied.length, 5);
  for (const [k, before] of [[0, round], [1, ellipse([5, 5], [90, 30])]]) {
    near(area(made.keys[k].points), area(before), 1e-2);
    assert.equal(made.keys[k].points.length, 5);
  }
  const at = along(round, 3, 0.3);
  for (const axis of [0, 1]) near(made.keys[0].points[4][axis], at[axis], 1e-9);
  assert.equal(withoutPoints(made, new Set([4])).keys[1].points.length, 4);
  assert.equal(withoutPoints(made, new Set([0, 1, 2, 3, 4])), null);
});

test("reshaping on another frame makes a keyframe that goes on as the one before", () => {
  const made = reshaped(course(rectangle([0, 0], [10, 10])), 5, rectangle([0, 0], [20, 20]));
  assert.deepEqual(made.keys.map((key) => [key.frame, key.next]), [[0, "smooth"], [5, "smooth"]]);
  assert.deepEqual(reshaped(made, 5, rectangle([1, 1], [2, 2])).keys.length, 2);
  assert.deepEqual(shifted(made, 3, 4).keys[1].points[2].slice(0, 2), [23, 24]);
  near(pointsAt(made, 2)[2][0], 10 * 2 ** 0.4, 0.5);
});

test("a line drawn by hand becomes few points", () => {
  const line = Array.from({ length: 200 }, (_, k) => [100 + 50 * Math.cos(k / 32), 100 + 50 * Math.sin(k / 32)]);
  const points = freehand(line, 1.5);
  assert.ok(points.length > 5 && points.length < 30, `${points.length} points`);
  near(area(points) / (Math.PI * 2500), 1, 0.05);
});

test("places are found on outlines and inside of rings", () => {
  const square = course(rectangle([0, 0], [10, 10]));
  const found = nearestOn(square, square.keys[0].points, [5, -3]);
  near(found.far, 3);
  assert.equal(found.curve, 0);
  assert.ok(inside(square.keys[0].points, [5, 5]) && !inside(square.keys[0].points, [15, 5]));
  assert.equal(nearestOn({ ...square, closed: false }, square.keys[0].points, [-3, 5]).curve, 0, "an open shape has no last side");
});

test("a place snaps to points first, then to edges and the middle, and only when it is near", () => {
  assert.deepEqual(snapped([98, 3], [[99, 5]], [200, 100], 4), [99, 5]);
  assert.deepEqual(snapped([98, 3], [], [200, 100], 4), [100, 0]);
  assert.deepEqual(snapped([80, 30], [[99, 5]], [200, 100], 4), [80, 30]);
});

test("a box scales, shears and turns what is in it around its pivot", () => {
  const points = [[0, 0], [10, 0], [10, 10], [0, 10]].map(([x, y]) => corner(x, y));
  const box = boxOf(points, new Set([0, 1, 2, 3]));
  const grip = (kind, axis) => grips(box, 5).find((g) => g.kind === kind && (axis === undefined || g.axis === axis));
  const by = (g, from, to, how) => transformed(points, mapFor(g, from, to, box.centre, how)).map((p) => p.slice(0, 2).map((n) => Number(n.toFixed(6)) + 0));
  assert.deepEqual(by(grip("corner"), [10, 10], [15, 20]), [[-5, -10], [15, -10], [15, 20], [-5, 20]]);
  assert.deepEqual(by(grip("side", 1), [5, 0], [8, 0], { shear: true }), [[3, 0], [13, 0], [7, 10], [-3, 10]]);
  assert.deepEqual(by(grip("turn"), [5, -5], [15, 5]), [[10, 0], [10, 10], [0, 10], [0, 0]]);
  assert.deepEqual(by(grip("turn"), [5, -5], [14.8, 4.2], { even: true }), [[10, 0], [10, 10], [0, 10], [0, 0]]);
});

test("feathers are pulled out of a shape and into it, whichever way round it was drawn", () => {
  const square = [[0, 0], [100, 0], [100, 100], [0, 100]].map(([x, y]) => corner(x, y));
  const half = Math.SQRT1_2;
  normal(square, 0).forEach((n) => near(n, -half));
  normal(square.toReversed(), 3).forEach((n) => near(n, -half));
  square[2][7] = 6;
  const masks = { course: () => ({ closed: true }), mask: { feather: [{ frame: 0, value: 4, next: "hold" }] } };
  const grips = feathers({ selected: new Set([2]), pixel: (count) => count / 2, bench: { masks, frame: () => 3 } }, square);
  const out = grips.find(({ part }) => part === "out");
  // 4 of the mask, 6 of its own, 11 for the grip to stand apart.
  near(out.at[0], 100 + 21 * half);
  near(out.widthAt(out.at), 6);
  near(out.widthAt([out.at[0] + 5 * half, out.at[1] + 5 * half]), 11);
  const into = grips.find(({ part }) => part === "in");
  near(into.at[1], 100 - 15 * half);
  near(into.widthAt(into.at), 0);
});
