/** Playing pictures that are asked for: never faster than their rate, as fast as they come, or to the clock of a sound. */

/** Pictures asked for ahead, and frames one may come late where sound is heard before it is left out. */
const AHEAD = 3;
const [LATE, MOST_LEFT_OUT] = [1.5, 5];

export class Player {
  /**
   * @param {object} film  rate(), a number; span(), the first and the last frame; here(), the frame in sight;
   *                       fetch(number), a promise of what shows a frame; show(number, picture);
   *                       listen(number, rate, way), begins the sound there and gives what tells the seconds since,
   *                       or null;
   *                       stopped(); trouble(error)
   */
  constructor(film) {
    this.film = film;
    this.run = 0;
    this.runs = 0;
    this.button = document.getElementById("play");
    this.said = document.getElementById("speed");
  }

  get playing() {
    return this.run > 0;
  }

  /** Play forwards (1) or backwards (-1); or stop. */
  toggle(way = 1) {
    if (this.playing) this.run = 0;
    else this.#play(way);
  }

  async #play(way) {
    const { film } = this;
    const run = (this.run = ++this.runs);
    this.button.setAttribute("aria-pressed", "true");
    const [first, last] = film.span();
    const rate = film.rate();
    const here = film.here();
    const [begin, end] = way > 0 ? [first, last] : [last, first];
    const from = here >= first && here <= last && here !== end ? here : begin;
    /** Pictures are counted on and on; the film begins again after its last one. */
    const frameOf = (count) => begin + way * (((from - begin) * way + count) % (last - first + 1));
    let next = 0;
    const ahead = [];
    const ask = () => ahead.push([next, film.fetch(frameOf(next++))]);
    for (let k = 0; k < AHEAD; k++) ask();
    const clock = film.listen(from, rate, way);
    const shown = [];
    let due = performance.now();
    let leftOut = 0;
    try {
      while (this.run === run) {
        const [count, coming] = ahead.shift();
        const picture = await coming;
        const late = clock ? clock() * rate - count : 0;
        if (late > LATE) next = Math.max(next, count + Math.ceil(late));
        ask();
        if (late > LATE && leftOut++ < MOST_LEFT_OUT) continue;
        leftOut = 0;
        const wait = clock ? (1000 * -late) / rate : due - performance.now();
        if (wait > 0) await new Promise((done) => setTimeout(done, wait));
        due = Math.max(due + 1000 / rate, performance.now());
        if (this.run !== run) break;
        film.show(frameOf(count), picture);
        // For whoever measures: which frame, and how many milliseconds it comes after its sound.
        document.dispatchEvent(new CustomEvent("frame-played", { detail: { frame: frameOf(count), count, late: clock && 1000 * (clock() - count / rate) } }));
        shown.push(performance.now());
        if (shown.length > 24) shown.shift();
        if (shown.length > 4) this.said.textContent = `${((1000 * (shown.length - 1)) / (shown.at(-1) - shown[0])).toFixed(1)} of ${rate.toFixed(5).replace(/\.?0+$/, "")} frames a second`;
      }
    } catch (error) {
      film.trouble(error);
    }
    // Pictures still on their way are nobody's trouble any more.
    for (const [, coming] of ahead) coming.catch(() => {});
    this.run = 0;
    this.button.setAttribute("aria-pressed", "false");
    film.stopped();
  }
}
