/** Values in the sentences: dragged, typed, stepped with arrow keys, set back with a double click. */

import { say } from "../lib/common.js";
import { drag } from "../lib/drag.js";
import { typed } from "../lib/typed.js";
import { ROOM } from "./places.js";
import { isKeyed, keyAt, valueAt, withKey, withoutKey, withValue } from "./tracks.js";

/** Numbers shown as percents. */
const SHARES = new Set(["matte.black_point", "matte.white_point", "edge_colour.balance", "edge_colour.unmix", "edge_colour.spill", "edge_colour.desaturate", "matte.opacity", "matte.temporal_denoise", "matte.see_through", "edge.recover", "matte.edge_smoothing", "finish.brightness", "finish.contrast", "finish.saturation", "finish.pivot", "finish.neutral", "finish.match", "finish.wrap", "finish.tint", "finish.sharpen"]);
/** Milliseconds after which steps in quick succession become one revision. */
const SETTLE = 600;

/** Those of a layer, by the end of their path. */
const OF_LAYERS = /\.(opacity|scale|stretch|anchor_[xy]|crop_(left|right|top|bottom)|step_scale|spread_scale)$/;

const isShare = (path) => SHARES.has(path) || SHARES.has(path.replace(/^layers\.each\.\w+\./, "")) || (OF_LAYERS.test(path) && !path.startsWith("take."));

/** How a number of the recipe is shown: percents where it is a share, pixels for edges. */
function shown(path, number, unit, step) {
  if (isShare(path)) return `${Number((number * 100).toFixed(1))} %`;
  if (unit === "°") return `${Math.round(number)}°`;
  if (step >= 1 || Number.isInteger(step)) return unit ? `${Number(number.toFixed(2))} ${unit}` : `${Number(number.toFixed(2))}`;
  return (unit ? `${number.toFixed(1)} ${unit}` : number.toFixed(3).replace(/0$/, "")).replace("-", "−");
}

export class Values {
  /** @param {object} bench  gives `store`, `fields`, `facts`, `defaults`, `frame()`, `change(path, value, final, words)` */
  constructor(bench) {
    this.bench = bench;
    this.elements = [];
    this.bind(document);
  }

  /** Let the values within a part of the page be changed. */
  bind(part) {
    this.elements = this.elements.filter((element) => element.isConnected);
    for (const element of part.querySelectorAll(".value")) {
      this.elements.push(element);
      this.#editable(element);
    }
    for (const mark of part.querySelectorAll(".keymark[data-mark]")) mark.addEventListener("click", () => this.toggleKey(mark.dataset.mark));
  }

  /** Let the numbers of one mask or trace, which stand at a path of the recipe, be changed where they are shown. */
  fill(kind, at) {
    const place = document.getElementById(`${kind}-values`);
    place.replaceChildren(document.getElementById(`${kind}-numbers`).content.cloneNode(true));
    for (const element of place.querySelectorAll("[data-field]")) {
      const path = `${at}.${element.dataset.field}`;
      this.bench.fields[path] = this.bench.fields[`${kind}.${element.dataset.field}`];
      if (element.classList.contains("value")) element.dataset.path = path;
      else element.dataset.mark = path;
    }
    this.bench.values.bind(place);
    this.bench.values.show();
  }

  show() {
    for (const element of this.elements.filter((held) => held.isConnected)) {
      const { path } = element.dataset;
      const [number, field] = [this.number(path), this.#field(path)];
      element.textContent = shown(path, number, field.unit, field.step);
      element.title = this.#about(path);
      for (const [name, value] of [["aria-valuenow", number], ["aria-valuemin", field.low], ["aria-valuemax", field.high], ["aria-valuetext", element.textContent]]) element.setAttribute(name, value);
    }
    for (const mark of document.querySelectorAll(".keymark[data-mark]")) {
      const track = this.bench.store.get(mark.dataset.mark);
      const state = !isKeyed(track) ? "none" : keyAt(track, this.bench.frame()) ? "here" : "elsewhere";
      mark.dataset.state = state;
      mark.setAttribute("aria-pressed", state === "here");
      mark.title = { none: "Keyframes: let this value change over time", here: "Remove the keyframe on this frame", elsewhere: "Set a keyframe on this frame" }[state];
    }
  }

  /** From where to where a number goes, and what it is by itself. */
  #about(path) {
    const { low, high, unit, step } = this.#field(path);
    const range = high == null ? `From ${shown(path, low, unit, step)} on` : `${shown(path, low, unit, step)} to ${shown(path, high, unit, step)}`;
    return `${range}; by itself ${shown(path, this.#standard(path), unit, step)} (double-click). Drag, type, or use arrow keys.`;
  }

