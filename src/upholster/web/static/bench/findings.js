/** What is wrong with the shot: asked for while it is measured, listed worst first, shown on the picture, mended. */

import { read, say, send } from "../lib/common.js";
import { Overlay } from "./overlay.js";
import { fillOf, markOf } from "./kinds.js";
import { Mending } from "./mending.js";

/** Milliseconds between two looks while frames are measured, and after a change. */
const [MEASURING, SETTLED] = [900, 250];
/** Frames from which what is known weighs so much that it is asked for less often. */
const LONG = 1000;

const $ = (id) => document.getElementById(id);
const button = (words, act, title = "") => {
  const made = Object.assign(document.createElement("button"), { type: "button", className: "plain", textContent: words, title });
  made.addEventListener("click", act);
  return made;
};

export class Findings {
  /** @param {object} bench  gives `at`, `facts`, `view`, `store`, `viewer`, `counted()`, `frame()`, `goTo(frame)`, `ribbon`, `changeMany(...)` */
  constructor(bench) {
    this.bench = bench;
    this.known = { kinds: [], frames: {}, stale: [], missing: 0, findings: [], alone: [] };
    this.stale = new Set();
    this.chosen = "";
    this.overlay = new Overlay(bench.viewer);
    this.places = new Map();
    /** The rows of the list, by all that is told of each. */
    this.rows = new Map();
    this.mending = new Mending(bench);
    bench.viewer.onPlaced.push(() => this.draw());
    $("measured").addEventListener("click", () => {
      bench.view.measured = bench.view.measured === false;
      bench.remember();
      this.#tell();
      // The house has to know before it is asked.
      setTimeout(() => this.look(), 2 * SETTLED);
    });
    $("trouble-kinds").addEventListener("click", ({ target }) => {
      const name = target.closest("[data-kind]")?.dataset.kind;
      if (!name) return;
      const unseen = new Set(bench.view.unseen ?? []);
      unseen.has(name) ? unseen.delete(name) : unseen.add(name);
      bench.view.unseen = [...unseen];
      bench.remember();
      this.#all();
    });
  }

  /** Ask how things stand, and again as long as frames are measured. */
  look(after = 0) {
    clearTimeout(this.soon);
    this.soon = setTimeout(() => this.#ask(), after);
  }

  /** The shot was changed. */
  follow() {
    this.look(SETTLED);
  }

  async #ask() {
    if (document.hidden) return this.look(5 * MEASURING);
    try {
      const known = await send(`${this.bench.at}/findings`);
      if (known.revision !== this.known.revision || known.missing !== this.known.missing) this.places.clear();
      this.#rate(known);
      const same = JSON.stringify([known.findings, known.alone, known.kinds]) === JSON.stringify([this.known.findings, this.known.alone, this.known.kinds]);
      this.known = known;
      this.stale = new Set(known.stale);
      if (same) this.#tell();
      else this.#all();
      this.bench.ribbon.show();
      this.draw();
      if (known.missing && this.bench.view.measured !== false) this.look(MEASURING * Math.max(1, this.bench.facts.length / LONG));
    } catch (error) {
      if (!error.status) this.look(5 * MEASURING);
      else this.bench.trouble(error);
    }
  }

