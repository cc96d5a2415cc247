/**
 * The outlines of the recipe's masks. A mask has its outline by digest, as a patch of one ({of, keys, shift}), or in
 * full.
 */

import { reshaped, shifted } from "./course.js";

export class Outlines {
  /** @param {object} bench  gives `store`, `drawings` */
  constructor(bench) {
    this.bench = bench;
    this.last = new Map();
  }

  /** The outline of a mask in full; as it was last, while the house is asked for it; undefined before that. */
  of(mark) {
    const found = this.#full(this.bench.store.recipe.masks.each[mark].course);
    if (found) this.last.set(mark, found);
    return found ?? this.last.get(mark);
  }

  #full(course) {
    if (typeof course === "string") return this.bench.drawings.named(course);
    if (!course.of) return course;
    const base = this.bench.drawings.named(course.of);
    if (!base) return undefined;
    let made = base;
    for (const [frame, points] of Object.entries(course.keys ?? {})) {
      made = points ? reshaped(made, Number(frame), points) : { ...made, keys: made.keys.filter((key) => key.frame !== Number(frame)) };
    }
    return course.shift ? shifted(made, ...course.shift) : made;
  }

  /** What the recipe is to have for an outline with other points on a frame: no more than what changed, where that can be. */
  reshaped(mark, frame, points) {
    const course = this.bench.store.recipe.masks.each[mark].course;
    const rounded = points.map((point) => point.map((number) => Number(number.toFixed(2))));
    if (typeof course === "string" && this.bench.drawings.named(course)) return { of: course, keys: { [frame]: rounded } };
    if (course.of && !course.shift) return { ...course, keys: { ...course.keys, [frame]: rounded } };
    return reshaped(this.of(mark), frame, rounded);
  }

  /** The same with points on many frames. */
  reshapedMany(mark, keys) {
    const course = this.bench.store.recipe.masks.each[mark].course;
    if (typeof course === "string" && this.bench.drawings.named(course)) return { of: course, keys };
    if (course.of && !course.shift) return { ...course, keys: { ...course.keys, ...keys } };
    return Object.entries(keys).reduce((made, [frame, points]) => reshaped(made, Number(frame), points), this.of(mark));
  }

  /** The same with a keyframe taken away. */
  without(mark, frame) {
    const course = this.bench.store.recipe.masks.each[mark].course;
    if (typeof course === "string" && this.bench.drawings.named(course)) return { of: course, keys: { [frame]: null } };
    const full = this.of(mark);
    return { ...full, keys: full.keys.filter((key) => key.frame !== frame) };
  }

  /** The same moved as a whole, on all frames. */
  shifted(mark, x, y) {
    const course = this.bench.store.recipe.masks.each[mark].course;
    if (typeof course === "string" && this.bench.drawings.named(course)) return { of: course, shift: [x, y] };
    return shifted(this.of(mark), x, y);
  }
}
