/** The traces in the work order: what was brushed, how far their mattes are, and all that is said of the chosen one. */

import { say, send } from "../lib/common.js";
import { DOES } from "./mask_words.js";
import { Strokes } from "./strokes.js";

/** From which doubt on a frame is worth a look, and by how much it has to stand out from the others. */
const [DOUBTFUL, STANDS_OUT] = [0.3, 1.3];
/** Milliseconds between two questions how far a run is. */
const ASKED = 700;
/** As the recipe has it where a trace goes on to the clip's last frame. */
const OPEN_END = 10_000_000;

const $ = (id) => document.getElementById(id);

export class Traces {
  /** @param {object} bench  gives `at`, `store`, `fields`, `facts`, `values`, `frame()`, `changeMany(...)`, `goTo(frame)`, `refresh()` */
  constructor(bench) {
    this.bench = bench;
    this.chosen = null;
    this.held = new Strokes(bench);
    this.standing = {};
    for (const [value, words] of Object.entries(DOES)) if (value !== "limit") $("trace-does").add(new Option(words, value));
    for (const option of $("mask-line").options) $("trace-does").add(new Option(`limit to it: ${option.text}`, `limit ${option.value}`));
    for (const option of $("mask-joins").options) $("trace-joins").add(new Option(option.text, option.value));
    $("trace-does").addEventListener("change", (event) => {
      const [does, line] = event.target.value.split(" ");
      this.#set({ does, ...(line && { line }) }, event.target.selectedOptions[0].text);
    });
    $("trace-joins").addEventListener("change", (event) => this.#set({ joins: event.target.value }, event.target.selectedOptions[0].text));
    $("trace-name").addEventListener("change", (event) => event.target.value.trim() && this.#set({ name: event.target.value.trim() }, `called ${event.target.value.trim()}`));
    for (const id of ["trace-name", "trace-first", "trace-last", "trace-base", "trace-band"]) $(id).addEventListener("keydown", (event) => event.key === "Enter" && event.target.blur());
    for (const [field, words] of [["direction", (option) => `carried ${option.text}`], ["corrects_back", (option) => `corrections change ${option.text}`]]) {
      $(`trace-${field}`).addEventListener("change", (event) => {
        const option = event.target.selectedOptions[0];
        this.#set({ [field]: field === "direction" ? option.value : option.value === "true" }, words(option));
      });
    }
    $("trace-band").addEventListener("change", (event) => this.#band(event.target));
    for (const end of ["first", "base", "last"]) $(`trace-${end}`).addEventListener("change", (event) => this.#span(end, event.target));
    $("trace-run").addEventListener("click", () => this.#run().catch(bench.trouble));
    $("trace-new").addEventListener("click", () => {
      this.chosen = null;
      if (!bench.brush.on) bench.brush.begin("keep");
      bench.show();
    });
    for (const [id, way] of [["trace-doubt-before", -1], ["trace-doubt-after", 1]]) $(id).addEventListener("click", () => this.toDoubt(way));
  }

  get #traces() {
    return this.bench.store.recipe.traces;
  }

  get trace() {
    return this.chosen && this.#traces.each[this.chosen];
  }

  strokes() {
    return this.trace ? this.held.of(this.chosen) : [];
  }

  /** Frames of the chosen trace for the ribbon: {first, last, missing, doubtful, anchors}; null without one. */
  marks() {
    const found = this.chosen && this.standing[this.chosen];
    if (!found || !this.trace) return null;
    const sorted = Object.values(found.doubts).sort((a, b) => a - b);
    const least = Math.max(DOUBTFUL, STANDS_OUT * (sorted[sorted.length >> 1] ?? 0));
    const doubtful = Object.entries(found.doubts).filter(([, doubt]) => doubt >= least).map(([frame]) => Number(frame));
    return { ...found, missing: new Set(found.missing), doubtful, anchors: this.#anchors() };
  }

  #anchors() {
    return [...new Set(this.strokes().filter((stroke) => stroke.on !== false).map((stroke) => stroke.frame))].sort((a, b) => a - b);
  }

  choose(mark) {
    this.chosen = mark;
    this.bench.show();
  }

  /** A stroke was made: on the chosen trace, or on a new one that begins here. */
  add(stroke) {
    const words = { keep: "Brushed over what to keep", drop: "Brushed over what to drop", soft: "Brushed where it is soft" }[stroke.kind];
    if (this.trace) {
      this.bench.changeMany({ [`traces.each.${this.chosen}.strokes`]: this.held.with(this.chosen, stroke) }, true, `${words} on frame ${stroke.frame}`);
      return;
    }
    const number = Math.max(0, ...this.#traces.order.map((mark) => parseInt(mark.slice(1), 36) || 0)) + 1;
    const mark = `t${number.toString(36)}`;
    const trace = { name: `Trace ${number}`, does: "discard_outside", line: "levels", joins: "add", on: true, base: stroke.frame, first: 0, last: OPEN_END, strokes: [stroke], direction: "both", corrects_back: false, band: 3, choke: 0, feather: 0, softness: 1, calm: 0 };
    this.chosen = mark;
    this.bench.changeMany({ "traces.order": [...this.#traces.order, mark], "traces.each": { ...this.#traces.each, [mark]: trace } }, true, `${trace.name}: ${words.toLowerCase()}`);
  }

  /** Take strokes away, by their numbers. */
  take(numbers) {
    this.bench.changeMany({ [`traces.each.${this.chosen}.strokes`]: this.held.without(this.chosen, numbers) }, true, numbers.length > 1 ? "Strokes taken away" : "Stroke taken away");
  }

  #remove(mark) {
    const { [mark]: gone, ...each } = this.#traces.each;
    if (this.chosen === mark) this.chosen = null;
    this.bench.changeMany({ "traces.order": this.#traces.order.filter((other) => other !== mark), "traces.each": each }, true, `${gone.name} removed`);
  }

  #set(fields, words, mark = this.chosen) {
    const changes = Object.fromEntries(Object.entries(fields).map(([name, value]) => [`traces.each.${mark}.${name}`, value]));
    this.bench.changeMany(changes, true, `${this.#traces.each[mark].name}: ${words}`);
  }

  /** Another first, base or last frame; the base stays within the span. */
  #span(end, field) {
    const length = this.bench.facts.length;
    const number = Math.round(Number(field.value));
    if (Number.isFinite(number) && field.value.trim()) {
      const kept = Math.min(length - 1, Math.max(0, number));
      const { first, base, last } = { ...this.trace, [end]: kept };
      const fields = { first: Math.min(first, base), base, last: Math.max(last, base) };
      if (end !== "base") Object.assign(fields, { first, last, base: Math.min(Math.max(base, first), Math.max(first, last)) });
      if (fields.first <= fields.base && fields.base <= fields.last) this.#set({ ...fields, last: fields.last >= length - 1 ? OPEN_END : fields.last }, `${end} frame ${kept}`);
      else say("The first frame of a trace comes before its last.");
    }
    this.bench.show();
  }

  /** How far around the outline its edge is looked for. */
  #band(field) {
    const { low, high } = this.bench.fields["trace.band"];
    const number = Number(field.value.replace(/px|\s/g, ""));
    if (!Number.isFinite(number) || !field.value.trim()) say("The edge is looked for within so many pixels: a number.");
    else this.#set({ band: Math.min(high, Math.max(low, Math.round(10 * number) / 10)) }, "another width of its edge");
    this.bench.show();
  }

  /* Running */

  async #run() {
    const { bench } = this;
    const mark = this.chosen;
    if (this.standing[mark]?.running) await send(`${bench.at}/traces/cancel`, { trace: mark });
    else {
      await bench.saved();
      await send(`${bench.at}/traces/run`, { ...bench.store.asked, trace: mark });
    }
    await this.ask();
  }

  /** Ask how far all traces are; again soon, while any is under way. */
  async ask() {
    clearTimeout(this.asking);
    if (!this.#traces.order.length) return;
    const before = this.standing;
    try {
      this.standing = await send(`${this.bench.at}/traces`, this.bench.store.asked);
    } catch (error) {
      this.bench.trouble(error);
      return;
    }
    const frame = this.bench.frame();
    for (const [mark, found] of Object.entries(this.standing)) {
      const was = before[mark];
      if (found.problem && was?.running) say(found.problem);
      if (was && JSON.stringify(was.missing) !== JSON.stringify(found.missing) && was.missing.includes(frame) !== found.missing.includes(frame)) this.bench.refresh();
    }
    if (Object.values(this.standing).some((found) => found.running)) this.asking = setTimeout(() => this.ask(), ASKED);
    this.show();
    this.bench.ribbon.show();
  }

  /** Go to the next (1) or last (-1) frame whose matte is unsure. */
  toDoubt(way) {
    const frames = (this.marks()?.doubtful ?? []).filter((frame) => (frame - this.bench.frame()) * way > 0).sort((a, b) => (a - b) * way);
    if (frames.length) this.bench.goTo(frames[0]);
    else say(this.trace ? "No frame further on is in doubt." : "Choose a trace first.");
    return true;
  }

  /* The line */

  show() {
    const { order, each } = this.#traces;
    if (this.chosen && !each[this.chosen]) this.chosen = null;
    const told = JSON.stringify(order.map((mark) => [mark, each[mark].strokes, each[mark].base, each[mark].first, each[mark].last, each[mark].direction, each[mark].corrects_back, each[mark].band]));
    if (this.told !== told) {
      this.told = told;
      clearTimeout(this.asking);
      this.asking = setTimeout(() => this.ask(), 150);
    }
    const said = order.filter((mark) => each[mark].on).map((mark) => `${DOES[each[mark].does]} (${each[mark].name}${this.#word(mark)})`);
    const words = said.length > 2 ? [...said.slice(0, 2), `and ${said.length - 2} more`] : said;
    $("traces-sentence").textContent = order.length ? (words.length ? `${words.join("; ")}.`.replace(/^./, (c) => c.toUpperCase()) : "All traces are off.") : "Nothing is traced by hand.";
    this.#list(order);
    this.#detail();
  }

  #word(mark) {
    const found = this.standing[mark];
    if (!found) return "";
    const of = found.last - found.first + 1;
    return found.missing.length ? `, ${of - found.missing.length} of ${of} frames` : "";
  }

  #list(order) {
    const list = $("trace-list");
    if (this.built !== order.join(" ")) {
      this.built = order.join(" ");
      list.replaceChildren(...order.map((mark) => {
        const row = $("trace-row").content.firstElementChild.cloneNode(true);
        row.dataset.mark = mark;
        const part = (name) => row.querySelector(`[data-part=${name}]`);
        part("choose").addEventListener("click", () => this.choose(this.chosen === mark ? null : mark));
        part("on").addEventListener("click", () => this.#set({ on: !this.#traces.each[mark].on }, this.#traces.each[mark].on ? "off" : "on", mark));
        part("remove").addEventListener("click", () => this.#remove(mark));
        return row;
      }));
      // The one that was drawn last is the one that is meant.
      if (!this.trace) this.chosen = order.at(-1) ?? null;
    }
    for (const row of list.children) {
      const trace = this.#traces.each[row.dataset.mark];
      const part = (name) => row.querySelector(`[data-part=${name}]`);
      row.classList.toggle("chosen", row.dataset.mark === this.chosen);
      row.classList.toggle("off", !trace.on);
      part("choose").textContent = trace.name;
      part("choose").title = trace.name;
      part("choose").setAttribute("aria-pressed", row.dataset.mark === this.chosen);
      part("word").textContent = DOES[trace.does] + this.#word(row.dataset.mark);
      part("on").setAttribute("aria-pressed", trace.on);
      part("on").setAttribute("aria-label", `${trace.name} on`);
      part("remove").setAttribute("aria-label", `Remove ${trace.name}`);
    }
  }

  #detail() {
    const { trace } = this;
    $("trace-details").hidden = !trace;
    if (!trace) {
      $("trace-values").replaceChildren();
      this.detailed = null;
      return;
    }
    if (this.detailed !== this.chosen) this.bench.values.fill("trace", `traces.each.${this.chosen}`);
    this.detailed = this.chosen;
    const length = this.bench.facts.length;
    for (const [id, value] of [["name", trace.name], ["first", trace.first], ["base", trace.base], ["last", Math.min(trace.last, length - 1)], ["band", trace.band]]) {
      if (document.activeElement !== $(`trace-${id}`)) $(`trace-${id}`).value = value;
    }
    $("trace-does").value = trace.does === "limit" ? `limit ${trace.line}` : trace.does;
    $("trace-joins").value = trace.joins;
    $("trace-direction").value = trace.direction;
    $("trace-corrects_back").value = trace.corrects_back;
    $("trace-joined").hidden = this.#traces.order.find((mark) => this.#traces.each[mark].does === trace.does) === this.chosen;
    const found = this.standing[this.chosen];
    const running = Boolean(found?.running);
    $("trace-run").querySelector("span").textContent = running ? "Stop" : "Run";
    $("trace-run").disabled = !running && !found?.missing.length;
    const of = found ? found.last - found.first + 1 : 0;
    const done = found ? of - found.missing.length : 0;
    $("trace-progress").hidden = !running;
    $("trace-progress").max = of;
    $("trace-progress").value = done;
    const left = found?.left ? `, about ${Math.ceil(found.left)} s left` : "";
    $("trace-said").textContent = !found ? "" : running ? `${done} of ${of} frames${left}` : found.problem || (of === 1 ? `The one frame is ${found.missing.length ? "to be traced" : "traced"}.` : found.missing.length ? `${found.missing.length} of ${of} frames are to be traced.` : `All ${of} frames are traced.`);
    this.#corrections();
  }

  #corrections() {
    const frames = [...new Set(this.strokes().map((stroke) => stroke.frame))].sort((a, b) => a - b);
    const told = JSON.stringify([this.chosen, frames, this.#anchors(), this.trace.base]);
    if (this.listed === told) return;
    this.listed = told;
    $("trace-brushed").replaceChildren(...frames.map((frame) => {
      const row = $("trace-frame").content.firstElementChild.cloneNode(true);
      const on = this.#anchors().includes(frame);
      const part = (name) => row.querySelector(`[data-part=${name}]`);
      part("go").textContent = frame === this.trace.base ? `frame ${frame}, the base` : `frame ${frame}`;
      part("go").addEventListener("click", () => this.bench.goTo(frame));
      part("on").textContent = on ? "leave out" : "use again";
      part("on").setAttribute("aria-label", `${on ? "Leave out" : "Use again"} the strokes of frame ${frame}`);
      part("on").addEventListener("click", () => this.#set({ strokes: this.held.switched(this.chosen, frame, !on) }, `strokes of frame ${frame} ${on ? "left out" : "used again"}`));
      part("remove").setAttribute("aria-label", `Remove the strokes of frame ${frame}`);
      part("remove").addEventListener("click", () => this.take(this.strokes().flatMap((stroke, n) => (stroke.frame === frame ? [n] : []))));
      return row;
    }));
  }

  showSize(radius) {
    $("brush-size").textContent = `${Math.round(2 * radius)} px wide`;
  }
}
