/** The list of masks: a row each, to choose, switch, lock, remove, and drag to another place in the order. */

import { reorderedBy } from "../lib/reorder.js";
import { DOES, LINES } from "./mask_words.js";

export class MaskList {
  /** @param {object} masks  gives `all` (order, each), `chosen`, `outlines`, `name(mark)`, `set(mark, fields, words)`, `choose(mark)`, `remove(mark)` */
  constructor(bench, masks) {
    Object.assign(this, { bench, masks });
    this.list = document.getElementById("mask-list");
  }

  show() {
    const { order } = this.masks.all;
    const built = order.join(" ");
    if (this.built !== built) this.#build(order);
    this.built = built;
    for (const row of this.list.children) this.#row(row, row.dataset.mark);
  }

  #build(order) {
    this.list.replaceChildren(...order.map((mark) => {
      const row = document.getElementById("mask-row").content.firstElementChild.cloneNode(true);
      row.dataset.mark = mark;
      const part = (name) => row.querySelector(`[data-part=${name}]`);
      part("choose").addEventListener("click", () => {
        this.masks.choose(mark);
        this.bench.shape.set(true);
      });
      part("on").addEventListener("click", () => this.masks.set(mark, { on: !this.masks.all.each[mark].on }, `${this.masks.name(mark)} ${this.masks.all.each[mark].on ? "off" : "on"}`));
      part("locked").addEventListener("click", () => this.masks.set(mark, { locked: !this.masks.all.each[mark].locked }, `${this.masks.name(mark)} ${this.masks.all.each[mark].locked ? "unlocked" : "locked"}`));
      part("remove").addEventListener("click", () => this.masks.remove(mark));
      reorderedBy(part("grip"), (step) => {
        this.#move(mark, this.masks.all.order.indexOf(mark) + step);
        this.list.querySelector(`[data-mark="${mark}"] [data-part=grip]`).focus();
      }, (place) => this.#move(mark, place));
      return row;
    }));
  }

  #move(mark, to) {
    const order = this.masks.all.order.filter((other) => other !== mark);
    order.splice(Math.max(0, to), 0, mark);
    if (order.join() !== this.masks.all.order.join()) this.bench.changeMany({ "masks.order": order }, true, `${this.masks.name(mark)} put ${order.indexOf(mark) + 1}.`);
  }

  #row(row, mark) {
    const mask = this.masks.all.each[mark];
    const course = this.masks.outlines.of(mark);
    const part = (name) => row.querySelector(`[data-part=${name}]`);
    row.classList.toggle("chosen", mark === this.masks.chosen);
    row.classList.toggle("off", !mask.on);
    part("choose").textContent = mask.name;
    part("choose").title = mask.name;
    part("choose").setAttribute("aria-pressed", mark === this.masks.chosen);
    part("on").setAttribute("aria-pressed", mask.on);
    part("on").title = mask.on ? "On: leave it out" : "Off: let it do what it does";
    part("on").setAttribute("aria-label", `${mask.name} on`);
    part("locked").setAttribute("aria-pressed", mask.locked);
    part("locked").title = mask.locked ? "Locked: let its shape be changed" : "Lock its shape";
    part("locked").setAttribute("aria-label", `${mask.name} locked`);
    part("remove").setAttribute("aria-label", `Remove ${mask.name}`);
    part("grip").setAttribute("aria-label", `Move ${mask.name} in the order`);
    part("word").textContent = course ? word(mask, course) : "";
  }
}

function word(mask, course) {
  const count = course.keys[0].points.length;
  if (count < 3) return "needs three points";
  if (!course.closed) return "open: does nothing yet";
  const keys = course.keys.length > 1 ? `, ${course.keys.length} keyframes` : "";
  return `${mask.does === "limit" ? LINES[mask.line] : DOES[mask.does]}${keys}`;
}
