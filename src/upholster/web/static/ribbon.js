/** The ribbon: small pictures of the clip, one column per frame below; in and out, damage, and where we are. */

/** Height of the pictures and of the scale below them, in pixels. */
const [PICTURES, SCALE] = [30, 14];

export class Ribbon {
  constructor(bench) {
    this.bench = bench;
    this.element = document.getElementById("ribbon");
    this.canvas = this.element.querySelector("canvas");
    this.pictures = new Map();
    new ResizeObserver(() => this.show()).observe(this.element);
    this.element.addEventListener("pointerdown", (event) => {
      this.element.setPointerCapture(event.pointerId);
      const go = (e) => bench.go(this.#frame(e));
      go(event);
      this.element.addEventListener("pointermove", go);
      const end = () => this.element.removeEventListener("pointermove", go);
      for (const over of ["pointerup", "pointercancel"]) this.element.addEventListener(over, end, { once: true });
    });
  }

  #frame(event) {
    const box = this.element.getBoundingClientRect();
    return Math.floor(((event.clientX - box.left) / box.width) * this.bench.facts.length);
  }

  /** A small picture of a frame, once it is there. */
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
    const { length, width, height, damaged } = this.bench.facts;
    const { first, last } = this.bench.recipe().take;
    const column = box.width / length;
    const wide = Math.max(24, (PICTURES * width) / height);
    for (let x = 0; x < box.width; x += wide) {
      const image = this.#picture(Math.min(length - 1, Math.floor((x + wide / 2) / column)));
      if (image) pen.drawImage(image, x, 0, wide, PICTURES);
    }
    // What the take leaves out is veiled.
    pen.fillStyle = "#faf8f4d0";
    pen.fillRect(0, 0, first * column, PICTURES);
    pen.fillRect(((last ?? length - 1) + 1) * column, 0, box.width, PICTURES);
    pen.fillStyle = "#a63a32";
    for (const [from, to] of damaged) pen.fillRect(from * column, PICTURES - 6, Math.max(2, (to + 1 - from) * column), 6);
    pen.fillStyle = "#6b655b";
    pen.font = "10px 'Figures', 'Atkinson Hyperlegible Next', sans-serif";
    const every = [1, 2, 4, 6, 12, 24, 48, 96, 240, 480, 960, 2400, 9600].find((n) => n * column > 44) || 24000;
    for (let frame = 0; frame < length; frame++) {
      const major = frame % every === 0;
      if (column > 4 || major) pen.fillRect(frame * column, box.height - SCALE, 1, major ? 6 : 3);
      if (major) pen.fillText(frame, frame * column + 3, box.height - 2);
    }
    const here = this.bench.frame();
    const at = here * column;
    pen.fillStyle = "#8f6212";
    pen.fillRect(at, 0, Math.max(2, Math.min(column, 3)), box.height - SCALE);
    this.element.setAttribute("aria-valuenow", here);
    const hurt = damaged.some(([from, to]) => here >= from && here <= to);
    this.element.setAttribute("aria-valuetext", hurt ? `${here}, damaged in the file` : String(here));
    this.element.title = damaged.length ? "Marked red: frames that are damaged in the file." : "";
  }
}
