/** Outlines of masks over the picture: the chosen one with its points, handles and feathers, and where it was and will be. */

import { isSharp, pointsAt } from "../../course.js";
import { boxOf, grips } from "./box.js";
import { feathers } from "./feather.js";

/** Most earlier and later places that are drawn, to either side. */
const GHOSTS = 12;
/** How far above its box the grip to turn it stands, in pixels of the screen. */
export const TURN = 26;

/** @param {object} tool  the `Shape` whose overlay it is */
export function draw(tool) {
  const { overlay, bench } = tool;
  const { masks } = bench;
  overlay.clear();
  if (!tool.on || tool.hidden) return;
  const frame = bench.frame();
  for (const [mark, , course] of masks.drawn()) if (mark !== masks.chosen) overlay.line(pathOf(bench.viewer, course, pointsAt(course, frame)), "faint");
  if (tool.sketch) overlay.outline(tool.sketch);
  const course = masks.course();
  if (!course) return;
  const here = course.keys.findIndex((key) => key.frame >= frame);
  const near = here < 0 ? course.keys.slice(-GHOSTS) : course.keys.slice(Math.max(0, here - GHOSTS), here + GHOSTS);
  for (const key of near) if (key.frame !== frame) overlay.line(pathOf(bench.viewer, course, key.points), key.frame < frame ? "ghost earlier" : "ghost");
  const points = pointsAt(course, frame);
  overlay.outline(pathOf(bench.viewer, course, points));
  if (masks.mask.locked) return;
  for (const k of tool.selected) if (points[k]) handles(overlay, points[k]);
  for (const { from, at, part } of feathers(tool, points)) {
    overlay.segment(from, at);
    overlay.dot(at, "diamond", part === "in" ? "chosen" : "");
  }
  points.forEach((point, k) => overlay.dot(point, isSharp(point) ? "square" : "round", tool.selected.has(k) ? "chosen" : k === 0 && !course.closed ? "first" : ""));
  if (tool.selected.size > 1) box(tool, points);
}

/** The outline of a course's points, in the booth. */
export function pathOf(viewer, { closed }, points) {
  const at = (x, y) => Object.values(viewer.inBooth(x, y)).map((n) => n.toFixed(2)).join(" ");
  const curves = closed ? points.length : points.length - 1;
  let d = `M${at(points[0][0], points[0][1])}`;
  for (let k = 0; k < curves; k++) {
    const [p, q] = [points[k], points[(k + 1) % points.length]];
    d += `C${at(p[0] + p[4], p[1] + p[5])} ${at(q[0] + q[2], q[1] + q[3])} ${at(q[0], q[1])}`;
  }
  return d;
}

function handles(overlay, point) {
  for (const part of [2, 4]) {
    if (!point[part] && !point[part + 1]) continue;
    const end = [point[0] + point[part], point[1] + point[part + 1]];
    overlay.segment(point, end);
    overlay.dot(end, "round", "small");
  }
}

function box(tool, points) {
  const { overlay } = tool;
  const around = boxOf(points, tool.selected);
  const { left, top, right, bottom } = around;
  overlay.line(overlay.ring([[left, top], [right, top], [right, bottom], [left, bottom]]), "faint");
  for (const grip of grips(around, tool.pixel(TURN))) overlay.dot(grip.at, grip.kind === "turn" ? "round" : "square", "grip");
  overlay.cross(tool.pivot ?? around.centre);
}
