/** Keyframes of the chosen mask's outline: gone to, moved, taken away, and how it goes on from each. */

import { later, pointsAt } from "./course.js";

const $ = (id) => document.getElementById(id);

/** @param {Masks} masks  gives `bench`, `chosen`, `outlines`, `course()`, `put(course, final, words)` */
export function maskKeys(masks) {
  for (const [value, words] of Object.entries({ hold: "holds", linear: "goes straight", smooth: "goes smoothly" })) $("mask-way").add(new Option(words, value));
  $("mask-way").addEventListener("change", (event) => {
    const course = masks.course();
    masks.put({ ...course, keys: course.keys.map((key) => (key.frame === masks.bench.frame() ? { ...key, next: event.target.value } : key)) }, true, `way from frame ${masks.bench.frame()} changed`);
  });
  const step = (way) => {
    const frames = masks.course().keys.map((key) => key.frame).filter((frame) => (frame - masks.bench.frame()) * way > 0);
    if (frames.length) masks.bench.goTo(way > 0 ? frames[0] : frames.at(-1));
  };
  $("mask-before").addEventListener("click", () => step(-1));
  $("mask-after").addEventListener("click", () => step(1));
  $("mask-unkey").addEventListener("click", () => masks.put(masks.outlines.without(masks.chosen, masks.bench.frame()), true, `keyframe removed from frame ${masks.bench.frame()}`));
  $("mask-clear").addEventListener("click", () => clear(masks));
  $("mask-move").addEventListener("change", (event) => {
    const by = Math.round(Number(event.target.value)) || 0;
    event.target.value = 0;
    if (by) masks.put(later(masks.course(), by), true, `keyframes moved by ${by} frames`);
  });
  $("mask-closed").addEventListener("click", () => {
    const course = masks.course();
    masks.put({ ...course, closed: !course.closed }, true, course.closed ? "opened" : "closed");
  });
}

/** Take away the keyframes from one frame to another, but for the last one that is left. */
function clear(masks) {
  const [from, to] = [$("mask-from"), $("mask-to")].map((field) => Number(field.value));
  const course = masks.course();
  const keys = course.keys.filter((key) => key.frame < Math.min(from, to) || key.frame > Math.max(from, to));
  const left = keys.length ? keys : [{ ...course.keys[0], points: pointsAt(course, masks.bench.frame()) }];
  if (left.length < course.keys.length) masks.put({ ...course, keys: left }, true, `keyframes removed from frame ${from} to ${to}`);
}
