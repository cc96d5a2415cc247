/** Putting the rows of a list in another order: by dragging a grip, or by its arrow keys. */

import { drag } from "./drag.js";

/**
 * @param {HTMLElement} grip  of a row of the list
 * @param {(step: number) => void} step  moves the row by so many places, up (-1) or down (1)
 * @param {(place: number) => void} put  moves the row to a place, counted from the top
 */
export function reorderedBy(grip, step, put) {
  grip.addEventListener("keydown", (event) => {
    const way = { ArrowUp: -1, ArrowDown: 1 }[event.key];
    if (!way) return;
    event.preventDefault();
    event.stopPropagation();
    step(way);
  });
  grip.addEventListener("pointerdown", (event) => {
    if (event.button) return;
    event.preventDefault();
    const row = grip.closest("li");
    const others = [...row.parentElement.children].filter((other) => other !== row);
    const place = (y) => others.filter((other) => y > other.getBoundingClientRect().top + other.offsetHeight / 2).length;
    const shift = (dy) => (row.style.transform = dy ? `translateY(${dy}px)` : "");
    drag(grip, event, {
      move: (e, dx, dy) => shift(dy),
      end: (e, moved) => {
        shift(0);
        if (moved) put(place(e.clientY));
      },
      cancel: () => shift(0),
    });
  });
}
