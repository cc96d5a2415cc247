/** The keyboard of the Bench. What it can do is listed under `?`. */

/**
 * @param {object} bench  gives `acts` by the buttons they stand behind, `views`, `order`, `values`, `keyframes`, `fields`, ...
 */
export function listen(bench) {
  const { acts, views, order, values, keyframes, frames } = bench;
  const keys = {
    r: () => views.choose("result"),
    a: () => views.choose("matte"),
    p: () => views.choose("plate"),
    s: () => views.choose("split"),
    x: () => views.peek(true),
    m: acts.measure,
    w: acts.grey,
    c: acts.crop,
    d: acts.masks,
    b: acts.brush,
    n: (event) => bench.traces.toDoubt(event.shiftKey ? -1 : 1),
    e: () => views.choose("trouble"),
    u: (event) => bench.findings.next(event.shiftKey ? -1 : 1),
    l: () => views.choose("outline"),
    g: () => views.choose("dimmed"),
    h: () => (bench.brush.on ? bench.brush.hide() : bench.shape.hide()),
    t: acts.count,
    f: acts.fit,
    "+": acts["zoom-in"],
    "=": acts["zoom-in"],
    "-": acts["zoom-out"],
    i: acts["set-in"],
    o: acts["set-out"],
    k: () => focused() && values.toggleKey(focused()),
    ",": () => bench.toKeyframe(-1, focused()),
    ".": () => bench.toKeyframe(1, focused()),
    " ": acts.play,
    Home: acts["to-first"],
    End: acts["to-last"],
    "?": acts.help,
    Escape: bench.leaveTools,
    Enter: bench.leaveTools,
  };
  const withControl = {
    z: (event) => acts[event.shiftKey ? "redo" : "undo"](),
    c: () => (focused() ? keyframes.copy(focused()) : false),
    v: () => (focused() ? keyframes.paste(focused()) : false),
  };

  /** The path of the value in focus, where it is one that may have keyframes. */
  function focused() {
    const path = document.activeElement?.dataset?.path;
    return path && bench.fields[path]?.keyed ? path : undefined;
  }

  function act(event) {
    if (event.ctrlKey || event.metaKey) return withControl[event.key.toLowerCase()]?.(event);
    if (event.altKey) return false;
    const step = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
    if (step) return frames.go(frames.counted().number + step * (event.shiftKey ? 10 : 1));
    if (/^[1-9]$/.test(event.key)) return order.open(Number(event.key));
    const key = event.key.length === 1 ? event.key.toLowerCase() : event.key;
    return keys[key] ? keys[key](event) : false;
  }

  /** Whether a key is meant for what is in focus: text is typed, a list is walked through, a button is pressed. */
  function meantFor({ target, key, ctrlKey, metaKey }) {
    const field = target.closest("input, select, textarea, button, a, dialog[open]");
    if (!field || field.matches("dialog")) return Boolean(field);
    if (field.matches("textarea, input:not([type=checkbox], [type=color], [type=range], [type=file])")) return true;
    // Letters are the Bench's, also where a list was chosen from before.
    if (field.matches("select, input")) return !(ctrlKey || metaKey) && (key.length > 1 || key === " ");
    // Whoever came to a button by the keyboard presses it; whoever clicked it is done with it.
    return [" ", "Enter"].includes(key) && !pointed;
  }

  // Whether what is in focus came there by the pointer.
  let [pointing, pointed] = [false, false];
  document.addEventListener("pointerdown", () => (pointing = pointed = true), true);
  for (const over of ["pointerup", "pointercancel"]) document.addEventListener(over, () => (pointing = false), true);
  document.addEventListener("focusin", () => (pointed = pointing), true);

  document.addEventListener("keydown", (event) => {
    if (meantFor(event)) return;
    if (!focused() && (bench.measure.key(event) || bench.shape.key(event) || bench.brush.key(event))) {
      event.preventDefault();
      return;
    }
    const known = event.ctrlKey || event.metaKey ? event.key.toLowerCase() in withControl : true;
    if (known && act(event) !== false) event.preventDefault();
  });
}
