/** Marking the picture: a click, an area that is dragged, or a scribble; and reading values under the pointer. */

import { say, send, unsay } from "../../lib/common.js";
import { drag } from "../../lib/drag.js";
import { Overlay } from "../overlay.js";

/** Half the side of the square that a click marks, and of a scribble's line, in pixels of the plate. */
const CLICK = 4;
/** How far apart the points of a scribble are, in pixels of the screen, and how many there may be. */
const [APART, POINTS] = [4, 400];
/** How what was marked looks on the picture. */
const LOOKS = { ground: "drop", subject: "keep", veil: "soft" };

/** What a place can be marked as. */
const ALL = "Click on it, drag an area, or scribble with Shift; or move with the arrow keys and press Enter.";
const MARKS = {
  ground: { words: `This is ground, to take out. ${ALL}` },
  subject: { words: `This is the subject, to keep. ${ALL}` },
  veil: { words: `This is glass or gauze, to see through. ${ALL}` },
};

export class Measure {
  /** @param {object} bench  gives `viewer`, `facts`, `frame()`, `store` */
  constructor(bench) {
    this.bench = bench;
    this.on = false;
    this.marks = Object.fromEntries(Object.entries(MARKS).map(([of, mark]) => [of, { ...mark, of, buttons: `[data-marks=${of}]`, take: (place) => this.mark(of, place) }]));
    /** What is measured: what is marked of the picture, or a grey. */
    this.what = this.marks.ground;
    this.overlay = new Overlay(bench.viewer);
    bench.viewer.onPlaced.push(() => this.draw());
    bench.viewer.booth.addEventListener("pointerdown", (event) => {
      const from = this.on && !event.button && bench.viewer.at(event);
      if (!from) return;
      if (this.what.of && (event.shiftKey || event.pointerType === "pen")) this.#scribble(event);
      else this.#area(event, from);
    });
  }

  /** Let the house read what is marked on the frame in view. */
  mark(of, place) {
    const words = { ground: "Screen measured", subject: "Marked as subject", veil: "Marked as glass or gauze" };
    return this.bench.store.ask("/screen", { measure: { of, frame: this.bench.frame(), ...place } }, { words: words[of] });
  }

