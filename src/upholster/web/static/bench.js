/** The Bench: keeps the recipe, the frame and the view, and wires the parts together. */

import { read, say, send, unsay } from "./common.js";
import { Deliver } from "./deliver.js";
import { groundPicker, layGround } from "./grounds.js";
import { Order } from "./order.js";
import { Picture } from "./picture.js";
import { Ribbon } from "./ribbon.js";

const start = JSON.parse(document.getElementById("start").textContent);
const at = document.getElementById("bench").dataset.at;
const $ = (id) => document.getElementById(id);

const bench = {
  at,
  facts: start.facts,
  fields: start.fields,
  defaults: start.defaults,
  screenName: start.screenName,
  left: { frame: 0, view: "result", ground: "checker", colour: "#c026a8", footage: "", split: 0.5, surround: "mid", open: 0, ...start.bench },
  recipe: () => recipe,
  frame: () => bench.left.frame,
  measuring: () => measuring,
  change,
  changeScreen,
  instrument,
  remember,
  go,
  /** The newest revision, once all changes are kept. */
  async saved() {
    order.settle();
    await saving;
    return revision;
  },
  drawn(what, quality, sequence) {
    // For whoever measures: when each picture reached the screen, and what it shows.
    requestAnimationFrame(() => document.dispatchEvent(new CustomEvent("picture-drawn", { detail: { what, quality, sequence, frame: bench.frame(), time: performance.now() } })));
  },
  trouble: (error) => say(error.message),
};

let recipe = start.recipe;
let revision = start.revision;
let measuring = false;
let saving = Promise.resolve();

const picture = new Picture(bench);
const ribbon = new Ribbon(bench);
const order = new Order(bench);
new Deliver(bench, start.delivery);

/** Change one value of the recipe; a final change becomes a revision. */
function change(path, value, final, words) {
  const [stage, name] = path.split(".");
  recipe = { ...recipe, [stage]: { ...recipe[stage], [name]: value } };
  order.show();
  ribbon.show();
  if (stage !== "take") picture.refresh();
  if (final) save((more) => send(`${at}/recipe`, { recipe, change: words, ...more }), { words });
}

function changeScreen(screen) {
  save((more) => send(`${at}/screen`, { recipe, screen: { ...recipe.screen, ...screen }, ...more }), { adopt: true, words: "Screen changed" });
}

/**
 * Save in order, one at a time; the house's answer is what stands.
 *
 * @param {function} request  sends what it is given along: the revision seen, and whether to go on beside a newer one
 * @param {object} how        adopt the answer's recipe; words of the change, where both it and another can be kept
 */
function save(request, { adopt = false, words = "" } = {}) {
  saving = saving.then(async () => {
    try {
      const state = await request({ seen: revision });
      if (adopt) take(state);
      else note(state);
    } catch (error) {
      if (error.status === 409) await settle(error.message, request, words);
      else say(error.message);
      order.show();
    }
  });
  return saving;
}

/** Another window changed the shot since: whoever works here sees both changes and chooses. */
async function settle(sentence, request, words) {
  const dialog = $("stale");
  $("stale-theirs").textContent = sentence;
  $("stale-mine").textContent = words ? `Here you changed: ${words}.` : "";
  $("keep-mine").hidden = !words;
  dialog.returnValue = "theirs";
  dialog.showModal();
  await new Promise((done) => dialog.addEventListener("close", done, { once: true }));
  if (dialog.returnValue === "mine") take(await request({ seen: revision, branch: true }));
  else take(await read(`${at}/state`));
}

function note(state) {
  revision = state.revision;
  bench.screenName = state.screenName;
  $("revision").textContent = revision;
  $("found").replaceChildren(...state.found.map((sentence) => Object.assign(document.createElement("p"), { textContent: sentence })));
  for (const way of ["undo", "redo"]) {
    $(way).disabled = !state[way];
    $(way).title = state[way] ? `${way === "undo" ? "Undo" : "Redo"}: ${state[way]}` : `Nothing to ${way}`;
  }
}

function take(state) {
  recipe = state.recipe;
  note(state);
  order.show();
  ribbon.show();
  picture.refresh();
}

function walk(way) {
  order.settle();
  return save((more) => send(`${at}/${way}`, more), { adopt: true });
}

let leaving;
/** Keep how the Bench is left, soon. */
function remember() {
  clearTimeout(leaving);
  leaving = setTimeout(() => send(`${at}/left`, bench.left, { keepalive: true }).catch(() => {}), 400);
}

/* Frames */

function go(frame) {
  frame = Math.min(bench.facts.length - 1, Math.max(0, Math.round(frame)));
  if (frame === bench.left.frame) return;
  bench.left.frame = frame;
  here();
  if (!playing) order.showInstruments();
  picture.refresh();
  remember();
}

