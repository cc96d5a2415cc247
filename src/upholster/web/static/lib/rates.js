/** Frames a second, as documents have them: whole numbers or exact fractions. */

export function asNumber(text) {
  const [over, under] = String(text).split("/").map(Number);
  return over / (under || 1);
}

/** A number as an exact fraction: 23.976 and 29.97 mean thousandths of 1001. */
export function exactly(rate) {
  const whole = Math.round(rate);
  if (Number.isInteger(rate)) return String(rate);
  return Math.abs((whole * 1000) / 1001 - rate) < 0.005 ? `${whole * 1000}/1001` : `${Math.round(rate * 1000)}/1000`;
}
