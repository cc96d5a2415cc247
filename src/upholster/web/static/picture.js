/** The picture in its booth: asking for it, drawing it, moving about in it. */

import { call } from "./common.js";

/** This window, among all that ask for pictures; not every address has crypto.randomUUID. */
export const thisWindow = Array.from(crypto.getRandomValues(new Uint8Array(12)), (b) => b.toString(16).padStart(2, "0")).join("");

/** Milliseconds a quick picture may stand behind those of others before it is said. */
const LATE = 400;

export class Picture {
  /**
   * @param {object} bench  gives `at`, `facts`, `recipe()`, `frame()`, `left` (view, split, ...)
   */
  constructor(bench) {
    this.bench = bench;
    this.booth = document.getElementById("booth");
    this.stage = document.getElementById("stage");
    this.result = document.getElementById("result");
    this.plate = document.getElementById("plate");
    this.divider = document.getElementById("divider");
    this.sequence = 0;
    this.drawn = { result: -1, plate: -1 };
    this.flying = 0;
    this.scale = 0;
    this.fitted = true;
    this.peek = false;
    new ResizeObserver(() => (this.fitted ? this.fit() : this.place())).observe(this.booth);
    this.#pan();
    this.#split();
  }

  /** Ask for the picture as things stand; the newest request wins, a finer one follows. */
  refresh() {
    this.wanted = true;
    this.finer?.abort();
    clearTimeout(this.resting);
    this.resting = setTimeout(() => this.#fine(), 220);
    this.#next();
  }

  #next() {
    if (!this.wanted || this.flying >= 2) return;
    this.wanted = false;
    for (const what of this.#needed()) this.#ask(what, "quick");
  }

  #fine() {
    this.finer = new AbortController();
    for (const what of this.#needed()) this.#ask(what, "fine", this.finer.signal);
  }

  #needed() {
    const { view } = this.bench.left;
    if (this.peek || view === "plate") return ["plate"];
    return view === "split" ? ["plate", "result"] : ["result"];
  }

