/** Bringing files in, in blocks, with progress. */

import { call, say, send } from "./common.js";

const BLOCK = 8 << 20;
const PICTURE = /\.(png|tiff?|exr)$/i;
/** Where what arrives is told of: a list that says in `data-limit` how many bytes it takes. */
const list = document.getElementById("uploads");

/** Files that belong together: the numbered pictures of one folder are one sequence. */
function parcels(files) {
  const sequences = new Map();
  const single = [];
  for (const file of files) {
    const folder = (file.webkitRelativePath || file.path || "").split("/").slice(0, -1).join("/");
    if (PICTURE.test(file.name) && /\d/.test(file.name) && folder) {
      if (!sequences.has(folder)) sequences.set(folder, []);
      sequences.get(folder).push(file);
    } else if (!file.name.startsWith(".")) single.push({ name: file.name, files: [file] });
  }
  const numbered = single.filter((s) => PICTURE.test(s.name) && /\d+\.\w+$/.test(s.name));
  const stem = (name) => name.replace(/\d+(\.\w+)$/, "$1");
  for (const key of new Set(numbered.map((s) => stem(s.name)))) {
    const same = numbered.filter((s) => stem(s.name) === key);
    if (same.length > 1) {
      same.forEach((s) => single.splice(single.indexOf(s), 1));
      single.push({ name: key.replace(/[._-]*\.\w+$/, "") || "sequence", files: same.map((s) => s.files[0]) });
    }
  }
  return [...single, ...[...sequences].map(([name, files]) => ({ name: name.split("/").pop(), files }))];
}

async function bringIn(parcel, taken) {
  const row = document.createElement("li");
  row.className = "flex items-center gap-3";
  const name = document.createElement("span");
  name.textContent = parcel.name;
  name.className = "w-64 truncate";
  const bar = document.createElement("progress");
  const words = document.createElement("span");
  row.append(name, bar, words);
  list.append(row);
  const total = parcel.files.reduce((sum, f) => sum + f.size, 0);
  bar.max = total || 1;
  try {
    if (total > Number(list.dataset.limit)) throw new Error("This is larger than the limit. Bring in a shorter piece.");
    const { token } = await send("/footage/uploads", { size: total });
    let sent = 0;
    for (const file of parcel.files) {
      for (let offset = 0; offset < file.size || offset === 0; offset += BLOCK) {
        const block = file.slice(offset, offset + BLOCK);
        await call(`/footage/uploads/${token}?name=${encodeURIComponent(file.name)}&offset=${offset}`, { method: "PUT", body: block });
        sent += block.size;
        bar.value = sent;
        words.textContent = `${Math.round((100 * sent) / (total || 1))} %`;
      }
    }
    await takeIn(token);
  } catch (error) {
    refused(error, () => row.remove(), "Dismiss");
  }

  async function takeIn(token) {
    words.className = "";
    words.textContent = "looking into it…";
    try {
      const found = await send(`/footage/uploads/${token}/done`, { name: parcel.name });
      if (found.known) say(`${parcel.name} is here already, as ${found.name}.`);
      row.remove();
      await taken(found);
      htmx.trigger("#list", "refresh");
    } catch (error) {
      // What was sent is kept while only the house was out of reach.
      if (error.status && error.status < 500) throw error;
      refused(error, () => takeIn(token).catch((e) => refused(e, () => row.remove(), "Dismiss")), "Try again");
    }
  }

  function refused(error, act, label) {
    bar.remove();
    words.className = "notice";
    words.textContent = error.message;
    const button = document.createElement("button");
    button.className = "plain";
    button.textContent = label;
    button.onclick = () => {
      button.remove();
      act();
    };
    row.append(button);
  }
}

/**
 * Bring in files, those that belong together as one piece.
 * @param {(found: {id: number, name: string, known: boolean}) => Promise<void>} taken  told of each that was taken in
 */
export async function bringInAll(files, taken = async () => {}) {
  // One after the other: the disk and the decoder are shared.
  for (const parcel of parcels(files)) await bringIn(parcel, taken);
}

/** All files of a dropped folder, with the path they lie under. */
export async function walk(entry, path = "") {
  if (entry.isFile) {
    const file = await new Promise((done, failed) => entry.file(done, failed));
    Object.defineProperty(file, "path", { value: path + file.name });
    return [file];
  }
  const reader = entry.createReader();
  const found = [];
  for (;;) {
    const some = await new Promise((done, failed) => reader.readEntries(done, failed));
    if (!some.length) return found;
    for (const e of some) found.push(...(await walk(e, `${path}${entry.name}/`)));
  }
}
