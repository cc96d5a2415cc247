/** Cutting away borders: the whole plate is shown, and its four sides are dragged in. */

import { say, unsay } from "../../lib/common.js";
import { drag } from "../../lib/drag.js";
import { Overlay } from "../overlay.js";
import { cropped } from "../places.js";

const SIDES = ["left", "top", "right", "bottom"];

export class Crop {
  /** @param {object} bench  gives `viewer`, `store`, `facts`, `changeMany(changes, final, words)`, `refresh()` */
  constructor(bench) {
    this.bench = bench;
    this.overlay = new Overlay(bench.viewer);
    this.on = false;
    bench.viewer.onPlaced.push(() => this.draw());
    for (const button of document.querySelectorAll("[data-tool=crop]")) button.addEventListener("click", () => this.set(!this.on));
  }

  set(on) {
    if (on === this.on) return;
    this.on = on;
    for (const button of document.querySelectorAll("[data-tool=crop]")) button.setAttribute("aria-pressed", on);
    if (on) say("Drag the sides of the picture to where the screen begins. Enter or Escape when done.");
    else unsay();
    this.bench.refresh();
    this.draw();
  }

  get #crop() {
    const { take } = this.bench.store.recipe;
    return Object.fromEntries(SIDES.map((side) => [side, take[`crop_${side}`]]));
  }

  draw() {
    const { overlay } = this;
    const { facts } = this.bench;
    overlay.clear();
    if (!this.on) return;
    const crop = this.#crop;
    const [left, top, right, bottom] = [crop.left, crop.top, facts.width - crop.right, facts.height - crop.bottom];
    const kept = overlay.ring([[left, top], [right, top], [right, bottom], [left, bottom]]);
    overlay.darken(overlay.ring([[0, 0], [facts.width, 0], [facts.width, facts.height], [0, facts.height]]), kept);
    overlay.outline(kept);
    const [x, y] = [(left + right) / 2, (top + bottom) / 2];
    const middle = { left: [left, y], right: [right, y], top: [x, top], bottom: [x, bottom] };
    for (const side of SIDES) {
      const handle = overlay.handle(middle[side], { "data-handle": side, "aria-label": `Cut at the ${side}`, "aria-valuenow": crop[side] });
      handle.addEventListener("pointerdown", (event) => this.#drag(event, side));
      handle.addEventListener("keydown", (event) => this.#step(event, side));
    }
  }

  #change(crop, final) {
    const changes = Object.fromEntries(SIDES.map((side) => [`take.crop_${side}`, crop[side]]));
    this.bench.changeMany(changes, final, `Cut away: ${SIDES.map((side) => crop[side]).join(", ")} px`);
    this.draw();
  }

  #drag(event, side) {
    event.stopPropagation();
    if (event.button) return;
    const before = this.#crop;
    drag(this.bench.viewer.booth, event, {
      move: (e) => this.#change(cropped(this.#crop, side, this.bench.viewer.onPlate(e), this.bench.facts), false),
      end: (e, moved) => moved && this.#change(this.#crop, true),
      cancel: () => this.#change(before, false),
    });
  }

  #step(event, side) {
    const { matrix } = this.bench.shown;
    // Arrows go the way they point, however the picture is turned.
    const way = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[event.key];
    if (!way) return;
    event.preventDefault();
    event.stopPropagation();
    const by = event.shiftKey ? 10 : 2;
    const [dx, dy] = [way[0] * Math.sign(matrix[0]) + way[1] * Math.sign(matrix[1]), way[0] * Math.sign(matrix[2]) + way[1] * Math.sign(matrix[3])];
    const crop = this.#crop;
    const { width, height } = this.bench.facts;
    const at = { x: side === "right" ? width - crop.right : crop.left, y: side === "bottom" ? height - crop.bottom : crop.top };
    this.#change(cropped(crop, side, { x: at.x + dx * by, y: at.y + dy * by }, this.bench.facts), true);
  }
}
