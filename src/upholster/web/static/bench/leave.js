/** How the Bench is left, and found again: nothing is lost to whoever leaves within moments of a step. */

import { send } from "../lib/common.js";

/** Milliseconds after which how the Bench is looked at is kept. */
const SOON = 400;

const name = (at) => `view ${at}`;

/** How the Bench of a shot was left moments ago, where that may not have reached the house. */
export function viewLeft(at) {
  const left = sessionStorage.getItem(name(at));
  sessionStorage.removeItem(name(at));
  return JSON.parse(left ?? "{}");
}

/**
 * Keep how the Bench is left.
 *
 * @param {object} bench  gives `at`, `view`, `store`, `settle()`
 * @returns {function}    to be called whenever it is looked at in another way
 */
export function remembering(bench) {
  let soon = 0;
  const keep = () => {
    clearTimeout(soon);
    soon = 0;
    send(`${bench.at}/view-state`, bench.view, { keepalive: true }).catch(() => {});
  };
  addEventListener("pagehide", () => {
    if (soon) {
      keep();
      sessionStorage.setItem(name(bench.at), JSON.stringify(bench.view));
    }
    bench.settle();
    bench.store.leave();
  });
  return () => {
    clearTimeout(soon);
    soon = setTimeout(keep, SOON);
  };
}