  #standard(path) {
    const field = this.#field(path);
    if ("standard" in field) return field.standard === null ? this.number(path) : valueAt(field.standard, this.bench.frame());
    return valueAt(path.split(".").reduce((held, name) => held[name], this.bench.defaults), this.bench.frame());
  }

  /** The value of a number on the frame in view. */
  number(path) {
    const value = this.bench.store.get(path);
    if (value === null) return this.bench.ifNull?.(path) ?? this.bench.facts.length - 1;
    return valueAt(value, this.bench.frame());
  }

  label(path) {
    return document.querySelector(`.value[data-path="${path}"]`)?.ariaLabel || path;
  }

  #field(path) {
    const { facts, fields, store } = this.bench;
    const { take } = store.recipe;
    const last = facts.length - 1;
    const field = { unit: "", step: 1, ...fields[path] };
    if (!take) return field;
    if (path === "take.first") return { ...field, low: 0, high: take.last ?? last, standard: 0 };
    if (path === "take.last") return { ...field, low: take.first, high: last, standard: last };
    const [across, down] = [facts.width - ROOM, facts.height - ROOM].map((room) => Math.max(0, room));
    const most = { "take.crop_left": across - take.crop_right, "take.crop_right": across - take.crop_left, "take.crop_top": down - take.crop_bottom, "take.crop_bottom": down - take.crop_top }[path];
    return most === undefined ? field : { ...field, high: Math.max(0, most) };
  }

  /** Set a number on the frame in view: a keyframe there, where it has keyframes. */
  set(path, number, final) {
    const { low, high, step, unit, whole } = this.#field(path);
    const fine = whole ? 1 : step / 10;
    let value = Math.min(high, Math.max(low, Math.round(number / fine) * fine));
    if (path === "matte.black_point") value = Math.min(value, this.number("matte.white_point") - 0.01);
    if (path === "matte.white_point") value = Math.max(value, this.number("matte.black_point") + 0.01);
    value = Number(value.toFixed(5));
    const track = this.bench.store.get(path);
    const at = isKeyed(track) ? ` on frame ${this.bench.frame()}` : "";
    this.bench.change(path, withValue(track, this.bench.frame(), value), final, `${this.label(path)}: ${shown(path, value, unit, step)}${at}`);
  }

  /** Put back what stood before a drag that was taken back. */
  restore(path, before) {
    this.bench.change(path, before, false);
  }

  /** Set or remove the keyframe on the frame in view. */
  toggleKey(path) {
    this.settle();
    const [track, frame] = [this.bench.store.get(path), this.bench.frame()];
    const there = keyAt(track, frame);
    const changed = there ? withoutKey(track, frame) : withKey(track, frame);
    this.bench.change(path, changed, true, `${this.label(path)}: keyframe ${there ? "removed from" : "on"} frame ${frame}`);
  }

  /** Steps in quick succession become one revision. */
  #settleSoon(path) {
    if (this.stepping && this.stepping !== path) this.settle();
    this.stepping = path;
    clearTimeout(this.settling);
    this.settling = setTimeout(() => this.settle(), SETTLE);
  }

  /** Make what was stepped a revision now. */
  settle() {
    clearTimeout(this.settling);
    const path = this.stepping;
    this.stepping = null;
    if (path) this.set(path, this.number(path), true);
  }

  #editable(element) {
    const { path } = element.dataset;
    element.addEventListener("pointerdown", (event) => {
      if (event.button) return;
      const [number, before] = [this.number(path), this.bench.store.get(path)];
      let [at, from] = [number, 0];
      drag(element, event, {
        // Shift pressed on the way goes on from there, finer.
        move: (e, dx) => {
          const { low, high, step } = this.#field(path);
          at = Math.min(high ?? Infinity, Math.max(low, at + (dx - from) * step * (e.shiftKey ? 0.1 : 1)));
          from = dx;
          this.set(path, at, false);
        },
        end: (e, moved) => moved && this.set(path, this.number(path), true),
        cancel: () => this.restore(path, before),
      });
    });
    element.addEventListener("dblclick", () => {
      this.set(path, this.#standard(path), true);
    });
    element.addEventListener("keydown", (event) => {
      const step = { ArrowUp: 1, ArrowRight: 1, ArrowDown: -1, ArrowLeft: -1, PageUp: 10, PageDown: -10 }[event.key];
      if (step) {
        event.preventDefault();
        event.stopPropagation();
        const field = this.#field(path);
        const fine = event.shiftKey && !field.whole ? 0.1 : 1;
        this.set(path, this.number(path) + step * fine * field.step, false);
        this.#settleSoon(path);
      } else if (event.key === "Enter" || /^[-\d.]$/.test(event.key)) {
        event.preventDefault();
        event.stopPropagation();
        this.#type(element, event.key === "Enter" ? "" : event.key);
      }
    });
  }

  /** Set a number as it was typed; what is none, or lies out of its range, is said. */
  #take(path, text, percent) {
    const number = typed(text) / (percent ? 100 : 1);
    const { low, high, unit, step } = this.#field(path);
    if (Number.isNaN(number)) {
      say(`“${text.slice(0, 40)}” is not a number. ${this.label(path)} stays ${shown(path, this.number(path), unit, step)}.`);
      return;
    }
    this.set(path, number, true);
    if (number < low || number > (high ?? Infinity)) say(`${this.label(path)} goes from ${shown(path, low, unit, step)} to ${shown(path, high, unit, step)}: it is ${shown(path, this.number(path), unit, step)} now.`);
  }

  /** Let a value be typed in place of its words. */
  #type(element, start) {
    const { path } = element.dataset;
    const input = document.createElement("input");
    input.className = "value";
    input.setAttribute("aria-label", element.ariaLabel);
    const percent = isShare(path);
    input.value = start || String(Number((this.number(path) * (percent ? 100 : 1)).toFixed(5)));
    element.hidden = true;
    element.after(input);
    input.focus();
    if (!start) input.select();
    let over = false;
    const end = (take) => {
      if (over) return;
      over = true;
      const text = input.value.trim();
      const focused = document.activeElement === input;
      input.remove();
      element.hidden = false;
      if (focused) element.focus();
      if (take && text) this.#take(path, text, percent);
    };
    input.addEventListener("keydown", (event) => {
      event.stopPropagation();
      if (event.key === "Enter") end(true);
      if (event.key === "Escape") end(false);
    });
    input.addEventListener("blur", () => end(true));
  }
}
