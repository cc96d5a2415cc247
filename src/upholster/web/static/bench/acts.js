/** What can be done on the Bench, by the button it stands behind where there is one. */

import { say, send } from "../lib/common.js";
import { asNumber } from "../lib/rates.js";
import { frameOf } from "../lib/timecode.js";
import { typed } from "../lib/typed.js";

const $ = (id) => document.getElementById(id);

function walk(bench, way) {
  bench.settle();
  return bench.store.ask(`/${way}`);
}

/** Let the take begin or end on the frame in view. */
function setEnd(bench, end) {
  const frame = bench.frame();
  bench.values.set(`take.${end}`, frame, true);
  if (bench.values.number(`take.${end}`) !== frame) say(end === "first" ? "In cannot come after Out. Set Out later first." : "Out cannot come before In. Set In earlier first.");
}

/** Put every act behind its button; all of them are given back by name. */
export function actsOf(bench) {
  const measure = (what) => bench.measure.set(!(bench.measure.on && bench.measure.what === what), what);
  const mark = (of) => measure(bench.measure.marks[of]);
  const acts = {
    undo: () => walk(bench, "undo"),
    redo: () => walk(bench, "redo"),
    async history() {
      const answer = await fetch(`${bench.at}/history`);
      $("revisions").innerHTML = await answer.text();
      $("revisions").showModal();
    },
    async copy() {
      const { shot } = await send(`${bench.at}/copy`);
      location.href = `/bench/${shot}`;
    },
    help: () => $("keys").showModal(),
    mark,
    grey: () => measure(bench.finish.grey),
    crop: () => bench.crop.set(!bench.crop.on),
    masks: () => bench.shape.set(!bench.shape.on),
    brush: () => bench.brush.begin(bench.brush.on ? bench.brush.kind : "keep"),
    count: () => !$("counting").hidden && bench.frames.countAs(!bench.view.taken),
    "beside-toggle": () => bench.beside.toggle(),
    "zoom-in": () => bench.viewer.zoom(1.5),
    "zoom-out": () => bench.viewer.zoom(1 / 1.5),
    fit: () => bench.viewer.fit(),
    "to-first": () => bench.go(bench.span()[0]),
    "to-last": () => bench.go(bench.span()[1]),
    back: () => bench.go(bench.counted().number - 1),
    on: () => bench.go(bench.counted().number + 1),
    play: () => bench.player.toggle(),
    "set-in": () => setEnd(bench, "first"),
    "set-out": () => setEnd(bench, "last"),
  };
  for (const button of document.querySelectorAll("[data-marks]")) button.addEventListener("click", () => mark(button.dataset.marks));
  for (const [id, act] of Object.entries(acts)) $(id)?.addEventListener("click", () => Promise.resolve(act()).catch(bench.trouble));
  $("counting").addEventListener("click", (event) => event.target.dataset.counting && bench.frames.countAs(event.target.dataset.counting === "taken"));
  $("frame").addEventListener("change", () => {
    const text = $("frame").value;
    const time = frameOf(text, asNumber(bench.facts.rate), bench.view.taken ? "" : bench.facts.timecode);
    const number = Number.isNaN(time) ? typed(text) : time;
    const { count } = bench.counted();
    if (Number.isNaN(number)) say(`“${text.slice(0, 40)}” is no frame number, and no timecode.`);
    else {
      if (number < 0 || number >= count) say(`Frames go from 0 to ${count - 1}.`);
      bench.go(number);
    }
    $("frame").value = bench.counted().number;
  });
  // The keys of the Bench work again as soon as a number is in.
  $("frame").addEventListener("keydown", (event) => event.key === "Enter" && $("frame").blur());
  $("revisions").addEventListener("click", (event) => {
    const compared = event.target.closest("[data-compare]");
    if (compared) bench.views.compare(Number(compared.dataset.compare));
    const row = event.target.closest("[data-revision]");
    if (row) bench.store.ask(`/revisions/${row.dataset.revision}`);
    if (row || compared || event.target === $("revisions")) $("revisions").close();
  });
  return acts;
}
