/** Playing the take: as fast as pictures come, never faster than the footage's own rate. */

/** Pictures asked for ahead. */
const AHEAD = 3;

export class Player {
  /**
   * @param {object} bench  gives `facts`, `requests`, `span()`, `counted()`, `place(number)`, `viewer`, `trouble(error)`
   * @param {object} acts   show(number, whats, pictures), stopped()
   */
  constructor(bench, acts) {
    Object.assign(this, { bench, acts });
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
    const { bench } = this;
    const run = (this.run = ++this.runs);
    this.button.setAttribute("aria-pressed", "true");
    const [first, last] = bench.span();
    const rate = asNumber(bench.facts.rate);
    const { number } = bench.counted();
    let next = number >= first && number < last ? number : first;
    const ahead = [];
    const ask = () => {
      const at = first + ((next++ - first) % (last - first + 1));
      const whats = bench.viewer.needed();
      ahead.push([at, whats, Promise.all(whats.map((what) => bench.requests.fetch(bench.place(at), what, "quick", { keep: true })))]);
    };
    for (let k = 0; k < AHEAD; k++) ask();
    const shown = [];
    let due = performance.now();
    try {
      while (this.run === run) {
        const [at, whats, coming] = ahead.shift();
        const pictures = await coming;
        ask();
        const wait = due - performance.now();
        if (wait > 0) await new Promise((done) => setTimeout(done, wait));
        due = Math.max(due + 1000 / rate, performance.now());
        if (this.run !== run) break;
        this.acts.show(at, whats, pictures);
        shown.push(performance.now());
        if (shown.length > 24) shown.shift();
        if (shown.length > 4) this.said.textContent = `${((1000 * (shown.length - 1)) / (shown.at(-1) - shown[0])).toFixed(1)} of ${rate.toFixed(5).replace(/\.?0+$/, "")} frames a second`;
      }
    } catch (error) {
      bench.trouble(error);
    }
    // Pictures still on their way are nobody's trouble any more.
    for (const [, , coming] of ahead) coming.catch(() => {});
    this.run = 0;
    this.button.setAttribute("aria-pressed", "false");
    this.acts.stopped();
  }
}

export function asNumber(text) {
  const [over, under] = String(text).split("/").map(Number);
  return over / (under || 1);
}
