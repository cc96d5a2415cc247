/** The finish of the subject: what is measured for it, the points of its curve, its tint, colour decisions. */

import { drag } from "../lib/drag.js";
import { isKeyed, keyAt, valueAt, withKey, withoutKey, withValue } from "./tracks.js";

/** Size of the drawing of tones, how near a point is taken, and how far apart two points are at least. */
const [WIDTH, HEIGHT, NEAR, APART] = [300, 144, 10, 0.01];
const STEPS = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1] };
const $ = (id) => document.getElementById(id);

const within = (value, low = 0, high = 1) => Math.min(high, Math.max(low, value));

export class Finish {
  /** @param {object} bench  gives `store`, `view`, `at`, `frame()`, `change(path, value, final, words)` */
  constructor(bench) {
    this.bench = bench;
    this.chosen = null;
    /** Measuring a grey on the picture, as `Measure` takes it. */
    this.grey = {
      buttons: "#grey",
      words: "Click on something grey or white of the subject, or drag an area of it.",
      take: (place) => bench.store.ask("/grey", { grey: { frame: bench.frame(), ...place } }, { words: "White balance from a grey" }),
    };
    for (const button of document.querySelectorAll("[data-finish]")) button.addEventListener("click", () => this.#measure(button));
    $("tint-colour").addEventListener("change", () => bench.change("finish.tint_colour", rgbOf($("tint-colour").value), true, "Colour of the tint"));
    $("curve-straight").addEventListener("click", () => this.#set([], true, "Curve straightened"));
    $("read-cdl").addEventListener("change", async ({ target }) => {
      const [file] = target.files;
      if (file) await bench.store.ask("/decision", { text: await file.text() }, { words: "Colour decision read" });
      target.value = "";
    });
    this.#curve($("tones"));
  }

  async #measure(button) {
    const { store, view } = this.bench;
    const over = view.ground === "footage" ? { footage: Number(view.footage) } : view.ground === "colour" ? { colour: view.colour } : {};
    button.disabled = true;
    await store.ask("/finish", { measure: button.dataset.finish, ...over }, { words: button.textContent });
    button.disabled = false;
  }

  /** Write what is measured into the sentences. */
  show() {
    const { finish } = this.bench.store.recipe;
    $("cast-said").textContent = finish.cast ? `(red ${finish.cast[0].toFixed(2)}, green ${finish.cast[1].toFixed(2)}, blue ${finish.cast[2].toFixed(2)})` : "(not measured yet)";
    $("scene-said").textContent = finish.scene ? `Matched to “${finish.scene.name}”:` : "Matched to no ground yet:";
    $("tint-colour").value = hexOf(finish.tint_colour);
    $("curve-straight").hidden = !finish.curve.length;
    const on = (name) => isKeyed(finish[name]) || finish[name] > 0;
    const said = [
      (isKeyed(finish.temperature) || finish.temperature !== 6500 || isKeyed(finish.green) || finish.green !== 0) && "white balanced",
      on("neutral") && finish.cast && "made neutral",
      on("tint") && "tinted",
      on("match") && finish.scene && `matched to “${finish.scene.name}”`,
      on("wrap") && finish.scene && "with its light over the rim",
      on("sharpen") && "sharpened",
      on("grain") && "with grain",
    ].filter(Boolean);
    $("finish-more").textContent = said.length ? `; ${said.join(", ")}` : "";
    for (const kind of ["cc", "cdl"]) $(`save-${kind}`).href = `${this.bench.at}/decision.${kind}?frame=${this.bench.frame()}`;
    this.handles();
  }

  /* The curve */

  get #points() {
    return this.bench.store.recipe.finish.curve;
  }

