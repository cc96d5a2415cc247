/** The tool that draws masks: what it is at, what is chosen, and what keys and buttons do. */

import { say, unsay } from "../../../lib/common.js";
import { ellipse, isSharp, nearestOn, pointsAt, rectangle, sharpened, smoothed, snapped, transformedSome, withoutPoints, withPoint } from "../../course.js";
import { Overlay } from "../../overlay.js";
import { Create } from "./create.js";
import { draw } from "./draw.js";
import { Reshape } from "./reshape.js";

/** How near a press has to come, in pixels of the screen: by mouse or pen, and by a finger. */
const [NEAR, TOUCH] = [8, 18];
/** Milliseconds after which nudges in quick succession become one revision. */
const SETTLE = 600;
const MODES = {
  edit: "Drag points or the outline, and from a chosen point how soft the edge is there. Double-click the outline for another point.",
  corners: "Click for corners, drag for curves. Click the first point, or press Enter, to close the shape.",
  rectangle: "Drag a rectangle.",
  ellipse: "Drag an ellipse.",
  freehand: "Draw around it in one go.",
};

export class Shape {
  /** @param {object} bench  gives `viewer`, `masks`, `store`, `frame()`, `show()`, `leaveTools()` */
  constructor(bench) {
    this.bench = bench;
    this.overlay = new Overlay(bench.viewer);
    this.create = new Create(this);
    this.reshape = new Reshape(this);
    Object.assign(this, { on: false, mode: "edit", hidden: false, snaps: false, selected: new Set(), pivot: null });
    const { booth } = bench.viewer;
    bench.viewer.onPlaced.push(() => this.draw());
    booth.addEventListener("pointerdown", (event) => this.on && !event.button && !event.target.closest("#divider") && this.#press(event));
    booth.addEventListener("dblclick", (event) => this.on && this.mode === "edit" && this.#twice(event));
    for (const button of document.querySelectorAll("[data-draw]")) button.addEventListener("click", () => this.begin(button.dataset.draw));
    document.getElementById("mask-snap").addEventListener("click", () => this.snap());
    for (const button of document.querySelectorAll("[data-points]")) button.addEventListener("click", () => this.#change(button.dataset.points));
    for (const [id, part] of [["mask-feather-in", 6], ["mask-feather-out", 7]]) document.getElementById(id).addEventListener("change", (event) => this.#feather(part, Number(event.target.value)));
  }

  /* Which tool is on */

  set(on) {
    if (on === this.on) return;
    this.on = on;
    this.mode = "edit";
    if (!on) this.settle();
    else if (!this.bench.masks.mask) this.bench.masks.chosen = this.bench.store.recipe.masks.order.at(-1) ?? null;
    this.unselect();
    this.#told();
  }

  /** Begin to draw a mask. */
  begin(mode) {
    if (!this.on) {
      this.bench.leaveTools();
      this.set(true);
    }
    this.mode = this.mode === mode ? "edit" : mode;
    this.unselect();
    // Corners go on with an open shape that is chosen.
    const course = this.bench.masks.course();
    if (this.mode === "corners" && (!course || course.closed)) this.bench.masks.chosen = null;
    this.#told();
  }

  /** Back to reshaping what is there. */
  edit() {
    this.mode = "edit";
    this.#told();
  }

  #told() {
    for (const button of document.querySelectorAll("[data-draw]")) button.setAttribute("aria-pressed", this.on && button.dataset.draw === this.mode);
    document.getElementById("masks").setAttribute("aria-pressed", this.on);
    this.bench.viewer.booth.classList.toggle("drawing", this.on && this.mode !== "edit");
    if (this.on) say(MODES[this.mode]);
    else unsay();
    this.bench.show();
  }

  /** Let points be drawn to edges, the middle and other points, or go freely. */
  snap() {
    this.snaps = !this.snaps;
    const button = document.getElementById("mask-snap");
    button.setAttribute("aria-checked", this.snaps);
    button.textContent = this.snaps ? "yes" : "no";
  }

  unselect() {
    this.selected = new Set();
    this.pivot = null;
  }

  hide() {
    this.hidden = !this.hidden;
    this.draw();
  }

  draw() {
    draw(this);
  }

  /* Pressing */

  /** So many pixels of the screen, in pixels of the plate. */
  pixel(count) {
    return this.bench.viewer.onPlateLength(count);
  }

  /** The place on the plate under a pointer; drawn to edges, the middle and points of other masks, where that is wanted. */
  place(event) {
    const { x, y } = this.bench.viewer.onPlate(event);
    if (!this.snaps) return [x, y];
    const { masks, facts } = this.bench;
    const others = masks.drawn().filter(([mark]) => mark !== masks.chosen).flatMap(([, , course]) => pointsAt(course, this.bench.frame()));
    return snapped([x, y], others, [facts.width, facts.height], this.near(event));
  }

  near(event) {
    return this.pixel(event.pointerType === "touch" ? TOUCH : NEAR);
  }

  #press(event) {
    this.settle();
    const at = this.place(event);
    if (this.mode === "corners") this.create.corner(event, at);
    else if (this.mode === "freehand") this.create.free(event, at);
    else if (this.mode !== "edit") this.create.form(event, at, this.mode === "ellipse" ? ellipse : rectangle);
    else this.reshape.take(event, at);
  }

  /* Points */

  /** A double click: one more point on the outline, or a point made smooth or sharp. */
  #twice(event) {
    const { masks } = this.bench;
    const points = masks.points();
    if (!points || masks.mask.locked) return;
    const at = this.place(event);
    const near = this.near(event);
    const k = points.findIndex(([x, y]) => Math.hypot(x - at[0], y - at[1]) < near);
    if (k >= 0) {
      this.selected = new Set([k]);
      this.#change(isSharp(points[k]) ? "smooth" : "sharp");
      return;
    }
    const found = nearestOn(masks.course(), points, at);
    if (found.far >= near) return;
    masks.put(withPoint(masks.course(), found.curve, found.t), true, "point added");
    this.selected = new Set([found.curve + 1]);
    this.bench.show();
  }

  #change(how) {
    const { masks } = this.bench;
    const points = masks.points();
    if (!points || !this.selected.size) return;
    if (how === "remove") {
      const left = withoutPoints(masks.course(), this.selected);
      const many = this.selected.size;
      this.unselect();
      if (left) masks.put(left, true, many > 1 ? "points removed" : "point removed");
      else masks.remove(masks.chosen);
    } else {
      masks.reshape(points.map((point, k) => (!this.selected.has(k) ? point : how === "smooth" ? smoothed(points, k) : sharpened(point))), true, how === "smooth" ? "made smooth" : "made sharp");
    }
  }

