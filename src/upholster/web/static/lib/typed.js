/** Numbers as people type them: with a sign, a unit, a comma, or as a simple sum. */

/** What may stand behind a number. */
const UNITS = /\s*(%|px|°|frames?|s)$/i;

/**
 * The number that was typed; NaN where it is none.
 *
 * Sums of numbers with + - * / and brackets count, so that half of 15 can be typed as 15/2.
 */
export function typed(text) {
  const plain = text.trim().replace(UNITS, "").replace(/[−–]/g, "-").replace(/,/g, ".").replace(/×/g, "*").replace(/\s+/g, "");
  const parts = plain.match(/\d+\.?\d*|\.\d+|[-+*/()]/g) ?? [];
  if (!parts.length || parts.join("") !== plain) return NaN;
  const found = sum(parts);
  return parts.length ? NaN : found;
}

function sum(parts) {
  let found = product(parts);
  while (parts[0] === "+" || parts[0] === "-") found = parts.shift() === "+" ? found + product(parts) : found - product(parts);
  return found;
}

function product(parts) {
  let found = factor(parts);
  while (parts[0] === "*" || parts[0] === "/") found = parts.shift() === "*" ? found * factor(parts) : found / factor(parts);
  return Number.isFinite(found) ? found : NaN;
}

function factor(parts) {
  const part = parts.shift();
  if (part === "-") return -factor(parts);
  if (part === "+") return factor(parts);
  if (part === "(") {
    const found = sum(parts);
    return parts.shift() === ")" ? found : NaN;
  }
  return part === undefined ? NaN : Number(part);
}
