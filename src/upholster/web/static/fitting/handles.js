/** The chosen layer on the picture: moved, sized and turned by the pointer, with edges that meet others. */

import { withValue } from "../bench/tracks.js";
import { drag } from "../lib/drag.js";
import { boxAround, cornersOf, inside, numbersAt, snapped, spanOf } from "./geometry.js";

/** Pixels of the screen within which edges meet, the size of a handle, and how far the turning one stands off. */
const [NEAR, HANDLE, OFF] = [7, 5, 26];

export class Handles {
  /** @param {object} page  gives `store`, `layers`, `sources`, `viewer`, `frame()`, `changeMany(...)` */
  constructor(page) {
    this.page = page;
    this.overlay = document.getElementById("overlay");
    this.booth = document.getElementById("booth");
    this.guides = [];
    this.booth.addEventListener("pointerdown", (event) => this.#press(event));
    this.overlay.addEventListener("pointerdown", (event) => this.#grasp(event));
  }

  get #fitting() {
    return this.page.store.recipe.frame;
  }

  #corners(mark) {
    const size = this.page.sources[mark];
    return size && cornersOf(this.page.layers.layer(mark), this.page.frame(), size, this.#fitting);
  }

  #there(mark) {
    const layer = this.page.layers.layer(mark);
    const [first, end] = spanOf(layer, this.page.sources[mark] ?? { length: 1 }, this.#fitting);
    return !layer.hidden && this.page.frame() >= first && this.page.frame() < end;
  }

  /** The topmost layer under a place of the fitting. */
  under(place) {
    const { order } = this.page.layers.all;
    return [...order].reverse().find((mark) => this.#there(mark) && !this.page.layers.layer(mark).locked && this.page.sources[mark]?.width && inside(this.#corners(mark), place));
  }

  draw() {
    const mark = this.page.layers.chosen;
    const { viewer } = this.page;
    const lines = this.guides.map(([way, at]) => {
      const [x, y] = viewer.inBooth(at, at);
      return way === "x" ? `<line class="guide" x1="${x}" x2="${x}" y1="0" y2="100%"/>` : `<line class="guide" y1="${y}" y2="${y}" x1="0" x2="100%"/>`;
    });
    if (!mark || !this.page.sources[mark]?.width || this.page.playing()) {
      this.overlay.innerHTML = lines.join("");
      return;
    }
    const places = this.#corners(mark).map(([x, y]) => viewer.inBooth(x, y));
    const path = `M${places.map((place) => place.join(" ")).join("L")}Z`;
    const top = [(places[0][0] + places[1][0]) / 2, (places[0][1] + places[1][1]) / 2];
    const middle = [(places[0][0] + places[2][0]) / 2, (places[0][1] + places[2][1]) / 2];
    const away = Math.hypot(top[0] - middle[0], top[1] - middle[1]) || 1;
    const turn = [0, 1].map((k) => top[k] + ((top[k] - middle[k]) / away) * OFF);
    const grips = places.map(([x, y], k) => `<rect class="handle" data-grasp="size" data-corner="${k}" x="${x - HANDLE}" y="${y - HANDLE}" width="${2 * HANDLE}" height="${2 * HANDLE}"/>`);
    const locked = this.page.layers.layer(mark).locked;
    this.overlay.innerHTML = `<path class="rim under" d="${path}"/><path class="rim" d="${path}"/>${lines.join("")}${locked ? "" : `<line x1="${top[0]}" y1="${top[1]}" x2="${turn[0]}" y2="${turn[1]}" stroke="#ffffff"/><circle class="handle" data-grasp="turn" cx="${turn[0]}" cy="${turn[1]}" r="${HANDLE + 1}"/>${grips.join("")}`}`;
  }

  #set(numbers, final, words) {
    const mark = this.page.layers.chosen;
    const layer = this.page.layers.layer(mark);
    const changes = Object.entries(numbers).map(([name, value]) => [`layers.each.${mark}.${name}`, withValue(layer[name], this.page.frame(), Number(value.toFixed(4)))]);
    this.page.changeMany(Object.fromEntries(changes), final, `${layer.name} ${words}`);
  }

  /** Move the chosen layer by pixels of the fitting. */
  nudge(dx, dy) {
    if (!this.page.layers.chosen || this.page.layers.layer().locked) return;
    const { x, y } = numbersAt(this.page.layers.layer(), this.page.frame());
    this.#set({ x: x + dx, y: y + dy }, true, "moved");
  }

  #press(event) {
    if (event.button || event.target.closest("[data-grasp]")) return;
    const place = this.page.viewer.at(event);
    const mark = this.under(place);
    if (mark !== this.page.layers.chosen) this.page.layers.choose(mark ?? null);
    if (!mark) {
      const { viewer } = this.page;
      const from = [viewer.x, viewer.y];
      drag(this.booth, event, { move: (e, dx, dy) => viewer.move(from[0] + dx, from[1] + dy), cancel: () => viewer.move(...from) });
      return;
    }
    const { x, y } = numbersAt(this.page.layers.layer(mark), this.page.frame());
    const box = boxAround(this.#corners(mark));
    const lines = this.#lines(mark);
    const to = (e, final) => {
      let [dx, dy] = this.page.viewer.at(e).map((v, k) => v - place[k]);
      this.guides = [];
      if (!e.altKey) {
        const near = NEAR / this.page.viewer.scale;
        const [across, down] = [0, 1].map((k) => snapped([box[k], (box[k] + box[k + 2]) / 2, box[k + 2]].map((v) => v + [dx, dy][k]), lines[k], near));
        if (across) [dx, this.guides] = [dx + across[0], [["x", across[1]]]];
        if (down) {
          dy += down[0];
          this.guides.push(["y", down[1]]);
        }
      }
      if (final) this.guides = [];
      this.#set({ x: x + dx, y: y + dy }, final, "moved");
    };
    this.#follow(this.booth, event, to, { x, y });
  }

  /** What edges may meet: those of the fitting, its middle and thirds, and of other layers; across and down. */
  #lines(except) {
    const { width, height } = this.#fitting;
    const own = [width, height].map((side) => [0, side / 3, side / 2, (2 * side) / 3, side]);
    for (const mark of this.page.layers.all.order) {
      if (mark === except || !this.page.sources[mark] || !this.#there(mark)) continue;
      const box = boxAround(this.#corners(mark));
      for (const k of [0, 1]) own[k].push(box[k], (box[k] + box[k + 2]) / 2, box[k + 2]);
    }
    return own;
  }

  #grasp(event) {
    const grasp = event.target.dataset?.grasp;
    if (!grasp || event.button) return;
    event.stopPropagation();
    this.booth.focus();
    const layer = this.page.layers.layer();
    const numbers = numbersAt(layer, this.page.frame());
    const anchor = [this.#fitting.width / 2 + numbers.x, this.#fitting.height / 2 + numbers.y];
    const from = this.page.viewer.at(event);
    const angle = ([x, y]) => (Math.atan2(y - anchor[1], x - anchor[0]) * 180) / Math.PI;
    const away = ([x, y]) => Math.hypot(x - anchor[0], y - anchor[1]);
    const to = (e, final) => {
      const place = this.page.viewer.at(e);
      if (grasp === "size") {
        this.#set({ scale: Math.min(20, Math.max(0.005, (numbers.scale * away(place)) / Math.max(away(from), 1))) }, final, "sized");
        return;
      }
      let turn = numbers.turn + ((angle(place) - angle(from) + 540) % 360) - 180;
      if (e.shiftKey) turn = Math.round(turn / 15) * 15;
      this.#set({ turn: Math.round(turn * 10) / 10 }, final, "turned");
    };
    this.#follow(this.booth, event, to, grasp === "size" ? { scale: numbers.scale } : { turn: numbers.turn });
  }

  #follow(element, event, to, before) {
    const mark = this.page.layers.chosen;
    const held = Object.fromEntries(Object.keys(before).map((name) => [`layers.each.${mark}.${name}`, this.page.store.get(`layers.each.${mark}.${name}`)]));
    drag(element, event, {
      move: (e) => to(e, false),
      end: (e, moved) => {
        if (moved) to(e, true);
        this.guides = [];
        this.draw();
      },
      cancel: () => {
        this.guides = [];
        this.page.changeMany(held, false);
      },
    });
  }
}
