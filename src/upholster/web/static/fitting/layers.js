/** The layers as cards beside the picture, the topmost first: chosen, put in another order, moved in time; and the chosen one. */

import { drag } from "../lib/drag.js";
import { say, send } from "../lib/common.js";
import { asNumber } from "../lib/rates.js";
import { reorderedBy } from "../lib/reorder.js";
import { spanOf } from "./geometry.js";

/** What a clip that is dragged from the Stockroom says of itself. */
const CLIP = "application/x-upholster-clip";

const $ = (id) => document.getElementById(id);
const TOGGLES = { hidden: ["Hidden: show it", "Leave it out"], solo: ["Alone: show all", "Show it alone"], locked: ["Locked: let the pointer move it", "Lock it"] };
const BLENDS = { over: "", add: "added", screen: "screened", multiply: "darkens" };

export class Layers {
  /** @param {object} page  gives `store`, `view`, `sources`, `fields`, `standard`, `frame()`, `changeMany(...)`, `show()`, `remember()` */
  constructor(page) {
    this.page = page;
    this.list = $("layer-list");
    $("add").addEventListener("change", () => this.#add($("add").value));
    const booth = $("booth");
    booth.addEventListener("dragover", (event) => event.dataTransfer.types.includes(CLIP) && event.preventDefault());
    booth.addEventListener("drop", (event) => {
      const clip = event.dataTransfer.getData(CLIP);
      if (!clip) return;
      event.preventDefault();
      const { width, height } = page.store.recipe.frame;
      const [x, y] = page.viewer.at(event);
      this.#add(`clip:${clip}`, { x: Math.round(x - width / 2), y: Math.round(y - height / 2) });
    });
  }

  get all() {
    return this.page.store.recipe.layers;
  }

  get chosen() {
    return this.all.each[this.page.view.chosen] ? this.page.view.chosen : null;
  }

  layer(mark = this.chosen) {
    return this.all.each[mark];
  }

  choose(mark) {
    this.page.settle();
    this.page.view.chosen = mark ?? "";
    this.page.remember();
    this.page.show();
  }

  /** Choose the layer above (1) or below (-1) the chosen one. */
  step(way) {
    const { order } = this.all;
    if (order.length) this.choose(order[(order.indexOf(this.chosen) + way + order.length) % order.length] ?? order[0]);
  }

  set(mark, fields, words) {
    this.page.changeMany(Object.fromEntries(Object.entries(fields).map(([name, value]) => [`layers.each.${mark}.${name}`, value])), true, words);
  }

  #put(order, each, words, chosen) {
    this.page.changeMany({ "layers.order": order, "layers.each": each }, true, words);
    if (chosen !== undefined) this.choose(chosen);
  }

