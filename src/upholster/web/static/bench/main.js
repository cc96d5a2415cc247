/** The Bench: wires the recipe, the picture, the work order and the ribbon together. */

import { say, send } from "../lib/common.js";
import { groundPicker, layGround } from "../lib/grounds.js";
import { Deliver } from "./deliver.js";
import { Instruments } from "./instruments.js";
import { Keyframes } from "./keyframes.js";
import { Order } from "./order.js";
import { Player } from "./play.js";
import { Requests } from "./requests.js";
import { Ribbon } from "./ribbon.js";
import { Store } from "./store.js";
import { output, source } from "./times.js";
import { Crop } from "./tools/crop.js";
import { Measure, Readout } from "./tools/measure.js";
import { pan, split } from "./tools/pan.js";
import { keyedFrames, neighbour } from "./tracks.js";
import { Values } from "./values.js";
import { Viewer } from "./viewer.js";

const start = JSON.parse(document.getElementById("start").textContent);
const at = document.getElementById("bench").dataset.at;
const $ = (id) => document.getElementById(id);

const bench = {
  at,
  facts: start.facts,
  fields: start.fields,
  defaults: start.defaults,
  screenName: start.screenName,
  /** Where the picture lies and how frames are counted, as the house last said. */
  shown: start.shown,
  view: { frame: 0, output: 0, taken: false, view: "result", ground: "checker", colour: "#c026a8", footage: "", split: 0.5, surround: "mid", open: 0, ...start.bench },
  /** The frame of the footage in view. */
  frame: () => bench.view.frame,
  /** How frames are counted: as delivered or as shot, which one is in view, how many there are. */
  counted: () => (bench.view.taken ? { taken: true, number: bench.view.output, count: bench.shown.times.frames } : { taken: false, number: bench.view.frame, count: bench.facts.length }),
  /** What is asked for as a picture, of the number in view or another. */
  place: (number = bench.counted().number) => ({ frame: number, taken: bench.view.taken, whole: crop.on }),
  /** The numbers that are played, first and last. */
  span() {
    if (bench.view.taken) return [0, bench.shown.times.frames - 1];
    const { first, last } = bench.store.recipe.take;
    return [Math.min(first, bench.facts.length - 1), Math.min(last ?? Infinity, bench.facts.length - 1)];
  },
  /** Frames with a keyframe of any value. */
  keyed: () => keyedFrames(tracks()),
  playing: () => player.playing,
  showing: () => (bench.view.view === "plate" ? "plate" : "result"),
  change,
  changeMany,
  changeScreen,
  measured: (place) => bench.store.ask("/screen", { measure: { frame: bench.frame(), ...place } }, { words: "Screen measured" }),
  remember,
  go,
  goTo: (frame) => go(bench.view.taken ? output(bench.shown.times, frame) : frame),
  refresh: () => requests.refresh(),
  show,
  /** The newest revision, once all changes are kept. */
  async saved() {
    values.settle();
    await bench.store.saving;
    return bench.store.revision;
  },
  trouble: (error) => say(error.message),
};

const store = (bench.store = new Store(at, start, { taken, noted, conflict, trouble: (error) => {
  say(error.message);
  show();
} }));
const viewer = (bench.viewer = new Viewer(bench));
const requests = (bench.requests = new Requests(bench, { needed: () => viewer.needed(), drawn, trouble: bench.trouble }));
const ribbon = new Ribbon(bench);
const values = (bench.values = new Values(bench));
const instruments = new Instruments(bench, values);
const keyframes = new Keyframes(bench, values);
const order = new Order(bench);
const measure = new Measure(bench);
const crop = new Crop(bench);
const player = new Player({
  ...bench,
  show(number, what, picture) {
    settle(number);
    viewer.draw(what, picture.image);
    here();
  },
  stopped() {
    show();
    requests.refresh();
    remember();
  },
});
new Readout(bench);
new Deliver(bench, start.delivery);
pan(viewer, () => !measure.on);
split(viewer, () => bench.view.split, (share) => {
  bench.view.split = Math.min(1, Math.max(0, share));
  viewer.showView();
  remember();
});

/* The recipe */

const tracks = () => Object.keys(bench.fields).filter((path) => bench.fields[path].keyed).map((path) => store.get(path));

/** Change one value of the recipe; a final change becomes a revision. */
function change(path, value, final, words) {
  changeMany({ [path]: value }, final, words);
}

function changeMany(changes, final, words) {
  for (const [path, value] of Object.entries(changes)) store.set(path, value);
  show();
  requests.refresh();
  if (final) store.keep(words);
}

function changeScreen(screen) {
  store.ask("/screen", { screen }, { words: "Screen changed" });
}

