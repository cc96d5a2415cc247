/** A fitting: wires its document, its picture, its layers and its delivery together. */

import { conflict } from "../bench/conflict.js";
import { Deliver } from "../bench/deliver.js";
import { Keyframes } from "../bench/keyframes.js";
import { remembering, viewLeft } from "../bench/leave.js";
import { Requests } from "../bench/requests.js";
import { Store } from "../bench/store.js";
import { keyedFrames } from "../bench/tracks.js";
import { Values } from "../bench/values.js";
import { say, send } from "../lib/common.js";
import { drag } from "../lib/drag.js";
import "../lib/rename.js";
import { typed } from "../lib/typed.js";
import { Played } from "../lib/played.js";
import { Player } from "../lib/player.js";
import { asNumber } from "../lib/rates.js";
import { Ahead } from "../lib/ahead.js";
import { FrameLine } from "./frame_line.js";
import { Handles } from "./handles.js";
import { Layers } from "./layers.js";
import { Part } from "./part.js";
import { Sound } from "./sound.js";
import { Viewer } from "./viewer.js";

const start = JSON.parse(document.getElementById("start").textContent);
const at = document.getElementById("fitting").dataset.at;
const $ = (id) => document.getElementById(id);

const page = {
  at,
  fields: start.fields,
  defaults: start.defaults,
  /** A layer as it is by itself. */
  standard: start.layer,
  /** What is known of what layers are made from, by their marks. */
  sources: start.sources,
  view: { frame: 0, chosen: "", ...start.view, ...viewLeft(at) },
  get facts() {
    return page.store.recipe.frame;
  },
  frame: () => page.view.frame,
  place: (number = page.view.frame) => ({ frame: number }),
  goTo,
  /** What stands for a number that is not set: frames to the end. */
  ifNull: (path) => page.facts.length - (page.layers.layer()?.start ?? 0) - (path.endsWith(".last") ? 1 : 0),
  playing: () => page.player?.playing ?? false,
  change: (path, value, final, words) => changeMany({ [path]: value }, final, words),
  changeMany,
  show,
  refresh() {
    page.requests.refresh();
    page.ahead?.rest();
  },
  settle: () => page.values.settle(),
  async saved() {
    page.settle();
    await page.store.saving;
    return page.store.revision;
  },
  trouble: (error) => say(error.message),
  heard: () => page.sound.loud,
  /** What is delivered: all layers, or one. */
  of: () => ({ layer: page.part.layer }),
};

page.remember = remembering(page);
page.store = new Store(at, start, { taken, noted, conflict, keeping: (on) => $("revision").toggleAttribute("data-keeping", on), trouble(error) {
  page.trouble(error);
  show();
} });
page.viewer = new Viewer(page);
page.requests = new Requests(page, { needed: () => ["result"], drawn: (what, picture, quality, sequence) => drawn(picture, quality, sequence), trouble: page.trouble });
page.values = new Values(page);
page.keyframes = new Keyframes(page, page.values);
page.layers = new Layers(page);
page.frameLine = new FrameLine(page);
page.part = new Part(page);
page.handles = new Handles(page);
page.sound = new Sound(page);
const played = new Played();
const stands = () => JSON.stringify(page.store.asked);
const held = () => played.names(stands());
const quick = (number, ahead = false) => played.fetch(stands(), number, () => page.requests.fetch(page.place(number), "result", "quick", { keep: true, ahead }));
page.ahead = new Ahead($("frames"), {
  span: () => [0, page.facts.length - 1],
  count: () => page.facts.length,
  here: () => page.view.frame,
  held,
  fetch: (number) => quick(number, true),
  full: () => played.full,
  playing: () => page.playing(),
});
// What was changed elsewhere meanwhile, as a shot that is keyed live, is not shown from memory.
addEventListener("focus", () => {
  played.forget(stands());
  page.refresh();
});
page.player = new Player({
  rate: () => asNumber(page.facts.rate),
  span: () => [0, page.facts.length - 1],
  here: () => page.view.frame,
  held,
  fetch: (number) => quick(number),
  show(number, picture) {
    page.view.frame = number;
    if (document.activeElement !== $("frame")) $("frame").value = number;
    $("frames").querySelector(".playhead").style.left = `${(100 * (number + 0.5)) / page.facts.length}%`;
    drawn(picture, "quick");
  },
  listen: (number, rate, way) => page.sound.play(number, rate, way),
  stopped() {
    page.sound.stop();
    show();
    page.refresh();
    page.remember();
  },
  trouble: page.trouble,
});
page.deliver = new Deliver(page, start.delivery);
page.viewer.onPlaced = () => page.handles.draw();

