/**
 * Output frames and frames of the footage, as the house's time map has them: `core/timemap.py` in whole numbers.
 * @typedef {object} Times  first, last of the footage; frames that come out; before, after held; step as [over, under]
 */

/** The frame of the footage that an output frame shows most of. */
export function source(times, number) {
  const { first, last, frames, before, after, step: [over, under], backwards, between } = times;
  const moving = frames - before - after;
  let place = Math.min(Math.max(number - before, 0), moving - 1);
  if (backwards) place = moving - 1 - place;
  const whole = Math.min(Math.floor((place * over) / under), last - first);
  const rest = place * over - whole * under;
  const on = between !== "repeat" && 2 * rest > under ? 1 : 0;
  return Math.min(first + whole + on, last);
}

/** The first output frame that shows a frame of the footage, or the nearest there is. */
export function output(times, frame) {
  const { first, last, frames, before, after, step: [over, under], backwards } = times;
  const moving = frames - before - after;
  const at = Math.min(Math.max(frame, first), last) - first;
  let place = Math.ceil((at * under) / over);
  if (backwards) place = Math.max(place, Math.ceil(((at + 1) * under) / over) - 1);
  place = Math.min(place, moving - 1);
  return before + (backwards ? moving - 1 - place : place);
}
