/** Playing from a house that makes pictures more slowly than they are played, on a clock of the test's own. */

import assert from "node:assert/strict";
import test from "node:test";

let now = 0;
let due = [];
/** Calls back after so many milliseconds of that clock. */
const after = (call, wait = 0) => due.push({ at: now + wait, call });
const set = (name, value) => Object.defineProperty(globalThis, name, { value, configurable: true, writable: true });
const said = { textContent: "" };
set("performance", { now: () => now });
set("document", { getElementById: (id) => (id === "speed" ? said : { setAttribute() {} }), dispatchEvent() {} });
const settled = setImmediate;
set("setTimeout", after);

const { Player, lead } = await import("../../src/upholster/web/static/lib/player.js");

/** A film of so many frames that takes so long over each, one after the other; and what was seen and heard of it. */
function filmed({ length, each, rate = 24, held = [] }) {
  const known = new Map(held.map((frame) => [frame, Promise.resolve(frame)]));
  const seen = { shown: [], heard: [], fetched: 0, stopped: 0 };
  let free = 0;
  const fetch = (frame) => {
    if (!known.has(frame)) {
      free = Math.max(free, now) + each;
      const at = free;
      known.set(frame, new Promise((done) => after(() => done(++seen.fetched && frame), at - now)));
    }
    return known.get(frame);
  };
  const show = (frame) => seen.shown.push({ frame, at: now });
  const listen = (frame) => {
    seen.heard.push({ frame, at: now, fetched: seen.fetched });
    return null;
  };
  const film = { rate: () => rate, span: () => [0, length - 1], here: () => 0, held: () => [...held], fetch, show, listen, stopped: () => seen.stopped++, trouble: assert.fail };
  return { player: new Player(film), seen };
}

/** Lets the clock go on until then. */
async function until(time) {
  for (;;) {
    await new Promise((done) => settled(done));
    due.sort((a, b) => a.at - b.at);
    if (!due.length || due[0].at > time) break;
    now = due[0].at;
    due.shift().call();
  }
  now = time;
}

function begin() {
  now = 0;
  due = [];
  said.textContent = "";
}

/** What was seen and heard of a film that was played for so long. */
async function played(film, time) {
  begin();
  const { player, seen } = filmed(film);
  player.toggle();
  await until(time);
  player.toggle();
  await until(time + 500);
  return seen;
}

/** Milliseconds from each picture to the next. */
const gaps = (shown) => shown.slice(1).map(({ at }, n) => at - shown[n].at);

test("what must be here before the rest comes in time", () => {
  assert.equal(lead(96, 24, 24), 0);
  assert.equal(lead(96, 30, 24), 0);
  assert.equal(lead(96, 20, 24), 16);
  assert.equal(lead(0, 1, 24), 0);
});

test("a span that is made at five sixths of its rate is played at all of it", async () => {
  begin();
  const { player, seen } = filmed({ length: 96, each: 50 });
  player.toggle();
  await until(400);
  assert.match(said.textContent, /^gathering \d+ of \d+ pictures$/);
  assert.equal(seen.shown.length, 0);
  await until(12_000);
  player.toggle();
  await until(13_000);
  assert.ok(seen.shown.length > 2 * 96);
  assert.ok(Math.max(...gaps(seen.shown)) < 1000 / 24 + 0.01);
  assert.deepEqual(seen.shown.slice(0, 98).map(({ frame }) => frame), [...Array(98).keys()].map((n) => n % 96));
  // What is heard begins with what is seen.
  assert.deepEqual(seen.heard.map(({ at }) => at), [seen.shown[0].at]);
  assert.ok(seen.heard[0].fetched >= 16);
});

test("what would have to be gathered for long is played as it comes", async () => {
  const seen = await played({ length: 1000, each: 200 }, 10_000);
  assert.ok(seen.shown[0].at < 2000);
  assert.ok(seen.shown.length > 30);
});

test("what comes in time, or is here, is not waited for", async () => {
  for (const film of [{ length: 48, each: 30 }, { length: 48, each: 200, held: [...Array(48).keys()] }]) {
    const seen = await played(film, 1000);
    assert.ok(seen.shown[0].at < 10 * 30, `${seen.shown[0].at}`);
    assert.ok(Math.max(...gaps(seen.shown)) < 1000 / 24 + 0.01);
  }
});

test("stopped while pictures are gathered, nothing is heard; begun again, it plays", async () => {
  begin();
  const { player, seen } = filmed({ length: 96, each: 50 });
  player.toggle();
  await until(310);
  player.toggle();
  await until(5000);
  assert.deepEqual([seen.heard.length, seen.shown.length, seen.stopped], [0, 0, 1]);
  player.toggle();
  await until(5060);
  player.toggle();
  player.toggle();
  await until(7000);
  assert.ok(player.playing && seen.shown.length > 10);
  assert.equal(seen.stopped, 1);
  player.toggle();
  await until(8000);
  assert.equal(seen.stopped, 2);
});
