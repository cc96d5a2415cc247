/** Letting the chosen mask follow what is under it, frame by frame, until it is stopped, lost, or at an end. */

import { say, send } from "../lib/common.js";

const $ = (id) => document.getElementById(id);

export class Follow {
  /** @param {object} bench  gives `at`, `store`, `masks`, `facts`, `frame()`, `goTo(frame)` */
  constructor(bench) {
    this.bench = bench;
    this.errors = new Map();
    this.running = false;
    $("follow-back").addEventListener("click", () => this.#toggle(-1));
    $("follow-on").addEventListener("click", () => this.#toggle(1));
    $("mask-thin").addEventListener("click", () => this.#thin().catch(bench.trouble));
    $("mask-propose").addEventListener("click", () => this.#propose().catch(bench.trouble));
  }

  /** Say how well the frame in view was followed. */
  show() {
    const error = this.errors.get(`${this.bench.masks.chosen} ${this.bench.frame()}`);
    $("follow-said").textContent = error === undefined ? "" : `Followed to this frame; features missed their place by ${error.toFixed(2)} px.`;
    for (const [id, words] of [["follow-back", "back"], ["follow-on", "on"]]) $(id).textContent = this.running ? "stop" : words;
  }

  stop() {
    this.running = false;
  }

  async #toggle(way) {
    if (this.running) return this.stop();
    this.running = true;
    try {
      await this.#run(way);
    } catch (error) {
      this.bench.trouble(error);
    } finally {
      this.running = false;
      this.show();
    }
    return undefined;
  }

  async #run(way) {
    const { bench } = this;
    const { masks, store } = bench;
    const mark = masks.chosen;
    const from = bench.frame();
    const motion = $("follow-motion").value;
    const last = way > 0 ? bench.facts.length - 1 : 0;
    let frame = from;
    let said = "";
    const path = `masks.each.${mark}.course`;
    const before = store.get(path);
    // The frame it begins on is a keyframe of its own.
    masks.reshape(masks.points(), false, "followed");
    while (this.running && frame !== last && !said) {
      const { steps, lost } = await send(`${bench.at}/masks/follow`, { ...store.asked, mask: mark, frame, way, motion });
      if (!store.recipe.masks.each[mark] || masks.chosen !== mark) return;
      const keys = Object.fromEntries(steps.map((step) => [step.frame, step.points]));
      for (const step of steps) this.errors.set(`${mark} ${step.frame}`, step.error);
      if (steps.length) {
        masks.put(masks.outlines.reshapedMany(mark, keys), false, "followed");
        frame = steps.at(-1).frame;
        bench.goTo(frame);
      }
      said = lost || (steps.length ? "" : "There is nothing more to follow.");
    }
    if (frame !== from) masks.put(store.get(path), true, `followed from frame ${from} to ${frame}`);
    else bench.change(path, before, false);
    if (said) say(`${said} Reshape it here, and go on from here.`);
  }

  async #thin() {
    const { bench } = this;
    const mark = bench.masks.chosen;
    const before = bench.masks.course().keys.length;
    const tolerance = Math.max(0, Number($("mask-tolerance").value.replace(",", ".")) || 0);
    const course = await send(`${bench.at}/masks/thin`, { ...bench.store.asked, mask: mark, tolerance });
    if (bench.masks.chosen === mark && course.keys.length < before) bench.masks.put(course, true, `keyframes thinned from ${before} to ${course.keys.length}`);
    else say("No keyframe can go within this tolerance.");
  }

  async #propose() {
    const { bench } = this;
    const mask = await send(`${bench.at}/masks/propose`, bench.store.asked);
    bench.masks.add(mask.course, "Garbage mask proposed", mask);
    bench.shape.set(true);
  }
}
