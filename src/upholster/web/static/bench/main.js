/** The Bench: wires the recipe, the picture, the work order and the ribbon together. */

import { say } from "../lib/common.js";
import "../lib/rename.js";
import { groundPicker, layGround } from "../lib/grounds.js";
import { actsOf } from "./acts.js";
import { Beside } from "./beside.js";
import { conflict } from "./conflict.js";
import { Deliver } from "./deliver.js";
import { Doubts } from "./doubts.js";
import { Drawings } from "./drawings.js";
import { Family } from "./family.js";
import { Findings } from "./findings.js";
import { Finish } from "./finish.js";
import { Follow } from "./follow.js";
import { Frames } from "./frames.js";
import { Instruments } from "./instruments.js";
import { Keyframes } from "./keyframes.js";
import { listen } from "./keys.js";
import { remembering, viewLeft } from "./leave.js";
import { Masks } from "./masks.js";
import { Order } from "./order.js";
import { play } from "./playing.js";
import { Requests } from "./requests.js";
import { Ribbon } from "./ribbon.js";
import { Sound } from "./sound.js";
import { Store } from "./store.js";
import { Brush } from "./tools/brush.js";
import { Crop } from "./tools/crop.js";
import { Measure, Readout } from "./tools/measure.js";
import { pan, split } from "./tools/pan.js";
import { Shape } from "./tools/shape/shape.js";
import { Traces } from "./traces.js";
import { keyedFrames, neighbour } from "./tracks.js";
import { Values } from "./values.js";
import { Viewer } from "./viewer.js";
import { Views } from "./views.js";

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
  view: { frame: 0, output: 0, taken: false, view: "result", ground: "checker", colour: "#c026a8", footage: "", split: 0.5, surround: "mid", hushed: false, beside: null, unfolded: [], ...start.bench, ...viewLeft(at), ...start.chosen },
  /** The frame of the footage in view. */
  frame: () => bench.view.frame,
  counted: () => bench.frames.counted(),
  span: () => bench.frames.span(),
  go: (number) => bench.frames.go(number),
  goTo: (frame) => bench.frames.goTo(frame),
  /** What is asked for as a picture, of the number in view or another. */
  place: (number = bench.counted().number) => ({ frame: number, taken: bench.view.taken, whole: bench.crop.on }),
  /** Frames with a keyframe of any value. */
  keyed: () => [...new Set([...keyedFrames(tracks()), ...bench.masks.keyed()])],
  playing: () => bench.player.playing,
  change: (path, value, final, words) => changeMany({ [path]: value }, final, words),
  changeMany,
  changeScreen: (screen) => bench.store.ask("/screen", { screen }, { words: "Screen changed" }),
  refresh() {
    bench.requests.refresh();
    bench.ahead?.rest();
  },
  show,
  toKeyframe,
  leaveTools,
  /** Let what is stepped become a change now. */
  settle() {
    bench.values.settle();
    bench.shape.settle();
  },
  /** The newest revision, once all changes are kept. */
  async saved() {
    bench.settle();
    await bench.store.saving;
    return bench.store.revision;
  },
  trouble: (error) => say(error.message),
};

bench.remember = remembering(bench);
bench.store = new Store(at, start, {
  taken,
  noted,
  conflict,
  keeping: (on) => $("revision").toggleAttribute("data-keeping", on),
  trouble(error) {
    bench.trouble(error);
    show();
  },
});
bench.frames = new Frames(bench, { moved, counted });
bench.viewer = new Viewer(bench);
bench.beside = new Beside(bench);
bench.views = new Views(bench);
bench.requests = new Requests(bench, { needed: () => bench.viewer.needed(), drawn, trouble: bench.trouble });
bench.ribbon = new Ribbon(bench);
bench.findings = new Findings(bench);
bench.values = new Values(bench);
bench.instruments = new Instruments(bench, bench.values);
bench.keyframes = new Keyframes(bench, bench.values);
bench.order = new Order(bench);
bench.family = new Family(bench);
bench.measure = new Measure(bench);
bench.doubts = new Doubts(bench);
bench.finish = new Finish(bench);
bench.crop = new Crop(bench);
bench.drawings = new Drawings(bench, show);
bench.masks = new Masks(bench);
bench.traces = new Traces(bench);
bench.brush = new Brush(bench);
bench.traces.showSize(bench.brush.radius);
bench.shape = new Shape(bench);
bench.follow = new Follow(bench);
bench.sound = new Sound(bench);
play(bench, { place, numbers, show });
new Readout(bench);
bench.deliver = new Deliver(bench, start.delivery);
pan(bench.viewer, () => !bench.measure.on && !bench.shape.on && !bench.brush.on);
split(bench.viewer, () => bench.view.split, (share) => {
  bench.view.split = Math.min(1, Math.max(0, share));
  bench.viewer.showView();
  bench.remember();
});

/* The recipe */