  /** Lay something in, by its kind and number; at a place from the middle, where one is given. */
  async #add(given, place = {}) {
    $("add").value = "";
    if (!given) return;
    const [kind, id] = given.split(":");
    try {
      const told = await send("/fittings/source", { kind, id: Number(id) });
      const mark = this.#free();
      const source = { ...this.page.standard.source, kind, id: Number(id) };
      const fitting = this.page.store.recipe.frame;
      // Whatever is larger than the fitting is made to fit in.
      const scale = Math.min(1, fitting.width / told.width, fitting.height / told.height);
      const layer = { ...this.page.standard, name: told.name.slice(0, 80), source, blend: told.blend, scale: Number(scale.toFixed(4)), ...place };
      this.page.sources[mark] = told;
      this.#put([...this.all.order, mark], { ...this.all.each, [mark]: layer }, `${layer.name} laid in`, mark);
    } catch (error) {
      say(error.message);
    }
  }

  #free() {
    let n = this.all.order.length + 1;
    while (`n${n}` in this.all.each) n++;
    return `n${n}`;
  }

  remove(mark = this.chosen) {
    if (!mark) return;
    const { [mark]: gone, ...each } = this.all.each;
    this.#put(this.all.order.filter((other) => other !== mark), each, `${gone.name} taken out`);
    this.choose(null);
  }

  /** The chosen layer once more, above itself. */
  twice(mark = this.chosen) {
    if (!mark) return;
    const twin = this.#free();
    const order = [...this.all.order];
    order.splice(order.indexOf(mark) + 1, 0, twin);
    this.page.sources[twin] = this.page.sources[mark];
    this.#put(order, { ...this.all.each, [twin]: { ...this.layer(mark), name: `${this.layer(mark).name} 2`.slice(0, 80) } }, `${this.layer(mark).name} once more`, twin);
  }

  /* The cards */

  show() {
    const shown = [...this.all.order].reverse();
    const built = shown.join(" ");
    if (this.built !== built) this.list.replaceChildren(...shown.map((mark) => this.#build(mark)));
    this.built = built;
    for (const row of this.list.children) this.#row(row, row.dataset.layer);
    $("no-layers").hidden = shown.length > 0;
    this.#details();
  }

  #build(mark) {
    const row = $("layer-row").content.firstElementChild.cloneNode(true);
    row.dataset.layer = mark;
    const part = (name) => row.querySelector(`[data-part=${name}]`);
    part("choose").addEventListener("click", () => this.choose(mark));
    part("remove").addEventListener("click", () => this.remove(mark));
    for (const name of Object.keys(TOGGLES)) {
      part(name).addEventListener("click", () => this.set(mark, { [name]: !this.layer(mark)[name] }, `${this.layer(mark).name}: ${TOGGLES[name][this.layer(mark)[name] ? 0 : 1].toLowerCase()}`));
    }
    // The list begins with the topmost, the order with the lowest.
    reorderedBy(part("grip"), (step) => {
      this.#move(mark, this.all.order.indexOf(mark) - step);
      this.list.querySelector(`[data-layer="${mark}"] [data-part=grip]`).focus();
    }, (place) => this.#move(mark, this.all.order.length - 1 - place));
    part("strip").addEventListener("pointerdown", (event) => this.#shift(event, part("strip"), mark));
    return row;
  }

  #move(mark, to) {
    const order = this.all.order.filter((other) => other !== mark);
    order.splice(Math.max(0, to), 0, mark);
    if (order.join() !== this.all.order.join()) this.page.changeMany({ "layers.order": order }, true, `${this.layer(mark).name} put elsewhere in the order`);
  }

  /** Move a layer in time by its strip. */
  #shift(event, strip, mark) {
    if (event.button) return;
    const before = this.layer(mark).start;
    const perFrame = strip.getBoundingClientRect().width / this.page.store.recipe.frame.length;
    const path = `layers.each.${mark}.start`;
    const to = (dx, final) => this.page.changeMany({ [path]: Math.round(before + dx / perFrame) }, final, `${this.layer(mark).name} begins elsewhere`);
    drag(strip, event, { move: (e, dx) => to(dx, false), end: (e, moved) => moved && to(e.clientX - event.clientX, true), cancel: () => to(0, false) });
  }

  #row(row, mark) {
    const layer = this.layer(mark);
    const source = this.page.sources[mark] ?? { length: 1, rate: "24" };
    const part = (name) => row.querySelector(`[data-part=${name}]`);
    row.classList.toggle("chosen", mark === this.chosen);
    row.classList.toggle("off", layer.hidden);
    part("choose").textContent = layer.name;
    part("choose").title = source.why ? `${layer.name}: ${source.why}` : layer.name;
    part("choose").setAttribute("aria-pressed", mark === this.chosen);
    part("word").textContent = source.why ? "not here" : [BLENDS[layer.blend], layer.repeat.copies > 1 ? `× ${layer.repeat.copies}` : ""].filter(Boolean).join(", ");
    for (const [name, words] of Object.entries(TOGGLES)) {
      part(name).setAttribute("aria-pressed", layer[name]);
      part(name).title = words[layer[name] ? 0 : 1];
      part(name).setAttribute("aria-label", `${layer.name} ${name}`);
    }
    part("remove").title = "Take it out";
    part("remove").setAttribute("aria-label", `Take ${layer.name} out`);
    part("grip").setAttribute("aria-label", `Move ${layer.name} in the order`);
    const { length } = this.page.store.recipe.frame;
    const [first, end] = spanOf(layer, source, this.page.store.recipe.frame).map((frame) => Math.min(length, Math.max(0, frame)));
    Object.assign(part("strip").firstElementChild.style, { left: `${(100 * first) / length}%`, width: `${(100 * Math.max(0, end - first)) / length}%` });
  }

  /* The chosen layer */

  #details() {
    const mark = this.chosen;
    $("chosen").hidden = !mark;
    const at = mark && `layers.each.${mark}`;
    if (at && this.filled !== at) {
      this.page.keyframes.only(`${at}.`);
      this.page.values.fill("layer", at);
      for (const input of document.querySelectorAll("#layer-values [data-set]")) input.addEventListener("change", () => this.#choice(input));
      document.querySelector("#layer-values [data-match]").addEventListener("click", () => this.page.store.ask("/match", { layer: this.chosen }, { words: "Matched to the ground" }));
    }
    this.filled = at;
    if (!mark) {
      $("layer-values").replaceChildren();
      this.page.keyframes.only("layers.none");
      return;
    }
    const source = this.page.sources[mark];
    const size = source?.width ? `${source.width}×${source.height}, ${source.length} frames` : `sound, ${(source?.length / asNumber(source?.rate ?? "24")).toFixed(1)} s`;
    document.querySelector("#layer-values [data-part=source]").textContent = source?.why ? `(${source.why})` : source ? `(${source.name}, ${size})` : "";
    document.querySelector("#layer-values [data-part=sound]").hidden = !source?.sound;
    for (const row of document.querySelectorAll("#layer-values [data-seen]")) row.hidden = source?.width === 0;
    for (const input of document.querySelectorAll("#layer-values [data-set]")) {
      if (document.activeElement === input && input.type !== "color") continue;
      const value = input.dataset.set.split(".").reduce((held, name) => held[name], this.layer());
      if (input.type === "checkbox") input.checked = value;
      else input.value = Array.isArray(value) ? `#${value.map((c) => Math.round(c * 255).toString(16).padStart(2, "0")).join("")}` : String(value);
    }
  }

  #choice(input) {
    let { value } = input;
    if (input.type === "checkbox") value = input.checked;
    else if (input.type === "color") value = [1, 3, 5].map((k) => Number((parseInt(value.slice(k, k + 2), 16) / 255).toFixed(4)));
    else if (value === "true" || value === "false") value = value === "true";
    else if (input.dataset.set === "name") value = value.trim() || this.layer().name;
    this.set(this.chosen, { [input.dataset.set]: value }, `${this.layer().name}: ${input.ariaLabel.toLowerCase()}`);
  }
}
