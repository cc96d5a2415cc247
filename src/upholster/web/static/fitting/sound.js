/** The sounds of all layers: how loud they are, and heard while the fitting plays. */

import { call } from "../lib/common.js";
import { Heard } from "../lib/heard.js";
import { asNumber } from "../lib/rates.js";

const $ = (id) => document.getElementById(id);

/** Milliseconds after a change until the mix is made anew; decibels at which the meter begins. */
const RESTING = 500;
const QUIET = -60;

export class Sound {
  /** @param {object} page  gives `at`, `store`, `sources`, `facts`, `change(...)`, `trouble(error)` */
  constructor(page) {
    this.page = page;
    this.heard = new Heard();
    this.asked = 0;
    $("limited").addEventListener("change", () => page.change("sound.limited", $("limited").checked, true, $("limited").checked ? "Sound limited" : "Sound not limited"));
    $("hush").addEventListener("click", () => this.#hush($("hush").getAttribute("aria-pressed") !== "true"));
  }

  /** Whether any layer can be heard. */
  get loud() {
    const { order, each } = this.page.store.recipe.layers;
    return order.some((mark) => this.page.sources[mark]?.sound && !each[mark].muted && !each[mark].hidden);
  }

  show() {
    const { sound } = this.page.store.recipe;
    const any = this.page.store.recipe.layers.order.some((mark) => this.page.sources[mark]?.sound);
    $("sound").hidden = !any;
    $("limited").checked = sound.limited;
    if (this.was !== this.loud) {
      this.was = this.loud;
      this.page.deliver?.set({});
    }
    const stands = JSON.stringify(this.page.store.asked) + JSON.stringify(this.page.facts);
    if (!any || stands === this.stands) return;
    this.stands = stands;
    this.heard.buffer = null;
    $("loudness").textContent = this.loud ? "…" : "No layer is heard.";
    clearTimeout(this.resting);
    if (this.loud) this.resting = setTimeout(() => this.#fetch(), RESTING);
  }

  async #fetch() {
    const sequence = ++this.asked;
    try {
      const answer = await call(`${this.page.at}/mix.wav`, { body: JSON.stringify(this.page.store.asked), headers: { "Content-Type": "application/json" } });
      if (sequence !== this.asked) return;
      if (answer.status === 204) {
        $("loudness").textContent = "No layer is heard.";
        return;
      }
      this.#tell(JSON.parse(answer.headers.get("X-Loudness")));
      const buffer = await this.heard.load(await answer.arrayBuffer());
      if (sequence === this.asked) this.heard.buffer = buffer;
    } catch (error) {
      if (sequence === this.asked) $("loudness").textContent = error.message;
    }
  }

  #tell({ integrated, peak, over }) {
    const loud = integrated === null ? "too short or quiet to measure" : `${integrated.toFixed(1)} LUFS`;
    const cut = over === null ? "" : ` It goes beyond full scale from frame ${Math.floor(over * asNumber(this.page.facts.rate))} on and is cut off there: turn something down, or let it be turned down below.`;
    $("loudness").textContent = `${loud}, peak ${peak.toFixed(1)} dB.${cut}`;
    $("loudness").classList.toggle("notice", over !== null);
  }

  #hush(on) {
    $("hush").setAttribute("aria-pressed", on);
    $("hush").title = on ? "Play with sound" : "Play without sound";
    if (on) this.stop();
  }

  /** Begin at a frame, over and over; what tells the seconds since, or null where nothing is heard. */
  play(frame, rate, way) {
    this.stop();
    if ($("hush").getAttribute("aria-pressed") === "true") return null;
    const clock = this.heard.play((way > 0 ? frame : this.page.facts.length - 1 - frame) / rate, way);
    this.#meter();
    return clock;
  }

  stop() {
    this.heard.stop();
    this.#level(QUIET);
  }

  #meter() {
    const peak = this.heard.level;
    if (peak === null) return;
    this.#level(Math.max(QUIET, 20 * Math.log10(Math.max(peak, 1e-6))));
    requestAnimationFrame(() => this.#meter());
  }

  #level(decibels) {
    $("meter").setAttribute("aria-valuenow", Math.round(decibels));
    $("meter").firstElementChild.style.width = `${(100 * (decibels - QUIET)) / -QUIET}%`;
  }
}
