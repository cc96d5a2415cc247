/** How each kind of trouble is drawn: by a pattern of its own, never by colour alone. */

const SVG = "http://www.w3.org/2000/svg";
const MADDER = "#a63a32";
/** Lines of each pattern on a square of 8 by 8, and whether it is filled. */
const PATTERNS = {
  hole: { d: "M0 0H8V8H0Z", filled: true },
  haze: { d: "M2 2h0.01M6 6h0.01", dots: true },
  fringe: { d: "M0 4H8" },
  chatter: { d: "M-2 10L10 -2M-6 6L6 -6M2 14L14 2" },
  cut_off: { d: "M4 0V8" },
  spill: { d: "M-2 -2L10 10M-2 6L2 10M6 -2L10 2" },
  jump: { d: "M0 0L8 8M8 0L0 8" },
};

function lineOf(kind) {
  const path = document.createElementNS(SVG, "path");
  const { d, filled, dots } = PATTERNS[kind];
  const told = { d, fill: filled ? MADDER : "none", stroke: filled ? "none" : MADDER, "stroke-width": dots ? 3 : 2, "stroke-linecap": dots ? "round" : "butt" };
  for (const [name, value] of Object.entries(told)) path.setAttribute(name, value);
  return path;
}



/** A small mark of a kind. */
export function markOf(kind) {
  const mark = document.createElementNS(SVG, "svg");
  mark.setAttribute("viewBox", "0 0 8 8");
  mark.setAttribute("class", "kind-mark");
  mark.setAttribute("aria-hidden", "true");
  mark.append(lineOf(kind));
  return mark;
}

/** What fills a place of a kind on the picture. */
export function fillOf(kind) {
  const id = `fault-${kind}`;
  if (!document.getElementById(id)) {
    const pattern = document.createElementNS(SVG, "pattern");
    for (const [name, value] of Object.entries({ id, width: 8, height: 8, patternUnits: "userSpaceOnUse" })) pattern.setAttribute(name, value);
    const white = document.createElementNS(SVG, "rect");
    for (const [name, value] of Object.entries({ width: 8, height: 8, fill: "#ffffff", "fill-opacity": 0.45 })) white.setAttribute(name, value);
    pattern.append(white, lineOf(kind));
    document.querySelector("#overlay defs").append(pattern);
  }
  return `url(#${id})`;
}

const brushes = new Map();

/** The same for a canvas. */
export function brushOf(kind, pen) {
  if (!brushes.has(kind)) {
    const tile = Object.assign(document.createElement("canvas"), { width: 8, height: 8 });
    const own = tile.getContext("2d");
    const { d, filled, dots } = PATTERNS[kind];
    own.fillStyle = filled ? MADDER : "#ffffff";
    own.fillRect(0, 0, 8, 8);
    Object.assign(own, { strokeStyle: MADDER, lineWidth: dots ? 3 : 2, lineCap: dots ? "round" : "butt" });
    if (!filled) own.stroke(new Path2D(d));
    brushes.set(kind, pen.createPattern(tile, "repeat"));
  }
  return brushes.get(kind);
}
