/** Playing a shot: its pictures, kept from the last time or made ahead, with its sound. */

import { Ahead } from "../lib/ahead.js";
import { Played } from "../lib/played.js";
import { Player } from "../lib/player.js";
import { asNumber } from "../lib/rates.js";

/** Milliseconds between numbers while it plays: nobody reads faster, and pictures have the time. */
const READ = 200;

/**
 * Give the Bench its `player` and what is made `ahead`.
 *
 * @param {object} acts  place(), show which frame is in view; numbers(), write what the values are there; show(), all anew
 */
export function play(bench, { place, numbers, show }) {
  const played = new Played();
  let written = 0;
  /** All that the pictures of frames depend on, but for which frame it is. */
  const stands = () => JSON.stringify([bench.store.asked, bench.place(0), Object.values(bench.traces.standing).map(({ missing }) => missing.length)]);
  /** A promise of the pictures that show a frame. */
  function fetch(number, ahead = false) {
    const now = stands();
    const ask = (what) => bench.requests.fetch(bench.place(number), what, "quick", { keep: true, ahead });
    return Promise.all(bench.viewer.needed().map(async (what) => [what, await played.fetch(now, `${what} ${number}`, () => ask(what))]));
  }
  /** The frames of which all is here that is in view. */
  function held() {
    const names = new Set(played.names(stands()));
    const [first, ...others] = bench.viewer.needed();
    const numbers = [...names].filter((name) => name.startsWith(`${first} `)).map((name) => Number(name.split(" ")[1]));
    return numbers.filter((number) => others.every((what) => names.has(`${what} ${number}`)));
  }
  bench.ahead = new Ahead(document.getElementById("ribbon"), {
    span: () => bench.span(),
    count: () => bench.counted().count,
    here: () => bench.counted().number,
    held,
    fetch: (number) => fetch(number, true),
    full: () => played.full,
    playing: () => bench.playing(),
  });
  bench.player = new Player({
    rate: () => asNumber(bench.facts.rate),
    span: () => bench.span(),
    here: () => bench.counted().number,
    held,
    fetch: (number) => fetch(number),
    show(number, pictures) {
      bench.frames.settle(number);
      for (const [what, { image }] of pictures) bench.viewer.draw(what, image);
      place();
      if (performance.now() - written < READ) return;
      written = performance.now();
      numbers();
    },
    listen: (number, rate, way) => bench.sound.play(number, rate, way),
    trouble: bench.trouble,
    stopped() {
      bench.sound.stop();
      show();
      bench.refresh();
      bench.remember();
    },
  });
}
