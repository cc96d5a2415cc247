/** The stockroom: clips move over the ground of the page; they are found, described, and taken into other things. */

import { bringInAll } from "./lib/bring_in.js";
import { read, say, send } from "./lib/common.js";
import { chosenDelivery } from "./lib/deliveries.js";
import { groundPicker, layGround } from "./lib/grounds.js";
import "./lib/live.js";

const $ = (id) => document.getElementById(id);
const list = $("list");
const find = $("find");
const main = document.querySelector("main");
const choice = { ground: "checker", colour: "#c026a8", ...JSON.parse(localStorage.getItem("stockroom-ground") || "{}") };

/* What is looked at */

/** Only clips in sight move. */
const sight = new IntersectionObserver((entries) => {
  for (const { target, isIntersecting } of entries) {
    if (isIntersecting && !("held" in target.dataset)) target.play().catch(() => {});
    else target.pause();
  }
});

function enlarge(video) {
  const dialog = $("larger");
  const large = dialog.querySelector("video");
  large.src = video.src;
  dialog.querySelector("h2").textContent = video.closest("li").dataset.clip;
  dialog.showModal();
  large.play().catch(() => {});
  dialog.addEventListener("close", () => large.removeAttribute("src"), { once: true });
}

/** Whoever wants less motion starts with clips that are held still, and lets go of those that are to move. */
function hold(video) {
  if ("known" in video.dataset || !matchMedia("(prefers-reduced-motion: reduce)").matches) return;
  Object.assign(video.dataset, { known: "", held: "" });
  video.preload = "metadata";
  video.closest("li").querySelector("[data-hold]").setAttribute("aria-pressed", true);
}

function lay() {
  for (const video of list.querySelectorAll("video")) {
    hold(video);
    sight.observe(video);
  }
  for (const element of document.querySelectorAll(".ground")) layGround(element, choice);
}
groundPicker(choice, () => {
  localStorage.setItem("stockroom-ground", JSON.stringify(choice));
  lay();
});
document.body.addEventListener("htmx:afterSwap", lay);
lay();

list.addEventListener("click", (event) => {
  const card = event.target.closest("li[data-clip]");
  const video = card?.querySelector("video");
  const holds = event.target.closest("[data-hold]");
  if (holds) {
    const held = video.toggleAttribute("data-held");
    holds.setAttribute("aria-pressed", held);
    if (held) video.pause();
    else video.play().catch(() => {});
  }
  if (event.target.closest("[data-larger]")) enlarge(video);
  if (event.target.closest("[data-make]")) makeAgain(card);
  if (event.target.closest("[data-fit]")) layInto(card);
  if (event.target.closest("[data-anew]")) ordered(`/stockroom/${card.dataset.id}/anew`, {});
  const tag = event.target.closest("[data-tag]");
  if (tag) narrow(tag.dataset.tag);
});

/* What is looked for */

/** Look for clips with a tag as well, or without regard to it. */
function narrow(tag) {
  const chosen = [...find.querySelectorAll("[name=tag]")].find((input) => input.value === tag);
  if (chosen) chosen.remove();
  else find.append(Object.assign(document.createElement("input"), { type: "hidden", name: "tag", value: tag }));
  htmx.trigger(find, "submit");
}

/** Whoever comes back finds the list as long as it was, at the same place. */
const PLACE = "stockroom-place";
const kept = JSON.parse(sessionStorage.getItem(PLACE) || "null");
addEventListener("pagehide", () => {
  const count = list.querySelectorAll("li[data-clip]").length;
  sessionStorage.setItem(PLACE, JSON.stringify({ at: location.search, count, top: main.scrollTop }));
});
if (kept?.top && kept.at === location.search) {
  htmx.ajax("GET", `/stockroom/list${location.search}${location.search ? "&" : "?"}count=${kept.count}`, { target: "#list", swap: "morph:innerHTML" }).then(() => (main.scrollTop = kept.top));
}

// What is being read to be kept here arrives by itself.
setInterval(() => list.querySelector("[data-moving]") && !document.hidden && htmx.trigger(list, "refresh"), 900);

$("files").addEventListener("change", async ({ target }) => {
  await bringInAll([...target.files], ({ id }) => send(`/stockroom/footage/${id}`));
  target.value = "";
});

/* Another format */

function makeAgain(card) {
  const dialog = $("make");
  $("make-title").textContent = card.dataset.clip;
  $("make-from").textContent = card.dataset.from;
  dialog.returnValue = "";
  dialog.showModal();
  dialog.onclose = () => {
    if (dialog.returnValue === "make") make(card, chosenDelivery($("make-delivery")));
    if (dialog.returnValue === "card") make(card, { delivery: { format: "card", metres: Number($("card-metres").value) || 1, still: Number($("card-still").value) || 0, atlas: $("card-atlas").checked } });
  };
}

const make = (card, what) => ordered(`/stockroom/${card.dataset.id}/make`, what);

async function ordered(address, what) {
  try {
    const { names } = await send(address, what);
    say(`${names.join(", ")} is being made.`, ["/renders", "See Renders"]);
  } catch (error) {
    say(error.message);
  }
}

/* Into a fitting */

const SHELF = 8;

async function layInto(card) {
  const dialog = $("lay");
  const into = $("lay-into");
  $("lay-title").textContent = `Lay ${card.dataset.clip} into a fitting`;
  try {
    const fittings = await read("/fittings/names");
    into.replaceChildren(new Option("a new fitting of its size", ""), ...fittings.map(({ id, name }) => new Option(name, id)));
  } catch (error) {
    say(error.message);
    return;
  }
  dialog.returnValue = "";
  dialog.showModal();
  dialog.onclose = () => dialog.returnValue === "lay" && layIn(card.dataset.id, into.value);
}

async function layIn(clip, fitting) {
  try {
    if (fitting) {
      const { at, name } = await send(`/fittings/${fitting}/lay`, { clip: Number(clip) });
      say(`It lies in ${name} now.`, [at, "See it"]);
      htmx.trigger(list, "refresh");
    } else location.href = (await send("/fittings", { clip: Number(clip) })).at;
  } catch (error) {
    say(error.message);
  }
}

list.addEventListener("dragstart", async (event) => {
  const card = event.target.closest("li[data-clip]");
  if (!card) return;
  const { id, file } = card.dataset;
  const at = new URL(`/stockroom/${id}/file`, location.href).href;
  event.dataTransfer.effectAllowed = "copy";
  event.dataTransfer.setData("application/x-upholster-clip", id);
  event.dataTransfer.setData("DownloadURL", `application/octet-stream:${file}:${at}`);
  event.dataTransfer.setData("text/uri-list", at);
  try {
    const fittings = await read("/fittings/names");
    const place = ({ id: fitting, name }) => {
      const button = Object.assign(document.createElement("button"), { className: "button max-w-56 shrink-0 truncate", textContent: name });
      button.dataset.into = fitting;
      return button;
    };
    $("shelf").replaceChildren($("shelf").firstElementChild, ...[{ id: "", name: "A new fitting" }, ...fittings.slice(0, SHELF)].map(place));
    $("shelf").hidden = false;
  } catch (error) {
    say(error.message);
  }
});
document.addEventListener("dragend", () => ($("shelf").hidden = true));
$("shelf").addEventListener("dragover", (event) => event.target.closest("[data-into]") && event.preventDefault());
$("shelf").addEventListener("drop", (event) => {
  const into = event.target.closest("[data-into]");
  if (!into) return;
  event.preventDefault();
  $("shelf").hidden = true;
  layIn(event.dataTransfer.getData("application/x-upholster-clip"), into.dataset.into);
});
