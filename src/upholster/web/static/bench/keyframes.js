/** The course of a value over the clip: its keyframes dragged in time and value, removed, copied, and their way changed. */

import { say } from "../lib/common.js";
import { drag } from "../lib/drag.js";
import { isKeyed, movedKey, valueAt, withoutKey } from "./tracks.js";

/** Size of the drawing, and of the margin that keeps outermost keyframes whole. */
const [WIDTH, HEIGHT, EDGE] = [300, 72, 7];
/** Milliseconds between the two presses of a double click. */
const DOUBLE = 400;
const WAYS = { hold: "holds", linear: "goes straight", smooth: "goes smoothly" };
/** Where copied keyframes are kept, for other values and other shots alike. */
const COPIED = "upholster.keyframes";

export class Keyframes {
  /** @param {object} bench  gives `store`, `fields`, `facts`, `frame()`, `goTo(frame)`, `change(...)`; @param {object} values */
  constructor(bench, values) {
    Object.assign(this, { bench, values });
    this.panels = new Map();
  }

  /** Take the panels away of values that are not shown any more: whose path does not begin so. */
  only(path) {
    for (const [held, panel] of this.panels) {
      if (held.startsWith(path)) continue;
      panel.element.remove();
      this.panels.delete(held);
    }
  }

  /** A panel in the unfolded part of a line for each of its values that has keyframes. */
  show() {
    for (const [path, panel] of this.panels) {
      if (isKeyed(this.bench.store.get(path))) continue;
      panel.element.remove();
      this.panels.delete(path);
    }
    for (const mark of document.querySelectorAll(".keymark[data-mark]")) {
      const path = mark.dataset.mark;
      if (isKeyed(this.bench.store.get(path)) && !this.panels.has(path)) this.#add(path, mark.closest(".line").querySelector(".unfolded"));
    }
    for (const path of this.panels.keys()) this.#draw(path);
  }

