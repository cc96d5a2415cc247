/** What tools draw over the picture: outlines in black and white, darkened parts, and handles. */

const SVG = "http://www.w3.org/2000/svg";

/** What one tool draws. */
export class Overlay {
  /** @param {object} viewer  says where in the booth a place on the plate lies */
  constructor(viewer) {
    this.viewer = viewer;
    this.element = document.createElementNS(SVG, "g");
    document.getElementById("overlay").append(this.element);
  }

  /** Begins anew. The handle that had the keyboard gets it back when it is drawn again. */
  clear() {
    this.held = this.element.contains(document.activeElement) ? document.activeElement.dataset.handle : undefined;
    this.element.replaceChildren();
  }

  /** A closed path through corners given as [x, y] on the plate. */
  ring(corners) {
    return `M${corners.map(([x, y]) => Object.values(this.viewer.inBooth(x, y)).join(" ")).join("L")}Z`;
  }

  /** What lies within one ring and not within another, darkened. */
  darken(whole, kept) {
    this.add("path", { d: whole + kept, "fill-rule": "evenodd", class: "cut" });
  }

  /** A line that is seen on any picture. */
  outline(d) {
    this.add("path", { d, class: "contour under" });
    this.add("path", { d, class: "contour" });
  }

  /** A thin line, of a class of its own. */
  line(d, kind) {
    this.add("path", { d, class: `contour ${kind}` });
  }

  /** A straight line between two places on the plate. */
  segment([ax, ay], [bx, by]) {
    const [a, b] = [this.viewer.inBooth(ax, ay), this.viewer.inBooth(bx, by)];
    this.add("path", { d: `M${a.x} ${a.y}L${b.x} ${b.y}`, class: "segment" });
  }

  /** A point of an outline: square, round, or a diamond. */
  dot([x, y], form, kind) {
    const at = this.viewer.inBooth(x, y);
    if (form === "round") this.add("circle", { cx: at.x, cy: at.y, r: kind === "small" ? 3 : 4, class: `dot-of-shape ${kind}` });
    else this.add("rect", { x: at.x - 3.5, y: at.y - 3.5, width: 7, height: 7, class: `dot-of-shape ${kind}`, ...(form === "diamond" && { transform: `rotate(45 ${at.x} ${at.y})` }) });
  }

  /** What things are turned around. */
  cross([x, y]) {
    const at = this.viewer.inBooth(x, y);
    this.outline(`M${at.x - 7} ${at.y}H${at.x + 7}M${at.x} ${at.y - 7}V${at.y + 7}`);
  }

  /** Something to take hold of, at [x, y] on the plate. */
  handle([x, y], attributes) {
    const at = this.viewer.inBooth(x, y);
    const handle = this.add("rect", { x: at.x - 9, y: at.y - 9, width: 18, height: 18, rx: 3, class: "handle", tabindex: 0, role: "slider", ...attributes });
    if (this.held && handle.dataset.handle === this.held) handle.focus();
    return handle;
  }

  add(name, attributes) {
    const element = document.createElementNS(SVG, name);
    for (const [key, value] of Object.entries(attributes)) element.setAttribute(key, value);
    this.element.append(element);
    return element;
  }
}
