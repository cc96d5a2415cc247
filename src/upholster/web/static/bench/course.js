/**
 * Outlines over time, as the recipe has them: {closed, tied, keys: [{frame, next, points}]}, where a point is
 * [x, y, in_x, in_y, out_x, out_y, feather_in, feather_out]. The same formulas as `core/masks/course.py`, which says
 * where they come from; a test holds one against the other.
 */

import { valueAt } from "./tracks.js";

/** Length of the handles of a circle of radius 1 whose area is that of the circle, as four curves. */
const ROUND = 2 - Math.sqrt((22 - 5 * Math.PI) / 3);
/** From this likeness of two shapes on, a turn is told from a change of form. */
const LIKE = 0.5;

/* Over time */

/** The points at a frame; still before the first keyframe and after the last. */
export function pointsAt(course, frame) {
  const { keys } = course;
  if (keys.length === 1 || frame <= keys[0].frame) return keys[0].points;
  if (frame >= keys.at(-1).frame) return keys.at(-1).points;
  const index = keys.findLastIndex((key) => key.frame <= frame);
  if (keys[index].frame === frame) return keys[index].points;
  // A way depends on two keyframes to either side.
  const near = apart(course).slice(Math.max(index - 1, 0), index + 3);
  const number = (k) => valueAt(near.map(({ frame: at, next, row }) => ({ frame: at, next, value: row[k] })), frame);
  const row = Array.from(near[0].row, (_, k) => number(k));
  const form = [];
  for (let k = 4; k < row.length; k += 8) form.push(row.slice(k, k + 8));
  return moved(form, row[2], Math.exp(row[3]), row);
}

const taken = new WeakMap();

/** Each keyframe as centre, turn, logarithm of size, and form. */
function apart(course) {
  if (!taken.has(course)) {
    const rows = [];
    let turn = 0;
    let before = null;
    for (const { frame, next, points } of course.keys) {
      const centre = middle(points);
      const places = points.map(([x, y]) => [x - centre[0], y - centre[1]]);
      const found = Math.sqrt(mean(places.map(([x, y]) => x * x + y * y)));
      const size = found > 1e-6 ? found : 1;
      if (before) {
        const fit = [mean(places.map(([x, y], k) => before.places[k][0] * x + before.places[k][1] * y)), mean(places.map(([x, y], k) => before.places[k][0] * y - before.places[k][1] * x))];
        if (Math.hypot(...fit) / (before.size * size) > LIKE) turn += Math.atan2(fit[1], fit[0]);
      }
      before = { places, size };
      const form = moved(points.map(([x, y, ...more]) => [x - centre[0], y - centre[1], ...more]), -turn, 1 / size, [0, 0]);
      rows.push({ frame, next, row: [...centre, turn, Math.log(size), ...form.flat()] });
    }
    taken.set(course, rows);
  }
  return taken.get(course);
}

function moved(points, turn, size, [x, y]) {
  const [c, s] = [size * Math.cos(turn), size * Math.sin(turn)];
  return transformed(points, [c, s, -s, c, x, y]);
}

const mean = (numbers) => numbers.reduce((sum, each) => sum + each, 0) / numbers.length;

/** The mean of points' places. */
export const middle = (points) => [mean(points.map((p) => p[0])), mean(points.map((p) => p[1]))];

/* Places */

/** Points under a map a, b, c, d, e, f: x' = a x + c y + e, y' = b x + d y + f; feathers stay as wide as they are. */
export function transformed(points, [a, b, c, d, e, f]) {
  const way = (x, y) => [a * x + c * y, b * x + d * y];
  return points.map(([x, y, ix, iy, ox, oy, ...feathers]) => {
    const [px, py] = way(x, y);
    return [px + e, py + f, ...way(ix, iy), ...way(ox, oy), ...feathers];
  });
}

/** Some of the points under a map, by their numbers. */
export const transformedSome = (points, chosen, map) => points.map((point, k) => (chosen.has(k) ? transformed([point], map)[0] : point));

export const corner = (x, y) => [x, y, 0, 0, 0, 0, 0, 0];

export function rectangle([x0, y0], [x1, y1]) {
  return [corner(x0, y0), corner(x1, y0), corner(x1, y1), corner(x0, y1)];
}

export function ellipse([x0, y0], [x1, y1]) {
  const [x, y, a, b] = [(x0 + x1) / 2, (y0 + y1) / 2, Math.abs(x1 - x0) / 2, Math.abs(y1 - y0) / 2];
  const [h, v] = [ROUND * a, ROUND * b];
  return [
    [x + a, y, 0, -v, 0, v, 0, 0],
    [x, y + b, h, 0, -h, 0, 0, 0],
    [x - a, y, 0, v, 0, -v, 0, 0],
    [x, y - b, -h, 0, h, 0, 0, 0],
  ];
}

/** A drawn line as few smooth points: places nearer than `tolerance` to the line between others go (Ramer 1972, Douglas and Peucker 1973). */
export function freehand(places, tolerance) {
  const kept = thinned(places, tolerance);
  const points = kept.map(([x, y]) => corner(x, y));
  return points.map((_, k) => smoothed(points, k));
}

function thinned(places, tolerance) {
  if (places.length < 3) return places;
  const [a, b] = [places[0], places.at(-1)];
  let [far, at] = [0, 0];
  for (let k = 1; k < places.length - 1; k++) {
    const distance = fromLine(places[k], a, b);
    if (distance > far) [far, at] = [distance, k];
  }
  if (far <= tolerance) return [a, b];
  return [...thinned(places.slice(0, at + 1), tolerance).slice(0, -1), ...thinned(places.slice(at), tolerance)];
}