  #add(path, place) {
    const element = document.getElementById("course").content.firstElementChild.cloneNode(true);
    const part = (name) => element.querySelector(`[data-part=${name}]`);
    const panel = { element, svg: element.querySelector("svg"), way: part("way"), at: part("at"), chosen: null };
    part("name").textContent = this.values.label(path);
    panel.svg.setAttribute("aria-label", `Course of ${this.values.label(path)}`);
    for (const [value, words] of Object.entries(WAYS)) panel.way.add(new Option(words, value));
    panel.way.addEventListener("change", () => this.#change(path, this.#track(path).map((key) => (key.frame === panel.chosen ? { ...key, next: panel.way.value } : key)), true, "way changed"));
    part("remove").addEventListener("click", () => this.#remove(path, panel.chosen));
    part("clear").addEventListener("click", () => this.#change(path, valueAt(this.#track(path), this.bench.frame()), true, "keyframes removed"));
    part("copy").addEventListener("click", () => this.#copy(path));
    panel.svg.addEventListener("pointerdown", (event) => this.#press(path, panel, event));
    panel.svg.addEventListener("keydown", (event) => {
      if (event.key === "Delete" || event.key === "Backspace") {
        event.preventDefault();
        event.stopPropagation();
        this.#remove(path, panel.chosen);
      }
    });
    place.append(element);
    this.panels.set(path, panel);
  }

  #track(path) {
    return this.bench.store.get(path);
  }

  #change(path, track, final, words) {
    this.bench.change(path, track, final, `${this.values.label(path)}: ${words}`);
  }

  #remove(path, frame) {
    if (frame === null) return;
    this.#change(path, withoutKey(this.#track(path), frame), true, `keyframe removed from frame ${frame}`);
  }

  #copy(path) {
    localStorage.setItem(COPIED, JSON.stringify(this.#track(path)));
    const many = this.#track(path).length;
    say(`${many} keyframe${many > 1 ? "s" : ""} copied. Press Ctrl V with another value in focus to paste.`);
  }

  /** Copy the keyframes of a value, if it has any; whether it had. */
  copy(path) {
    if (!isKeyed(this.#track(path))) return false;
    this.#copy(path);
    return true;
  }

  /** Give a value the keyframes that were copied, kept within its bounds; whether there were any. */
  paste(path) {
    let keys = null;
    try {
      keys = JSON.parse(localStorage.getItem(COPIED));
    } catch {
      /* nothing of ours */
    }
    const field = this.bench.fields[path];
    if (!Array.isArray(keys) || !keys.length || !field?.keyed) return false;
    const pasted = keys.map(({ frame, value, next }) => ({ frame, value: Math.min(field.high, Math.max(field.low, value)), next }));
    this.#change(path, pasted, true, "keyframes pasted");
    return true;
  }

  /* Drawing */

  /** From frames and values to the drawing, and back. */
  #scales(path) {
    const { low, high } = this.bench.fields[path];
    const values = this.#track(path).map((key) => key.value);
    // As much of the bounds as the course needs, and a good part of it around.
    const room = Math.max((Math.max(...values) - Math.min(...values)) * 0.35, (high - low) * 0.05);
    const bottom = Math.max(low, Math.min(...values) - room);
    const top = Math.min(high, Math.max(...values) + room);
    const last = Math.max(1, this.bench.facts.length - 1);
    return {
      x: (frame) => EDGE + (frame / last) * (WIDTH - 2 * EDGE),
      y: (value) => HEIGHT - EDGE - ((value - bottom) / (top - bottom || 1)) * (HEIGHT - 2 * EDGE),
      frame: (x) => Math.min(last, Math.max(0, ((x - EDGE) / (WIDTH - 2 * EDGE)) * last)),
      value: (y) => Math.min(high, Math.max(low, bottom + ((HEIGHT - EDGE - y) / (HEIGHT - 2 * EDGE)) * (top - bottom))),
    };
  }

  #draw(path) {
    const panel = this.panels.get(path);
    const track = this.#track(path);
    const { x, y } = panel.scales ?? this.#scales(path);
    // The keyframe in view is the chosen one; one chosen by hand stays until another comes into view.
    const there = track.find((key) => key.frame === this.bench.frame())?.frame;
    const seen = `${this.bench.frame()} of ${track.length}`;
    if (panel.seen !== seen && there !== undefined) panel.chosen = there;
    panel.seen = seen;
    if (!track.some((key) => key.frame === panel.chosen)) panel.chosen = there ?? null;
    const points = [];
    for (let at = 0; at <= WIDTH - 2 * EDGE; at += 2) {
      const frame = (at / (WIDTH - 2 * EDGE)) * Math.max(1, this.bench.facts.length - 1);
      points.push(`${EDGE + at} ${y(valueAt(track, frame)).toFixed(2)}`);
    }
    const here = x(this.bench.frame());
    const dots = track.map((key) => `<circle cx="${x(key.frame)}" cy="${y(key.value)}" r="${key.frame === panel.chosen ? 5 : 4}" class="${key.frame === panel.chosen ? "fill-brass" : "fill-sheet"} stroke-brass" stroke-width="1.5"/>`);
    panel.svg.innerHTML = `<line x1="${here}" x2="${here}" y1="0" y2="${HEIGHT}" class="stroke-rule"/><path d="M${points.join("L")}" class="stroke-ink" fill="none"/>${dots.join("")}`;
    const chosen = track.find((key) => key.frame === panel.chosen);
    panel.element.querySelector("[data-part=chosen]").hidden = !chosen;
    panel.element.querySelector("[data-part=none]").hidden = Boolean(chosen);
    if (chosen) {
      panel.at.textContent = `Frame ${chosen.frame}`;
      panel.way.value = chosen.next;
    }
  }

  #point(panel, event) {
    const box = panel.svg.getBoundingClientRect();
    return [((event.clientX - box.left) / box.width) * WIDTH, ((event.clientY - box.top) / box.height) * HEIGHT];
  }

  #under(path, panel, event) {
    const { x, y } = this.#scales(path);
    const [px, py] = this.#point(panel, event);
    const near = this.#track(path).map((key) => [Math.hypot(x(key.frame) - px, y(key.value) - py), key]).sort((a, b) => a[0] - b[0])[0];
    return near[0] < 10 ? near[1] : null;
  }

  #press(path, panel, event) {
    if (event.button) return;
    const key = this.#under(path, panel, event);
    if (!key) {
      this.bench.goTo(Math.round(this.#scales(path).frame(this.#point(panel, event)[0])));
      return;
    }
    const before = this.#track(path);
    // The drawing keeps its scale while a keyframe is dragged.
    panel.scales = this.#scales(path);
    panel.chosen = key.frame;
    this.#draw(path);
    panel.svg.focus();
    const fine = this.bench.fields[path].step / 10;
    const done = () => {
      panel.scales = null;
      this.#draw(path);
    };
    drag(panel.svg, event, {
      move: (e) => {
        const [px, py] = this.#point(panel, e);
        const value = Number((Math.round(panel.scales.value(py) / fine) * fine).toFixed(5));
        const moved = movedKey(before, key.frame, panel.scales.frame(px), value);
        panel.chosen = moved[before.findIndex((k) => k.frame === key.frame)].frame;
        this.#change(path, moved, false);
      },
      end: (e, moved) => {
        done();
        // The circle is drawn anew with every change, so the browser itself sees no double click.
        const twice = panel.pressed?.frame === key.frame && e.timeStamp - panel.pressed.time < DOUBLE;
        panel.pressed = moved ? null : { frame: key.frame, time: e.timeStamp };
        if (moved) this.#change(path, this.#track(path), true, `keyframe moved to frame ${panel.chosen}`);
        else if (twice) this.#remove(path, key.frame);
      },
      cancel: () => {
        panel.chosen = key.frame;
        this.#change(path, before, false);
        done();
      },
    });
  }
}
