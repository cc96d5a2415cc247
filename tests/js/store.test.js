/** The recipe in a window: what goes to the house, and what stands when it answers. */

import assert from "node:assert/strict";
import test from "node:test";

globalThis.document = { querySelector: () => ({ content: "token" }), body: { addEventListener() {} } };
const { Store, differences, withDifferences } = await import("../../src/upholster/web/static/bench/store.js");

const recipe = () => ({ version: 2, edge: { choke: 0, soften: 0 }, matte: { specks: 0 } });

/** A house that answers requests in turn; each answer is a state, or a status to fail with. */
function house(...answers) {
  const asked = [];
  globalThis.fetch = async (url, options) => {
    asked.push({ url, body: options.body && JSON.parse(options.body) });
    const answer = answers.shift();
    if (typeof answer === "number") return { ok: false, status: answer, json: async () => ({ problem: "No." }) };
    return { ok: true, status: 200, json: async () => answer };
  };
  return asked;
}

function store(acts = {}) {
  const said = [];
  const found = new Store("/bench/1", { revision: 3, recipe: recipe() }, {
    taken: (state) => said.push(["taken", state.revision]),
    noted: (state) => said.push(["noted", state.revision]),
    conflict: async () => "theirs",
    trouble: (error) => said.push(["trouble", error.message]),
    ...acts,
  });
  return [found, said];
}

test("only what differs is sent", () => {
  const [kept] = store();
  kept.set("edge.choke", 1.5);
  assert.deepEqual(kept.asked, { base: 3, changes: { edge: { choke: 1.5 } } });
  kept.set("edge.choke", 0);
  assert.deepEqual(kept.asked.changes, {});
  assert.deepEqual(differences(recipe(), { ...recipe(), matte: { specks: [{ frame: 1 }] } }), { matte: { specks: [{ frame: 1 }] } });
});

test("a request stays under a kilobyte while a value is dragged", () => {
  const [kept] = store();
  kept.set("edge.choke", 1.2345);
  const body = { ...kept.asked, frame: 95, taken: false, whole: false, quality: "quick", sequence: 12345, keep: false, plate: false, window: "a".repeat(31) };
  assert.ok(JSON.stringify(body).length < 1000);
});

test("changes made while one is being kept are not lost", async () => {
  const [kept, said] = store();
  const asked = house({ revision: 4, recipe: { ...recipe(), edge: { choke: 1, soften: 0 } } });
  kept.set("edge.choke", 1);
  const saving = kept.keep("Edge in");
  await Promise.resolve();
  kept.set("matte.specks", 5);
  await saving;
  assert.equal(asked[0].body.seen, 3);
  assert.equal(kept.recipe.matte.specks, 5);
  assert.deepEqual(kept.asked, { base: 4, changes: { matte: { specks: 5 } } });
  assert.deepEqual(said, [["noted", 4]]);
});

test("what is refused is said, and the next change is kept all the same", async () => {
  const [kept, said] = store();
  house(422, { revision: 4, recipe: recipe() });
  await kept.keep("one");
  await kept.keep("two");
  assert.deepEqual(said, [["trouble", "No."], ["noted", 4]]);
});

test("of two changes in two windows, theirs is taken or mine goes on as a branch", async () => {
  const [theirs, heard] = store();
  house(409, { revision: 7, recipe: recipe() });
  theirs.set("edge.choke", 1);
  await theirs.keep("Edge in");
  assert.deepEqual([theirs.revision, theirs.recipe.edge.choke], [7, 0]);
  const [mine, said] = store({ conflict: async () => "mine" });
  const asked = house(409, { revision: 8, recipe: { ...recipe(), edge: { choke: 1, soften: 0 } } });
  mine.set("edge.choke", 1);
  await mine.keep("Edge in");
  assert.equal(asked[1].body.branch, true);
  assert.equal(asked[1].body.base, 3);
  assert.deepEqual([heard, said], [[["taken", 7]], [["taken", 8]]]);
});

test("differences put back give the recipe they were told of", () => {
  const before = { version: 2, edge: { choke: 0, soften: 0 }, masks: { order: ["a", "b"], each: { a: { on: true, name: "A" }, b: { on: true, name: "B" } } } };
  const after = { version: 2, edge: { choke: 1, soften: 0 }, masks: { order: ["a", "c"], each: { a: { on: false, name: "A" }, c: { on: true, name: "C" } } } };
  assert.deepEqual(withDifferences(before, differences(before, after)), after);
});
