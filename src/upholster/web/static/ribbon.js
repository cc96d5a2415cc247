/** The ribbon: one column per frame, in and out, and where we are. */

export class Ribbon {
  constructor(bench) {
    this.bench = bench;
    this.element = document.getElementById("ribbon");
    this.canvas = this.element.querySelector("canvas");
    new ResizeObserver(() => this.show()).observe(this.element);
    this.element.addEventListener("pointerdown", (event) => {
      this.element.setPointerCapture(event.pointerId);
      const go = (e) => bench.go(this.#frame(e));
      go(event);
      this.element.addEventListener("pointermove", go);
      this.element.addEventListener("pointerup", () => this.element.removeEventListener("pointermove", go), { once: true });
    });
  }

  #frame(event) {
    const box = this.element.getBoundingClientRect();
    return Math.floor(((event.clientX - box.left) / box.width) * this.bench.facts.length);
  }

  show() {
    const box = this.element.getBoundingClientRect();
    const ratio = devicePixelRatio;
    this.canvas.width = box.width * ratio;
    this.canvas.height = box.height * ratio;
    const pen = this.canvas.getContext("2d");
    pen.scale(ratio, ratio);
    const { length } = this.bench.facts;
    const { first, last } = this.bench.recipe().take;
    const column = box.width / length;
    pen.fillStyle = "#d9d4c9";
    pen.fillRect(first * column, 4, ((last ?? length - 1) + 1 - first) * column, box.height - 18);
    pen.fillStyle = "#6b655b";
    pen.font = "10px 'Atkinson Hyperlegible Next', sans-serif";
    const every = [1, 2, 4, 6, 12, 24, 48, 96, 240, 480, 960, 2400, 9600].find((n) => n * column > 44) || 24000;
    for (let frame = 0; frame < length; frame++) {
      const major = frame % every === 0;
      if (column > 4 || major) pen.fillRect(frame * column, box.height - 14, 1, major ? 6 : 3);
      if (major) pen.fillText(frame, frame * column + 3, box.height - 2);
    }
    const here = this.bench.frame();
    pen.fillStyle = "#8f6212";
    pen.fillRect(here * column, 0, Math.max(2, column), box.height - 14);
    this.element.setAttribute("aria-valuenow", here);
  }
}
