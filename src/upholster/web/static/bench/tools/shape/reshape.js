/** Reshaping the chosen outline: its points, handles and feathers, a box around some points, all of it. */

import { say } from "../../../lib/common.js";
import { drag } from "../../../lib/drag.js";
import { inside, nearestOn, pointsAt, rectangle, transformedSome } from "../../course.js";
import { boxOf, grips, mapFor } from "./box.js";
import { TURN } from "./draw.js";
import { WIDTHS, bounded, feathers } from "./feather.js";

export class Reshape {
  /** @param {object} tool  the `Shape` it belongs to */
  constructor(tool) {
    this.tool = tool;
    this.bench = tool.bench;
  }

  /** Take hold of what lies under a press; of another outline, or with a rectangle of some points. */
  take(event, at) {
    const { masks } = this.bench;
    const near = this.tool.near(event);
    const points = masks.points();
    const far = ([x, y]) => Math.hypot(x - at[0], y - at[1]);
    if (points && !masks.mask.locked) {
      if (this.#takeHandle(event, points, far, near) || this.#takeBox(event, points, far, near)) return;
      const nearest = points.map((point, k) => [far(point), k]).sort((a, b) => a[0] - b[0])[0];
      if (nearest[0] < near) return this.#takePoint(event, points, nearest[1], at);
      if (this.#takeFeather(event, points, far, near)) return;
      if (nearestOn(masks.course(), points, at).far < near) return this.#moveAll(event, points, at);
    }
    const other = masks.drawn().find(([mark, , course]) => mark !== masks.chosen && nearestOn(course, pointsAt(course, this.bench.frame()), at).far < near);
    if (other) return masks.choose(other[0]);
    if (points && masks.mask.locked) say(`${masks.mask.name} is locked. Unlock it in the list to reshape it.`);
    this.#rope(event, at);
  }

  #takeHandle(event, points, far, near) {
    for (const k of this.tool.selected) {
      for (const part of [2, 4]) {
        const point = points[k];
        if (!point || (!point[part] && !point[part + 1]) || far([point[0] + point[part], point[1] + point[part + 1]]) >= near) continue;
        // With Alt the two go apart, and stay so.
        const tied = this.bench.masks.course().tied[k] && !event.altKey;
        if (event.altKey) this.#tie(k, false);
        this.#follow(event, ([x, y]) => points.map((p, n) => (n === k ? withHandle(p, part, x - p[0], y - p[1], tied) : p)), "handle moved");
        return true;
      }
    }
    return false;
  }

  #takeFeather(event, points, far, near) {
    const found = feathers(this.tool, points).find(({ at }) => far(at) < near);
    if (!found) return false;
    const { part } = found;
    this.#follow(event, (place) => {
      const width = found.widthAt(place);
      const by = width - points[found.k][WIDTHS[part]];
      return points.map((point, k) => (this.tool.selected.has(k) ? point.with(WIDTHS[part], bounded(event.shiftKey ? width : point[WIDTHS[part]] + by)) : point));
    }, `feather ${part} moved`);
    return true;
  }

  #tie(k, tied) {
    const { masks } = this.bench;
    const course = masks.course();
    if (course.tied[k] !== tied) masks.put({ ...course, tied: course.tied.with(k, tied) }, false, "handles apart");
  }

  #takeBox(event, points, far, near) {
    if (this.tool.selected.size < 2) return false;
    const box = boxOf(points, this.tool.selected);
    const pivot = this.tool.pivot ?? box.centre;
    const grip = grips(box, this.tool.pixel(TURN)).find(({ at }) => far(at) < near);
    if (!grip && far(pivot) < near) {
      drag(this.bench.viewer.booth, event, {
        move: (e) => {
          this.tool.pivot = this.tool.place(e);
          this.tool.draw();
        },
        cancel: () => (this.tool.pivot = null),
      });
      return true;
    }
    if (!grip) return false;
    const from = this.tool.place(event);
    const words = { turn: "turned", side: "scaled", corner: "scaled" }[grip.kind];
    this.#follow(event, (to, e) => transformedSome(points, this.tool.selected, mapFor(grip, from, to, pivot, { even: e.shiftKey, shear: e.ctrlKey || e.metaKey })), words);
    return true;
  }

  #takePoint(event, points, k, from) {
    if (event.shiftKey) {
      if (!this.tool.selected.delete(k)) this.tool.selected.add(k);
    } else if (!this.tool.selected.has(k)) this.tool.selected = new Set([k]);
    this.tool.pivot = null;
    this.bench.show();
    if (event.ctrlKey || event.metaKey) return this.#moveCourse(event, from);
    const chosen = new Set(this.tool.selected);
    this.#follow(event, ([x, y]) => transformedSome(points, chosen, [1, 0, 0, 1, x - from[0], y - from[1]]), chosen.size > 1 ? "points moved" : "point moved");
  }

  #moveAll(event, points, from) {
    if (event.ctrlKey || event.metaKey) return this.#moveCourse(event, from);
    const all = new Set(points.keys());
    this.#follow(event, ([x, y]) => transformedSome(points, all, [1, 0, 0, 1, x - from[0], y - from[1]]), "moved");
  }

  /** Move the shape on all frames alike. */
  #moveCourse(event, from) {
    const { masks, viewer, store } = this.bench;
    const path = `masks.each.${masks.chosen}.course`;
    const before = store.get(path);
    const put = (e, final) => {
      store.set(path, before);
      const [x, y] = this.tool.place(e);
      masks.put(masks.outlines.shifted(masks.chosen, Number((x - from[0]).toFixed(2)), Number((y - from[1]).toFixed(2))), final, "moved on all frames");
    };
    drag(viewer.booth, event, { move: (e) => put(e, false), end: (e, moved) => moved && put(e, true), cancel: () => this.bench.change(path, before, false) });
  }

  /** Choose points by a rectangle, or with Alt by a line around them. */
  #rope(event, from) {
    const line = [from];
    const points = this.bench.masks.points();
    const ring = (to) => (event.altKey ? line : rectangle(from, to));
    drag(this.bench.viewer.booth, event, {
      move: (e) => {
        const to = this.tool.place(e);
        line.push(to);
        this.tool.sketch = this.tool.overlay.ring(ring(to));
        this.tool.draw();
      },
      end: (e, moved) => {
        this.tool.sketch = null;
        const within = moved && points ? ring(this.tool.place(e)) : [];
        const chosen = moved && points ? [...points.keys()].filter((k) => inside(within, points[k])) : [];
        this.tool.selected = new Set(event.shiftKey ? [...this.tool.selected, ...chosen] : chosen);
        this.tool.pivot = null;
        this.bench.show();
      },
      cancel: () => {
        this.tool.sketch = null;
        this.tool.draw();
      },
    });
  }

  /** Follow a drag that reshapes: `made(place)` gives the points while it lasts. */
  #follow(event, made, words) {
    const { masks, viewer, store } = this.bench;
    const path = `masks.each.${masks.chosen}.course`;
    const before = store.get(path);
    let points = null;
    drag(viewer.booth, event, {
      move: (e) => {
        points = made(this.tool.place(e), e);
        masks.reshape(points, false, words);
      },
      end: (e, moved) => moved && points && masks.reshape(points, true, words),
      cancel: () => this.bench.change(path, before, false),
    });
  }
}

function withHandle(point, part, dx, dy, tied) {
  const out = [...point];
  out.splice(part, 2, dx, dy);
  if (!tied) return out;
  const other = part === 2 ? 4 : 2;
  const [length, reach] = [Math.hypot(point[other], point[other + 1]), Math.hypot(dx, dy) || 1];
  out.splice(other, 2, (-dx * length) / reach, (-dy * length) / reach);
  return out;
}
