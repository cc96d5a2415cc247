/** Which frame is in view, counted as shot or as delivered. */

import { output, source } from "./times.js";

export class Frames {
  /**
   * @param {object} bench  gives `facts`, `view` (frame, output, taken), `shown.times`, `store`
   * @param {object} acts   moved(): another number is in view; counted(): frames are counted another way
   */
  constructor(bench, acts) {
    Object.assign(this, { bench, acts });
  }

  /** How frames are counted, which one is in view, and how many there are. */
  counted() {
    const { view, shown, facts } = this.bench;
    return view.taken ? { taken: true, number: view.output, count: shown.times.frames } : { taken: false, number: view.frame, count: facts.length };
  }

  /** The numbers that are played, first and last. */
  span() {
    const { view, shown, facts, store } = this.bench;
    if (view.taken) return [0, shown.times.frames - 1];
    const { first, last } = store.recipe.take;
    return [Math.min(first, facts.length - 1), Math.min(last ?? Infinity, facts.length - 1)];
  }

  /** Note which number is in view, and the frame of the footage with it. */
  settle(number) {
    const { view, shown, facts } = this.bench;
    if (view.taken) {
      view.output = Math.min(number, shown.times.frames - 1);
      view.frame = source(shown.times, view.output);
    } else {
      view.frame = Math.min(number, facts.length - 1);
    }
  }

  /** Bring a number into view. */
  go(number) {
    const now = this.counted();
    number = Math.min(now.count - 1, Math.max(0, Math.round(number)));
    if (number === now.number) return;
    this.settle(number);
    this.acts.moved();
  }

  /** Bring a frame of the footage into view. */
  goTo(frame) {
    this.go(this.bench.view.taken ? output(this.bench.shown.times, frame) : frame);
  }

  /** Count frames as they are delivered, or as they were shot; the same picture stays in view. */
  countAs(taken) {
    const { view, shown } = this.bench;
    if (taken === view.taken) return;
    view.taken = taken;
    this.settle(taken ? output(shown.times, view.frame) : view.frame);
    this.acts.counted();
  }

  /** Frames come out otherwise than before: what is in view stays there as far as it can. */
  retimed() {
    this.settle(this.counted().number);
  }
}
