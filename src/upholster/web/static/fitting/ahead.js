/** Pictures made ahead while the hand rests, so that playing comes from memory; shown as a line over the frames. */

/** Milliseconds of rest before it begins. */
const REST = 1500;

export class Ahead {
  /**
   * @param {object} page  gives `facts`, `view`, `playing()`
   * @param {object} film  has(number), whether a frame is here; fetch(number), a promise of it; full(), no more can be kept
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
    for (let k = 0; k < length; k++) {
      if (turn !== this.turn || this.page.playing() || document.hidden || this.film.full()) return;
      const number = (from + k) % length;
      if (this.film.has(number)) continue;
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
    const stops = [];
    for (let k = 0; k < length; k++) {
      const here = this.film.has(k);
      const runs = stops.at(-1);
      if (runs?.here === here) runs.end = k + 1;
      else stops.push({ here, start: k, end: k + 1 });
    }
    const at = (frame) => `${((100 * frame) / length).toFixed(3)}%`;
    const colour = (here) => (here ? "var(--color-ink)" : "transparent");
    this.line.style.background = `linear-gradient(to right, ${stops.map(({ here, start, end }) => `${colour(here)} ${at(start)} ${at(end)}`).join(", ")})`;
  }
}
