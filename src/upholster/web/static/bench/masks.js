/** The masks in the work order: a list of sentences, and all that is said of the chosen one. */

import { say, send } from "../lib/common.js";
import { drag } from "../lib/drag.js";
import { later, pointsAt } from "./course.js";
import { Outlines } from "./outlines.js";

const DOES = { discard_outside: "discard what is outside", discard_inside: "discard what is inside", keep_inside: "keep what is inside", limit: "limit to its inside" };
const JOINS = { add: "added to", take_away: "taken away from", common: "in common with", either: "either this or" };
const LINES = {
  levels: "clear and solid", fill_holes: "closing of holes", specks: "taking out of bits", see_through: "glass and gauze", edge_smoothing: "calming along edges",
  qualifier: "hues of the screen", joined: "joined ground", recover: "fine detail", choke: "moving of the edge", edge_colour: "colour of the edge",
};

/** A mask as it begins. */
const FRESH = { does: "discard_outside", line: "levels", joins: "add", feather: 0, spread: 0, opacity: 1, on: true, locked: false };

const $ = (id) => document.getElementById(id);

export class Masks {
  /** @param {object} bench  gives `store`, `values`, `fields`, `frame()`, `changeMany(changes, final, words)`, `show()`, `goTo(frame)` */
  constructor(bench) {
    this.bench = bench;
    this.chosen = null;
    this.outlines = new Outlines(bench);
    this.list = $("mask-list");
    this.details = $("mask-details");
    fill("mask-does", DOES);
    fill("mask-joins", JOINS);
    fill("mask-line", LINES);
    for (const field of ["does", "joins", "line"]) $(`mask-${field}`).addEventListener("change", (event) => this.#set(this.chosen, { [field]: event.target.value }, `${this.#name(this.chosen)}: ${event.target.selectedOptions[0].text}`));
    $("mask-name").addEventListener("change", (event) => event.target.value.trim() && this.#set(this.chosen, { name: event.target.value.trim() }, `Mask called ${event.target.value.trim()}`));
    $("mask-name").addEventListener("keydown", (event) => event.key === "Enter" && event.target.blur());
    this.#keys();
    $("mask-svg").addEventListener("change", (event) => this.#read(event.target).catch(bench.trouble));
    $("mask-mattes")?.addEventListener("change", (event) => this.#readMattes(event.target).catch(bench.trouble));
  }

  /** Add the paths of an SVG as masks. */
  async #read(field) {
    const [file] = field.files;
    field.value = "";
    if (!file) return;
    this.addAll(await send(`${this.bench.at}/masks/read`, { svg: await file.text() }), `read from ${file.name}`);
  }

  /** Add mattes that were brought in as footage. */
  async #readMattes(select) {
    const [{ value, text }] = select.selectedOptions;
    select.value = "";
    say(`Finding the outlines of ${text}.`);
    this.addAll(await send(`${this.bench.at}/masks/from-mattes`, { footage: value }), `read from ${text}`);
  }

  get #masks() {
    return this.bench.store.recipe.masks;
  }

  get mask() {
    return this.chosen && this.#masks.each[this.chosen];
  }

  #name(mark) {
    return this.#masks.each[mark].name;
  }

  /** Masks of which outlines are known, in their order: [mark, mask, course]. */
  drawn() {
    return this.#masks.order.map((mark) => [mark, this.#masks.each[mark], this.outlines.of(mark)]).filter(([, , course]) => course);
  }

  /** The chosen mask's outline, and its points on the frame in view. */
  course() {
    return this.mask && this.outlines.of(this.chosen);
  }

  points() {
    const course = this.course();
    return course && pointsAt(course, this.bench.frame());
  }

  /** Frames with a keyframe of any mask's outline. */
  keyed() {
    return this.drawn().flatMap(([, , course]) => (course.keys.length > 1 ? course.keys.map((key) => key.frame) : []));
  }

  choose(mark) {
    this.chosen = mark;
    this.bench.shape.unselect();
    this.bench.show();
  }

  /** Add a mask, which is then the chosen one. */
  add(course, words, more = {}) {
    const number = this.#next();
    return this.#append([{ ...FRESH, name: `Mask ${number}`, ...more, course }], words ?? `Mask ${number} drawn`);
  }

  /** Add whole masks in one step. */
  addAll(masks, words) {
    this.#append(masks, `${masks.length === 1 ? masks[0].name : `${masks.length} masks`} ${words}`);
  }

  #next() {
    return Math.max(0, ...this.#masks.order.map((mark) => parseInt(mark.slice(1), 36) || 0)) + 1;
  }

