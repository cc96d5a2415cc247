/** Pictures that were played, kept so that a span that is played again comes from memory. */

/** Bytes that are kept at most. */
const MOST = 384 << 20;

export class Played {
  constructor() {
    this.bytes = 0;
    this.held = new Map();
  }

  /**
   * What shows a frame of a document as it stands; asked for where it is not here.
   * @param {string} stands  says all that the pictures depend on: when it changes, none of them is good any more
   * @param {string} name    of the picture
   * @param {() => Promise<{image: ImageData}>} ask
   */
  async fetch(stands, name, ask) {
    if (this.stands !== stands) this.forget(stands);
    if (this.held.has(name)) return this.held.get(name);
    const picture = await ask();
    if (picture && this.stands === stands && this.bytes + picture.image.data.byteLength <= MOST) {
      if (!this.held.has(name)) this.bytes += picture.image.data.byteLength;
      this.held.set(name, picture);
    }
    return picture;
  }

  /** The names of what is here of a document as it stands. */
  names(stands) {
    return this.stands === stands ? [...this.held.keys()] : [];
  }

  /** Whether no more is kept. */
  get full() {
    return this.bytes >= 0.95 * MOST;
  }

  forget(stands) {
    Object.assign(this, { stands, bytes: 0 });
    this.held.clear();
  }
}