function here() {
  $("frame").value = bench.left.frame;
  ribbon.show();
  layGround($("ground"), bench.left, bench.left.frame);
}

const span = () => [recipe.take.first, Math.min(recipe.take.last ?? Infinity, bench.facts.length - 1)];

let playing = 0;
/** Play as fast as pictures come, never faster than the footage's own rate. */
async function play() {
  if (playing) {
    playing = 0;
    return;
  }
  const run = ++plays;
  playing = run;
  $("play").setAttribute("aria-pressed", "true");
  const [first, last] = span();
  const count = last - first + 1;
  const rate = asNumber(bench.facts.rate);
  let frame = bench.left.frame >= first && bench.left.frame < last ? bench.left.frame : first;
  const what = bench.left.view === "plate" ? "plate" : "result";
  const ahead = [];
  const fetchNext = () => {
    const number = first + ((frame++ - first) % count);
    ahead.push([number, picture.fetch(number, what, "quick", undefined, true)]);
  };
  for (let k = 0; k < 3; k++) fetchNext();
  const shown = [];
  let due = performance.now();
  try {
    while (playing === run) {
      const [number, coming] = ahead.shift();
      const image = await coming;
      fetchNext();
      const wait = due - performance.now();
      if (wait > 0) await new Promise((done) => setTimeout(done, wait));
      due = Math.max(due + 1000 / rate, performance.now());
      if (playing !== run) break;
      bench.left.frame = number;
      picture.draw(what, image);
      here();
      shown.push(performance.now());
      if (shown.length > 24) shown.shift();
      if (shown.length > 4) $("speed").textContent = `${((1000 * (shown.length - 1)) / (shown.at(-1) - shown[0])).toFixed(1)} of ${rate.toFixed(5).replace(/\.?0+$/, "")} frames a second`;
    }
  } catch (error) {
    say(error.message);
  }
  playing = 0;
  $("play").setAttribute("aria-pressed", "false");
  picture.refresh();
  remember();
}
let plays = 0;

function asNumber(text) {
  const [over, under] = String(text).split("/").map(Number);
  return over / (under || 1);
}

/* Views */

function view(name) {
  bench.left.view = name;
  showViews();
  picture.refresh();
  remember();
}

function showViews() {
  for (const button of $("views").children) button.setAttribute("aria-pressed", button.dataset.view === bench.left.view);
  for (const button of $("surround").children) button.setAttribute("aria-pressed", button.dataset.surround === bench.left.surround);
  $("booth").classList.toggle("dark", bench.left.surround === "dark");
  $("booth").classList.toggle("light", bench.left.surround === "light");
  picture.showView();
}

/* Measuring the screen, and reading values */

function measure(on) {
  if (on === measuring) return;
  measuring = on;
  $("measure").setAttribute("aria-pressed", on);
  $("booth").style.cursor = on ? "crosshair" : "";
  if (on) say("Click on the ground to take out, or drag an area of it.");
  else unsay();
}

$("booth").addEventListener("pointerdown", (event) => {
  const from = measuring && picture.at(event);
  if (!from) return;
  const box = $("box");
  const room = $("booth").getBoundingClientRect();
  let radius = 4;
  $("booth").setPointerCapture(event.pointerId);
  const move = (e) => {
    const dx = e.clientX - event.clientX;
    const dy = e.clientY - event.clientY;
    const side = Math.max(Math.abs(dx), Math.abs(dy));
    radius = Math.max(2, side / picture.scale);
    Object.assign(box.style, { left: `${event.clientX - room.left - side}px`, top: `${event.clientY - room.top - side}px`, width: `${2 * side}px`, height: `${2 * side}px` });
    box.hidden = false;
  };
  $("booth").addEventListener("pointermove", move);
  $("booth").addEventListener("pointerup", () => {
    $("booth").removeEventListener("pointermove", move);
    box.hidden = true;
    measure(false);
    const place = { frame: bench.left.frame, x: from.x, y: from.y, radius };
    save((more) => send(`${at}/screen`, { recipe, measure: place, ...more }), { adopt: true, words: "Screen measured" });
  }, { once: true });
});

let reading = false;
let pointer = null;
$("booth").addEventListener("pointermove", (event) => {
  pointer = picture.at(event);
  readOut();
});
$("booth").addEventListener("pointerleave", () => {
  pointer = null;
  $("readout").textContent = "";
});
async function readOut() {
  if (reading || playing || !pointer) return;
  reading = true;
  const [x, y] = [Math.floor(pointer.x), Math.floor(pointer.y)];
  try {
    const { plate, result } = await send(`${at}/readout`, { recipe, frame: bench.left.frame, x, y });
    const top = 2 ** Math.min(bench.facts.depth, 16) - 1;
    const both = (values) => `${values.map((v) => Math.round(v * top)).join(" ")} (${values.map((v) => v.toFixed(3)).join(" ")})`;
    if (pointer) $("readout").textContent = `${x}, ${y} · plate ${both(plate)} · result ${both(result)}`;
  } catch {
    /* the next move asks again */
  }
  reading = false;
  if (pointer && (Math.floor(pointer.x) !== x || Math.floor(pointer.y) !== y)) readOut();
}