function fromLine([x, y], [ax, ay], [bx, by]) {
  const [ux, uy] = [bx - ax, by - ay];
  const length = ux * ux + uy * uy;
  const t = length ? Math.min(1, Math.max(0, ((x - ax) * ux + (y - ay) * uy) / length)) : 0;
  return Math.hypot(x - ax - t * ux, y - ay - t * uy);
}

/** A point with handles along the line between its neighbours. */
export function smoothed(points, k) {
  const [before, after] = [points.at(k - 1), points[(k + 1) % points.length]];
  const point = points[k];
  const [dx, dy] = [after[0] - before[0], after[1] - before[1]];
  const length = Math.hypot(dx, dy) || 1;
  const reach = (other) => Math.hypot(other[0] - point[0], other[1] - point[1]) / 3 / length;
  const [i, o] = [reach(before), reach(after)];
  return [point[0], point[1], -dx * i, -dy * i, dx * o, dy * o, ...point.slice(6)];
}

export const sharpened = (point) => [point[0], point[1], 0, 0, 0, 0, ...point.slice(6)];
export const isSharp = (point) => !point[2] && !point[3] && !point[4] && !point[5];

/** Place on the curve from point k to the next, at t 0..1. */
export function along(points, k, t) {
  const [p, q] = [points[k], points[(k + 1) % points.length]];
  const s = 1 - t;
  const weights = [s * s * s, 3 * s * s * t, 3 * s * t * t, t * t * t];
  const on = (axis) => weights[0] * p[axis] + weights[1] * (p[axis] + p[4 + axis]) + weights[2] * (q[axis] + q[2 + axis]) + weights[3] * q[axis];
  return [on(0), on(1)];
}

/** Where on an outline a place lies nearest: curve, t along it, and how far away. */
export function nearestOn(course, points, [x, y]) {
  let best = { curve: 0, t: 0, far: Infinity };
  const curves = course.closed ? points.length : points.length - 1;
  for (let curve = 0; curve < curves; curve++) {
    for (let step = 0; step <= 40; step++) {
      const [px, py] = along(points, curve, step / 40);
      const far = Math.hypot(px - x, py - y);
      if (far < best.far) best = { curve, t: step / 40, far };
    }
  }
  return best;
}

/** A place drawn to what it lies near: another point, or an edge or the middle of a picture of some size, in either direction. */
export function snapped(place, points, size, near) {
  const point = points.find(([x, y]) => Math.hypot(x - place[0], y - place[1]) < near);
  if (point) return [point[0], point[1]];
  return place.map((at, axis) => [0, size[axis] / 2, size[axis]].find((line) => Math.abs(line - at) < near) ?? at);
}

/** Whether a place lies inside of points joined by straight lines. */
export function inside(ring, [x, y]) {
  let is = false;
  ring.forEach(([ax, ay], k) => {
    const [bx, by] = ring.at(k - 1);
    if (ay > y !== by > y && x < ((bx - ax) * (y - ay)) / (by - ay) + ax) is = !is;
  });
  return is;
}

/* Points added and taken away, on all keyframes alike */

/** Change the points of every keyframe. */
const onAll = (course, change) => ({ ...course, keys: course.keys.map((key) => ({ ...key, points: change(key.points) })) });

/** A course with one more point on a curve, at t; the shape stays as it is (de Casteljau). */
export function withPoint(course, curve, t) {
  const split = (points) => {
    const [p, q] = [points[curve], points[(curve + 1) % points.length]];
    const mix = (a, b) => [a[0] + t * (b[0] - a[0]), a[1] + t * (b[1] - a[1])];
    const [a, b, c, d] = [[p[0], p[1]], [p[0] + p[4], p[1] + p[5]], [q[0] + q[2], q[1] + q[3]], [q[0], q[1]]];
    const [ab, bc, cd] = [mix(a, b), mix(b, c), mix(c, d)];
    const [abc, bcd] = [mix(ab, bc), mix(bc, cd)];
    const at = mix(abc, bcd);
    const feather = [6, 7].map((k) => p[k] + t * (q[k] - p[k]));
    const out = points.map((point) => [...point]);
    out[curve].splice(4, 2, ab[0] - a[0], ab[1] - a[1]);
    out[(curve + 1) % points.length].splice(2, 2, cd[0] - d[0], cd[1] - d[1]);
    out.splice(curve + 1, 0, [...at, abc[0] - at[0], abc[1] - at[1], bcd[0] - at[0], bcd[1] - at[1], ...feather]);
    return out;
  };
  return { ...onAll(course, split), tied: course.tied.toSpliced(curve + 1, 0, true) };
}

/** A course without some points; null where none are left. */
export function withoutPoints(course, chosen) {
  const kept = (_, k) => !chosen.has(k);
  const tied = course.tied.filter(kept);
  return tied.length ? { ...onAll(course, (points) => points.filter(kept)), tied } : null;
}

/** An open course with one more point at its end, on all keyframes. */
export function extended(course, point) {
  return { ...onAll(course, (points) => [...points, point]), tied: [...course.tied, true] };
}

/** The course with other points on a frame: a keyframe there. */
export function reshaped(course, frame, points) {
  const before = course.keys.filter((key) => key.frame < frame);
  const here = course.keys.find((key) => key.frame === frame);
  const { next } = here ?? before.at(-1) ?? course.keys[0];
  return { ...course, keys: [...before, { frame, next, points }, ...course.keys.filter((key) => key.frame > frame)] };
}

/** The course elsewhere. */
export const shifted = (course, x, y) => onAll(course, (points) => transformed(points, [1, 0, 0, 1, x, y]));

/** Another mask's or no keyframe before frame 0: how far a course can go earlier. */
export const later = (course, frames) => {
  const by = Math.max(frames, -course.keys[0].frame);
  return { ...course, keys: course.keys.map((key) => ({ ...key, frame: key.frame + by })) };
};
