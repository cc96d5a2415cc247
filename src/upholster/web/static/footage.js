/** Bringing files in, and moving thumbnails. */

import { bringInAll, walk } from "./lib/bring_in.js";
import { say, send } from "./lib/common.js";
import { chosenDelivery } from "./lib/deliveries.js";
import { keepCurrent } from "./lib/live.js";
import "./lib/rename.js";

const drop = document.getElementById("drop");

for (const id of ["files", "folder"]) {
  const input = document.getElementById(id);
  input.addEventListener("change", () => bringInAll([...input.files]).then(() => (input.value = "")));
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
  // Whoever wants less motion sees one picture.
  if (!image || image === reel?.image || matchMedia("(prefers-reduced-motion: reduce)").matches) return;
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

document.getElementById("list").addEventListener("click", async (event) => {
  const keep = event.target.closest("[data-keep]");
  if (!keep) return;
  try {
    await send(`/stockroom/footage/${keep.dataset.keep}`);
    say("It is being kept as a clip.", ["/stockroom", "See the Stockroom"]);
  } catch (error) {
    say(error.message);
  }
});

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
  document.getElementById("family").hidden = chosen.size < 2;
  const source = document.getElementById("family-source");
  const before = source.value;
  source.replaceChildren(...[...chosen].map((shot) => new Option(nameOf(shot), shot)));
  if (chosen.has(before)) source.value = before;
}
const nameOf = (shot) => cards.querySelector(`[data-shot="${shot}"]`)?.dataset.name ?? `Shot ${shot}`;

/** Say what became of several shots: a heading, and a line for each of which there is something to say. */
function tell(heading, lines) {
  const dialog = document.getElementById("outcome");
  dialog.querySelector("h2").textContent = heading;
  dialog.querySelector("ul").replaceChildren(
    ...lines.map(([name, words]) => {
      const line = document.createElement("li");
      line.append(Object.assign(document.createElement("strong"), { textContent: name }), ` ${words}`);
      return line;
    }),
  );
  dialog.showModal();
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
  const what = chosenDelivery(document.getElementById("batch-delivery"));
  try {
    const { names, refused } = await send("/renders/batch", { shots: [...chosen].map(Number), ...what });
    chosen.clear();
    showChosen();
    document.querySelector("h1").focus();
    const made = names.length ? `${names.length > 3 ? `${names.length} clips` : names.join(", ")} ${names.length > 1 ? "are" : "is"} being made.` : "";
    if (refused.length) tell(`${refused.length} of ${refused.length + names.length} shots cannot be delivered so. ${made}`, refused.map(({ name, problem }) => [name, problem]));
    else say(made, ["/renders", "See Renders"]);
  } catch (error) {
    say(error.message);
  }
});
/** Give lines of one shot to the others, once or from now on. */
async function give(path, [one, many]) {
  const source = Number(document.getElementById("family-source").value);
  const lines = [...document.querySelectorAll("#family [data-line]:checked")].map((box) => box.dataset.line);
  try {
    const given = await send(path, { source, shots: [...chosen].map(Number), lines });
    const told = given.filter(({ sentences }) => sentences.length);
    const taken = given.filter(({ revision }) => revision).length;
    const heading = `${taken} ${taken === 1 ? `shot ${one}` : `shots ${many}`} ${nameOf(source)} now.`;
    if (told.length) tell(heading, told.map(({ name, sentences }) => [name, sentences.join(" ")]));
    else say(heading);
    htmx.trigger(cards, "refresh");
  } catch (error) {
    say(error.message);
  }
}
document.getElementById("family-give").addEventListener("click", () => give("/footage/recipes", ["has the recipe of", "have the recipe of"]));
document.getElementById("family-link").addEventListener("click", () => give("/footage/families", ["is linked with", "are linked with"]));