const asking = {};
/** What an instrument shows of the frame in view, asked for once things rest. */
function instrument(name, draw) {
  clearTimeout(asking[name]);
  asking[name] = setTimeout(async () => {
    const [of, frame] = [recipe, bench.left.frame];
    try {
      const found = await send(`${at}/instruments/${name}`, { recipe: of, frame });
      if (of === recipe && frame === bench.left.frame) draw(found);
    } catch {
      /* drawn with the next change */
    }
  }, 120);
}

/* Buttons and keys */

const setIn = () => order.set("take.first", bench.left.frame, true);
const setOut = () => order.set("take.last", bench.left.frame, true);
const buttons = {
  undo: () => walk("undo"),
  redo: () => walk("redo"),
  history: async () => {
    const answer = await fetch(`${at}/history`);
    $("revisions").innerHTML = await answer.text();
    $("revisions").showModal();
  },
  copy: async () => {
    const { shot } = await send(`${at}/copy`);
    location.href = `/bench/${shot}`;
  },
  help: () => $("keys").showModal(),
  measure: () => measure(!measuring),
  "zoom-in": () => picture.zoom(1.5),
  "zoom-out": () => picture.zoom(1 / 1.5),
  fit: () => picture.fit(),
  "to-first": () => go(span()[0]),
  "to-last": () => go(span()[1]),
  back: () => go(bench.left.frame - 1),
  on: () => go(bench.left.frame + 1),
  play,
  "set-in": setIn,
  "set-out": setOut,
};
for (const [id, act] of Object.entries(buttons)) $(id).addEventListener("click", () => Promise.resolve(act()).catch((error) => say(error.message)));
$("views").addEventListener("click", (event) => event.target.dataset.view && view(event.target.dataset.view));
$("surround").addEventListener("click", (event) => {
  const button = event.target.closest("[data-surround]");
  if (!button) return;
  bench.left.surround = button.dataset.surround;
  showViews();
  remember();
});
$("frame").addEventListener("change", () => go(Number($("frame").value) || 0));
// The keys of the Bench work again as soon as a number is in.
$("frame").addEventListener("keydown", (event) => event.key === "Enter" && $("frame").blur());
$("revisions").addEventListener("click", (event) => {
  const row = event.target.closest("[data-revision]");
  if (row) save(() => send(`${at}/revisions/${row.dataset.revision}`), { adopt: true });
  if (row || event.target === $("revisions")) $("revisions").close();
});

const keys = {
  r: () => view("result"),
  a: () => view("matte"),
  p: () => view("plate"),
  s: () => view("split"),
  m: () => measure(!measuring),
  f: () => picture.fit(),
  "+": () => picture.zoom(1.5),
  "=": () => picture.zoom(1.5),
  "-": () => picture.zoom(1 / 1.5),
  i: setIn,
  o: setOut,
  " ": play,
  Home: () => go(span()[0]),
  End: () => go(span()[1]),
  "?": () => $("keys").showModal(),
  Escape: () => measure(false),
};

document.addEventListener("keydown", (event) => {
  if (event.target.closest("input, select, textarea, dialog[open]")) return;
  if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === "z") {
    event.preventDefault();
    walk(event.shiftKey ? "redo" : "undo");
    return;
  }
  if (event.ctrlKey || event.metaKey || event.altKey) return;
  const step = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
  if (step) go(bench.left.frame + step * (event.shiftKey ? 10 : 1));
  else if (/^[1-6]$/.test(event.key)) order.open(Number(event.key));
  else if (event.key === "x" && !picture.peek) peek(true);
  else if (keys[event.key] && !(event.key === " " && event.target.closest("button"))) keys[event.key]();
  else return;
  event.preventDefault();
});
document.addEventListener("keyup", (event) => event.key === "x" && peek(false));
window.addEventListener("blur", () => picture.peek && peek(false));

function peek(on) {
  picture.peek = on;
  picture.showView();
  picture.refresh();
}

groundPicker(bench.left, () => {
  here();
  remember();
});
bench.left.frame = Math.min(bench.left.frame, bench.facts.length - 1);
note(start);
here();
picture.fit();
showViews();
order.show();
if (bench.left.open) order.open(bench.left.open);
picture.refresh();
