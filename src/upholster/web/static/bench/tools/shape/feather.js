/** Feathers of chosen points, as two grips beside each: how far the edge is soft inward and outward there. */

import { valueAt } from "../../tracks.js";

/** How far from its point a grip of no feather stands, in pixels of the screen. */
const APART = 22;
/** How far a point's own feather may reach, in pixels of the plate. */
const WIDEST = 2000;

/** Where a point has its feathers. */
export const WIDTHS = { in: 6, out: 7 };

export const bounded = (width) => Math.min(WIDEST, Math.max(-WIDEST, Number(width.toFixed(1))));

/**
 * The grips of the chosen points: {k, part, from, at, widthAt(place)}, places on the plate.
 *
 * @param {object} tool    gives `selected`, `pixel(count)` and the bench
 * @param {Array} points   of the chosen mask, on the frame in view
 */
export function feathers(tool, points) {
  const { masks } = tool.bench;
  if (!masks.course().closed || points.length < 3) return [];
  const common = valueAt(masks.mask.feather, tool.bench.frame());
  const apart = tool.pixel(APART);
  return [...tool.selected].filter((k) => points[k]).flatMap((k) => {
    const outward = normal(points, k);
    return Object.entries(WIDTHS).map(([part, index]) => {
      const way = part === "out" ? outward : outward.map((n) => -n);
      const on = (length) => [points[k][0] + way[0] * length, points[k][1] + way[1] * length];
      const width = Math.max(0, common + points[k][index]);
      const widthAt = ([x, y]) => (x - points[k][0]) * way[0] + (y - points[k][1]) * way[1] - apart - common;
      return { k, part, from: on(width), at: on(width + apart), widthAt };
    });
  });
}

/** The direction out of a closed shape at a point. */
export function normal(points, k) {
  const [before, here, after] = [points.at(k - 1), points[k], points[(k + 1) % points.length]];
  const [ax, ay] = here[2] || here[3] ? [-here[2], -here[3]] : [here[0] - before[0], here[1] - before[1]];
  const [bx, by] = here[4] || here[5] ? [here[4], here[5]] : [after[0] - here[0], after[1] - here[1]];
  const [a, b] = [Math.hypot(ax, ay) || 1, Math.hypot(bx, by) || 1];
  let [x, y] = [ax / a + bx / b, ay / a + by / b];
  // A point that turns right back has no direction along; take that of its first side.
  if (Math.hypot(x, y) < 1e-6) [x, y] = [ax / a, ay / a];
  const length = Math.hypot(x, y) || 1;
  const sign = Math.sign(area(points)) || 1;
  return [(sign * y) / length, (-sign * x) / length];
}

/** Twice the area within straight lines from point to point; positive where they go clockwise on the screen. */
const area = (points) => points.reduce((sum, [x, y], k) => {
  const [px, py] = points.at(k - 1);
  return sum + px * y - x * py;
}, 0);
