/** The sound of a shot, heard while it plays: of its take as shot, or as it is delivered. */

import { call } from "../lib/common.js";
import { Heard } from "../lib/heard.js";

const $ = (id) => document.getElementById(id);

/** Milliseconds after a change until the sound is made anew. */
const RESTING = 500;

export class Sound {
  /** @param {object} bench  gives `at`, `store`, `facts`, `view`, `span()`, `remember()`, `trouble(error)` */
  constructor(bench) {
    this.bench = bench;
    this.heard = new Heard();
    this.asked = 0;
    $("hush").hidden = !bench.facts.sound;
    $("hush").addEventListener("click", () => {
      bench.view.hushed = !bench.view.hushed;
      if (bench.view.hushed) this.stop();
      this.follow();
      bench.remember();
    });
  }

  /** Have it made anew, where it has become another. */
  follow() {
    const { facts, store, view } = this.bench;
    if (!facts.sound) return;
    $("hush").setAttribute("aria-pressed", view.hushed);
    $("hush").title = view.hushed ? "Play with sound" : "Play without sound";
    const stands = JSON.stringify([store.recipe.take, view.taken]);
    if (view.hushed || stands === this.stands) return;
    this.stands = stands;
    this.heard.buffer = null;
    clearTimeout(this.resting);
    this.resting = setTimeout(() => this.#fetch(), RESTING);
  }

  async #fetch() {
    const sequence = ++this.asked;
    const { at, store, view, trouble } = this.bench;
    try {
      const body = JSON.stringify({ ...store.asked, taken: view.taken });
      const answer = await call(`${at}/sound.wav`, { body, headers: { "Content-Type": "application/json" } });
      const buffer = answer.status === 204 ? null : await this.heard.load(await answer.arrayBuffer());
      if (sequence !== this.asked) return;
      this.heard.buffer = buffer;
      $("hush").disabled = !buffer;
      if (!buffer) $("hush").title = "Not heard here: it runs too fast or slow, or for more than five minutes";
    } catch (error) {
      if (sequence === this.asked) trouble(error);
    }
  }

  /** Begin at a frame; what tells the seconds since, or null where nothing is heard. */
  play(number, rate, way) {
    if (this.bench.view.hushed) return null;
    const [first, last] = this.bench.span();
    return this.heard.play((way > 0 ? number - first : last - number) / rate, way);
  }

  stop() {
    this.heard.stop();
  }
}