function tracks() {
  const named = Object.keys(bench.fields).filter((path) => bench.fields[path].keyed).map((path) => bench.store.get(path));
  return [...named, ...bench.store.recipe.finish.curve.map((point) => point.y)];
}

/** Change values of the recipe; a final change becomes a revision. */
function changeMany(changes, final, words) {
  for (const [path, value] of Object.entries(changes)) bench.store.set(path, value);
  show();
  bench.refresh();
  if (final) bench.store.keep(words);
}

/** The house has kept what stands here. */
function noted(state) {
  bench.screenName = state.screenName;
  // With the whole plate in view, the picture says where it lies.
  reshape(bench.crop.on ? { ...state.shown, size: bench.shown.size, matrix: bench.shown.matrix } : state.shown);
  $("revision").textContent = state.revision;
  $("found").replaceChildren(...state.found.map((sentence) => Object.assign(document.createElement("p"), { textContent: sentence })));
  for (const way of ["undo", "redo"]) {
    $(way).disabled = !state[way];
    $(way).title = state[way] ? `${way === "undo" ? "Undo" : "Redo"}: ${state[way]}` : `Nothing to ${way}`;
  }
  show();
  bench.family.show(state.family);
  bench.deliver.follow();
  bench.findings.follow();
}

/** What the house says stands. */
function taken(state) {
  noted(state);
  bench.refresh();
}

/* What follows from the recipe and the frame in view */

/** Write everything anew. */
function show() {
  bench.order.show();
  bench.sound.follow();
  bench.masks.show();
  bench.traces.show();
  bench.finish.show();
  here();
  bench.crop.draw();
  if (!bench.playing()) bench.instruments.show();
  bench.doubts.follow();
  $("counting").hidden = bench.shown.times.plain && !bench.view.taken;
  for (const button of $("counting").children) button.setAttribute("aria-pressed", (button.dataset.counting === "taken") === bench.view.taken);
}

/** Write what follows from the frame alone. */
function here() {
  place();
  numbers();
}

/** Write what the values are on the frame in view. */
function numbers() {
  bench.ribbon.show();
  bench.values.show();
  bench.keyframes.show();
  bench.masks.show();
}

/** Show which frame is in view, and what is drawn on it. */
function place() {
  const { number } = bench.counted();
  // A number that is being typed stays as it is.
  if (document.activeElement !== $("frame")) $("frame").value = number;
  $("of-plate").textContent = bench.view.taken ? `shows ${bench.view.frame} of the plate` : "";
  bench.ribbon.move();
  bench.shape.draw();
  bench.brush.draw();
  bench.measure.draw();
  bench.doubts.draw();
  bench.findings.draw();
  layGround($("ground"), bench.view, number);
  bench.beside.lay();
}

function moved() {
  here();
  bench.doubts.follow();
  if (!bench.playing()) bench.instruments.show();
  bench.refresh();
  bench.remember();
}

function counted() {
  show();
  bench.refresh();
  bench.remember();
}

/** The picture lies elsewhere on its plate, or frames come out otherwise; whether anything did. */
function reshape(shown) {
  if (JSON.stringify(bench.shown) === JSON.stringify(shown)) return false;
  const size = String(bench.shown.size);
  bench.shown = shown;
  if (String(shown.size) !== size) bench.viewer.reshaped();
  else bench.viewer.place();
  bench.frames.retimed();
  return true;
}

function drawn(what, picture, quality, sequence) {
  // What is compared with may lie elsewhere; the result in force says where things are.
  if (what !== "earlier" && reshape(picture.shown)) show();
  // Asked for before another was chosen.
  if (what !== "result" && !bench.viewer.needed().includes(what)) return;
  bench.viewer.draw(what, picture.image);
  // For whoever measures: when each picture reached the screen, and what it shows.
  requestAnimationFrame(() => document.dispatchEvent(new CustomEvent("picture-drawn", { detail: { what, quality, sequence, frame: bench.counted().number, time: performance.now() } })));
}

/** Go to the keyframe before (-1) or after (1) this one: of one value, or of any. */
function toKeyframe(way, path) {
  const outlines = path ? [] : [bench.masks.keyed().sort((a, b) => a - b).map((frame) => ({ frame }))];
  const frame = neighbour([...(path ? [bench.store.get(path)] : tracks()), ...outlines], bench.frame(), way);
  if (frame !== undefined) bench.goTo(frame);
}

function leaveTools() {
  bench.measure.set(false);
  bench.crop.set(false);
  bench.shape.set(false);
  bench.brush.set(false);
  bench.follow.stop();
}

bench.acts = actsOf(bench);
listen(bench);

bench.nextGround = groundPicker(bench.view, () => {
  here();
  bench.remember();
});
// What was chosen by the address is chosen once.
history.replaceState(null, "", at);
bench.frames.settle(bench.counted().number);
noted(start);
bench.viewer.fit();
bench.views.show();
for (const number of bench.view.unfolded.splice(0)) bench.order.open(number);
bench.store.takeUp().catch(bench.trouble);
bench.refresh();
