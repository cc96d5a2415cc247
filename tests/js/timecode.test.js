import assert from "node:assert/strict";
import { test } from "node:test";
import { frameOf } from "../../src/upholster/web/static/lib/timecode.js";

test("a timecode counts from the beginning of the clip, or from the clip's own", () => {
  assert.equal(frameOf("00:00:02:12", 24), 60);
  assert.equal(frameOf("2:12", 24), 60);
  assert.equal(frameOf("1:00:00", 25), 1500);
  assert.equal(frameOf("01:00:02:00", 24, "01:00:00:00"), 48);
  assert.equal(frameOf("2:00", 24, "01:00:00:00"), 48);
});

test("drop-frame codes keep step with the clock", () => {
  // SMPTE ST 12-1, 5.2.2: two numbers a minute are left out but in every tenth; ten minutes are 17982 frames.
  assert.equal(frameOf("00:10:00;00", 30000 / 1001), 17982);
  assert.equal(frameOf("00:01:00;02", 30000 / 1001), 1800);
  assert.ok(Number.isNaN(frameOf("00:01:00;00", 30000 / 1001)));
});

test("what is no timecode is none", () => {
  for (const text of ["", "12", "a:b", "1:99", "00:61:00:00", "1:2:3:4:5"]) assert.ok(Number.isNaN(frameOf(text, 24)), text);
});