  #feather(part, width) {
    const points = this.bench.masks.points();
    if (!points || !Number.isFinite(width)) return;
    const kept = Math.min(2000, Math.max(-2000, width));
    this.bench.masks.reshape(points.map((point, k) => (this.selected.has(k) ? point.with(part, kept) : point)), true, `feather of ${this.selected.size} points`);
  }

  /* Keys */

  /** What a key does while masks are drawn; false where it is not for us. */
  key(event) {
    if (!this.on) return false;
    const { masks } = this.bench;
    const control = event.ctrlKey || event.metaKey;
    const way = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[event.key];
    if (way && this.selected.size && !control) return this.#nudge(way, event.shiftKey ? 10 : 1);
    if (control && event.key.toLowerCase() === "a" && masks.points()) this.selected = new Set(masks.points().keys());
    else if (control && event.key.toLowerCase() === "c" && masks.points()) this.copied = masks.points();
    else if (control && event.key.toLowerCase() === "v" && this.copied && masks.mask) return this.#paste();
    else if (control) return false;
    else if (["Delete", "Backspace"].includes(event.key) && this.selected.size) this.#change("remove");
    else if (event.key === "Enter" && this.mode === "corners" && masks.points()?.length > 2) this.create.close();
    else if (event.key === "Escape" && this.mode !== "edit") this.begin(this.mode);
    else if (event.key === "Escape" && this.selected.size) this.unselect();
    else return false;
    this.bench.show();
    return true;
  }

  #paste() {
    const { masks } = this.bench;
    if (masks.points().length === this.copied.length) masks.reshape(this.copied, true, "shape pasted");
    else say(`The copied shape has ${this.copied.length} points, ${masks.mask.name} has ${masks.points().length}. Copy one with as many.`);
    return true;
  }

  #nudge([dx, dy], by) {
    const { masks } = this.bench;
    masks.reshape(transformedSome(masks.points(), this.selected, [1, 0, 0, 1, dx * by, dy * by]), false, "nudged");
    clearTimeout(this.settling);
    this.nudged = true;
    this.settling = setTimeout(() => this.settle(), SETTLE);
    return true;
  }

  /** Make what was nudged a revision now. */
  settle() {
    clearTimeout(this.settling);
    if (!this.nudged) return;
    this.nudged = false;
    this.bench.masks.reshape(this.bench.masks.points(), true, "nudged");
  }
}
