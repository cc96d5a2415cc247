/**
 * Playing pictures that are asked for: never faster than their rate, as fast as they come, or to the clock of a sound.
 * Where they come more slowly than they are played, some are gathered first, so that a span keeps its rate.
 */

/** Pictures asked for at a time, and frames one may come late where sound is heard before it is left out. */
const AT_ONCE = 3;
const [LATE, MOST_LEFT_OUT] = [1.5, 5];
/** Pictures that tell how fast they come, and seconds for which they are gathered at most. */
const [FEW, GATHERED] = [8, 5];
/** How much more slowly they come once they are drawn as well. */
const DRAWN = 0.75;

/**
 * Pictures of a span that must be here for it to be played at its rate.
 * @param {number} missing  those that are not here to begin with
 * @param {number} speed    those that come in a second
 * @param {number} rate     those that are played in a second
 */
export function lead(missing, speed, rate) {
  return Math.ceil(missing * Math.max(0, 1 - speed / rate));
}

export class Player {
  /**
   * @param {object} film  rate(), a number; span(), the first and the last frame; here(), the frame in sight; held(), the
   *                       frames that are here; fetch(number), a promise of what shows a frame; show(number, picture);
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
    const held = new Set(film.held().filter((frame) => frame >= first && frame <= last));
    const queue = { ahead: [], next: 0, coming: 0, length: AT_ONCE };
    const ask = () => {
      while (this.run === run && queue.coming < AT_ONCE && queue.ahead.length < queue.length) {
        const frame = frameOf(queue.next);
        const picture = film.fetch(frame);
        queue.ahead.push({ count: queue.next++, picture, held: held.has(frame) });
        queue.coming++;
        const came = () => {
          queue.coming--;
          ask();
        };
        // Whoever shows it is told what is wrong.
        picture.then(came, came);
      }
    };
    ask();
    try {
      await this.#gather(run, queue, last - first + 1 - held.size, rate, ask);
    } catch {
      // It is told where it would be shown.
    }
    const clock = this.run === run ? film.listen(from, rate, way) : null;
    const shown = [];
    let due = performance.now();
    let leftOut = 0;
    try {
      while (this.run === run) {
        const { count, picture: coming } = queue.ahead.shift();
        ask();
        const picture = await coming;
        const late = clock ? clock() * rate - count : 0;
        if (late > LATE) queue.next = Math.max(queue.next, count + Math.ceil(late));
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
    // Somebody may have begun anew meanwhile.
    if (this.run && this.run !== run) return;
    this.run = 0;
    this.button.setAttribute("aria-pressed", "false");
    film.stopped();
  }

  /** Waits until so many pictures are here that the others come in time, where that is soon. */
  async #gather(run, queue, missing, rate, ask) {
    let fetched = 0;
    let began;
    for (let n = 0; this.run === run && fetched < missing; n++) {
      const { picture, held } = queue.ahead[n];
      await picture;
      if (!held) fetched++;
      // The first one also waits for all that is found anew after a change.
      if (fetched === 1) began ??= performance.now();
      const speed = (1000 * (fetched - 1)) / (performance.now() - began);
      const wanted = lead(missing, DRAWN * speed, rate);
      if (fetched >= FEW && (fetched >= wanted || (wanted - fetched) / speed > GATHERED)) return;
      queue.length = Math.max(n + 1 + AT_ONCE, queue.length);
      ask();
      if (fetched >= FEW) this.said.textContent = `gathering ${fetched} of ${wanted} pictures`;
    }
  }
}
