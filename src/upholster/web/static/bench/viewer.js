/** The picture in its booth: drawing it, and where on the screen it lies. */

import { onPlate, onScreen } from "./places.js";

/** Pixels of the screen for each of the picture from which on a grid parts them. */
const GRID = 12;

export class Viewer {
  /** @param {object} bench  gives `view` (view, split, ...), `shown` (size, matrix) */
  constructor(bench) {
    this.bench = bench;
    this.booth = document.getElementById("booth");
    this.stage = document.getElementById("stage");
    this.result = document.getElementById("result");
    this.plate = document.getElementById("plate");
    this.divider = document.getElementById("divider");
    this.scale = 0;
    this.fitted = true;
    this.peek = false;
    /** The revision that is compared with, and whether it is shown just now. */
    this.compared = 0;
    this.earlier = false;
    this.onPlaced = [];
    this.onDrawn = [];
    new ResizeObserver(() => (this.fitted ? this.fit() : this.place())).observe(this.booth);
  }

  /** Which pictures the chosen view shows. */
  needed() {
    const { view } = this.bench.view;
    if (this.peek || view === "plate") return ["plate"];
    if (this.earlier) return ["earlier"];
    if (view === "split" && this.compared) return ["earlier", "result"];
    return ["split", "outline", "dimmed"].includes(view) ? ["plate", "result"] : ["result"];
  }

  draw(what, image) {
    // What is compared with lies where the plate does.
    const canvas = what === "earlier" ? this.plate : this[what];
    if (canvas.width !== image.width || canvas.height !== image.height) {
      canvas.width = image.width;
      canvas.height = image.height;
    }
    if (what === "earlier" && this.bench.view.view === "matte") image = asMatte(image);
    if (what === "result") {
      this.last = image;
      if (this.bench.view.view === "matte") image = asMatte(image);
      if (this.bench.view.view === "outline") image = asOutline(image);
    }
    canvas.getContext("2d").putImageData(image, 0, 0);
    for (const act of this.onDrawn) act();
  }

  /** Show what the chosen view needs, without asking again for what is there. */
  showView() {
    const { view, split } = this.bench.view;
    const plate = this.peek || view === "plate";
    const under = view === "outline" || view === "dimmed";
    const earlier = this.earlier && !plate;
    this.plate.hidden = !plate && !under && !earlier && view !== "split";
    this.plate.classList.toggle("dimmed", view === "dimmed" && !plate);
    this.result.hidden = plate || earlier;
    document.getElementById("ground").hidden = plate || under || view === "matte";
    this.divider.hidden = plate || earlier || view !== "split";
    this.stage.classList.toggle("splitting", view === "split");
    this.result.style.clipPath = view === "split" && !plate ? `inset(0 0 0 ${split * 100}%)` : "";
    document.getElementById("ground").style.clipPath = this.compared ? "" : this.result.style.clipPath;
    this.plate.style.clipPath = view === "split" && !plate && !earlier ? `inset(0 ${100 - split * 100}% 0 0)` : "";
    if (this.last && !plate) this.draw("result", this.last);
    else for (const act of this.onDrawn) act();
    this.place();
  }

  get #size() {
    return this.bench.shown.size;
  }

  /** The picture lies elsewhere on its plate now, or has another size. */
  reshaped() {
    if (this.fitted) this.fit();
    else this.place();
  }

  fit() {
    const [width, height] = this.#size;
    const room = this.booth.getBoundingClientRect();
    this.fitted = true;
    this.scale = Math.max(0.02, Math.min((room.width - 24) / width, (room.height - 24) / height));
    this.x = (room.width - width * this.scale) / 2;
    this.y = (room.height - height * this.scale) / 2;
    this.place();
  }

  /** Zoom by a factor, keeping the point (cx, cy) of the booth where it is. */
  zoom(factor, cx, cy) {
    const room = this.booth.getBoundingClientRect();
    cx ??= room.width / 2;
    cy ??= room.height / 2;
    const scale = Math.min(64, Math.max(0.05, this.scale * factor));
    this.x = cx - ((cx - this.x) * scale) / this.scale;
    this.y = cy - ((cy - this.y) * scale) / this.scale;
    this.scale = scale;
    this.fitted = false;
    this.place();
  }

  move(x, y) {
    Object.assign(this, { x, y, fitted: false });
    this.place();
  }

  place() {
    const [width, height] = this.#size;
    Object.assign(this.stage.style, {
      width: `${width * this.scale}px`,
      height: `${height * this.scale}px`,
      transform: `translate(${this.x}px, ${this.y}px)`,
    });
    this.stage.classList.toggle("pixels", this.scale >= 2);
    this.stage.classList.toggle("grid-of-pixels", this.scale >= GRID);
    this.stage.style.setProperty("--pixel", `${this.scale}px`);
    this.divider.setAttribute("aria-valuenow", Math.round(100 * this.bench.view.split));
    this.divider.style.left = `${this.x + width * this.scale * this.bench.view.split}px`;
    document.getElementById("zoom").textContent = `${Math.round(this.scale * 100)} %`;
    for (const act of this.onPlaced) act();
  }

  /** Place in the picture under a pointer event, 0..1 of its width and height. */
  share(event) {
    const room = this.booth.getBoundingClientRect();
    const [width, height] = this.#size;
    return { x: (event.clientX - room.left - this.x) / (this.scale * width), y: (event.clientY - room.top - this.y) / (this.scale * height) };
  }

  /** Place on the plate under a pointer event, in pixels; it may lie outside. */
  onPlate(event) {
    const room = this.booth.getBoundingClientRect();
    return onPlate(this.bench.shown.matrix, (event.clientX - room.left - this.x) / this.scale, (event.clientY - room.top - this.y) / this.scale);
  }

  /** How long so many pixels of the screen are on the plate. */
  onPlateLength(count) {
    return count / (this.scale * Math.hypot(...this.bench.shown.matrix.slice(0, 2)));
  }

  /** Where in the booth a place on the plate lies. */
  inBooth(x, y) {
    const at = onScreen(this.bench.shown.matrix, x, y);
    return { x: at.x * this.scale + this.x, y: at.y * this.scale + this.y };
  }

  /** Place on the plate under a pointer event; null outside the picture. */
  at(event) {
    const share = this.share(event);
    return share.x >= 0 && share.y >= 0 && share.x < 1 && share.y < 1 ? this.onPlate(event) : null;
  }
}

/** Where coverage passes a half: black and white by turns, nothing elsewhere. */
function asOutline(image) {
  const { width, height } = image;
  const from = new Uint32Array(image.data.buffer);
  const line = new Uint32Array(from.length);
  const inside = (i) => from[i] >>> 31;
  for (let y = 1; y < height - 1; y++) {
    for (let x = 1; x < width - 1; x++) {
      const i = y * width + x;
      if (inside(i) && !(inside(i - 1) && inside(i + 1) && inside(i - width) && inside(i + width))) line[i] = ((x + y) >> 2) & 1 ? 0xffffffff : 0xff000000;
    }
  }
  return new ImageData(new Uint8ClampedArray(line.buffer), width, height);
}

/** Coverage as grey. */
function asMatte(image) {
  const from = new Uint32Array(image.data.buffer);
  const grey = new Uint32Array(from.length);
  for (let i = 0; i < from.length; i++) {
    const a = from[i] >>> 24;
    grey[i] = 0xff000000 | (a << 16) | (a << 8) | a;
  }
  return new ImageData(new Uint8ClampedArray(grey.buffer), image.width, image.height);
}
