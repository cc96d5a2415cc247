/** The box around chosen points: its grips, and what dragging one does to what is inside. */

/** Bounds and centre of some of the points. */
export function boxOf(points, chosen) {
  const places = points.filter((_, k) => chosen.has(k));
  const [xs, ys] = [0, 1].map((axis) => places.map((point) => point[axis]));
  const [left, right, top, bottom] = [Math.min(...xs), Math.max(...xs), Math.min(...ys), Math.max(...ys)];
  return { left, top, right, bottom, centre: [(left + right) / 2, (top + bottom) / 2] };
}

/** Where a box can be taken hold of; the grip to turn it stands `away` above. */
export function grips({ left, top, right, bottom, centre: [x, y] }, away) {
  const corners = [[left, top], [right, top], [right, bottom], [left, bottom]].map((at) => ({ kind: "corner", at }));
  const sides = [[x, top], [x, bottom]].map((at) => ({ kind: "side", axis: 1, at })).concat([[left, y], [right, y]].map((at) => ({ kind: "side", axis: 0, at })));
  return [{ kind: "turn", at: [x, top - away] }, ...corners, ...sides];
}

/**
 * The map that dragging a grip from one place to another makes, around a pivot, as `transformed` takes it.
 *
 * @param {object} how  even: both ways alike, turns by 15°; shear: a side goes along itself
 */
export function mapFor(grip, from, to, pivot, { even = false, shear = false } = {}) {
  const [fx, fy] = [from[0] - pivot[0], from[1] - pivot[1]];
  const [tx, ty] = [to[0] - pivot[0], to[1] - pivot[1]];
  if (grip.kind === "turn") {
    let turn = Math.atan2(ty, tx) - Math.atan2(fy, fx);
    if (even) turn = Math.round(turn / (Math.PI / 12)) * (Math.PI / 12);
    const [c, s] = [Math.cos(turn), Math.sin(turn)];
    return around([c, s, -s, c], pivot);
  }
  const share = (t, f) => (Math.abs(f) < 1e-6 ? 1 : t / f);
  if (grip.kind === "corner") {
    const both = Math.hypot(tx, ty) / (Math.hypot(fx, fy) || 1);
    return around(even ? [both, 0, 0, both] : [share(tx, fx), 0, 0, share(ty, fy)], pivot);
  }
  if (grip.axis) return around(shear ? [1, 0, fy ? (tx - fx) / fy : 0, 1] : [1, 0, 0, share(ty, fy)], pivot);
  return around(shear ? [1, fx ? (ty - fy) / fx : 0, 0, 1] : [share(tx, fx), 0, 0, 1], pivot);
}

/** A map of directions as one of places, with the pivot staying where it is. */
const around = ([a, b, c, d], [x, y]) => [a, b, c, d, x - a * x - c * y, y - b * x - d * y];
