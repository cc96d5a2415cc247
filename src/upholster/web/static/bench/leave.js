/** How the Bench is left, and found again: nothing is lost to whoever leaves within moments of a step. */

import { send } from "../lib/common.js";

/** Milliseconds after which how the Bench is looked at is kept. */
const SOON = 400;

const name = (at) => `view ${at}`;

/** How the Bench of a shot was left, where that may not have reached the house. */
export function viewLeft(at) {
  return JSON.parse(sessionStorage.getItem(name(at)) ?? "{}");
}

/**
 * Keep how the Bench is left.
 *
 * @param {object} bench  gives `at`, `view`, `store`, `settle()`
 * @returns {function}    to be called whenever it is looked at in another way
 */
export function remembering(bench) {
  let soon = 0;
  let before = Promise.resolve();
  const keep = async () => {
    clearTimeout(soon);
    soon = 0;
    const sent = JSON.stringify(bench.view);
    try {
      await send(`${bench.at}/view-state`, bench.view, { keepalive: true });
      if (sessionStorage.getItem(name(bench.at)) === sent) sessionStorage.removeItem(name(bench.at));
    } catch {
      /* it stays on this machine */
    }
  };
  // One after the other, so that none is overtaken by an older one.
  const next = () => (before = before.then(keep));
  addEventListener("pagehide", () => {
    if (soon) keep();
    bench.settle();
    bench.store.leave();
  });
  return () => {
    sessionStorage.setItem(name(bench.at), JSON.stringify(bench.view));
    clearTimeout(soon);
    soon = setTimeout(next, SOON);
  };
}
