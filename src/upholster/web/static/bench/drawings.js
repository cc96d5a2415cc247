/** What is drawn on pictures, by its digest: outlines and strokes. What a digest names never changes, and is asked for once. */

import { read } from "../lib/common.js";

export class Drawings {
  /** @param {object} bench  gives `at`; @param {function} arrived  a drawing that was missing is there */
  constructor(bench, arrived) {
    Object.assign(this, { bench, arrived });
    this.known = new Map();
  }

  /** What a digest names; undefined while the house is asked for it. */
  named(digest) {
    if (!this.known.has(digest)) {
      this.known.set(digest, null);
      read(`${this.bench.at}/drawings/${digest}`)
        .then((drawing) => {
          this.known.set(digest, drawing);
          this.arrived();
        })
        .catch((error) => {
          this.known.delete(digest);
          this.bench.trouble(error);
        });
    }
    return this.known.get(digest) ?? undefined;
  }
}
