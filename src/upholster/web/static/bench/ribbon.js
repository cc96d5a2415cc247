/** The ribbon: small pictures of the clip, one column per frame; in and out, damage, keyframes, and where we are. */

import { drag } from "../lib/drag.js";
import { brushOf } from "./kinds.js";
import { output, source } from "./times.js";

/** Height of the pictures, of the scale below them, and of what is wrong in between, in pixels. */
const [PICTURES, SCALE, TROUBLE] = [30, 14, 16];

export class Ribbon {
  /** @param {object} bench  gives `facts`, `store`, `shown.times`, `counted()` (taken, number, count), `keyed()`, `go(number)` */
  constructor(bench) {
    this.bench = bench;
    this.element = document.getElementById("ribbon");
    this.canvas = this.element.querySelector("canvas");
    this.playhead = Object.assign(document.createElement("div"), { className: "playhead" });
    this.element.append(this.playhead);
    this.pictures = new Map();
    new ResizeObserver(() => this.show()).observe(this.element);
    this.element.addEventListener("pointerdown", (event) => {
      if (event.button) return;
      const before = bench.counted().number;
      const go = (e) => bench.go(this.#number(e));
      go(event);
      drag(this.element, event, { move: go, cancel: () => bench.go(before) });
    });
  }

  #number(event) {
    const box = this.element.getBoundingClientRect();
    return Math.floor(((event.clientX - box.left) / box.width) * this.bench.counted().count);
  }

