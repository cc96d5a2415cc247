/** The first sentence of a fitting: how many frames a second, and what it lies over. */

import { say } from "../lib/common.js";
import { asNumber, exactly } from "../lib/rates.js";
import { typed } from "../lib/typed.js";

const $ = (id) => document.getElementById(id);
const [SLOWEST, FASTEST] = [1, 240];

export class FrameLine {
  /** @param {object} page  gives `store`, `viewer`, `standard`, `facts`, `change(...)`, `changeMany(...)` */
  constructor(page) {
    this.page = page;
    $("rate").addEventListener("change", () => this.#runAt($("rate").value));
    $("rate").addEventListener("keydown", (event) => event.key === "Enter" && $("rate").blur());
    $("ground").addEventListener("change", () => this.#lieOver($("ground").value));
    $("ground-of-fitting").addEventListener("change", () => page.change("ground.colour", $("ground-of-fitting").value, true, "Colour of the ground"));
  }

  show() {
    const { frame, ground } = this.page.store.recipe;
    if (document.activeElement !== $("rate")) $("rate").value = this.#rate(frame);
    $("ground").value = ground.source ? `${ground.source.kind}:${ground.source.id}` : ground.colour ? "colour" : "none";
    $("ground-of-fitting").hidden = Boolean(ground.source) || !ground.colour;
    $("ground-of-fitting").value = ground.colour ?? "#000000";
    this.page.viewer.reshaped();
  }

  #rate = (frame) => Number(asNumber(frame.rate).toFixed(3));

  #runAt(text) {
    const rate = typed(text);
    if (rate >= SLOWEST && rate <= FASTEST) this.page.change("frame.rate", exactly(rate), true, `Rate: ${text}`);
    else {
      say(`“${text.slice(0, 40)}” is no rate between ${SLOWEST} and ${FASTEST} frames a second.`);
      $("rate").value = this.#rate(this.page.facts);
    }
  }

  #lieOver(chosen) {
    const [kind, id] = chosen.split(":");
    const source = id ? { ...this.page.standard.source, kind, id: Number(id) } : null;
    const colour = kind === "none" ? null : this.page.store.recipe.ground.colour ?? "#000000";
    this.page.changeMany({ "ground.source": source, "ground.colour": colour }, true, `Ground: ${$("ground").selectedOptions[0].text}`);
  }
}
