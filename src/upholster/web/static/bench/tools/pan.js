/** Moving about in the picture: drag to pan, wheel to zoom, and the line between the halves of a split view. */

import { drag } from "../../lib/drag.js";

export function pan(viewer, free) {
  const { booth } = viewer;
  booth.addEventListener("wheel", (event) => {
    event.preventDefault();
    const room = booth.getBoundingClientRect();
    viewer.zoom(Math.exp(-event.deltaY * 0.002), event.clientX - room.left, event.clientY - room.top);
  }, { passive: false });
  booth.addEventListener("pointerdown", (event) => {
    if (!(event.button === 1 || (free() && !event.button)) || event.target.closest("[data-handle], #divider")) return;
    const { x, y, fitted } = viewer;
    drag(booth, event, {
      move: (e, dx, dy) => viewer.move(x + dx, y + dy),
      cancel: () => (fitted ? viewer.fit() : viewer.move(x, y)),
    });
  });
}

/** @param {function} set  takes the share 0..1 of the picture at the left of the line */
export function split(viewer, get, set) {
  const { divider } = viewer;
  divider.addEventListener("pointerdown", (event) => {
    event.stopPropagation();
    const before = get();
    drag(divider, event, { move: (e) => set(viewer.share(e).x), cancel: () => set(before) });
  });
  divider.addEventListener("keydown", (event) => {
    const step = { ArrowLeft: -0.02, ArrowRight: 0.02 }[event.key];
    if (step) {
      event.stopPropagation();
      set(get() + step);
    }
  });
}
