/** How pictures come from the house: as they are where the link carries that, else packed. */

/** Milliseconds that a picture may be on its way as it is, and how many bytes: larger ones may take longer. */
const [MOST, USUAL] = [60, 960 * 540 * 4];
/** Pictures in a row that have to come late. */
const SEVERAL = 3;

export class Link {
  /** How many pictures in a row took too long. */
  #late = 0;

  /** Whether pictures are to be packed. A busy machine lets one come late now and then; a slow link all of them. */
  get slow() {
    return this.#late >= SEVERAL;
  }

  /** The picture of an answer, packed or as it is. */
  async image(answer) {
    const [width, height] = answer.headers.get("X-Size").split("x").map(Number);
    if (answer.headers.get("Content-Type") === "image/jpeg") return unpacked(await answer.blob(), width, height);
    const began = performance.now();
    const sent = await answer.arrayBuffer();
    const took = performance.now() - began;
    this.#late = took * Math.min(1, USUAL / sent.byteLength) > MOST ? this.#late + 1 : 0;
    if (answer.headers.get("X-Sent") === "runs") return amidClear(new Uint32Array(sent), width, height);
    return new ImageData(new Uint8ClampedArray(sent), width, height);
  }
}

/** A picture of which only covered runs were sent: how many, for each its first pixel and its length, then their pixels. */
function amidClear(words, width, height) {
  const image = new ImageData(width, height);
  const pixels = new Uint32Array(image.data.buffer);
  let from = 1 + 2 * words[0];
  for (let at = 1; at <= 2 * words[0]; at += 2) {
    pixels.set(words.subarray(from, from + words[at + 1]), words[at]);
    from += words[at + 1];
  }
  return image;
}

/** A picture with its colour above and its coverage below, as one with both. */
async function unpacked(blob, width, height) {
  const both = await createImageBitmap(blob);
  const pen = new OffscreenCanvas(width, 2 * height).getContext("2d", { willReadFrequently: true });
  pen.drawImage(both, 0, 0);
  const image = pen.getImageData(0, 0, width, height);
  const cover = pen.getImageData(0, height, width, height).data;
  for (let at = 3; at < cover.length; at += 4) image.data[at] = cover[at - 1];
  return image;
}
