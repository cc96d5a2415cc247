/** What could be something else than it is taken for: asked on the picture, and said with one press. */

import { send } from "../lib/common.js";
import { Overlay } from "./overlay.js";

/** Milliseconds of rest before the house is asked. */
const REST = 350;
/** The lines of the work order beside which it is asked: the screen and the matte. */
const LINES = [2, 3];
/** Parts of a side that tell one place from another. */
const PARTS = 12;
const QUESTIONS = {
  veil: ["This could be glass or gauze.", "Let it through"],
  subject: ["This could be part of the subject.", "Keep it"],
  ground: ["This could be ground.", "Take it out"],
};

const $ = (id) => document.getElementById(id);

export class Doubts {
  /** @param {object} bench  gives `at`, `store`, `view`, `viewer`, `measure`, `facts`, `frame()`, `playing()`, `remember()` */
  constructor(bench) {
    this.bench = bench;
    this.overlay = new Overlay(bench.viewer);
    /** What was asked last, and the answer. */
    this.asked = "";
    this.found = [];
    bench.viewer.onPlaced.push(() => this.draw());
    document.addEventListener("tool-changed", () => this.draw());
    $("asks").addEventListener("click", () => {
      bench.view.asks = bench.view.asks === false;
      bench.remember();
      this.follow();
    });
  }

  get #wanted() {
    const { view, store } = this.bench;
    return view.asks !== false && ["result", "matte"].includes(view.view) && !store.recipe.screen.paused && view.unfolded.some((line) => LINES.includes(line));
  }

  /** The recipe, the frame or what is shown has changed. */
  follow() {
    const on = this.bench.view.asks !== false;
    $("asks").setAttribute("aria-checked", on);
    $("asks").textContent = on ? "yes" : "no";
    clearTimeout(this.resting);
    const { store } = this.bench;
    const about = JSON.stringify([this.bench.frame(), store.recipe.take, store.recipe.screen, store.recipe.region, store.recipe.qualifier, store.recipe.matte, store.recipe.masks, store.recipe.traces]);
    if (about !== this.asked) this.found = [];
    this.draw();
    if (about !== this.asked && this.#wanted) this.resting = setTimeout(() => this.#ask(about), REST);
  }

  async #ask(about) {
    if (this.bench.playing() || document.hidden) return;
    try {
      const { doubts } = await send(`${this.bench.at}/doubts`, { ...this.bench.store.asked, frame: this.bench.frame() });
      Object.assign(this, { asked: about, found: doubts });
      this.follow();
    } catch {
      /* asked again with the next change */
    }
  }

  /** Write the questions where they belong. */
  draw() {
    this.overlay.clear();
    const { bench } = this;
    const tool = bench.measure?.on || bench.shape?.on || bench.brush?.on || bench.crop?.on;
    const certain = bench.view.certain ?? [];
    const open = this.#wanted && !tool && !bench.playing() ? this.found.filter((doubt) => !certain.includes(this.#place(doubt))) : [];
    // One of a kind at a time: an answer often holds of the others as well.
    const shown = Object.keys(QUESTIONS).map((kind) => open.find(({ of }) => of === kind)).filter(Boolean);
    const room = $("doubts");
    room.hidden = !shown.length;
    room.replaceChildren(...shown.map((doubt) => this.#question(doubt)));
    // No card lies over another.
    for (const [n, card] of [...room.children].entries()) {
      for (const other of [...room.children].slice(0, n)) if (overlap(card, other)) card.style.top = `${other.offsetTop + other.offsetHeight + 4}px`;
    }
  }

  /** A place, as it is remembered. */
  #place({ of, x, y }) {
    const { width, height } = this.bench.facts;
    return `${of} ${Math.floor((PARTS * x) / width)} ${Math.floor((PARTS * y) / height)}`;
  }

  #question(doubt) {
    const { viewer } = this.bench;
    const [left, top, right, bottom] = doubt.box;
    this.overlay.outline(this.overlay.ring([[left, top], [right, top], [right, bottom], [left, bottom]]));
    const at = viewer.inBooth(doubt.x, doubt.y);
    const [words, act] = QUESTIONS[doubt.of];
    const card = Object.assign(document.createElement("div"), { className: "doubt", role: "group", ariaLabel: words });
    const { clientWidth: wide, clientHeight: high } = viewer.booth;
    Object.assign(card.style, { left: `${Math.min(Math.max(at.x, 4), Math.max(4, wide - 250))}px`, top: `${Math.min(Math.max(at.y, 4), Math.max(4, high - 60))}px` });
    const button = (text, press) => {
      const made = Object.assign(document.createElement("button"), { type: "button", className: "plain", textContent: text });
      made.addEventListener("click", press);
      return made;
    };
    const acts = Object.assign(document.createElement("div"), { className: "flex justify-between gap-3" });
    acts.append(button(act, () => this.#accept(doubt)), button("It is as it should be", () => this.#leave(doubt)));
    card.append(words, acts);
    // What is pressed here is not dragged.
    card.addEventListener("pointerdown", (event) => event.stopPropagation());
    return card;
  }

  #accept({ of, x, y, radius }) {
    return this.bench.measure.mark(of, { x, y, radius }).catch(this.bench.trouble);
  }

  #leave(doubt) {
    const { view } = this.bench;
    // What was left longest ago is forgotten first.
    view.certain = [...(view.certain ?? []), this.#place(doubt)].slice(-100);
    this.bench.remember();
    this.draw();
    this.bench.viewer.booth.focus();
  }
}

function overlap(a, b) {
  const apart = (low, long) => a[low] > b[low] + b[long] || b[low] > a[low] + a[long];
  return !apart("offsetLeft", "offsetWidth") && !apart("offsetTop", "offsetHeight");
}