/** The house has kept what stands here. */
function noted(state) {
  bench.screenName = state.screenName;
  // With the whole plate in view, the picture says where it lies.
  reshape(crop.on ? { ...state.shown, size: bench.shown.size, matrix: bench.shown.matrix } : state.shown);
  $("revision").textContent = state.revision;
  $("found").replaceChildren(...state.found.map((sentence) => Object.assign(document.createElement("p"), { textContent: sentence })));
  for (const way of ["undo", "redo"]) {
    $(way).disabled = !state[way];
    $(way).title = state[way] ? `${way === "undo" ? "Undo" : "Redo"}: ${state[way]}` : `Nothing to ${way}`;
  }
  show();
}

/** What the house says stands. */
function taken(state) {
  noted(state);
  requests.refresh();
}

/** Another window changed the shot since: a promise of whose change is to stand, "mine" or "theirs". */
async function conflict(sentence, words) {
  const dialog = $("stale");
  $("stale-theirs").textContent = sentence;
  $("stale-mine").textContent = words ? `Here you changed: ${words}.` : "";
  $("keep-mine").hidden = !words;
  dialog.returnValue = "theirs";
  dialog.showModal();
  await new Promise((done) => dialog.addEventListener("close", done, { once: true }));
  return dialog.returnValue;
}

function walk(way) {
  values.settle();
  return store.ask(`/${way}`);
}

/** Write everything that follows from the recipe and the frame in view. */
function show() {
  order.show();
  values.show();
  keyframes.show();
  ribbon.show();
  crop.draw();
  if (!player.playing) instruments.show();
  $("counting").hidden = bench.shown.times.plain && !bench.view.taken;
  for (const button of $("counting").children) button.setAttribute("aria-pressed", (button.dataset.counting === "taken") === bench.view.taken);
}

let leaving;
/** Keep how the Bench is left, soon. */
function remember() {
  clearTimeout(leaving);
  leaving = setTimeout(() => send(`${at}/view-state`, bench.view, { keepalive: true }).catch(() => {}), 400);
}

/* Frames */

function go(number) {
  number = Math.min(bench.counted().count - 1, Math.max(0, Math.round(number)));
  if (number === bench.counted().number) return;
  settle(number);
  here();
  if (!player.playing) instruments.show();
  requests.refresh();
  remember();
}

/** Bring a number into view, in the counting in force. */
function settle(number) {
  if (bench.view.taken) {
    bench.view.output = number;
    bench.view.frame = source(bench.shown.times, number);
  } else {
    bench.view.frame = number;
  }
}

function here() {
  const { number } = bench.counted();
  $("frame").value = number;
  $("of-plate").textContent = bench.view.taken ? `shows ${bench.view.frame} of the plate` : "";
  ribbon.show();
  values.show();
  keyframes.show();
  layGround($("ground"), bench.view, number);
}

/** Count frames as they are delivered, or as they were shot; the same picture stays in view. */
function count(asTaken) {
  if (asTaken === bench.view.taken) return;
  if (asTaken) bench.view.output = output(bench.shown.times, bench.view.frame);
  bench.view.taken = asTaken;
  settle(bench.counted().number);
  here();
  show();
  requests.refresh();
  remember();
}

/** The picture lies elsewhere on its plate, or frames come out otherwise. */
function reshape(shown) {
  const before = JSON.stringify(bench.shown);
  if (before === JSON.stringify(shown)) return;
  const size = String(bench.shown.size);
  bench.shown = shown;
  if (String(shown.size) !== size) viewer.reshaped();
  else viewer.place();
  if (bench.view.taken) settle(Math.min(bench.view.output, shown.times.frames - 1));
  here();
}

function drawn(what, picture, quality, sequence) {
  reshape(picture.shown);
  viewer.draw(what, picture.image);
  order.show();
  // For whoever measures: when each picture reached the screen, and what it shows.
  requestAnimationFrame(() => document.dispatchEvent(new CustomEvent("picture-drawn", { detail: { what, quality, sequence, frame: bench.counted().number, time: performance.now() } })));
}

/** Go to the keyframe before or after this one: of the value in focus, or of any. */
function toKeyframe(way) {
  const path = document.activeElement?.dataset?.path;
  const of = path && bench.fields[path]?.keyed ? [store.get(path)] : tracks();
  const frame = neighbour(of, bench.frame(), way);
  if (frame !== undefined) bench.goTo(frame);
}

/* Views */

function look(name) {
  bench.view.view = name;
  showViews();
  requests.refresh();
  remember();
}

function showViews() {
  for (const button of $("views").children) button.setAttribute("aria-pressed", button.dataset.view === bench.view.view);
  for (const button of $("surround").children) button.setAttribute("aria-pressed", button.dataset.surround === bench.view.surround);
  $("booth").classList.toggle("dark", bench.view.surround === "dark");
  $("booth").classList.toggle("light", bench.view.surround === "light");
  viewer.showView();
}