  async #ask(what, quality, signal) {
    const sequence = ++this.sequence;
    // A fine picture may take long; quick ones never wait for it.
    const counted = quality === "quick" ? 1 : 0;
    this.flying += counted;
    try {
      const drawn = await this.fetch(this.bench.frame(), what, quality, sequence, false, signal);
      if (drawn && sequence > this.drawn[what]) {
        this.drawn[what] = sequence;
        this.draw(what, drawn);
        this.bench.drawn(what, quality, sequence);
      }
    } catch (error) {
      if (error.name !== "AbortError") this.bench.trouble(error);
    } finally {
      this.flying -= counted;
      this.#next();
    }
  }

  /** One frame's pixels; null where the house passed it over for a newer request. */
  async fetch(frame, what, quality, sequence = ++this.sequence, keep = false, signal = undefined) {
    const body = { recipe: this.bench.recipe(), frame, quality, sequence, keep, plate: what === "plate", window: `${thisWindow} ${what}` };
    const began = performance.now();
    const answer = await call(`${this.bench.at}/picture`, { body: JSON.stringify(body), headers: { "Content-Type": "application/json" }, signal });
    if (answer.status === 204) return null;
    if (quality === "quick") this.#busy(performance.now() - began);
    const [width, height] = answer.headers.get("X-Size").split("x").map(Number);
    return new ImageData(new Uint8ClampedArray(await answer.arrayBuffer()), width, height);
  }

  /** Say that the machine is busy while pictures come late, rather than be slow without a word. */
  #busy(took) {
    // The first ones fill the house's caches.
    this.timed = (this.timed ?? 0) + 1;
    if (this.timed < 4) return;
    this.took = this.took === undefined ? took : 0.6 * this.took + 0.4 * took;
    document.getElementById("busy").hidden = this.took < LATE;
    clearTimeout(this.calm);
    this.calm = setTimeout(() => (document.getElementById("busy").hidden = true), 5000);
  }

  draw(what, image) {
    const canvas = this[what];
    if (canvas.width !== image.width || canvas.height !== image.height) {
      canvas.width = image.width;
      canvas.height = image.height;
    }
    if (what === "result") {
      this.last = image;
      if (this.bench.left.view === "matte") image = asMatte(image);
    }
    canvas.getContext("2d").putImageData(image, 0, 0);
  }

  /** Show what the chosen view needs, without asking again for what is there. */
  showView() {
    const { view, split } = this.bench.left;
    const plate = this.peek || view === "plate";
    this.plate.hidden = !plate && view !== "split";
    this.result.hidden = plate;
    document.getElementById("ground").hidden = plate || view === "matte";
    this.divider.hidden = plate || view !== "split";
    this.stage.classList.toggle("splitting", view === "split");
    this.result.style.clipPath = view === "split" && !plate ? `inset(0 0 0 ${split * 100}%)` : "";
    document.getElementById("ground").style.clipPath = this.result.style.clipPath;
    this.plate.style.clipPath = view === "split" && !plate ? `inset(0 ${100 - split * 100}% 0 0)` : "";
    if (this.last && !plate) this.draw("result", this.last);
    this.place();
  }

  fit() {
    const { width, height } = this.bench.facts;
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

  place() {
    const { width, height } = this.bench.facts;
    Object.assign(this.stage.style, {
      width: `${width * this.scale}px`,
      height: `${height * this.scale}px`,
      transform: `translate(${this.x}px, ${this.y}px)`,
    });
    this.stage.classList.toggle("pixels", this.scale >= 2);
    this.divider.style.left = `${this.x + width * this.scale * this.bench.left.split}px`;
    document.getElementById("zoom").textContent = `${Math.round(this.scale * 100)} %`;
  }

  /** Plate pixel under a pointer event; null outside the picture. */
  at(event) {
    const room = this.booth.getBoundingClientRect();
    const x = (event.clientX - room.left - this.x) / this.scale;
    const y = (event.clientY - room.top - this.y) / this.scale;
    const { width, height } = this.bench.facts;
    return x >= 0 && y >= 0 && x < width && y < height ? { x, y } : null;
  }

  #pan() {
    this.booth.addEventListener("wheel", (event) => {
      event.preventDefault();
      const room = this.booth.getBoundingClientRect();
      this.zoom(Math.exp(-event.deltaY * 0.002), event.clientX - room.left, event.clientY - room.top);
    }, { passive: false });
    this.booth.addEventListener("pointerdown", (event) => {
      if (this.bench.measuring() || event.target === this.divider) return;
      const from = { x: event.clientX - this.x, y: event.clientY - this.y };
      this.booth.setPointerCapture(event.pointerId);
      const move = (e) => {
        this.x = e.clientX - from.x;
        this.y = e.clientY - from.y;
        this.fitted = false;
        this.place();
      };
      this.booth.addEventListener("pointermove", move);
      this.booth.addEventListener("pointerup", () => this.booth.removeEventListener("pointermove", move), { once: true });
    });
  }

  #split() {
    const set = (split) => {
      this.bench.left.split = Math.min(1, Math.max(0, split));
      this.showView();
      this.bench.remember();
    };
    this.divider.addEventListener("pointerdown", (event) => {
      event.stopPropagation();
      this.divider.setPointerCapture(event.pointerId);
      const move = (e) => {
        const room = this.booth.getBoundingClientRect();
        set((e.clientX - room.left - this.x) / (this.bench.facts.width * this.scale));
      };
      this.divider.addEventListener("pointermove", move);
      this.divider.addEventListener("pointerup", () => this.divider.removeEventListener("pointermove", move), { once: true });
    });
    this.divider.addEventListener("keydown", (event) => {
      const step = { ArrowLeft: -0.02, ArrowRight: 0.02 }[event.key];
      if (step) {
        event.stopPropagation();
        set(this.bench.left.split + step);
      }
    });
  }
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