  /** A small picture of a frame of the footage, once it is there. */
  #picture(frame) {
    if (!this.pictures.has(frame)) {
      const image = new Image();
      image.onload = () => this.show();
      image.src = `${this.bench.facts.pictures}${frame}.jpg?small=1&reading=${this.bench.facts.reading}`;
      this.pictures.set(frame, image);
    }
    const image = this.pictures.get(frame);
    return image.complete && image.naturalWidth ? image : null;
  }

  show() {
    const box = this.element.getBoundingClientRect();
    const ratio = devicePixelRatio;
    this.canvas.width = box.width * ratio;
    this.canvas.height = box.height * ratio;
    const pen = this.canvas.getContext("2d");
    pen.scale(ratio, ratio);
    const { width, height, damaged, length } = this.bench.facts;
    const { taken, count } = this.bench.counted();
    const { times } = this.bench.shown;
    const frameAt = (n) => (taken ? source(times, n) : n);
    const column = box.width / count;
    const wide = Math.max(24, (PICTURES * width) / height);
    for (let x = 0; x < box.width; x += wide) {
      const image = this.#picture(frameAt(Math.min(count - 1, Math.floor((x + wide / 2) / column))));
      if (image) pen.drawImage(image, x, 0, wide, PICTURES);
    }
    pen.fillStyle = "#faf8f4d0";
    if (taken) {
      // Held frames are paler: nothing moves there.
      pen.fillRect(0, 0, times.before * column, PICTURES);
      pen.fillRect((count - times.after) * column, 0, times.after * column, PICTURES);
    } else {
      // What the take leaves out is veiled.
      const { first, last } = this.bench.store.recipe.take;
      pen.fillRect(0, 0, first * column, PICTURES);
      pen.fillRect(((last ?? length - 1) + 1) * column, 0, box.width, PICTURES);
    }
    const place = (frame) => (taken ? output(times, frame) : frame);
    const used = (frame) => !taken || (frame >= times.first && frame <= times.last);
    pen.fillStyle = "#a63a32";
    for (const [from, to] of damaged) {
      if (!used(from) && !used(to)) continue;
      const [a, b] = [place(from), place(to)].sort((p, q) => p - q);
      pen.fillRect(a * column, PICTURES - 6, Math.max(2, (b + 1 - a) * column), 6);
    }
    this.#trace(pen, column, place, used);
    pen.fillStyle = "#8f6212";
    for (const frame of this.bench.keyed()) {
      if (!used(frame)) continue;
      const x = (place(frame) + 0.5) * column;
      pen.beginPath();
      pen.arc(x, PICTURES, 3, 0, 2 * Math.PI);
      pen.fill();
    }
    this.#trouble(pen, box, column, count, frameAt);
    this.#scale(pen, box, column, count);
    this.move();
  }

  /** Show where we are, and nothing else anew. */
  move() {
    const { taken, number, count } = this.bench.counted();
    this.playhead.style.left = `${(100 * number) / count}%`;
    this.#tell(number, taken ? source(this.bench.shown.times, number) : number, count);
  }

  /** Of the chosen trace: a line under frames that are traced, hatched where they are still to be, and marks of doubt. */
  #trace(pen, column, place, used) {
    const marks = this.bench.traces.marks();
    if (!marks) return;
    for (let frame = marks.first; frame <= marks.last; frame++) {
      if (!used(frame)) continue;
      const x = place(frame) * column;
      const missing = marks.missing.has(frame);
      pen.fillStyle = missing ? "#faf8f4" : "#34508c";
      pen.fillRect(x, PICTURES - 5, Math.max(1, column), 5);
      pen.fillStyle = "#34508c";
      if (missing && (column > 6 || frame % Math.ceil(6 / column) === 0)) pen.fillRect(x, PICTURES - 5, 1.5, 5);
    }
    pen.fillStyle = "#a63a32";
    for (const frame of marks.doubtful.filter(used)) {
      const x = (place(frame) + 0.5) * column;
      pen.beginPath();
      pen.moveTo(x - 4, 0);
      pen.lineTo(x + 4, 0);
      pen.lineTo(x, 7);
      pen.fill();
    }
    pen.fillStyle = "#34508c";
    for (const frame of marks.anchors.filter(used)) pen.fillRect((place(frame) + 0.5) * column - 3, PICTURES - 9, 6, 9);
  }

  /** What is wrong with each frame: kinds stacked, each as high as it is bad; a line of dots where nothing is known. */
  #trouble(pen, box, column, count, frameAt) {
    const { findings } = this.bench;
    const foot = box.height - SCALE;
    // Frames may share a pixel: then the worst of them is shown.
    const step = Math.max(1, Math.floor(1 / column));
    for (let n = 0; n < count; n += step) {
      const x = n * column;
      const wide = Math.max(1, column * step);
      const found = this.#worst(n, Math.min(count, n + step), frameAt);
      if (found === null) {
        pen.fillStyle = "#d9d4c9";
        pen.fillRect(x, foot - 2, Math.max(1, wide - 1), 1);
        continue;
      }
      const worst = Math.max(0, ...found.map(([, bad]) => bad));
      const total = found.reduce((sum, [, bad]) => sum + bad, 0);
      let top = foot;
      for (const [kind, bad] of found) {
        const high = (TROUBLE * Math.max(0.15, worst) * bad) / total;
        top -= high;
        pen.fillStyle = brushOf(kind, pen);
        pen.fillRect(x, top, wide, high);
      }
      if (findings.stale.has(frameAt(n))) this.#stale(pen, x, wide, foot);
    }
  }

  #worst(first, end, frameAt) {
    let worst = null;
    for (let n = first; n < end; n++) {
      const found = this.bench.findings.of(frameAt(n));
      const bad = (each) => Math.max(0, ...each.map(([, much]) => much));
      if (found && (!worst || bad(found) > bad(worst))) worst = found;
    }
    return worst;
  }

  /** Measured before the last change: hatched until it is measured again. */
  #stale(pen, x, wide, foot) {
    pen.strokeStyle = "#6b655b";
    pen.lineWidth = 1;
    pen.beginPath();
    pen.moveTo(x, foot);
    pen.lineTo(x + Math.max(3, wide), foot - TROUBLE);
    pen.stroke();
  }

  #scale(pen, box, column, count) {
    pen.fillStyle = "#6b655b";
    pen.font = "10px 'Figures', 'Atkinson Hyperlegible Next', sans-serif";
    const every = [1, 2, 4, 6, 12, 24, 48, 96, 240, 480, 960, 2400, 9600].find((n) => n * column > 44) || 24000;
    for (let n = 0; n < count; n += column > 4 ? 1 : every) {
      const major = n % every === 0;
      pen.fillRect(n * column, box.height - SCALE, 1, major ? 6 : 3);
      if (major) pen.fillText(n, n * column + 3, box.height - 2);
    }
  }

  #tell(number, frame, count) {
    const { damaged } = this.bench.facts;
    this.element.setAttribute("aria-valuenow", number);
    this.element.setAttribute("aria-valuemax", count - 1);
    const hurt = damaged.some(([from, to]) => frame >= from && frame <= to);
    const wrong = (this.bench.findings.of(frame) ?? []).map(([kind]) => kind.replace("_", " "));
    this.element.setAttribute("aria-valuetext", [number, ...(hurt ? ["damaged in the file"] : []), ...wrong].join(", "));
    this.element.title = `The line at the top: frames that are ready to play.${damaged.length ? " Marked red: frames that are damaged in the file." : ""}`;
  }
}