/* The document */

/** Change values; a final change becomes a revision. */
function changeMany(changes, final, words) {
  for (const [path, value] of Object.entries(changes)) page.store.set(path, value);
  if (page.view.frame >= page.facts.length) page.view.frame = page.facts.length - 1;
  show();
  page.refresh();
  if (final) page.store.keep(words);
}

function noted(state) {
  Object.assign(page.sources, state.sources);
  $("revision").textContent = state.revision;
  for (const way of ["undo", "redo"]) {
    $(way).disabled = !state[way];
    $(way).title = state[way] ? `${way === "undo" ? "Undo" : "Redo"}: ${state[way]}` : `Nothing to ${way}`;
  }
  const gone = state.recipe.layers.order.filter((mark) => state.sources[mark]?.why);
  $("why").textContent = gone.length ? `Not here any more: ${gone.map((mark) => state.recipe.layers.each[mark].name).join(", ")}.` : "";
  show();
  page.deliver.follow();
}

function taken(state) {
  noted(state);
  page.viewer.fit();
  page.refresh();
}

/* What is shown */

function show() {
  page.layers.show();
  page.sound.show();
  page.part.show();
  page.frameLine.show();
  here();
}

function here() {
  if (document.activeElement !== $("frame")) $("frame").value = page.view.frame;
  const { length } = page.facts;
  $("frames").setAttribute("aria-valuemax", length - 1);
  $("frames").setAttribute("aria-valuenow", page.view.frame);
  const x = (frame) => `${(100 * (frame + 0.5)) / length}%`;
  $("frames").querySelector(".playhead").style.left = x(page.view.frame);
  const layer = page.layers.layer();
  const ticks = layer ? keyedFrames(Object.values(layer).concat(Object.values(layer.finish)).filter(Array.isArray)) : [];
  const drawnTicks = ticks.filter((frame) => frame < length).map((frame) => Object.assign(document.createElement("div"), { className: "tick" }));
  drawnTicks.forEach((tick, k) => (tick.style.left = x(ticks[k])));
  $("frames").replaceChildren($("frames").querySelector(".playhead"), ...$("frames").querySelectorAll(".ready"), ...drawnTicks);
  page.values.show();
  page.keyframes.show();
  page.handles.draw();
}

function drawn(picture, quality, sequence) {
  page.viewer.draw(picture.image);
  requestAnimationFrame(() => document.dispatchEvent(new CustomEvent("picture-drawn", { detail: { quality, sequence, frame: page.view.frame, time: performance.now() } })));
}

function goTo(number) {
  const frame = Math.min(page.facts.length - 1, Math.max(0, Math.round(number)));
  if (page.playing()) page.player.toggle();
  page.settle();
  page.view.frame = frame;
  here();
  page.refresh();
  page.remember();
}

/* What a person does */

