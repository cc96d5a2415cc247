/** Pictures made ahead while the hand rests, so that playing comes from memory; shown as a line over the frames. */

/** Milliseconds of rest before it begins. */
const REST = 1500;

export class Ahead {
  /**
   * @param {object} page  gives `facts`, `view`, `playing()`
   * @param {object} film  here(), the frames that are here; fetch(number), a promise of one; full(), no more can be kept
   */
  constructor(page, film) {
    Object.assign(this, { page, film });
    this.turn = 0;
    this.line = document.createElement("div");
    this.line.className = "ready";
    document.getElementById("frames").append(this.line);
  }

  /** Something was asked for: wait until it is over, then go on. */
  rest() {
    const turn = ++this.turn;
    this.#show();
    clearTimeout(this.resting);
    this.resting = setTimeout(() => this.#fill(turn), REST);
  }

  async #fill(turn) {
    const { length } = this.page.facts;
    const from = this.page.view.frame;
    const here = new Set(this.film.here());
    for (let k = 0; k < length; k++) {
      const number = (from + k) % length;
      if (here.has(number)) continue;
      if (turn !== this.turn || this.page.playing() || document.hidden || this.film.full()) return;
      try {
        await this.film.fetch(number);
      } catch {
        // Whoever plays it is told what is wrong.
        return;
      }
      this.#show();
    }
  }

  /** Runs of frames that are here, as stripes of the line. */
  #show() {
    const { length } = this.page.facts;
    const runs = [];
    for (const frame of [...this.film.here()].sort((a, b) => a - b)) {
      if (runs.at(-1)?.end === frame) runs.at(-1).end++;
      else runs.push({ start: frame, end: frame + 1 });
    }
    const at = (frame) => `${((100 * frame) / length).toFixed(3)}%`;
    const stripes = runs.map(({ start, end }) => `transparent ${at(start)}, var(--color-ink) ${at(start)} ${at(end)}, transparent ${at(end)}`);
    this.line.style.background = `linear-gradient(to right, ${["transparent 0%", ...stripes].join(", ")})`;
  }
}