  /** Put masks after the others, and choose the last of them, whose mark is given back. */
  #append(masks, words) {
    const number = this.#next();
    const marks = masks.map((mask, n) => `m${(number + n).toString(36)}`);
    const each = { ...this.#masks.each, ...Object.fromEntries(masks.map((mask, n) => [marks[n], mask])) };
    this.chosen = marks.at(-1);
    this.bench.changeMany({ "masks.order": [...this.#masks.order, ...marks], "masks.each": each }, true, words);
    return this.chosen;
  }

  remove(mark) {
    const { [mark]: gone, ...each } = this.#masks.each;
    if (this.chosen === mark) this.chosen = null;
    this.bench.shape.unselect();
    this.bench.changeMany({ "masks.order": this.#masks.order.filter((other) => other !== mark), "masks.each": each }, true, `${gone.name} removed`);
  }

  #set(mark, fields, words) {
    const changes = Object.fromEntries(Object.entries(fields).map(([name, value]) => [`masks.each.${mark}.${name}`, value]));
    this.bench.changeMany(changes, true, words);
  }

  /** Give the chosen mask another outline. */
  put(course, final, words) {
    this.bench.changeMany({ [`masks.each.${this.chosen}.course`]: course }, final, `${this.mask.name}: ${words}`);
  }

  /** Other points of the chosen mask on the frame in view. */
  reshape(points, final, words) {
    this.put(this.outlines.reshaped(this.chosen, this.bench.frame(), points), final, `${words} on frame ${this.bench.frame()}`);
  }

  /* The list */

  show() {
    const { order, each } = this.#masks;
    if (this.chosen && !each[this.chosen]) this.chosen = null;
    const said = order.filter((mark) => each[mark].on).map((mark) => `${DOES[each[mark].does]}${each[mark].does === "limit" ? `: ${LINES[each[mark].line]}` : ""} (${each[mark].name})`);
    const words = said.length > 2 ? [...said.slice(0, 2), `and ${said.length - 2} more`] : said;
    $("masks-sentence").textContent = order.length ? (words.length ? `${capital(words.join("; "))}.` : "All masks are off.") : "No masks yet.";
    const built = order.join(" ");
    if (this.built !== built) this.#build(order);
    this.built = built;
    for (const row of this.list.children) this.#row(row, row.dataset.mark);
    this.#detail();
  }

  #build(order) {
    this.list.replaceChildren(...order.map((mark) => {
      const row = $("mask-row").content.firstElementChild.cloneNode(true);
      row.dataset.mark = mark;
      const part = (name) => row.querySelector(`[data-part=${name}]`);
      part("choose").addEventListener("click", () => {
        this.choose(mark);
        this.bench.shape.set(true);
      });
      part("on").addEventListener("click", () => this.#set(mark, { on: !this.#masks.each[mark].on }, `${this.#name(mark)} ${this.#masks.each[mark].on ? "off" : "on"}`));
      part("locked").addEventListener("click", () => this.#set(mark, { locked: !this.#masks.each[mark].locked }, `${this.#name(mark)} ${this.#masks.each[mark].locked ? "unlocked" : "locked"}`));
      part("remove").addEventListener("click", () => this.remove(mark));
      part("grip").addEventListener("pointerdown", (event) => this.#reorder(event, row, mark));
      part("grip").addEventListener("keydown", (event) => {
        const step = { ArrowUp: -1, ArrowDown: 1 }[event.key];
        if (!step) return;
        event.preventDefault();
        event.stopPropagation();
        this.#move(mark, this.#masks.order.indexOf(mark) + step);
        this.list.querySelector(`[data-mark="${mark}"] [data-part=grip]`).focus();
      });
      return row;
    }));
  }

  #move(mark, to) {
    const order = this.#masks.order.filter((other) => other !== mark);
    order.splice(Math.max(0, to), 0, mark);
    if (order.join() !== this.#masks.order.join()) this.bench.changeMany({ "masks.order": order }, true, `${this.#name(mark)} put ${order.indexOf(mark) + 1}.`);
  }

  #reorder(event, row, mark) {
    if (event.button) return;
    event.preventDefault();
    const rows = [...this.list.children];
    const place = (e) => rows.filter((other) => other !== row && e.clientY > other.getBoundingClientRect().top + other.offsetHeight / 2).length;
    const shift = (dy) => (row.style.transform = dy ? `translateY(${dy}px)` : "");
    drag(event.currentTarget, event, {
      move: (e, dx, dy) => shift(dy),
      end: (e, moved) => {
        shift(0);
        if (moved) this.#move(mark, place(e));
      },
      cancel: () => shift(0),
    });
  }

  #row(row, mark) {
    const mask = this.#masks.each[mark];
    const course = this.outlines.of(mark);
    const part = (name) => row.querySelector(`[data-part=${name}]`);
    row.classList.toggle("chosen", mark === this.chosen);
    row.classList.toggle("off", !mask.on);
    part("choose").textContent = mask.name;
    part("choose").title = mask.name;
    part("choose").setAttribute("aria-pressed", mark === this.chosen);
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

  #detail() {
    const { mask } = this;
    this.details.hidden = !mask;
    if (!mask) {
      // Its numbers go with it.
      $("mask-values").replaceChildren();
      this.detailed = null;
      return;
    }
    if (this.detailed !== this.chosen) this.bench.values.fill("mask", `masks.each.${this.chosen}`);
    this.detailed = this.chosen;
    if (document.activeElement !== $("mask-name")) $("mask-name").value = mask.name;
    for (const field of ["does", "joins", "line"]) $(`mask-${field}`).value = mask[field];
    $("mask-limits").hidden = mask.does !== "limit";
    const first = this.#masks.order.find((mark) => this.#masks.each[mark].does === mask.does && (mask.does !== "limit" || this.#masks.each[mark].line === mask.line)) === this.chosen;
    $("mask-joined").hidden = first;
    const course = this.course();
    this.bench.follow.show();
    if (!course) return;
    const frames = course.keys.map((key) => key.frame);
    const here = frames.indexOf(this.bench.frame());
    $("mask-at").textContent = frames.length === 1 ? "One shape for the whole clip; reshape it on another frame to let it move." : here >= 0 ? `Keyframe ${here + 1} of ${frames.length}: from here it` : `Between keyframes, of which there are ${frames.length}.`;
    $("mask-way").hidden = frames.length === 1 || here < 0;
    if (here >= 0) $("mask-way").value = course.keys[here].next;
    $("mask-unkey").disabled = frames.length === 1 || here < 0;
    $("mask-later").hidden = frames.length === 1;
    $("mask-closed").textContent = course.closed ? "open it" : "close it";
    $("mask-closed-words").textContent = course.closed ? "closed" : "open, and does nothing";
    const chosen = this.bench.shape.selected.size;
    $("mask-chosen").hidden = !chosen;
    $("mask-count").textContent = chosen === 1 ? "The chosen point:" : `${chosen} chosen points:`;
    const feathers = [...this.bench.shape.selected].map((k) => this.points()[k]).filter(Boolean);
    for (const [id, k] of [["mask-feather-in", 6], ["mask-feather-out", 7]]) {
      if (document.activeElement !== $(id) && feathers.length) $(id).value = feathers[0][k];
    }
  }

  /* Keyframes of the outline */

  #keys() {
    fill("mask-way", { hold: "holds", linear: "goes straight", smooth: "goes smoothly" });
    $("mask-way").addEventListener("change", (event) => {
      const course = this.course();
      this.put({ ...course, keys: course.keys.map((key) => (key.frame === this.bench.frame() ? { ...key, next: event.target.value } : key)) }, true, `way from frame ${this.bench.frame()} changed`);
    });
    const step = (way) => {
      const frames = this.course().keys.map((key) => key.frame).filter((frame) => (frame - this.bench.frame()) * way > 0);
      if (frames.length) this.bench.goTo(way > 0 ? frames[0] : frames.at(-1));
    };
    $("mask-before").addEventListener("click", () => step(-1));
    $("mask-after").addEventListener("click", () => step(1));
    $("mask-unkey").addEventListener("click", () => this.put(this.outlines.without(this.chosen, this.bench.frame()), true, `keyframe removed from frame ${this.bench.frame()}`));
    $("mask-clear").addEventListener("click", () => this.#clear());
    $("mask-move").addEventListener("change", (event) => {
      const by = Math.round(Number(event.target.value)) || 0;
      event.target.value = 0;
      if (by) this.put(later(this.course(), by), true, `keyframes moved by ${by} frames`);
    });
    $("mask-closed").addEventListener("click", () => {
      const course = this.course();
      this.put({ ...course, closed: !course.closed }, true, course.closed ? "opened" : "closed");
    });
  }

  /** Take away the keyframes from one frame to another, but for the last one that is left. */
  #clear() {
    const [from, to] = [$("mask-from"), $("mask-to")].map((field) => Number(field.value));
    const course = this.course();
    const keys = course.keys.filter((key) => key.frame < Math.min(from, to) || key.frame > Math.max(from, to));
    const left = keys.length ? keys : [{ ...course.keys[0], points: pointsAt(course, this.bench.frame()) }];
    if (left.length < course.keys.length) this.put({ ...course, keys: left }, true, `keyframes removed from frame ${from} to ${to}`);
  }
}

function word(mask, course) {
  const count = course.keys[0].points.length;
  if (count < 3) return "needs three points";
  if (!course.closed) return "open: does nothing yet";
  const keys = course.keys.length > 1 ? `, ${course.keys.length} keyframes` : "";
  return `${mask.does === "limit" ? LINES[mask.line] : DOES[mask.does]}${keys}`;
}

function fill(id, options) {
  for (const [value, words] of Object.entries(options)) $(id).add(new Option(words, value));
}

const capital = (words) => words[0].toUpperCase() + words.slice(1);