$("surround").addEventListener("click", (event) => {
  const shade = event.target.closest("[data-surround]")?.dataset.surround;
  if (!shade) return;
  $("booth").classList.toggle("dark", shade === "dark");
  $("booth").classList.toggle("light", shade === "light");
});
$("frame").addEventListener("change", () => {
  const number = typed($("frame").value);
  if (Number.isNaN(number)) say(`“${$("frame").value.slice(0, 40)}” is not a frame number.`);
  else {
    if (number < 0 || number >= page.facts.length) say(`Frames go from 0 to ${page.facts.length - 1}.`);
    goTo(number);
  }
  $("frame").value = page.view.frame;
});
$("frame").addEventListener("keydown", (event) => event.key === "Enter" && $("frame").blur());
$("frames").addEventListener("pointerdown", (event) => {
  if (event.button) return;
  const box = $("frames").getBoundingClientRect();
  const to = (e) => goTo(((e.clientX - box.left) / box.width) * page.facts.length - 0.5);
  to(event);
  drag($("frames"), event, { move: to });
});

const acts = {
  undo: () => walk("undo"),
  redo: () => walk("redo"),
  async history() {
    $("revisions").innerHTML = await (await fetch(`${at}/history`)).text();
    $("revisions").showModal();
  },
  async copy() {
    location.href = (await send(`${at}/copy`)).at;
  },
  help: () => $("keys").showModal(),
  "zoom-in": () => page.viewer.zoom(1.5),
  "zoom-out": () => page.viewer.zoom(1 / 1.5),
  fit: () => page.viewer.fit(),
  "to-first": () => goTo(0),
  "to-last": () => goTo(page.facts.length - 1),
  back: () => goTo(page.view.frame - 1),
  on: () => goTo(page.view.frame + 1),
  play: () => page.player.toggle(),
};
for (const [id, act] of Object.entries(acts)) $(id).addEventListener("click", () => Promise.resolve(act()).catch(page.trouble));
$("revisions").addEventListener("click", (event) => {
  const row = event.target.closest("[data-revision]");
  if (row) page.store.ask(`/revisions/${row.dataset.revision}`);
  if (row || event.target === $("revisions")) $("revisions").close();
});
document.querySelector('[data-open="9"]').addEventListener("click", ({ currentTarget }) => {
  const unfolded = currentTarget.closest(".line").querySelector(".unfolded");
  unfolded.hidden = !unfolded.hidden;
  currentTarget.setAttribute("aria-expanded", !unfolded.hidden);
});

function walk(way) {
  page.settle();
  return page.store.ask(`/${way}`);
}

document.addEventListener("keydown", (event) => {
  if (event.target.closest("input, select, textarea, dialog[open]")) return;
  if (event.target.closest("button, a") && [" ", "Enter"].includes(event.key)) return;
  const path = document.activeElement?.dataset?.path;
  const onPicture = document.activeElement === $("booth") && page.layers.chosen;
  const arrow = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[event.key];
  const many = event.shiftKey ? 10 : 1;
  if (event.ctrlKey || event.metaKey) {
    if (event.key.toLowerCase() !== "z") return;
    acts[event.shiftKey ? "redo" : "undo"]();
  } else if (arrow && onPicture) page.handles.nudge(arrow[0] * many, arrow[1] * many);
  else if (arrow?.[0]) goTo(page.view.frame + arrow[0] * many);
  else if (event.key === "Home") goTo(0);
  else if (event.key === "End") goTo(page.facts.length - 1);
  else if (event.key === " ") page.player.toggle();
  else if (event.key === "PageUp") page.layers.step(1);
  else if (event.key === "PageDown") page.layers.step(-1);
  else if (event.key === "Delete") page.layers.remove();
  else if (event.key === "Escape") page.layers.choose(null);
  else if (event.key === "?") acts.help();
  else if (event.key === "+" || event.key === "=") acts["zoom-in"]();
  else if (event.key === "-") acts["zoom-out"]();
  else if (event.key.toLowerCase() === "f") acts.fit();
  else if (event.key.toLowerCase() === "d" && !event.altKey) page.layers.twice();
  else if (event.key.toLowerCase() === "k" && path && page.fields[path]?.keyed) page.values.toggleKey(path);
  else return;
  event.preventDefault();
});

page.view.frame = Math.min(page.view.frame, page.facts.length - 1);
history.replaceState(null, "", at);
noted(start);
page.viewer.fit();
page.store.takeUp().catch(page.trouble);
page.refresh();
