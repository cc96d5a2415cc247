/** One way to drag anything: the pointer is held, and Escape or a lost pointer takes back what was dragged. */

/** Pixels the pointer moves before it is a drag and not a click. */
export const SLACK = 3;

/**
 * Follow the pointer from a pointerdown event until it is let go.
 *
 * @param {Element} element   what holds the pointer
 * @param {PointerEvent} from the pointerdown event
 * @param {object} acts       move(event, dx, dy), end(event, moved), cancel(): whichever are wanted
 */
export function drag(element, from, { move = () => {}, end = () => {}, cancel = () => {} }) {
  let moved = false;
  const follow = (event) => {
    if (event.pointerId !== from.pointerId) return;
    const [dx, dy] = [event.clientX - from.clientX, event.clientY - from.clientY];
    moved ||= Math.abs(dx) >= SLACK || Math.abs(dy) >= SLACK;
    if (moved) move(event, dx, dy);
  };
  const stop = () => {
    element.removeEventListener("pointermove", follow);
    element.removeEventListener("pointerup", up);
    element.removeEventListener("pointercancel", lost);
    document.removeEventListener("keydown", key, true);
    if (element.hasPointerCapture?.(from.pointerId)) element.releasePointerCapture(from.pointerId);
  };
  const up = (event) => {
    if (event.pointerId !== from.pointerId) return;
    stop();
    end(event, moved);
  };
  const lost = (event) => {
    if (event && event.pointerId !== from.pointerId) return;
    stop();
    cancel();
  };
  const key = (event) => {
    if (event.key !== "Escape") return;
    event.preventDefault();
    event.stopPropagation();
    lost();
  };
  element.setPointerCapture(from.pointerId);
  element.addEventListener("pointermove", follow);
  element.addEventListener("pointerup", up);
  element.addEventListener("pointercancel", lost);
  document.addEventListener("keydown", key, true);
}
