/** Bringing files in, in blocks, with progress; and moving thumbnails. */

import { call, say, send } from "./lib/common.js";
import { keepCurrent } from "./lib/live.js";
import "./lib/rename.js";

const BLOCK = 8 << 20;
const PICTURE = /\.(png|tiff?|exr)$/i;
const drop = document.getElementById("drop");
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

async function bringIn(parcel) {
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
    if (total > Number(drop.dataset.limit)) throw new Error("This is larger than the limit. Bring in a shorter piece.");
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

async function bringInAll(files) {
  // One after the other: the disk and the decoder are shared.
  for (const parcel of parcels(files)) await bringIn(parcel);
}

for (const id of ["files", "folder"]) {
  const input = document.getElementById(id);
  input.addEventListener("change", () => bringInAll([...input.files]).then(() => (input.value = "")));
}

/** All files of a dropped folder, with the path they lie under. */
async function walk(entry, path = "") {
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

// Wherever on the page they are let go, files are brought in.
document.addEventListener("dragover", (event) => {
  event.preventDefault();
  drop.dataset.over = "";
});
document.addEventListener("dragleave", (event) => event.relatedTarget ?? delete drop.dataset.over);
document.addEventListener("drop", async (event) => {
  event.preventDefault();
  delete drop.dataset.over;
  const entries = [...event.dataTransfer.items].map((i) => i.webkitGetAsEntry()).filter(Boolean);
  bringInAll((await Promise.all(entries.map((e) => walk(e)))).flat());
});

let reel;
document.getElementById("list").addEventListener("mouseover", (event) => {
  const image = event.target.closest("img[data-reel]");
  if (!image || image === reel?.image) return;
  stop();
  const length = Number(image.dataset.length);
  if (length < 2) return;
  let frame = Number(image.dataset.still);
  reel = { image, timer: setInterval(() => (image.src = `${image.dataset.reel}${(frame = (frame + 3) % length)}.jpg?reading=${image.dataset.reading}`), 125) };
  image.addEventListener("mouseleave", stop, { once: true });
});
function stop() {
  if (!reel) return;
  clearInterval(reel.timer);
  reel.image.src = `${reel.image.dataset.reel}${reel.image.dataset.still}.jpg?reading=${reel.image.dataset.reading}`;
  reel = null;
}

/* Rendering several shots at once */

const chosen = new Set();
const cards = document.getElementById("list");
keepCurrent(cards);

function showChosen() {
  const boxes = [...cards.querySelectorAll("[data-shot]")];
  // What is not here any more cannot be rendered.
  for (const shot of [...chosen]) if (!boxes.some((box) => box.dataset.shot === shot)) chosen.delete(shot);
  for (const box of boxes) box.checked = chosen.has(box.dataset.shot);
  document.getElementById("batch").hidden = !chosen.size;
  document.getElementById("chosen").textContent = chosen.size === 1 ? "1 shot" : `${chosen.size} shots`;
}
cards.addEventListener("change", (event) => {
  const { shot } = event.target.dataset;
  if (!shot) return;
  if (event.target.checked) chosen.add(shot);
  else chosen.delete(shot);
  showChosen();
});
document.getElementById("choose-all").addEventListener("click", () => {
  for (const box of cards.querySelectorAll("[data-shot]")) chosen.add(box.dataset.shot);
  showChosen();
});
document.getElementById("choose-none").addEventListener("click", () => {
  chosen.clear();
  showChosen();
});
document.body.addEventListener("htmx:afterSwap", showChosen);
document.getElementById("batch-render").addEventListener("click", async () => {
  const { value, dataset } = document.getElementById("batch-delivery").selectedOptions[0];
  const what = value.startsWith("preset:") ? { preset: Number(value.slice(7)) } : value.startsWith("ready:") ? { delivery: JSON.parse(dataset.delivery) } : { delivery: { format: value, alpha: dataset.alpha } };
  try {
    const { names } = await send("/renders/batch", { shots: [...chosen].map(Number), ...what });
    chosen.clear();
    showChosen();
    document.querySelector("h1").focus();
    say(`${names.join(", ")} ${names.length > 1 ? "are" : "is"} being made.`, ["/renders", "See Renders"]);
  } catch (error) {
    say(error.message);
  }
});
