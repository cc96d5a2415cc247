/** A change that takes a finding away: looked for by the house, shown before and after, made by one press. */

import { call, send } from "../lib/common.js";
import { thisWindow } from "./requests.js";
import { withDifferences } from "./store.js";

/** Sides of the pictures of before and after, and how far around the place they show. */
const [SIDE, AROUND] = [120, 0.06];
/** What they are laid over: a colour that subjects hardly have. */
const GROUND = "#c026a8";

export class Mending {
  /** @param {object} bench  gives `at`, `store`, `requests`, `changeMany(...)`, `saved()` */
  constructor(bench) {
    this.bench = bench;
    this.sequence = 0;
  }

  /** Look for what mends a finding, and show it in an element. */
  async try(finding, element) {
    element.className = "pl-1 text-xs";
    element.textContent = "Trying values on its worst frame…";
    await this.bench.saved();
    const { kind, worst, box } = finding;
    const found = await send(`${this.bench.at}/findings/mend`, { kind, worst, box }).catch((error) => ({ problem: error.message }));
    if (found.problem || !found.words) {
      element.textContent = found.problem ?? `No single value takes this away. Look at line ${found.line} of the work order.`;
      return;
    }
    const row = Object.assign(document.createElement("div"), { className: "my-1 flex gap-2" });
    for (const [words, changes] of [["before", {}], ["after", found.changes]]) row.append(await this.#picture(words, { base: found.base, changes }, finding));
    const make = Object.assign(document.createElement("button"), { type: "button", className: "button", textContent: "Do this" });
    make.addEventListener("click", () => this.#make(found));
    element.replaceChildren(`${found.words[0].toUpperCase()}${found.words.slice(1)} (line ${found.line}).`, row, make);
    element.scrollIntoView({ block: "nearest" });
  }

  #make({ changes, words }) {
    const after = withDifferences(this.bench.store.recipe, changes);
    const paths = Object.entries(changes).flatMap(([section, fields]) => Object.keys(fields).map((field) => [`${section}.${field}`, after[section][field]]));
    this.bench.changeMany(Object.fromEntries(paths), true, `Mended: ${words}`);
  }

  /** The place on its worst frame by some recipe. */
  async #picture(words, recipe, { worst, box }) {
    const body = { ...recipe, frame: worst, quality: "quick", keep: true, sequence: ++this.sequence, window: `${thisWindow} ${words}` };
    const answer = await call(`${this.bench.at}/picture`, { body: JSON.stringify(body), headers: { "Content-Type": "application/json" } });
    const image = await this.bench.requests.link.image(answer);
    const { width, height } = image;
    const whole = Object.assign(document.createElement("canvas"), { width, height });
    whole.getContext("2d").putImageData(image, 0, 0);
    const side = Math.max((box[2] - box[0]) * width, (box[3] - box[1]) * height) + 2 * AROUND * width;
    const [x, y] = [((box[0] + box[2]) / 2) * width - side / 2, ((box[1] + box[3]) / 2) * height - side / 2];
    const shown = Object.assign(document.createElement("canvas"), { width: SIDE, height: SIDE });
    shown.setAttribute("role", "img");
    shown.setAttribute("aria-label", `The place ${words}`);
    const pen = shown.getContext("2d");
    pen.fillStyle = GROUND;
    pen.fillRect(0, 0, SIDE, SIDE);
    pen.drawImage(whole, x, y, side, side, 0, 0, SIDE, SIDE);
    const figure = document.createElement("figure");
    figure.append(shown, Object.assign(document.createElement("figcaption"), { textContent: words }));
    return figure;
  }
}