function peek(on) {
  viewer.peek = on;
  viewer.showView();
  requests.refresh();
}

/* Buttons and keys */

function setEnd(path) {
  values.set(path, bench.frame(), true);
}

function leaveTools() {
  measure.set(false);
  crop.set(false);
}

const acts = {
  undo: () => walk("undo"),
  redo: () => walk("redo"),
  async history() {
    const answer = await fetch(`${at}/history`);
    $("revisions").innerHTML = await answer.text();
    $("revisions").showModal();
  },
  async copy() {
    const { shot } = await send(`${at}/copy`);
    location.href = `/bench/${shot}`;
  },
  help: () => $("keys").showModal(),
  measure: () => measure.set(!measure.on),
  "zoom-in": () => viewer.zoom(1.5),
  "zoom-out": () => viewer.zoom(1 / 1.5),
  fit: () => viewer.fit(),
  "to-first": () => go(bench.span()[0]),
  "to-last": () => go(bench.span()[1]),
  back: () => go(bench.counted().number - 1),
  on: () => go(bench.counted().number + 1),
  play: () => player.toggle(),
  "set-in": () => setEnd("take.first"),
  "set-out": () => setEnd("take.last"),
};
for (const [id, act] of Object.entries(acts)) $(id).addEventListener("click", () => Promise.resolve(act()).catch(bench.trouble));
$("views").addEventListener("click", (event) => event.target.dataset.view && look(event.target.dataset.view));
$("counting").addEventListener("click", (event) => event.target.dataset.counting && count(event.target.dataset.counting === "taken"));
$("surround").addEventListener("click", (event) => {
  const button = event.target.closest("[data-surround]");
  if (!button) return;
  bench.view.surround = button.dataset.surround;
  showViews();
  remember();
});
$("frame").addEventListener("change", () => go(Number($("frame").value) || 0));
// The keys of the Bench work again as soon as a number is in.
$("frame").addEventListener("keydown", (event) => event.key === "Enter" && $("frame").blur());
$("revisions").addEventListener("click", (event) => {
  const row = event.target.closest("[data-revision]");
  if (row) store.ask(`/revisions/${row.dataset.revision}`);
  if (row || event.target === $("revisions")) $("revisions").close();
});

const keys = {
  r: () => look("result"),
  a: () => look("matte"),
  p: () => look("plate"),
  s: () => look("split"),
  m: acts.measure,
  c: () => crop.set(!crop.on),
  t: () => !$("counting").hidden && count(!bench.view.taken),
  f: acts.fit,
  "+": acts["zoom-in"],
  "=": acts["zoom-in"],
  "-": acts["zoom-out"],
  i: acts["set-in"],
  o: acts["set-out"],
  ",": () => toKeyframe(-1),
  ".": () => toKeyframe(1),
  " ": acts.play,
  Home: acts["to-first"],
  End: acts["to-last"],
  "?": acts.help,
  Escape: leaveTools,
  Enter: leaveTools,
};

/** Copy or paste the keyframes of the value in focus; whether there was something to do. */
function clipboard(key) {
  const path = document.activeElement?.dataset?.path;
  if (!path) return false;
  return key === "c" ? keyframes.copy(path) : keyframes.paste(path);
}

document.addEventListener("keydown", (event) => {
  if (event.target.closest("input, select, textarea, dialog[open]")) return;
  if (event.ctrlKey || event.metaKey) {
    const key = event.key.toLowerCase();
    if (key === "z") walk(event.shiftKey ? "redo" : "undo");
    else if (!((key === "c" || key === "v") && clipboard(key))) return;
    event.preventDefault();
    return;
  }
  if (event.altKey) return;
  const pressed = event.target.closest("button") && [" ", "Enter"].includes(event.key);
  const step = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
  if (step) go(bench.counted().number + step * (event.shiftKey ? 10 : 1));
  else if (/^[1-6]$/.test(event.key)) order.open(Number(event.key));
  else if (event.key === "x" && !viewer.peek) peek(true);
  else if (event.key === "k" && document.activeElement?.dataset?.path && bench.fields[document.activeElement.dataset.path]?.keyed) values.toggleKey(document.activeElement.dataset.path);
  else if (keys[event.key] && !pressed) keys[event.key]();
  else return;
  event.preventDefault();
});
document.addEventListener("keyup", (event) => event.key === "x" && peek(false));
window.addEventListener("blur", () => viewer.peek && peek(false));

groundPicker(bench.view, () => {
  here();
  remember();
});
bench.view.frame = Math.min(bench.view.frame, bench.facts.length - 1);
bench.view.output = Math.min(bench.view.output, bench.shown.times.frames - 1);
if (bench.view.taken) settle(bench.view.output);
noted(start);
here();
viewer.fit();
showViews();
if (bench.view.open) order.open(bench.view.open);
requests.refresh();
