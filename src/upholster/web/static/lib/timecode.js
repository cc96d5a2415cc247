/** Timecode as it is typed: a frame by the time at which it comes. */

const CODE = /^(?:(?:(\d{1,2})[:.;])?(\d{1,2})[:.;])?(\d{1,2})([:.;])(\d{1,2})$/;

/** Frames from midnight of a timecode, SMPTE ST 12-1, at a rate; NaN where it is none. Parts in front may be left out. */
function counted(text, rate) {
  const match = CODE.exec(text.trim());
  const count = Math.round(rate);
  if (!match || count < 1) return NaN;
  const [hours, minutes, seconds, frame] = [match[1] ?? 0, match[2] ?? 0, match[3], match[5]].map(Number);
  if (minutes > 59 || seconds > 59 || frame >= count) return NaN;
  const passed = 60 * hours + minutes;
  // Codes with a semicolon drop numbers, to keep step with the clock (ST 12-1, 5.2.2).
  const dropped = match[4] !== ":" && count % 30 === 0 ? count / 15 : 0;
  if (frame < dropped && !seconds && minutes % 10) return NaN;
  return (60 * passed + seconds) * count + frame - dropped * (passed - Math.floor(passed / 10));
}

/**
 * The frame of a clip that a timecode names; NaN where it is none.
 *
 * @param {string} start  timecode of the first frame; empty where the clip has none, and time counts from its beginning
 */
export function frameOf(text, rate, start = "") {
  const first = start ? counted(start, rate) : 0;
  const whole = (text.match(/[:.;]/g) ?? []).length === 3;
  // A short one counts from the beginning of the clip.
  return counted(text, rate) - (whole && !Number.isNaN(first) ? first : 0);
}
