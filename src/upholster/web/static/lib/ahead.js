/** Pictures made ahead while the hand rests, so that playing comes from memory; shown as a line over the frames. */

/** Milliseconds of rest before it begins. */
const REST = 1500;

export class Ahead {
  /**
   * @param {HTMLElement} over  what stands for all frames, from side to side
   * @param {object} film  span(), the first and the last frame that are played; count(), frames in all; here(), the one
   *                       in view; held(), the frames that are here; fetch(number), a promise of one; full(), no more
   *                       can be kept; playing()
   */
  constructor(over, film) {
    this.film = film;
    this.turn = 0;
    this.line = document.createElement("div");
    this.line.className = "ready";
    over.append(this.line);
  }

  /** Something was asked for: wait until it is over, then go on. */
  rest() {
    const turn = ++this.turn;
    this.#show();
    clearTimeout(this.resting);
    this.resting = setTimeout(() => this.#fill(turn), REST);
  }

  async #fill(turn) {
    const { film } = this;
    const [first, last] = film.span();
    const length = last - first + 1;
    const from = Math.min(last, Math.max(first, film.here())) - first;
    const held = new Set(film.held());
    for (let k = 0; k < length; k++) {
      const number = first + ((from + k) % length);
      if (held.has(number)) continue;
      if (turn !== this.turn || film.playing() || document.hidden || film.full()) return;
      try {
        await film.fetch(number);
      } catch {
        // Whoever plays it is told what is wrong.
        return;
      }
      this.#show();
    }
  }

  /** Runs of frames that are here, as stripes of the line. */
  #show() {
    const count = this.film.count();
    const runs = [];
    for (const frame of [...this.film.held()].sort((a, b) => a - b)) {
      if (runs.at(-1)?.end === frame) runs.at(-1).end++;
      else runs.push({ start: frame, end: frame + 1 });
    }
    const at = (frame) => `${((100 * frame) / count).toFixed(3)}%`;
    const stripes = runs.map(({ start, end }) => `transparent ${at(start)}, var(--color-ink) ${at(start)} ${at(end)}, transparent ${at(end)}`);
    this.line.style.background = `linear-gradient(to right, ${["transparent 0%", ...stripes].join(", ")})`;
  }
}
