/** Another place of the same picture, beside the first and as large: an edge here, and one there. */

import { drag } from "../lib/drag.js";
import { layGround } from "../lib/grounds.js";

const $ = (id) => document.getElementById(id);

export class Beside {
  /** @param {object} bench  gives `viewer`, `view` (beside: which place of the picture lies in the middle, 0..1), `shown.size`, `counted()`, `remember()` */
  constructor(bench) {
    this.bench = bench;
    this.booth = $("beside");
    this.stage = this.booth.querySelector(".stage");
    this.ground = this.stage.querySelector(".ground");
    this.canvas = this.stage.querySelector("canvas");
    bench.viewer.onPlaced.push(() => this.place());
    bench.viewer.onDrawn.push(() => this.draw());
    new ResizeObserver(() => this.place()).observe(this.booth);
    this.booth.addEventListener("pointerdown", (event) => {
      if (event.button > 1) return;
      const before = this.bench.view.beside;
      drag(this.booth, event, {
        move: (e, dx, dy) => this.#look(before[0] - dx / this.#wide, before[1] - dy / this.#high),
        cancel: () => this.#look(...before),
      });
    });
    this.booth.addEventListener("wheel", (event) => {
      event.preventDefault();
      bench.viewer.zoom(Math.exp(-event.deltaY * 0.002));
    }, { passive: false });
    this.booth.addEventListener("keydown", (event) => {
      const step = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[event.key];
      if (!step) return;
      event.preventDefault();
      event.stopPropagation();
      const [x, y] = this.bench.view.beside;
      this.#look(x + (40 * step[0]) / this.#wide, y + (40 * step[1]) / this.#high);
    });
    this.show();
  }

  toggle() {
    this.bench.view.beside = this.bench.view.beside ? null : [0.5, 0.5];
    this.show();
    this.bench.remember();
  }

  show() {
    this.booth.hidden = !this.bench.view.beside;
    this.place();
    this.draw();
  }

  get #wide() {
    return this.bench.shown.size[0] * this.bench.viewer.scale;
  }

  get #high() {
    return this.bench.shown.size[1] * this.bench.viewer.scale;
  }

  #look(x, y) {
    this.bench.view.beside = [x, y].map((share) => Math.min(1, Math.max(0, share)));
    this.place();
    this.bench.remember();
  }

  place() {
    if (!this.bench.view.beside) return;
    const [x, y] = this.bench.view.beside;
    const room = this.booth.getBoundingClientRect();
    Object.assign(this.stage.style, {
      width: `${this.#wide}px`,
      height: `${this.#high}px`,
      transform: `translate(${room.width / 2 - x * this.#wide}px, ${room.height / 2 - y * this.#high}px)`,
    });
    for (const name of ["pixels", "grid-of-pixels"]) this.stage.classList.toggle(name, this.bench.viewer.stage.classList.contains(name));
    this.stage.style.setProperty("--pixel", `${this.bench.viewer.scale}px`);
    for (const name of ["dark", "light"]) this.booth.classList.toggle(name, this.bench.viewer.booth.classList.contains(name));
  }

  /** What the first one shows, once more. */
  draw() {
    if (!this.bench.view.beside) return;
    const { plate, result } = this.bench.viewer;
    const shown = [plate, result].filter((canvas) => !canvas.hidden && canvas.width > 1);
    if (!shown.length) return;
    const { width, height } = shown.at(-1);
    Object.assign(this.canvas, { width, height });
    const pen = this.canvas.getContext("2d");
    const split = this.bench.view.view === "split" && shown.length > 1 ? this.bench.view.split * width : null;
    for (const canvas of shown) {
      pen.save();
      if (split !== null) {
        pen.beginPath();
        pen.rect(canvas === plate ? 0 : split, 0, canvas === plate ? split : width - split, height);
        pen.clip();
      }
      pen.filter = canvas.classList.contains("dimmed") ? "brightness(0.3) saturate(0.4)" : "none";
      pen.drawImage(canvas, 0, 0, width, height);
      pen.restore();
    }
    this.lay();
  }

  /** The ground below it, as below the first. */
  lay() {
    if (!this.bench.view.beside) return;
    this.ground.hidden = $("ground").hidden;
    layGround(this.ground, this.bench.view, this.bench.counted().number);
  }
}
