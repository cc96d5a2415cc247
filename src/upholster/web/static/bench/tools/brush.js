/** The brush: strokes over what to keep, to drop, or where the edge is soft; sized on the picture, erased by touching. */

import { say, send, unsay } from "../../lib/common.js";
import { drag } from "../../lib/drag.js";
import { Overlay } from "../overlay.js";

/** Smallest and largest radius, in pixels of the plate, and by how much a key changes it. */
const [SMALLEST, LARGEST, STEP] = [1, 300, 1.2];
/** How near to the place before a place has to lie to be left out, in pixels of the screen. */
const APART = 2;
const WORDS = {
  keep: "Brush over what to keep; with Alt over what to drop. [ and ] size the brush, or drag with Ctrl.",
  drop: "Brush over what to drop; with Alt over what to keep.",
  soft: "Brush where the edge is soft: hair, fur, blur.",
  erase: "Touch strokes to take them away.",
};

export class Brush {
  /** @param {object} bench  gives `at`, `viewer`, `traces`, `frame()`, `playing()`, `show()`, `leaveTools()` */
  constructor(bench) {
    this.bench = bench;
    this.overlay = new Overlay(bench.viewer);
    Object.assign(this, { on: false, kind: "keep", hidden: false, ahead: null, radius: Math.max(3, bench.facts.height / 60), stroke: null, at: null });
    const { booth } = bench.viewer;
    bench.viewer.onPlaced.push(() => this.draw());
    booth.addEventListener("pointerdown", (event) => this.on && !event.button && !event.target.closest("#divider") && this.#press(event));
    booth.addEventListener("pointermove", (event) => this.on && this.#hover(event));
    booth.addEventListener("pointerleave", () => this.#hover(null));
    for (const button of document.querySelectorAll("[data-brush]")) button.addEventListener("click", () => this.begin(button.dataset.brush));
  }

  set(on) {
    if (on === this.on) return;
    this.on = on;
    this.at = null;
    this.#told();
  }

  /** Take a brush up; the one in hand is put down. */
  begin(kind) {
    const same = this.on && this.kind === kind;
    if (!this.on) this.bench.leaveTools();
    this.kind = kind;
    this.on = !same;
    this.#told();
  }

  #told() {
    for (const button of document.querySelectorAll("[data-brush]")) button.setAttribute("aria-pressed", this.on && button.dataset.brush === this.kind);
    document.getElementById("brush").setAttribute("aria-pressed", this.on);
    this.bench.viewer.booth.classList.toggle("brushing", this.on);
    if (this.on) say(WORDS[this.kind]);
    else unsay();
    this.bench.show();
  }

  /** Let strokes be seen, or not. */
  hide() {
    this.hidden = !this.hidden;
    this.draw();
  }

  size(factor) {
    this.radius = Math.min(LARGEST, Math.max(SMALLEST, this.radius * factor));
    this.draw();
    this.bench.traces.showSize(this.radius);
  }

  /** What a key does while the brush is in hand; false where it is not for us. */
  key(event) {
    if (!this.on || event.ctrlKey || event.metaKey) return false;
    if (event.key === "[") this.size(1 / STEP);
    else if (event.key === "]") this.size(STEP);
    else return false;
    return true;
  }

  #hover(event) {
    this.at = event && this.bench.viewer.onPlate(event);
    this.draw();
    if (event) this.#ahead();
  }

  /** Have the frame looked around while the hand still aims, so that the matte of its first stroke is there at once. */
  #ahead() {
    const frame = this.bench.frame();
    if (frame === this.ahead || this.bench.playing()) return;
    this.ahead = frame;
    // Where it fails, the stroke itself takes longer, and says what is wrong.
    send(`${this.bench.at}/traces/ahead`, { frame }).catch(() => {});
  }

  #press(event) {
    if (event.ctrlKey || event.metaKey) return this.#resize(event);
    if (this.kind === "erase") return this.#erase(event);
    return this.#paint(event);
  }

  #resize(event) {
    const before = this.radius;
    drag(this.bench.viewer.booth, event, {
      move: (e, dx) => {
        this.radius = Math.min(LARGEST, Math.max(SMALLEST, before + this.bench.viewer.onPlateLength(dx)));
        this.draw();
        this.bench.traces.showSize(this.radius);
      },
      cancel: () => this.size(before / this.radius),
    });
  }

  #paint(event) {
    const kind = event.altKey && this.kind !== "soft" ? { keep: "drop", drop: "keep" }[this.kind] : this.kind;
    const pen = event.pointerType === "pen";
    const stroke = { frame: this.bench.frame(), kind, radius: round(this.radius), points: [], ...(pen && { radii: [] }) };
    const add = (e) => {
      // A pen gives more places than there are events.
      for (const one of e.getCoalescedEvents?.().length ? e.getCoalescedEvents() : [e]) {
        const { x, y } = this.bench.viewer.onPlate(one);
        const last = stroke.points.at(-1);
        if (last && Math.hypot(last[0] - x, last[1] - y) < this.bench.viewer.onPlateLength(APART)) continue;
        stroke.points.push([round(x), round(y)]);
        if (pen) stroke.radii.push(round(Math.max(0.5, this.radius * (0.25 + 1.5 * one.pressure))));
      }
    };
    add(event);
    this.stroke = stroke;
    this.draw();
    drag(this.bench.viewer.booth, event, {
      move: (e) => {
        add(e);
        this.at = this.bench.viewer.onPlate(e);
        this.draw();
      },
      end: () => {
        this.stroke = null;
        this.bench.traces.add(stroke);
      },
      cancel: () => {
        this.stroke = null;
        this.draw();
      },
    });
  }

  #erase(event) {
    const gone = new Set();
    const touch = (e) => {
      const { x, y } = this.bench.viewer.onPlate(e);
      this.bench.traces.strokes().forEach((stroke, n) => {
        if (stroke.frame === this.bench.frame() && stroke.points.some(([px, py]) => Math.hypot(px - x, py - y) < stroke.radius + this.bench.viewer.onPlateLength(6))) gone.add(n);
      });
    };
    touch(event);
    drag(this.bench.viewer.booth, event, { move: touch, end: () => gone.size && this.bench.traces.take([...gone]) });
  }

  draw() {
    this.overlay.clear();
    if (!this.on) return;
    if (!this.hidden) for (const stroke of this.bench.traces.strokes()) if (stroke.frame === this.bench.frame() && stroke.on !== false) this.#draw(stroke);
    if (this.stroke) this.#draw(this.stroke);
    if (this.at && this.kind !== "erase") this.#ring(this.at, this.radius);
  }

  #draw({ kind, radius, points, radii }) {
    const places = points.map(([x, y]) => this.bench.viewer.inBooth(x, y));
    // A dot is a line that goes nowhere.
    const d = `M${places.map(({ x, y }) => `${x.toFixed(1)} ${y.toFixed(1)}`).join("L")}${places.length === 1 ? "h0.01" : ""}`;
    const wide = radii?.length ? radii.reduce((sum, r) => sum + r, 0) / radii.length : radius;
    this.overlay.add("path", { d, class: `stroke ${kind}`, "stroke-width": 2 * wide * (1 / this.bench.viewer.onPlateLength(1)) });
  }

  #ring({ x, y }, radius) {
    const at = this.bench.viewer.inBooth(x, y);
    for (const kind of ["contour under", "contour"]) this.overlay.add("circle", { cx: at.x, cy: at.y, r: radius / this.bench.viewer.onPlateLength(1), class: kind });
  }
}

const round = (number) => Number(number.toFixed(2));
