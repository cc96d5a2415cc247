/** The masks in the work order: a list of sentences, and all that is said of the chosen one. */

import { say, send } from "../lib/common.js";
import { pointsAt } from "./course.js";
import { maskKeys } from "./mask_keys.js";
import { MaskList } from "./mask_list.js";
import { DOES, JOINS, LINES } from "./mask_words.js";
import { Outlines } from "./outlines.js";

/** A mask as it begins. */
const FRESH = { does: "discard_outside", line: "levels", joins: "add", feather: 0, spread: 0, opacity: 1, on: true, locked: false };

const $ = (id) => document.getElementById(id);

export class Masks {
  /** @param {object} bench  gives `store`, `values`, `fields`, `frame()`, `changeMany(changes, final, words)`, `show()`, `goTo(frame)` */
  constructor(bench) {
    this.bench = bench;
    this.chosen = null;
    this.outlines = new Outlines(bench);
    this.details = $("mask-details");
    fill("mask-does", DOES);
    fill("mask-joins", JOINS);
    fill("mask-line", LINES);
    for (const field of ["does", "joins", "line"]) $(`mask-${field}`).addEventListener("change", (event) => this.set(this.chosen, { [field]: event.target.value }, `${this.name(this.chosen)}: ${event.target.selectedOptions[0].text}`));
    $("mask-name").addEventListener("change", (event) => event.target.value.trim() && this.set(this.chosen, { name: event.target.value.trim() }, `Mask called ${event.target.value.trim()}`));
    $("mask-name").addEventListener("keydown", (event) => event.key === "Enter" && event.target.blur());
    this.list = new MaskList(bench, this);
    maskKeys(this);
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

  /** Their order, and each by its mark. */
  get all() {
    return this.bench.store.recipe.masks;
  }

  get mask() {
    return this.chosen && this.all.each[this.chosen];
  }

  name(mark) {
    return this.all.each[mark].name;
  }

  /** Masks of which outlines are known, in their order: [mark, mask, course]. */
  drawn() {
    return this.all.order.map((mark) => [mark, this.all.each[mark], this.outlines.of(mark)]).filter(([, , course]) => course);
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
    return Math.max(0, ...this.all.order.map((mark) => parseInt(mark.slice(1), 36) || 0)) + 1;
  }

  /** Put masks after the others, and choose the last of them, whose mark is given back. */
  #append(masks, words) {
    const number = this.#next();
    const marks = masks.map((mask, n) => `m${(number + n).toString(36)}`);
    const each = { ...this.all.each, ...Object.fromEntries(masks.map((mask, n) => [marks[n], mask])) };
    this.chosen = marks.at(-1);
    this.bench.changeMany({ "masks.order": [...this.all.order, ...marks], "masks.each": each }, true, words);
    return this.chosen;
  }

  remove(mark) {
    const { [mark]: gone, ...each } = this.all.each;
    if (this.chosen === mark) this.chosen = null;
    this.bench.shape.unselect();
    this.bench.changeMany({ "masks.order": this.all.order.filter((other) => other !== mark), "masks.each": each }, true, `${gone.name} removed`);
  }

  set(mark, fields, words) {
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
    const { order, each } = this.all;
    if (this.chosen && !each[this.chosen]) this.chosen = null;
    const said = order.filter((mark) => each[mark].on).map((mark) => `${DOES[each[mark].does]}${each[mark].does === "limit" ? `: ${LINES[each[mark].line]}` : ""} (${each[mark].name})`);
    const words = said.length > 2 ? [...said.slice(0, 2), `and ${said.length - 2} more`] : said;
    $("masks-sentence").textContent = order.length ? (words.length ? `${capital(words.join("; "))}.` : "All masks are off.") : "No masks yet.";
    this.list.show();
    this.#detail();
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
    const first = this.all.order.find((mark) => this.all.each[mark].does === mask.does && (mask.does !== "limit" || this.all.each[mark].line === mask.line)) === this.chosen;
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
}

function fill(id, options) {
  for (const [value, words] of Object.entries(options)) $(id).add(new Option(words, value));
}

const capital = (words) => words[0].toUpperCase() + words.slice(1);