/** Numbers as they are typed: units, signs, commas, sums, and what is none. */

import assert from "node:assert/strict";
import test from "node:test";

import { typed } from "../../src/upholster/web/static/lib/typed.js";

test("plain numbers, with a sign, a comma or a unit", () => {
  for (const [text, number] of [["7", 7], [" 0.5 ", 0.5], ["-.5", -0.5], ["−0,7 px", -0.7], ["50 %", 50], ["50%", 50], ["90°", 90], ["+3", 3], ["12 frames", 12], ["5.", 5]]) {
    assert.equal(typed(text), number, text);
  }
});

test("simple sums", () => {
  for (const [text, number] of [["1/4", 0.25], ["15/2", 7.5], ["3 + 4*2", 11], ["(3+4)*2", 14], ["2 - -1", 3], ["10 px / 4", NaN], ["2×3", 6]]) {
    assert.equal(typed(text), number, text);
  }
});

test("what is no number", () => {
  for (const text of ["", "abc", "1e3", "--", "1/0", "0/0", "(2", "2)", "1..2", "3 4 +", "px", "1 2a", "alert(1)", "9".repeat(400)]) {
    assert.ok(Number.isNaN(typed(text)), text);
  }
});
