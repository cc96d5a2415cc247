/** Playing a fitting: as fast as pictures come, never faster than its own rate, over and over. */

import { asNumber } from "../bench/play.js";

/** Pictures asked for ahead. */
const AHEAD = 3;

export class Player {
  /**
   * @param {object} page  gives `facts`, `view`, `requests`, `place(number)`, `trouble(error)`
   * @param {object} acts  show(picture, quality), stopped()
   */
  constructor(page, acts) {
    Object.assign(this, { page, acts });
    this.run = 0;
    this.runs = 0;
    this.button = document.getElementById("play");
    this.said = document.getElementById("speed");
  }

  get playing() {
    return this.run > 0;
  }

  toggle() {
    if (this.playing) this.run = 0;
    else this.#play();
  }

  async #play() {
    const { page } = this;
    const run = (this.run = ++this.runs);
    this.button.setAttribute("aria-pressed", "true");
    const rate = asNumber(page.facts.rate);
    let next = page.view.frame < page.facts.length - 1 ? page.view.frame : 0;
    const ahead = [];
    const ask = () => {
      const number = next++ % page.facts.length;
      ahead.push([number, page.requests.fetch(page.place(number), "result", "quick", { keep: true })]);
    };
    for (let k = 0; k < AHEAD; k++) ask();
    const shown = [];
    let due = performance.now();
    try {
      while (this.run === run) {
        const [number, coming] = ahead.shift();
        const picture = await coming;
        ask();
        const wait = due - performance.now();
        if (wait > 0) await new Promise((done) => setTimeout(done, wait));
        due = Math.max(due + 1000 / rate, performance.now());
        if (this.run !== run) break;
        page.view.frame = number;
        document.getElementById("frame").value = number;
        document.querySelector("#frames .playhead").style.left = `${(100 * (number + 0.5)) / page.facts.length}%`;
        this.acts.show(picture, "quick");
        shown.push(performance.now());
        if (shown.length > 24) shown.shift();
        if (shown.length > 4) this.said.textContent = `${((1000 * (shown.length - 1)) / (shown.at(-1) - shown[0])).toFixed(1)} of ${rate.toFixed(3).replace(/\.?0+$/, "")} frames a second`;
      }
    } catch (error) {
      page.trouble(error);
    }
    for (const [, coming] of ahead) coming.catch(() => {});
    this.run = 0;
    this.button.setAttribute("aria-pressed", "false");
    this.acts.stopped();
  }
}
