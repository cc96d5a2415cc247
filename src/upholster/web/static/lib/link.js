/** How pictures come from the house: as they are where the link carries that, else packed. */

/** Milliseconds that a picture may be on its way as it is. */
const MOST = 60;
/** Bytes below which an answer tells nothing of the link. */
const TELLS = 200_000;
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
  async image(answer, width, height) {
    if (answer.headers.get("Content-Type") === "image/jpeg") return unpacked(await answer.blob(), width, height);
    const began = performance.now();
    const pixels = await answer.arrayBuffer();
    const took = performance.now() - began;
    // A picture of the usual size, as long as this one took for as much.
    if (pixels.byteLength > TELLS) this.#late = (took * 960 * 540 * 4) / pixels.byteLength > MOST ? this.#late + 1 : 0;
    return new ImageData(new Uint8ClampedArray(pixels), width, height);
  }
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
