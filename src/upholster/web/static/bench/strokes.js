/** Strokes of traces. A trace has them by digest, as a patch of others ({of, add, without, off, on}), or in full. */

export class Strokes {
  /** @param {object} bench  gives `store`, `drawings` */
  constructor(bench) {
    this.bench = bench;
    this.last = new Map();
  }

  #held(mark) {
    return this.bench.store.recipe.traces.each[mark].strokes;
  }

  /** The strokes of a trace; as they were last, while the house is asked for them. */
  of(mark) {
    const found = full(this.#held(mark), (digest) => this.bench.drawings.named(digest));
    if (found) this.last.set(mark, found);
    return found ?? this.last.get(mark) ?? [];
  }

  /** What the recipe is to have with one more stroke. */
  with(mark, stroke) {
    const held = this.#held(mark);
    if (typeof held === "string") return { of: held, add: [stroke] };
    if (held.of) return { ...held, add: [...(held.add ?? []), stroke] };
    return [...held, stroke];
  }

  /** The same without some, by their numbers. */
  without(mark, numbers) {
    const held = this.#held(mark);
    if (typeof held === "string") return { of: held, without: numbers };
    return this.of(mark).filter((_, n) => !numbers.includes(n));
  }

  /** The same with those of a frame counting or not. */
  switched(mark, frame, on) {
    return this.of(mark).map((stroke) => (stroke.frame === frame ? { ...stroke, on } : stroke));
  }
}

/** Strokes in full; undefined while those they are a patch of are not known. */
export function full(held, named) {
  if (typeof held === "string") return named(held);
  if (!held.of) return held;
  const base = named(held.of);
  return base && [...base.filter((_, n) => !held.without?.includes(n)), ...(held.add ?? [])];
}
