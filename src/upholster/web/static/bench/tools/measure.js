/** Measuring a colour on the picture: a click, or an area that is dragged; and reading values under the pointer. */

import { say, send, unsay } from "../../lib/common.js";
import { drag } from "../../lib/drag.js";

/** Half the side of the square that a click measures, in pixels of the plate. */
const CLICK = 4;

export class Measure {
  /**
   * @param {object} bench  gives `viewer`, `facts`
   * @param {object} screen  what is measured by itself: the button it stands behind, its words, what is done with a place
   */
  constructor(bench, screen) {
    Object.assign(this, { bench, screen });
    this.on = false;
    /** What is measured: the screen, or something like it. */
    this.what = screen;
    const { viewer } = bench;
    const { booth } = viewer;
    booth.addEventListener("pointerdown", (event) => {
      const from = this.on && !event.button && viewer.at(event);
      if (!from) return;
      const box = document.getElementById("box");
      const room = booth.getBoundingClientRect();
      let radius = CLICK;
      drag(booth, event, {
        move: (e, dx, dy) => {
          const side = Math.max(Math.abs(dx), Math.abs(dy));
          radius = Math.max(2, side / viewer.scale);
          Object.assign(box.style, { left: `${event.clientX - room.left - side}px`, top: `${event.clientY - room.top - side}px`, width: `${2 * side}px`, height: `${2 * side}px` });
          box.hidden = false;
        },
        end: () => {
          box.hidden = true;
          this.#take({ x: from.x, y: from.y, radius });
        },
        cancel: () => (box.hidden = true),
      });
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

  #take(place) {
    const { take } = this.what;
    this.set(false);
    take(place);
  }

  set(on, what = this.screen) {
    if (on === this.on && (!on || what === this.what)) return;
    document.getElementById(this.what.button).setAttribute("aria-pressed", false);
    this.on = on;
    this.what = what;
    this.place = null;
    document.getElementById("box").hidden = true;
    document.getElementById(what.button).setAttribute("aria-pressed", on);
    document.getElementById("booth").style.cursor = on ? "crosshair" : "";
    if (on) say(what.words);
    else unsay();
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