  /** A rectangle between where the pointer went down and where it is; a square where it only clicked. */
  #area(event, from) {
    const { viewer } = this.bench;
    const box = document.getElementById("box");
    const room = viewer.booth.getBoundingClientRect();
    let place = { ...from, radius: CLICK };
    drag(viewer.booth, event, {
      move: (e, dx, dy) => {
        const to = viewer.onPlate(e);
        const halves = [Math.abs(to.x - from.x) / 2, Math.abs(to.y - from.y) / 2].map((half) => Math.max(1, half));
        place = { x: (from.x + to.x) / 2, y: (from.y + to.y) / 2, radius: halves[0], half_height: halves[1] };
        Object.assign(box.style, { left: `${Math.min(event.clientX, e.clientX) - room.left}px`, top: `${Math.min(event.clientY, e.clientY) - room.top}px`, width: `${Math.abs(dx)}px`, height: `${Math.abs(dy)}px` });
        box.hidden = false;
      },
      end: () => {
        box.hidden = true;
        this.#take(place);
      },
      cancel: () => (box.hidden = true),
    });
  }

  #scribble(event) {
    const { viewer } = this.bench;
    const course = [];
    const add = (e) => {
      const { x, y } = viewer.onPlate(e);
      const last = course.at(-1);
      if (course.length < POINTS && !(last && Math.hypot(last[0] - x, last[1] - y) < viewer.onPlateLength(APART))) course.push([x, y]);
      this.draw({ of: this.what.of, radius: CLICK, course });
    };
    add(event);
    drag(viewer.booth, event, {
      move: add,
      end: () => this.#take({ x: course[0][0], y: course[0][1], radius: CLICK, course }),
      cancel: () => this.draw(),
    });
  }

  /** Arrow keys move a square over the picture, Enter measures under it; whether a key was one of these. */
  key({ key, shiftKey }) {
    const way = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[key];
    if (!this.on || !(way || (key === "Enter" && this.place))) return false;
    const { width, height } = this.bench.facts;
    if (way) {
      const step = CLICK * (shiftKey ? 10 : 2);
      const [x, y] = this.place ?? [width / 2, height / 2];
      this.place = [Math.min(width - 1, Math.max(0, x + way[0] * step)), Math.min(height - 1, Math.max(0, y + way[1] * step))];
      this.#mark();
    } else {
      const [x, y] = this.place;
      this.#take({ x, y, radius: CLICK });
    }
    return true;
  }

  /** Show the square that keys move. */
  #mark() {
    const box = document.getElementById("box");
    const { viewer } = this.bench;
    const { x, y } = viewer.inBooth(...this.place);
    const side = Math.max(4, CLICK * viewer.scale);
    Object.assign(box.style, { left: `${x - side}px`, top: `${y - side}px`, width: `${2 * side}px`, height: `${2 * side}px` });
    box.hidden = false;
  }

  #take({ half_height, ...place }) {
    const { take, of } = this.what;
    this.set(false);
    // Others read a square.
    take(of ? { ...place, ...(half_height && { half_height }) } : { ...place, radius: Math.max(place.radius, half_height ?? 0) });
  }

  set(on, what = this.marks.ground) {
    if (on === this.on && (!on || what === this.what)) return;
    this.#press(false);
    this.on = on;
    this.what = what;
    this.place = null;
    document.getElementById("box").hidden = true;
    this.#press(on);
    document.getElementById("booth").style.cursor = on ? "crosshair" : "";
    this.draw();
    if (on) say(what.words);
    else unsay();
    document.dispatchEvent(new CustomEvent("tool-changed"));
  }

  #press(on) {
    for (const button of document.querySelectorAll(this.what.buttons)) button.setAttribute("aria-pressed", on);
  }

  /** Show what is marked on the frame in view, while more is being marked; and what is under the hand. */
  draw(now) {
    this.overlay.clear();
    if (!this.on || !this.what.of) return;
    const here = this.bench.store.recipe.screen.samples.filter(({ frame }) => frame === this.bench.frame());
    for (const sample of now ? [...here, now] : here) this.#draw(sample);
  }

  #draw({ of, x, y, radius, half_height: half, course }) {
    const { viewer } = this.bench;
    const kind = `stroke ${LOOKS[of]}`;
    if (course?.length) {
      const places = course.map(([px, py]) => Object.values(viewer.inBooth(px, py)).join(" "));
      this.overlay.add("path", { d: `M${places.join("L")}${places.length === 1 ? "h0.01" : ""}`, class: kind, "stroke-width": (2 * radius) / viewer.onPlateLength(1) });
      return;
    }
    const [w, h] = [radius, half ?? radius];
    this.overlay.add("path", { d: this.overlay.ring([[x - w, y - h], [x + w, y - h], [x + w, y + h], [x - w, y + h]]), class: kind, "stroke-width": 4 });
  }
}

export class Readout {
  /** @param {object} bench  gives `at`, `viewer`, `store`, `frame()`, `facts`, `playing()` */
  constructor(bench) {
    this.bench = bench;
    this.element = document.getElementById("readout");
    const { booth } = bench.viewer;
    booth.addEventListener("pointermove", (event) => {
      this.pointer = bench.viewer.at(event);
      if (!this.pointer) this.element.textContent = "";
      this.#read();
    });
    booth.addEventListener("pointerleave", () => {
      this.pointer = null;
      this.element.textContent = "";
    });
    // Another frame, or another recipe, has other values in the same place.
    document.addEventListener("picture-drawn", () => this.#read());
  }

  async #read() {
    const { bench } = this;
    if (this.reading || bench.playing() || !this.pointer) return;
    this.reading = true;
    const [x, y] = [Math.floor(this.pointer.x), Math.floor(this.pointer.y)];
    try {
      const { plate, result } = await send(`${bench.at}/readout`, { ...bench.store.asked, frame: bench.frame(), x, y });
      const top = 2 ** Math.min(bench.facts.depth, 16) - 1;
      const both = (values) => `${values.map((v) => Math.round(v * top)).join(" ")} (${values.map((v) => v.toFixed(3)).join(" ")})`;
      if (this.pointer) this.element.textContent = `${x}, ${y} · plate ${both(plate)} · result ${both(result)}`;
    } catch {
      /* the next move asks again */
    }
    this.reading = false;
    if (this.pointer && (Math.floor(this.pointer.x) !== x || Math.floor(this.pointer.y) !== y)) this.#read();
  }
}
