/**
 * Numbers with keyframes, as the recipe has them: a number, or keyframes {frame, value, next} in rising order.
 * The same formulas as `core/documents/tracks.py`, which says where they come from; a test holds one against the other.
 */

export const isKeyed = (track) => Array.isArray(track);

/** The number at a frame; constant before the first keyframe and after the last. */
export function valueAt(track, frame) {
  if (!isKeyed(track)) return track;
  let index = -1;
  while (index + 1 < track.length && track[index + 1].frame <= frame) index++;
  if (index < 0) return track[0].value;
  const left = track[index];
  if (index === track.length - 1 || left.next === "hold") return left.value;
  const right = track[index + 1];
  const span = right.frame - left.frame;
  const t = (frame - left.frame) / span;
  const rise = right.value - left.value;
  if (left.next === "linear") return left.value + t * rise;
  const [start, end] = [slope(track, index) * span, slope(track, index + 1) * span];
  const between = left.value + t * (start + t * (3 * rise - 2 * start - end + t * (start + end - 2 * rise)));
  return Math.min(Math.max(between, Math.min(left.value, right.value)), Math.max(left.value, right.value));
}

function slope(keys, index) {
  if (keys.length === 2) return rise(keys, 0);
  if (index === 0 || index === keys.length - 1) return endSlope(keys, index);
  const [before, after] = [rise(keys, index - 1), rise(keys, index)];
  if (before * after <= 0) return 0;
  const [short, long] = [keys[index].frame - keys[index - 1].frame, keys[index + 1].frame - keys[index].frame];
  const [one, two] = [2 * long + short, long + 2 * short];
  return (one + two) / (one / before + two / after);
}

function endSlope(keys, index) {
  const [near, far] = index === 0 ? [0, 1] : [index - 1, index - 2];
  const [beside, beyond] = [near, far].map((k) => keys[k + 1].frame - keys[k].frame);
  const [first, second] = [rise(keys, near), rise(keys, far)];
  const found = ((2 * beside + beyond) * first - beside * second) / (beside + beyond);
  if (found * first <= 0) return 0;
  return first * second < 0 && Math.abs(found) > 3 * Math.abs(first) ? 3 * first : found;
}

function rise(keys, index) {
  return (keys[index + 1].value - keys[index].value) / (keys[index + 1].frame - keys[index].frame);
}

/** The keyframe at a frame, if there is one. */
export const keyAt = (track, frame) => (isKeyed(track) ? track.find((key) => key.frame === frame) : undefined);

/** The track with a value at a frame: a keyframe there, or the constant where there are none. */
export function withValue(track, frame, value) {
  if (!isKeyed(track)) return value;
  const here = keyAt(track, frame);
  if (here) return track.map((key) => (key === here ? { ...key, value } : key));
  const before = track.filter((key) => key.frame < frame);
  const next = (before.at(-1) ?? track[0]).next;
  return [...before, { frame, value, next }, ...track.filter((key) => key.frame > frame)];
}

/** The track with a keyframe at a frame, where its value stays as it is. */
export function withKey(track, frame) {
  return isKeyed(track) ? withValue(track, frame, valueAt(track, frame)) : [{ frame, value: track, next: "smooth" }];
}

/** The track without the keyframe at a frame; without its last one it is a constant. */
export function withoutKey(track, frame) {
  const left = track.filter((key) => key.frame !== frame);
  return left.length ? left : valueAt(track, frame);
}

/** The track with the keyframe at `frame` moved to another frame and value; it does not pass its neighbours. */
export function movedKey(track, frame, to, value) {
  const index = track.findIndex((key) => key.frame === frame);
  const least = index > 0 ? track[index - 1].frame + 1 : 0;
  const most = index < track.length - 1 ? track[index + 1].frame - 1 : Infinity;
  const at = Math.min(Math.max(Math.round(to), least), most);
  return track.map((key, k) => (k === index ? { ...key, frame: at, value } : key));
}

/** The frame of the keyframe before (-1) or after (1) a frame among several tracks; undefined where there is none. */
export function neighbour(tracks, frame, way) {
  const frames = keyedFrames(tracks).filter((other) => (other - frame) * way > 0);
  return way > 0 ? frames[0] : frames.at(-1);
}

/** All frames with a keyframe in any of several tracks, in rising order. */
export function keyedFrames(tracks) {
  const frames = new Set(tracks.filter(isKeyed).flatMap((track) => track.map((key) => key.frame)));
  return [...frames].sort((a, b) => a - b);
}
