/**
 * Where a layer lies in a fitting: the same formulas as `core/composite/layers.py`; a test holds one against the other.
 */

import { valueAt } from "../bench/tracks.js";

/** The numbers of a layer on a frame. */
export function numbersAt(layer, frame) {
  const names = ["x", "y", "scale", "stretch", "turn", "anchor_x", "anchor_y", "opacity"];
  return Object.fromEntries(names.map((name) => [name, valueAt(layer[name], frame)]));
}

/** From places in a layer's picture to places in the fitting, as a, b, c, d, e, f: (a x + c y + e, b x + d y + f). */
export function matrixOf(layer, frame, size, fitting) {
  const { x, y, scale, stretch, turn, anchor_x: ax, anchor_y: ay } = numbersAt(layer, frame);
  const [cos, sin] = [Math.cos((turn * Math.PI) / 180), Math.sin((turn * Math.PI) / 180)];
  const [a, b, c, d] = [cos * scale * stretch, sin * scale * stretch, -sin * scale, cos * scale];
  const [u, v] = [ax * size.width, ay * size.height];
  return [a, b, c, d, fitting.width / 2 + x - a * u - c * v, fitting.height / 2 + y - b * u - d * v];
}

/** A place through a matrix. */
export const through = ([a, b, c, d, e, f], x, y) => [a * x + c * y + e, b * x + d * y + f];

/** The four corners of a layer's picture in the fitting, clockwise from its upper left. */
export function cornersOf(layer, frame, size, fitting) {
  const matrix = matrixOf(layer, frame, size, fitting);
  return [[0, 0], [size.width, 0], [size.width, size.height], [0, size.height]].map(([x, y]) => through(matrix, x, y));
}

/** The upright box around some places: left, top, right, bottom. */
export function boxAround(places) {
  const [xs, ys] = [places.map(([x]) => x), places.map(([, y]) => y)];
  return [Math.min(...xs), Math.min(...ys), Math.max(...xs), Math.max(...ys)];
}

/** Whether a place lies within four corners. */
export function inside(corners, [x, y]) {
  const sides = corners.map(([ax, ay], k) => {
    const [bx, by] = corners[(k + 1) % 4];
    return (bx - ax) * (y - ay) - (by - ay) * (x - ax);
  });
  return sides.every((side) => side >= 0) || sides.every((side) => side <= 0);
}

/**
 * How far a box is to be moved so that one of its edges or its middle meets a line nearby.
 *
 * @param {number[]} edges  of the box, along one way: first, middle, last
 * @param {number[]} lines  what it may meet
 * @returns {[number, number] | null}  the way, and the line that is met; null where none is within `near`
 */
export function snapped(edges, lines, near) {
  let best = null;
  for (const line of lines) {
    for (const edge of edges) {
      const way = line - edge;
      if (Math.abs(way) <= near && (best === null || Math.abs(way) < Math.abs(best[0]))) best = [way, line];
    }
  }
  return best;
}

/** Frames of the fitting on which a layer is there: the first, and the one after the last. */
export function spanOf(layer, source, fitting) {
  const rate = (text) => {
    const [over, under] = String(text).split("/").map(Number);
    return over / (under || 1);
  };
  const last = layer.last === null ? source.length - 1 : Math.min(layer.last, source.length - 1);
  const step = (rate(source.rate ?? fitting.rate) * layer.speed) / 100 / rate(fitting.rate);
  const own = Math.max(1, Math.floor((last - Math.min(layer.first, last) + 1) / step + 0.5)) + layer.hold_first + layer.hold_last;
  const end = layer.after === "gone" ? layer.start + own : fitting.length;
  return [layer.start, Math.min(end, layer.length === null ? Infinity : layer.start + layer.length)];
}
