/** The small instruments of the work order: what is measured of the frame in view, drawn into the lines. */

import { send } from "../lib/common.js";
import { drag } from "../lib/drag.js";

/** The instruments, by the line they unfold with. */
const INSTRUMENTS = { matte: "histogram", edge: "profile", edge_colour: "chroma", finish: "tones" };
/** Milliseconds of rest before one is asked for. */
const REST = 120;

export class Instruments {
  /** @param {object} bench  gives `at`, `store`, `frame()`; @param {object} values  reads and sets numbers */
  constructor(bench, values) {
    Object.assign(this, { bench, values });
    this.resting = {};
    const svg = document.getElementById("histogram");
    svg.addEventListener("pointerdown", (event) => {
      if (event.button) return;
      const number = (e) => {
        const box = svg.getBoundingClientRect();
        return (e.clientX - box.left) / box.width;
      };
      const [black, white] = ["matte.black_point", "matte.white_point"];
      const at = number(event);
      const path = Math.abs(at - values.number(black)) <= Math.abs(at - values.number(white)) ? black : white;
      const before = bench.store.get(path);
      values.set(path, at, false);
      drag(svg, event, {
        move: (e) => values.set(path, number(e), false),
        end: () => values.set(path, values.number(path), true),
        cancel: () => values.restore(path, before),
      });
    });
  }

  /** Draw the instruments of the lines that are unfolded. */
  show() {
    for (const [stage, name] of Object.entries(INSTRUMENTS)) {
      if (document.querySelector(`[data-stage="${stage}"] .unfolded`).hidden) continue;
      if (name === "histogram") this.#handles();
      if (name === "tones") this.bench.finish.handles();
      this.#ask(name, (found) => DRAW[name](document.getElementById(name), found));
    }
  }

  #ask(name, draw) {
    clearTimeout(this.resting[name]);
    this.resting[name] = setTimeout(async () => {
      const { store } = this.bench;
      const [of, frame] = [store.recipe, this.bench.frame()];
      try {
        const found = await send(`${this.bench.at}/instruments/${name}`, { ...store.asked, frame });
        if (of === store.recipe && frame === this.bench.frame()) draw(found);
      } catch {
        /* drawn with the next change */
      }
    }, REST);
  }

  #handles() {
    const [black, white] = [this.values.number("matte.black_point"), this.values.number("matte.white_point")];
    document.querySelector("#histogram g").innerHTML = [[black, "black"], [white, "white"]]
      .map(([v, name]) => `<g transform="translate(${v * 300})"><line y1="0" y2="72" class="stroke-ink"/><path d="M-5 84 L5 84 L0 72 Z" class="${name === "black" ? "fill-sheet" : "fill-ink"} stroke-ink"/></g>`)
      .join("") + `<path d="M${black * 300} 72 L${white * 300} 0" class="stroke-brass" fill="none"/>`;
  }
}

/** Red, green and blue as lines on paper. */
const PRIMARIES = ["#a63a32", "#3f6b3a", "#34508c"];

/** How each instrument is drawn into its SVG. */
const DRAW = {
  histogram(svg, counts) {
    const top = Math.log1p(Math.max(...counts));
    const bars = counts.map((n, k) => `M${(k * 300) / 64} 72v${(-70 * Math.log1p(n)) / top}h4.2V72z`).join("");
    svg.querySelector("path").setAttribute("d", bars);
  },
  profile(svg, { distances, raw_matte: raw, matte }) {
    if (!distances.length) {
      svg.innerHTML = '<text x="150" y="44" text-anchor="middle" class="fill-faded text-sm">There is no edge in this picture.</text>';
      return;
    }
    const points = (values) => values.flatMap((v, k) => (v === null ? [] : [`${(k * 300) / (values.length - 1)} ${78 - 72 * v}`]));
    const line = (values) => `M${points(values).join("L")}`;
    svg.innerHTML = `<path d="M150 0V84M0 78H300M0 6H300" class="stroke-sheet"/><path d="${line(raw)}" class="stroke-faded" stroke-dasharray="4 3" fill="none"/><path d="${line(matte)}" class="stroke-brass" stroke-width="2" fill="none"/>`;
  },
  /** Red, green and blue are told apart by their dashes: long, none, short. */
  tones(svg, { subject, curves }) {
    const most = Math.log1p(Math.max(1, ...subject.flat()));
    const [bars, lines] = [svg.querySelector(".bars"), svg.querySelector(".lines")];
    bars.innerHTML = subject.map((counts, k) => `<path d="M0 144${counts.map((n, b) => `L${(b + 0.5) * 4.6875} ${144 - (56 * Math.log1p(n)) / most}`).join("")}L300 144Z" fill="${PRIMARIES[k]}" opacity="0.22"/>`).join("");
    lines.innerHTML = curves.map((values, k) => `<path d="M${values.map((v, b) => `${b * 4.6875} ${144 - 144 * Math.min(1.02, Math.max(-0.02, v))}`).join("L")}" fill="none" stroke="${PRIMARIES[k]}" stroke-width="1.5" stroke-dasharray="${["7 3", "none", "2 2"][k]}"/>`).join("");
  },
  chroma(svg, { plate, screen }) {
    const most = Math.log1p(Math.max(1, ...plate.map(([, , n]) => n)));
    const dots = plate.map(([u, v, n]) => `<rect x="${u * 3}" y="${141 - v * 3}" width="3" height="3" fill="${tint(u, v)}" opacity="${0.25 + (0.75 * Math.log1p(n)) / most}"/>`);
    const rings = screen.map(([u, v]) => `<rect x="${u * 3 - 0.5}" y="${140.5 - v * 3}" width="4" height="4" class="stroke-ink" fill="none"/>`);
    svg.innerHTML = `<path d="M72 0V144M0 72H144" class="stroke-sheet"/>${dots.join("")}${rings.join("")}`;
  },
};

/** The colour of a cell of the chroma plane, at a middling brightness. */
function tint(u, v) {
  const blue = (u + 0.5) / 48 - 0.5;
  const red = (v + 0.5) / 48 - 0.5;
  const green = -(0.2126 * red + 0.0722 * blue) / 0.7152;
  return `rgb(${[red, green, blue].map((c) => Math.round(255 * Math.min(1, Math.max(0, 0.5 + c)))).join(" ")})`;
}
