/** Dragging: what moves, what ends, and what is taken back. */

import assert from "node:assert/strict";
import test from "node:test";

class Target extends EventTarget {
  setPointerCapture(id) {
    this.held = id;
  }
  hasPointerCapture(id) {
    return this.held === id;
  }
  releasePointerCapture() {
    this.held = undefined;
  }
}
globalThis.document = new Target();
const { drag } = await import("../../src/upholster/web/static/lib/drag.js");

const event = (type, more = {}) => Object.assign(new Event(type, { cancelable: true }), { pointerId: 1, clientX: 0, clientY: 0, ...more });

function dragged() {
  const element = new Target();
  const heard = [];
  drag(element, event("pointerdown"), {
    move: (e, dx, dy) => heard.push(["move", dx, dy]),
    end: (e, moved) => heard.push(["end", moved]),
    cancel: () => heard.push(["cancel"]),
  });
  return [element, heard];
}

test("a hand that trembles has not dragged", () => {
  const [element, heard] = dragged();
  element.dispatchEvent(event("pointermove", { clientX: 2 }));
  element.dispatchEvent(event("pointerup", { clientX: 2 }));
  assert.deepEqual(heard, [["end", false]]);
});

test("a drag moves and ends, and hears nothing after", () => {
  const [element, heard] = dragged();
  element.dispatchEvent(event("pointermove", { clientX: 9, clientY: 1 }));
  element.dispatchEvent(event("pointerup"));
  element.dispatchEvent(event("pointermove", { clientX: 20 }));
  assert.deepEqual(heard, [["move", 9, 1], ["end", true]]);
  assert.equal(element.held, undefined);
});

test("Escape and a lost pointer take it back", () => {
  for (const [target, last] of [[document, event("keydown", { key: "Escape" })], [null, event("pointercancel")]]) {
    const [element, heard] = dragged();
    element.dispatchEvent(event("pointermove", { clientX: 9 }));
    (target ?? element).dispatchEvent(last);
    element.dispatchEvent(event("pointerup"));
    assert.deepEqual(heard, [["move", 9, 0], ["cancel"]]);
  }
});

test("another finger is not this drag's", () => {
  const [element, heard] = dragged();
  element.dispatchEvent(event("pointermove", { clientX: 9, pointerId: 2 }));
  element.dispatchEvent(event("pointerup", { pointerId: 2 }));
  assert.deepEqual(heard, []);
});
