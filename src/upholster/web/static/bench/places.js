/** Places on the plate and in the picture that is shown: [a, b, c, d, e, f] maps (x, y) to (ax + cy + e, bx + dy + f). */

export function onScreen([a, b, c, d, e, f], x, y) {
  return { x: a * x + c * y + e, y: b * x + d * y + f };
}

/** The inverse of `onScreen`. */
export function onPlate([a, b, c, d, e, f], x, y) {
  const by = a * d - b * c;
  return { x: (d * (x - e) - c * (y - f)) / by, y: (a * (y - f) - b * (x - e)) / by };
}

/** Pixels of each side of the plate that always stay, as `core/stages/take/crop.py` has it. */
export const ROOM = 16;

/** Which borders are cut when one of them is dragged to a place on the plate; in even steps, with room left. */
export function cropped(crop, side, { x, y }, { width, height }) {
  const even = (v) => 2 * Math.round(v / 2);
  const within = (v, most) => Math.min(Math.max(0, even(v)), Math.max(0, even(most - 1)));
  const at = {
    left: within(x, width - crop.right - ROOM),
    right: within(width - x, width - crop.left - ROOM),
    top: within(y, height - crop.bottom - ROOM),
    bottom: within(height - y, height - crop.top - ROOM),
  };
  return { ...crop, [side]: at[side] };
}
