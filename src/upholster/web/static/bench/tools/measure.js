/** Measuring the screen on the picture: a click, or an area that is dragged; and reading values under the pointer. */

import { say, send, unsay } from "../../lib/common.js";
import { drag } from "../../lib/drag.js";

/** Half the side of the square that a click measures, in pixels of the plate. */
const CLICK = 4;

export class Measure {
  /** @param {object} bench  gives `viewer`, `measured(place)` */
  constructor(bench) {
    this.on = false;
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
          this.set(false);
          bench.measured({ x: from.x, y: from.y, radius });
        },
        cancel: () => (box.hidden = true),
      });
    });
  }

  set(on) {
    if (on === this.on) return;
    this.on = on;
    document.getElementById("measure").setAttribute("aria-pressed", on);
    document.getElementById("booth").style.cursor = on ? "crosshair" : "";
    if (on) say("Click on the ground to take out, or drag an area of it.");
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
