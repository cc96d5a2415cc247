/** Asking for pictures: the newest request wins, a finer one follows. */

import { call } from "../lib/common.js";
import { Link } from "../lib/link.js";

/** This window, among all that ask for pictures; not every address has crypto.randomUUID. */
export const thisWindow = Array.from(crypto.getRandomValues(new Uint8Array(12)), (b) => b.toString(16).padStart(2, "0")).join("");

/** Milliseconds a quick picture may stand behind those of others before it is said, and before a finer one is asked for. */
const [LATE, REST] = [400, 220];

export class Requests {
  /**
   * @param {object} bench  gives `at`, `store`, `place()` (frame, taken, whole)
   * @param {object} acts   needed(): which pictures are shown; drawn(what, picture, quality, sequence); trouble(error)
   */
  constructor(bench, acts) {
    Object.assign(this, { bench, acts });
    this.sequence = 0;
    this.last = { result: -1, plate: -1, earlier: -1 };
    this.flying = 0;
    this.link = new Link();
  }

  /** Ask for the picture as things stand. */
  refresh() {
    this.wanted = true;
    this.finer?.abort();
    clearTimeout(this.resting);
    this.resting = setTimeout(() => this.#fine(), REST);
    this.#next();
  }

  #next() {
    if (!this.wanted || this.flying >= 2) return;
    this.wanted = false;
    for (const what of this.acts.needed()) this.#ask(what, "quick");
  }

  #fine() {
    this.finer = new AbortController();
    for (const what of this.acts.needed()) this.#ask(what, "fine", this.finer.signal);
  }

  async #ask(what, quality, signal) {
    const sequence = ++this.sequence;
    // A fine picture may take long; quick ones never wait for it.
    const counted = quality === "quick" ? 1 : 0;
    this.flying += counted;
    try {
      const picture = await this.fetch(this.bench.place(), what, quality, { sequence, signal });
      if (picture && sequence > this.last[what]) {
        this.last[what] = sequence;
        this.acts.drawn(what, picture, quality, sequence);
      }
    } catch (error) {
      if (error.name !== "AbortError") this.acts.trouble(error);
    } finally {
      this.flying -= counted;
      this.#next();
    }
  }

  /** One picture: its pixels and where they lie; null where the house passed it over for a newer request. */
  async fetch(place, what, quality, { sequence = ++this.sequence, keep = false, ahead = false, signal } = {}) {
    const recipe = what === "earlier" ? { base: this.bench.viewer.compared, changes: {} } : this.bench.store.asked;
    // What a person decides by comes as it is; what passes by may come packed.
    const packed = quality === "quick" && this.link.slow;
    const body = { ...recipe, ...place, quality, sequence, keep, ahead, packed, plate: what === "plate", window: `${thisWindow} ${what}` };
    const began = performance.now();
    const answer = await call(`${this.bench.at}/picture`, { body: JSON.stringify(body), headers: { "Content-Type": "application/json" }, signal });
    if (answer.status === 204) return null;
    // Nobody waits for what is made ahead.
    if (quality === "quick" && !ahead) this.#busy(performance.now() - began);
    return { image: await this.link.image(answer), shown: JSON.parse(answer.headers.get("X-Shown")) };
  }

  /** Say that the machine is busy while pictures come late, rather than be slow without a word. */
  #busy(took) {
    // The first ones fill the house's caches.
    this.timed = (this.timed ?? 0) + 1;
    if (this.timed < 4) return;
    this.took = this.took === undefined ? took : 0.6 * this.took + 0.4 * took;
    document.getElementById("busy").hidden = this.took < LATE;
    clearTimeout(this.calm);
    this.calm = setTimeout(() => (document.getElementById("busy").hidden = true), 5000);
  }
}
