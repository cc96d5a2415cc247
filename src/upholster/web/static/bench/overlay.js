/** What tools draw over the picture: outlines in black and white, darkened parts, and handles. */

const SVG = "http://www.w3.org/2000/svg";

export class Overlay {
  /** @param {object} viewer  says where in the booth a place on the plate lies */
  constructor(viewer) {
    this.viewer = viewer;
    this.element = document.getElementById("overlay");
  }

  clear() {
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
    this.add("path", { d, class: "outline under" });
    this.add("path", { d, class: "outline" });
  }

  /** Something to take hold of, at [x, y] on the plate. */
  handle([x, y], attributes) {
    const at = this.viewer.inBooth(x, y);
    return this.add("rect", { x: at.x - 9, y: at.y - 9, width: 18, height: 18, rx: 3, class: "handle", tabindex: 0, role: "slider", ...attributes });
  }

  add(name, attributes) {
    const element = document.createElementNS(SVG, name);
    for (const [key, value] of Object.entries(attributes)) element.setAttribute(key, value);
    this.element.append(element);
    return element;
  }
}