  /** How many frames a second are measured just now. */
  #rate({ missing, revision }) {
    const now = performance.now();
    if (revision !== this.begun?.revision || missing > this.begun.missing) this.begun = { revision, missing, at: now };
    const done = this.begun.missing - missing;
    this.rate = done > 0 && now > this.begun.at ? (1000 * done) / (now - this.begun.at) : 0;
  }

  /** How bad a frame is, by kind, as far as it is shown; null where it is not measured. */
  of(frame) {
    const found = this.known.frames[frame];
    if (!found) return null;
    const unseen = this.bench.view.unseen ?? [];
    return Object.entries(found).filter(([kind]) => !unseen.includes(kind));
  }

  #shown() {
    const unseen = this.bench.view.unseen ?? [];
    return this.known.findings.filter(({ kind, alone }) => !alone && !unseen.includes(kind));
  }

  /** Go to the next trouble (1) or the one before (-1). */
  next(way) {
    const here = this.bench.frame();
    const along = this.#shown().sort((a, b) => a.worst - b.worst || b.severity - a.severity);
    const at = along.findIndex((each) => this.#key(each) === this.chosen && each.worst === here);
    const next = at >= 0 ? along[at + way] : way > 0 ? along.find(({ worst }) => worst >= here) : along.findLast(({ worst }) => worst <= here);
    if (next) this.#choose(next);
    else say(along.length ? `There is no trouble ${way > 0 ? "after" : "before"} this frame.` : this.known.missing ? "Nothing is found yet; frames are still measured." : "Nothing wrong is found in this shot.");
  }

  #key({ kind, worst, box }) {
    return `${kind} ${worst} ${box}`;
  }

  #choose(finding) {
    this.chosen = this.#key(finding);
    this.bench.goTo(finding.worst);
    this.#mark();
    this.draw();
    if (this.bench.view.view !== "trouble") say(finding.sentence);
  }

  #mark() {
    for (const row of $("troubles").children) {
      const on = row.dataset.key === this.chosen;
      row.classList.toggle("chosen", on);
      if (on) row.scrollIntoView({ block: "nearest" });
    }
  }

  #all() {
    const { kinds, findings } = this.known;
    const counts = new Map(kinds.map(({ name }) => [name, findings.filter((each) => each.kind === name && !each.alone).length]));
    const unseen = this.bench.view.unseen ?? [];
    $("trouble-kinds").replaceChildren(
      ...kinds.filter(({ name }) => counts.get(name)).map(({ name }) => {
        const chip = Object.assign(document.createElement("button"), { type: "button", className: "chip" });
        chip.dataset.kind = name;
        chip.setAttribute("aria-pressed", !unseen.includes(name));
        chip.append(markOf(name), `${name.replace("_", " ")} ${counts.get(name)}`);
        return chip;
      }),
    );
    // A row in which something is tried stays as it is.
    const rows = new Map(this.#shown().map((finding) => [JSON.stringify(finding), finding]));
    this.rows = new Map([...rows].map(([told, finding]) => [told, this.rows.get(told) ?? this.#row(finding)]));
    $("troubles").replaceChildren(...this.rows.values());
    $("left-alone").replaceChildren(...this.#alone());
    this.#mark();
    this.#tell();
  }

  #row(finding) {
    const { bench } = this;
    const row = document.createElement("li");
    row.className = "trouble";
    row.dataset.key = this.#key(finding);
    const go = button("", () => this.#choose(finding));
    go.className = "flex w-full gap-2 border-0 bg-transparent p-0 text-left";
    const picture = Object.assign(document.createElement("span"), { className: "thumb" });
    const image = Object.assign(new Image(), { loading: "lazy", alt: "", src: `${bench.facts.pictures}${finding.worst}.jpg?small=1&reading=${bench.facts.reading}` });
    const frame = document.createElement("i");
    const [left, top, right, bottom] = this.#ofPlate(finding.box);
    Object.assign(frame.style, { left: `${100 * left}%`, top: `${100 * top}%`, width: `${100 * (right - left)}%`, height: `${100 * (bottom - top)}%` });
    picture.append(image, frame);
    const words = document.createElement("span");
    words.append(markOf(finding.kind), finding.sentence);
    go.append(picture, words);
    const acts = Object.assign(document.createElement("div"), { className: "flex flex-wrap gap-x-3 pl-1 text-xs" });
    const trial = Object.assign(document.createElement("div"), { className: "hidden" });
    acts.append(
      button("Mend", () => this.mending.try(finding, trial).catch(bench.trouble), "Look for a value that takes this away"),
      button("Leave alone here", () => this.#leave({ kind: finding.kind, box: finding.around, first: finding.first, last: finding.last })),
      button("Leave this kind alone", () => this.#leave({ kind: finding.kind }), "In this shot"),
    );
    row.append(go, acts, trial);
    return row;
  }

  async #leave(what) {
    await send(`${this.bench.at}/findings/alone`, what).catch(this.bench.trouble);
    this.look();
  }

  #alone() {
    const { alone } = this.known;
    if (!alone.length) return [];
    const rows = alone.map((each, number) => {
      const row = document.createElement("li");
      row.append(`${each.kind.replace("_", " ")}${each.box ? `, frames ${each.first} to ${each.last}` : ", everywhere"} `, button("Tell again", () => this.#again(number)));
      return row;
    });
    return [Object.assign(document.createElement("li"), { className: "font-semibold", textContent: "Left alone" }), ...rows];
  }

  async #again(number) {
    await send(`${this.bench.at}/findings/again`, { number }).catch(this.bench.trouble);
    this.look();
  }

  /** Say how far it is. */
  #tell() {
    const { missing, findings } = this.known;
    const there = this.#shown().length;
    const off = this.bench.view.measured === false;
    const left = this.rate ? `, about ${Math.max(1, Math.round(missing / this.rate))} s` : "";
    const count = there === 0 ? (findings.length ? "Nothing of what is shown is wrong." : missing ? "Nothing is found yet." : "Nothing wrong is found.") : `${there} finding${there > 1 ? "s" : ""}, worst first.`;
    $("trouble-state").textContent = `${missing && !off ? `${missing} frames to measure${left}. ` : off && missing ? `${missing} frames are not measured. ` : ""}${count}`;
    $("measured").textContent = off ? "Measure" : "Stop measuring";
    $("measured").hidden = !missing && !off;
  }

  #ofPlate([left, top, right, bottom]) {
    const { crop_left, crop_top, crop_right, crop_bottom } = this.bench.store.recipe.take;
    const { width, height } = this.bench.facts;
    const across = (share) => (crop_left + share * (width - crop_left - crop_right)) / width;
    const down = (share) => (crop_top + share * (height - crop_top - crop_bottom)) / height;
    return [across(left), down(top), across(right), down(bottom)];
  }

  /** Show where the frame in view is wrong. */
  async draw() {
    this.overlay.clear();
    if (this.bench.view.view !== "trouble") return;
    const frame = this.bench.frame();
    if (!this.known.frames[frame]) return;
    const name = `${this.known.revision} ${frame}`;
    if (!this.places.has(name)) this.places.set(name, read(`${this.bench.at}/findings/places/${frame}`).catch(() => []));
    const places = await this.places.get(name);
    if (this.bench.frame() !== frame || this.bench.view.view !== "trouble") return;
    this.overlay.clear();
    const unseen = this.bench.view.unseen ?? [];
    for (const place of places) if (!unseen.includes(place.kind)) this.#place(place);
  }

  #place({ kind, box, mask }) {
    const { width, height } = this.bench.facts;
    const [left, top, right, bottom] = this.#ofPlate(box);
    const corner = (x, y) => [(left + (x / 8) * (right - left)) * width, (top + (y / 8) * (bottom - top)) * height];
    const cells = mask.flatMap((row, y) => [...Array(8).keys()].filter((x) => row & (1 << x)).map((x) => this.overlay.ring([corner(x, y), corner(x + 1, y), corner(x + 1, y + 1), corner(x, y + 1)])));
    this.overlay.add("path", { d: cells.join(""), fill: fillOf(kind), class: "fault" });
    this.overlay.outline(this.overlay.ring([corner(0, 0), corner(8, 0), corner(8, 8), corner(0, 8)]));
    const at = this.bench.viewer.inBooth(left * width, top * height);
    const label = this.overlay.add("text", { x: at.x + 2, y: Math.max(12, at.y - 4), class: "fault-name" });
    label.textContent = kind.replace("_", " ");
  }
}
