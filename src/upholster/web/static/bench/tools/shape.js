/** Drawing masks on the picture, and reshaping them: points, handles, the whole shape, or a box around some points. */

import { say, unsay } from "../../lib/common.js";
import { drag } from "../../lib/drag.js";
import { corner, ellipse, extended, freehand, inside, isSharp, nearestOn, pointsAt, rectangle, sharpened, smoothed, snapped, transformedSome, withoutPoints, withPoint } from "../course.js";
import { Overlay } from "../overlay.js";
import { boxOf, grips, mapFor } from "./box.js";

/** How near a press has to come, in pixels of the screen: by mouse or pen, and by a finger. */
const [NEAR, TOUCH] = [8, 18];
/** Most earlier and later places that are drawn, to either side. */
const GHOSTS = 12;
/** Milliseconds after which nudges in quick succession become one revision. */
const SETTLE = 600;
const MODES = {
  edit: "Drag points or the outline. Double-click the outline for another point. Enter or Escape when done.",
  corners: "Click for corners, drag for curves. Click the first point, or press Enter, to close the shape.",
  rectangle: "Drag a rectangle.",
  ellipse: "Drag an ellipse.",
  freehand: "Draw around it in one go.",
};

export class Shape {
  /** @param {object} bench  gives `viewer`, `masks`, `store`, `frame()`, `show()`, `leaveTools()` */
  constructor(bench) {
    this.bench = bench;
    this.overlay = new Overlay(bench.viewer);
    Object.assign(this, { on: false, mode: "edit", hidden: false, snaps: false, selected: new Set(), pivot: null });
    const { booth } = bench.viewer;
    bench.viewer.onPlaced.push(() => this.draw());
    booth.addEventListener("pointerdown", (event) => this.on && !event.button && !event.target.closest("#divider") && this.#press(event));
    booth.addEventListener("dblclick", (event) => this.on && this.mode === "edit" && this.#twice(event));
    for (const button of document.querySelectorAll("[data-draw]")) button.addEventListener("click", () => this.begin(button.dataset.draw));
    document.getElementById("mask-snap").addEventListener("click", () => this.snap());
    for (const button of document.querySelectorAll("[data-points]")) button.addEventListener("click", () => this.#change(button.dataset.points));
    for (const [id, part] of [["mask-feather-in", 6], ["mask-feather-out", 7]]) document.getElementById(id).addEventListener("change", (event) => this.#feather(part, Number(event.target.value)));
  }

  /* Which tool is on */

  set(on) {
    if (on === this.on) return;
    this.on = on;
    this.mode = "edit";
    if (!on) this.settle();
    else if (!this.bench.masks.mask) this.bench.masks.chosen = this.bench.store.recipe.masks.order.at(-1) ?? null;
    this.unselect();
    this.#told();
  }

  /** Begin to draw a mask. */
  begin(mode) {
    if (!this.on) {
      this.bench.leaveTools();
      this.set(true);
    }
    this.mode = this.mode === mode ? "edit" : mode;
    this.unselect();
    // Corners go on with an open shape that is chosen.
    const course = this.bench.masks.course();
    if (this.mode === "corners" && (!course || course.closed)) this.bench.masks.chosen = null;
    this.#told();
  }

  #told() {
    for (const button of document.querySelectorAll("[data-draw]")) button.setAttribute("aria-pressed", this.on && button.dataset.draw === this.mode);
    document.getElementById("masks").setAttribute("aria-pressed", this.on);
    this.bench.viewer.booth.classList.toggle("drawing", this.on && this.mode !== "edit");
    if (this.on) say(MODES[this.mode]);
    else unsay();
    this.bench.show();
  }

  /** Let points be drawn to edges, the middle and other points, or go freely. */
  snap() {
    this.snaps = !this.snaps;
    const button = document.getElementById("mask-snap");
    button.setAttribute("aria-checked", this.snaps);
    button.textContent = this.snaps ? "yes" : "no";
  }

  unselect() {
    this.selected = new Set();
    this.pivot = null;
  }

  hide() {
    this.hidden = !this.hidden;
    this.draw();
  }

  /* Drawing over the picture */

  draw() {
    const { overlay } = this;
    overlay.clear();
    if (!this.on || this.hidden) return;
    const { masks } = this.bench;
    const frame = this.bench.frame();
    for (const [mark, , course] of masks.drawn()) if (mark !== masks.chosen) overlay.line(this.#path(course, pointsAt(course, frame)), "faint");
    if (this.sketch) overlay.outline(this.sketch);
    const course = masks.course();
    if (!course) return;
    const here = course.keys.findIndex((key) => key.frame >= frame);
    const near = here < 0 ? course.keys.slice(-GHOSTS) : course.keys.slice(Math.max(0, here - GHOSTS), here + GHOSTS);
    for (const key of near) if (key.frame !== frame) overlay.line(this.#path(course, key.points), key.frame < frame ? "ghost earlier" : "ghost");
    const points = pointsAt(course, frame);
    overlay.outline(this.#path(course, points));
    if (masks.mask.locked) return;
    for (const k of this.selected) if (points[k]) this.#handles(points[k]);
    points.forEach((point, k) => overlay.dot(point, isSharp(point) ? "square" : "round", this.selected.has(k) ? "chosen" : k === 0 && !course.closed ? "first" : ""));
    if (this.selected.size > 1) this.#box(points);
  }

  #path(course, points) {
    const at = (x, y) => Object.values(this.bench.viewer.inBooth(x, y)).map((n) => n.toFixed(2)).join(" ");
    const curves = course.closed ? points.length : points.length - 1;
    let d = `M${at(points[0][0], points[0][1])}`;
    for (let k = 0; k < curves; k++) {
      const [p, q] = [points[k], points[(k + 1) % points.length]];
      d += `C${at(p[0] + p[4], p[1] + p[5])} ${at(q[0] + q[2], q[1] + q[3])} ${at(q[0], q[1])}`;
    }
    return d;
  }

  #handles(point) {
    for (const part of [2, 4]) {
      if (!point[part] && !point[part + 1]) continue;
      const end = [point[0] + point[part], point[1] + point[part + 1]];
      this.overlay.segment(point, end);
      this.overlay.dot(end, "round", "small");
    }
  }

  #box(points) {
    const box = boxOf(points, this.selected);
    const { left, top, right, bottom } = box;
    this.overlay.line(this.overlay.ring([[left, top], [right, top], [right, bottom], [left, bottom]]), "faint");
    for (const grip of grips(box, this.#pixel(26))) this.overlay.dot(grip.at, grip.kind === "turn" ? "round" : "square", "grip");
    this.overlay.cross(this.pivot ?? box.centre);
  }

  /* Pressing */

  /** So many pixels of the screen, in pixels of the plate. */
  #pixel(count) {
    return count / (this.bench.viewer.scale * Math.hypot(...this.bench.shown.matrix.slice(0, 2)));
  }

  /** The place on the plate under a pointer; drawn to edges, the middle and points of other masks, where that is wanted. */
  #place(event) {
    const { x, y } = this.bench.viewer.onPlate(event);
    if (!this.snaps) return [x, y];
    const { masks, facts } = this.bench;
    const others = masks.drawn().filter(([mark]) => mark !== masks.chosen).flatMap(([, , course]) => pointsAt(course, this.bench.frame()));
    return snapped([x, y], others, [facts.width, facts.height], this.#near(event));
  }

  #near(event) {
    return this.#pixel(event.pointerType === "touch" ? TOUCH : NEAR);
  }

  #press(event) {
    this.settle();
    const at = this.#place(event);
    if (this.mode === "corners") return this.#corner(event, at);
    if (this.mode === "freehand") return this.#free(event, at);
    if (this.mode !== "edit") return this.#form(event, at, this.mode === "ellipse" ? ellipse : rectangle);
    return this.#take(event, at);
  }

  /** Follow a drag that reshapes: `made(place)` gives the points while it lasts. */
  #follow(event, made, words) {
    const { masks, viewer, store } = this.bench;
    const path = `masks.each.${masks.chosen}.course`;
    const before = store.get(path);
    let points = null;
    drag(viewer.booth, event, {
      move: (e) => {
        points = made(this.#place(e), e);
        masks.reshape(points, false, words);
      },
      end: (e, moved) => moved && points && masks.reshape(points, true, words),
      cancel: () => this.bench.change(path, before, false),
    });
  }

  #take(event, at) {
    const { masks } = this.bench;
    const near = this.#near(event);
    const points = masks.points();
    const far = ([x, y]) => Math.hypot(x - at[0], y - at[1]);
    if (points && !masks.mask.locked) {
      if (this.#takeHandle(event, points, far, near) || this.#takeBox(event, points, far, near)) return;
      const nearest = points.map((point, k) => [far(point), k]).sort((a, b) => a[0] - b[0])[0];
      if (nearest[0] < near) return this.#takePoint(event, points, nearest[1], at);
      if (nearestOn(masks.course(), points, at).far < near) return this.#moveAll(event, points, at);
    }
    const other = masks.drawn().find(([mark, , course]) => mark !== masks.chosen && nearestOn(course, pointsAt(course, this.bench.frame()), at).far < near);
    if (other) return masks.choose(other[0]);
    if (points && masks.mask.locked) say(`${masks.mask.name} is locked. Unlock it in the list to reshape it.`);
    this.#rope(event, at);
  }

  #takeHandle(event, points, far, near) {
    for (const k of this.selected) {
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

  #tie(k, tied) {
    const { masks } = this.bench;
    const course = masks.course();
    if (course.tied[k] !== tied) masks.put({ ...course, tied: course.tied.with(k, tied) }, false, "handles apart");
  }

  #takeBox(event, points, far, near) {
    if (this.selected.size < 2) return false;
    const box = boxOf(points, this.selected);
    const pivot = this.pivot ?? box.centre;
    const grip = grips(box, this.#pixel(26)).find(({ at }) => far(at) < near);
    if (!grip && far(pivot) < near) {
      drag(this.bench.viewer.booth, event, {
        move: (e) => {
          this.pivot = this.#place(e);
          this.draw();
        },
        cancel: () => (this.pivot = null),
      });
      return true;
    }
    if (!grip) return false;
    const from = this.#place(event);
    const words = { turn: "turned", side: "scaled", corner: "scaled" }[grip.kind];
    this.#follow(event, (to, e) => transformedSome(points, this.selected, mapFor(grip, from, to, pivot, { even: e.shiftKey, shear: e.ctrlKey || e.metaKey })), words);
    return true;
  }

  #takePoint(event, points, k, from) {
    if (event.shiftKey) {
      if (!this.selected.delete(k)) this.selected.add(k);
    } else if (!this.selected.has(k)) this.selected = new Set([k]);
    this.pivot = null;
    this.bench.show();
    if (event.ctrlKey || event.metaKey) return this.#moveCourse(event, from);
    const chosen = new Set(this.selected);
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
      const [x, y] = this.#place(e);
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
        const to = this.#place(e);
        line.push(to);
        this.sketch = this.overlay.ring(ring(to));
        this.draw();
      },
      end: (e, moved) => {
        this.sketch = null;
        const within = moved && points ? ring(this.#place(e)) : [];
        const chosen = moved && points ? [...points.keys()].filter((k) => inside(within, points[k])) : [];
        this.selected = new Set(event.shiftKey ? [...this.selected, ...chosen] : chosen);
        this.pivot = null;
        this.bench.show();
      },
      cancel: () => {
        this.sketch = null;
        this.draw();
      },
    });
  }

  /* New shapes */

  #form(event, from, form) {
    drag(this.bench.viewer.booth, event, {
      move: (e) => {
        const points = form(from, this.#place(e));
        this.sketch = this.#path({ closed: true }, points);
        this.draw();
      },
      end: (e, moved) => {
        this.sketch = null;
        if (moved) this.#made(form(from, this.#place(e)));
        else this.draw();
      },
      cancel: () => {
        this.sketch = null;
        this.draw();
      },
    });
  }

  #free(event, from) {
    const line = [from];
    drag(this.bench.viewer.booth, event, {
      move: (e) => {
        line.push(this.#place(e));
        this.sketch = this.overlay.ring(line);
        this.draw();
      },
      end: () => {
        this.sketch = null;
        const points = freehand(line, this.#pixel(2));
        if (points.length > 2) this.#made(points);
        else this.draw();
      },
      cancel: () => {
        this.sketch = null;
        this.draw();
      },
    });
  }

  #made(points) {
    this.mode = "edit";
    this.bench.masks.add(courseOf(points, this.bench.frame(), true));
    this.#told();
  }

  #corner(event, at) {
    const { masks } = this.bench;
    const course = masks.course();
    const points = masks.points();
    if (course && !course.closed && points.length > 2 && Math.hypot(points[0][0] - at[0], points[0][1] - at[1]) < this.#near(event)) return this.#close();
    const put = (point, final) => {
      if (course) masks.put(extended(course, point), final, `point ${points.length + 1}`);
      else if (final) masks.add(courseOf([point], this.bench.frame(), false), "First point of a mask");
    };
    let point = corner(...at);
    drag(this.bench.viewer.booth, event, {
      move: (e) => {
        const [x, y] = this.#place(e);
        point = [...at, at[0] - x, at[1] - y, x - at[0], y - at[1], 0, 0];
        put(point, false);
      },
      end: () => put(point, true),
      cancel: () => course && masks.put(course, false, "point"),
    });
    return undefined;
  }

  #close() {
    const { masks } = this.bench;
    masks.put({ ...masks.course(), closed: true }, true, "closed");
    this.mode = "edit";
    this.#told();
  }

  /* Points */

  /** A double click: one more point on the outline, or a point made smooth or sharp. */
  #twice(event) {
    const { masks } = this.bench;
    const points = masks.points();
    if (!points || masks.mask.locked) return;
    const at = this.#place(event);
    const near = this.#near(event);
    const k = points.findIndex(([x, y]) => Math.hypot(x - at[0], y - at[1]) < near);
    if (k >= 0) {
      this.selected = new Set([k]);
      this.#change(isSharp(points[k]) ? "smooth" : "sharp");
      return;
    }
    const found = nearestOn(masks.course(), points, at);
    if (found.far >= near) return;
    masks.put(withPoint(masks.course(), found.curve, found.t), true, "point added");
    this.selected = new Set([found.curve + 1]);
    this.bench.show();
  }

  #change(how) {
    const { masks } = this.bench;
    const points = masks.points();
    if (!points || !this.selected.size) return;
    if (how === "remove") {
      const left = withoutPoints(masks.course(), this.selected);
      const many = this.selected.size;
      this.unselect();
      if (left) masks.put(left, true, many > 1 ? "points removed" : "point removed");
      else masks.remove(masks.chosen);
    } else {
      masks.reshape(points.map((point, k) => (!this.selected.has(k) ? point : how === "smooth" ? smoothed(points, k) : sharpened(point))), true, how === "smooth" ? "made smooth" : "made sharp");
    }
  }

  #feather(part, width) {
    const points = this.bench.masks.points();
    if (!points || !Number.isFinite(width)) return;
    const kept = Math.min(2000, Math.max(-2000, width));
    this.bench.masks.reshape(points.map((point, k) => (this.selected.has(k) ? point.with(part, kept) : point)), true, `feather of ${this.selected.size} points`);
  }

  /* Keys */

  /** What a key does while masks are drawn; false where it is not for us. */
  key(event) {
    if (!this.on) return false;
    const { masks } = this.bench;
    const control = event.ctrlKey || event.metaKey;
    const way = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[event.key];
    if (way && this.selected.size && !control) return this.#nudge(way, event.shiftKey ? 10 : 1);
    if (control && event.key.toLowerCase() === "a" && masks.points()) this.selected = new Set(masks.points().keys());
    else if (control && event.key.toLowerCase() === "c" && masks.points()) this.copied = masks.points();
    else if (control && event.key.toLowerCase() === "v" && this.copied && masks.mask) return this.#paste();
    else if (control) return false;
    else if (["Delete", "Backspace"].includes(event.key) && this.selected.size) this.#change("remove");
    else if (event.key === "Enter" && this.mode === "corners" && masks.points()?.length > 2) this.#close();
    else if (event.key === "Escape" && this.mode !== "edit") this.begin(this.mode);
    else if (event.key === "Escape" && this.selected.size) this.unselect();
    else return false;
    this.bench.show();
    return true;
  }

  #paste() {
    const { masks } = this.bench;
    if (masks.points().length === this.copied.length) masks.reshape(this.copied, true, "shape pasted");
    else say(`The copied shape has ${this.copied.length} points, ${masks.mask.name} has ${masks.points().length}. Copy one with as many.`);
    return true;
  }

  #nudge([dx, dy], by) {
    const { masks } = this.bench;
    masks.reshape(transformedSome(masks.points(), this.selected, [1, 0, 0, 1, dx * by, dy * by]), false, "nudged");
    clearTimeout(this.settling);
    this.nudged = true;
    this.settling = setTimeout(() => this.settle(), SETTLE);
    return true;
  }

  /** Make what was nudged a revision now. */
  settle() {
    clearTimeout(this.settling);
    if (!this.nudged) return;
    this.nudged = false;
    this.bench.masks.reshape(this.bench.masks.points(), true, "nudged");
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

const courseOf = (points, frame, closed) => ({ closed, tied: points.map(() => true), keys: [{ frame, next: "smooth", points }] });