  #set(points, final, words) {
    this.bench.change("finish.curve", points, final, words);
  }

  #at(point) {
    return [point.x * WIDTH, HEIGHT * (1 - valueAt(point.y, this.bench.frame()))];
  }

  /** Draw the points of the curve. */
  handles() {
    if (this.chosen !== null && this.chosen >= this.#points.length) this.chosen = null;
    $("tones").querySelector(".points").innerHTML = this.#points.map((point, k) => {
      const [x, y] = this.#at(point);
      return `<circle cx="${x}" cy="${y}" r="${k === this.chosen ? 6 : 4.5}" class="${k === this.chosen ? "fill-brass" : "fill-sheet"} stroke-brass" stroke-width="1.5"/>`;
    }).join("");
    const point = this.#points[this.chosen];
    $("curve-said").textContent = point ? ` Chosen: ${(point.x * 100).toFixed(0)} % goes to ${(valueAt(point.y, this.bench.frame()) * 100).toFixed(0)} %${isKeyed(point.y) ? ` (${point.y.length} keyframes)` : ""}.` : "";
  }

  #under([px, py]) {
    const near = this.#points.map((point, k) => {
      const [x, y] = this.#at(point);
      return [Math.hypot(x - px, y - py), k];
    }).sort((a, b) => a[0] - b[0])[0];
    return near && near[0] < NEAR ? near[1] : null;
  }

  /** Put a point elsewhere, between those beside it. */
  #move(k, x, y, final) {
    const points = [...this.#points];
    const low = k ? points[k - 1].x + APART : 0;
    const high = k < points.length - 1 ? points[k + 1].x - APART : 1;
    points[k] = { x: Number(within(x, low, high).toFixed(4)), y: withValue(points[k].y, this.bench.frame(), Number(within(y).toFixed(4))) };
    this.#set(points, final, "Curve: point moved");
  }

  #add(x, y) {
    const points = this.#points;
    const k = points.filter((point) => point.x < x).length;
    const room = (k === 0 || x - points[k - 1].x >= APART) && (k === points.length || points[k].x - x >= APART);
    if (!room || points.length >= 16) return;
    // The first point comes with the ends of the curve.
    const first = points.length ? [] : [{ x: 0, y: 0 }, { x: 1, y: 1 }];
    const [low, high] = [first.slice(0, 1), first.slice(1)];
    this.chosen = k + low.length;
    this.#set([...low, ...points.slice(0, k), { x: Number(x.toFixed(4)), y: Number(within(y).toFixed(4)) }, ...points.slice(k), ...high], true, "Curve: point added");
  }

  /** Set or remove a keyframe of a point's height on the frame in view. */
  #toggleKey(k) {
    const frame = this.bench.frame();
    const there = keyAt(this.#points[k].y, frame);
    const y = there ? withoutKey(this.#points[k].y, frame) : withKey(this.#points[k].y, frame);
    this.#set(this.#points.map((point, other) => (other === k ? { ...point, y } : point)), true, `Curve: keyframe ${there ? "removed from" : "on"} frame ${frame}`);
  }

  #remove(k) {
    if (k === null) return;
    this.chosen = null;
    this.#set(this.#points.filter((_, other) => other !== k), true, "Curve: point removed");
  }

  #curve(svg) {
    const place = (event) => {
      const box = svg.getBoundingClientRect();
      return [((event.clientX - box.left) / box.width) * WIDTH, ((event.clientY - box.top) / box.height) * HEIGHT];
    };
    svg.addEventListener("pointerdown", (event) => {
      const k = event.button ? null : this.#under(place(event));
      this.chosen = k;
      this.handles();
      if (k === null) return;
      const before = this.#points;
      const to = (e, final) => this.#move(k, place(e)[0] / WIDTH, 1 - place(e)[1] / HEIGHT, final);
      drag(svg, event, {
        move: (e) => to(e, false),
        end: (e, moved) => moved && to(e, true),
        cancel: () => this.#set(before, false),
      });
    });
    // A double click marks no words beside the drawing.
    svg.addEventListener("mousedown", (event) => event.detail > 1 && event.preventDefault());
    svg.addEventListener("dblclick", (event) => {
      const [x, y] = place(event);
      if (this.#under([x, y]) === null) this.#add(x / WIDTH, 1 - y / HEIGHT);
    });
    svg.addEventListener("keydown", (event) => {
      const { key } = event;
      if (key === "Delete" || key === "Backspace") this.#remove(this.chosen);
      else if (key === "Enter") this.#add(0.5, 0.5);
      else if (key === "k" && this.chosen !== null) this.#toggleKey(this.chosen);
      else if (STEPS[key] && this.chosen !== null) {
        const [dx, dy] = STEPS[key].map((step) => step * (event.shiftKey ? 0.002 : 0.01));
        const point = this.#points[this.chosen];
        this.#move(this.chosen, point.x + dx, valueAt(point.y, this.bench.frame()) + dy, true);
      } else return;
      event.preventDefault();
      event.stopPropagation();
    });
  }
}

function rgbOf(hex) {
  return [1, 3, 5].map((k) => Number((parseInt(hex.slice(k, k + 2), 16) / 255).toFixed(4)));
}

function hexOf(rgb) {
  return `#${rgb.map((part) => Math.round(within(part) * 255).toString(16).padStart(2, "0")).join("")}`;
}
