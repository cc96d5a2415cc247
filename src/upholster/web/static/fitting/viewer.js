/** The picture of a fitting in its booth: whole, with room around for what reaches out of it, or closer. */

const [EDGE, CLOSEST, FURTHEST] = [120, 16, 0.2];

export class Viewer {
  /** @param {object} page  gives `facts` (width, height) */
  constructor(page) {
    this.page = page;
    this.booth = document.getElementById("booth");
    this.stage = document.getElementById("stage");
    this.canvas = document.getElementById("result");
    this.onPlaced = () => {};
    /** How much closer than whole. */
    this.closer = 1;
    this.booth.addEventListener("wheel", (event) => {
      event.preventDefault();
      const room = this.booth.getBoundingClientRect();
      this.zoom(Math.exp(-event.deltaY / 400), event.clientX - room.left, event.clientY - room.top);
    }, { passive: false });
    new ResizeObserver(() => this.fit()).observe(this.booth);
  }

  draw(image) {
    if (this.canvas.width !== image.width || this.canvas.height !== image.height) {
      this.canvas.width = image.width;
      this.canvas.height = image.height;
    }
    this.canvas.getContext("2d").putImageData(image, 0, 0);
  }

  /** The fitting may have another size. */
  reshaped() {
    const size = `${this.page.facts.width} ${this.page.facts.height}`;
    if (this.size !== size) this.fit();
  }

  fit() {
    const { width, height } = this.page.facts;
    this.size = `${width} ${height}`;
    const room = this.booth.getBoundingClientRect();
    this.closer = 1;
    this.whole = Math.max(0.01, Math.min((room.width - EDGE) / width, (room.height - EDGE) / height));
    this.scale = this.whole;
    this.x = (room.width - width * this.scale) / 2;
    this.y = (room.height - height * this.scale) / 2;
    this.#place();
  }

  /** Zoom by a factor, keeping a place of the booth, by itself its middle, where it is. */
  zoom(factor, cx = this.booth.clientWidth / 2, cy = this.booth.clientHeight / 2) {
    this.closer = Math.min(CLOSEST, Math.max(FURTHEST, this.closer * factor));
    const scale = this.whole * this.closer;
    this.x = cx - ((cx - this.x) * scale) / this.scale;
    this.y = cy - ((cy - this.y) * scale) / this.scale;
    this.scale = scale;
    this.#place();
  }

  move(x, y) {
    Object.assign(this, { x, y });
    this.#place();
  }

  #place() {
    const { width, height } = this.page.facts;
    Object.assign(this.stage.style, { width: `${width * this.scale}px`, height: `${height * this.scale}px`, transform: `translate(${this.x}px, ${this.y}px)` });
    document.getElementById("zoom").textContent = `${Math.round(this.scale * 100)} %`;
    this.onPlaced();
  }

  /** Place in the fitting under a pointer event, in its pixels. */
  at(event) {
    const room = this.booth.getBoundingClientRect();
    return [(event.clientX - room.left - this.x) / this.scale, (event.clientY - room.top - this.y) / this.scale];
  }

  /** Where in the booth a place of the fitting lies. */
  inBooth(x, y) {
    return [x * this.scale + this.x, y * this.scale + this.y];
  }
}
