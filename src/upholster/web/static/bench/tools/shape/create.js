/** New outlines: by a form, in one go, or corner by corner. */

import { drag } from "../../../lib/drag.js";
import { corner, extended, freehand } from "../../course.js";
import { pathOf } from "./draw.js";

export class Create {
  /** @param {object} tool  the `Shape` it belongs to */
  constructor(tool) {
    this.tool = tool;
    this.bench = tool.bench;
  }

  form(event, from, form) {
    drag(this.bench.viewer.booth, event, {
      move: (e) => {
        const points = form(from, this.tool.place(e));
        this.tool.sketch = pathOf(this.bench.viewer, { closed: true }, points);
        this.tool.draw();
      },
      end: (e, moved) => {
        this.tool.sketch = null;
        if (moved) this.#made(form(from, this.tool.place(e)));
        else this.tool.draw();
      },
      cancel: () => {
        this.tool.sketch = null;
        this.tool.draw();
      },
    });
  }

  free(event, from) {
    const line = [from];
    drag(this.bench.viewer.booth, event, {
      move: (e) => {
        line.push(this.tool.place(e));
        this.tool.sketch = this.tool.overlay.ring(line);
        this.tool.draw();
      },
      end: () => {
        this.tool.sketch = null;
        const points = freehand(line, this.tool.pixel(2));
        if (points.length > 2) this.#made(points);
        else this.tool.draw();
      },
      cancel: () => {
        this.tool.sketch = null;
        this.tool.draw();
      },
    });
  }

  #made(points) {
    this.bench.masks.add(courseOf(points, this.bench.frame(), true));
    this.tool.edit();
  }

  corner(event, at) {
    const { masks } = this.bench;
    const course = masks.course();
    const points = masks.points();
    if (course && !course.closed && points.length > 2 && Math.hypot(points[0][0] - at[0], points[0][1] - at[1]) < this.tool.near(event)) return this.close();
    const put = (point, final) => {
      if (course) masks.put(extended(course, point), final, `point ${points.length + 1}`);
      else if (final) masks.add(courseOf([point], this.bench.frame(), false), "First point of a mask");
    };
    let point = corner(...at);
    drag(this.bench.viewer.booth, event, {
      move: (e) => {
        const [x, y] = this.tool.place(e);
        point = [...at, at[0] - x, at[1] - y, x - at[0], y - at[1], 0, 0];
        put(point, false);
      },
      end: () => put(point, true),
      cancel: () => course && masks.put(course, false, "point"),
    });
    return undefined;
  }

  close() {
    const { masks } = this.bench;
    masks.put({ ...masks.course(), closed: true }, true, "closed");
    this.tool.edit();
  }
}

const courseOf = (points, frame, closed) => ({ closed, tied: points.map(() => true), keys: [{ frame, next: "smooth", points }] });
