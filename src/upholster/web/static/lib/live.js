/** Lists that are drawn anew: only what changed is swapped, what had the focus keeps it, and they stay current. */

/** Milliseconds from one look to the next while something moves, and while nothing does. */
const MOVING = 700;
const STILL = 5000;

// What a person has unfolded, types, or was told of in its place stays as it is.
const has = (node, mark) => node.dataset && mark in node.dataset;
Idiomorph.defaults.ignoreActiveValue = true;
Object.assign(Idiomorph.defaults.callbacks, {
  beforeAttributeUpdated: (name, node) => !(name === "open" && node.localName === "details"),
  beforeNodeMorphed: (node) => !has(node, "renaming"),
  beforeNodeRemoved: (node) => !has(node, "refused"),
});

/** Keep a list current for as long as its page is open, whatever becomes of a single look. */
export function keepCurrent(list) {
  const look = () => {
    if (!document.hidden) htmx.trigger(list, "refresh");
    setTimeout(look, list.querySelector("[data-moving]") ? MOVING : STILL);
  };
  setTimeout(look, MOVING);
}

const rows = () => [...document.querySelectorAll("#list > ul > li")];
let at = -1;

document.body.addEventListener("htmx:beforeSwap", () => {
  const row = document.activeElement.closest("#list > ul > li");
  at = row ? rows().indexOf(row) : -1;
});

/** Where what had the focus is gone, the row that took its place has it, or the page's heading. */
document.body.addEventListener("htmx:afterSettle", () => {
  if (at < 0 || document.activeElement !== document.body) return;
  const left = rows();
  const nearest = left[Math.min(at, left.length - 1)]?.querySelector("a, button, input, select");
  (nearest ?? document.querySelector("h1")).focus({ preventScroll: true });
  at = -1;
});

/** A list that is drawn anew keeps the length it has grown to. */
document.body.addEventListener("htmx:configRequest", (event) => {
  const list = document.querySelector("#list > ul");
  if (list && event.detail.target?.id === "list") event.detail.parameters.count = list.querySelectorAll(":scope > :not([data-more])").length;
});
