/** The keyboard of the Bench, in one table: what is bound is what `?` shows. */

/**
 * Everything a hand can do without a button, in the order it is shown.
 *
 * @returns {object[]}  keys: as `KeyboardEvent.key` has them, letters small; control: with Ctrl or Cmd held; act(event),
 *                      which gives false where the key is left to others; shown: how they are written, where not as
 *                      they are; does: in words, none where another line tells of it as well. Without keys it is
 *                      something done with the pointer.
 */
export function tableOf(bench, focused) {
  const { acts, views, order, values, keyframes, frames } = bench;
  const view = (name) => () => views.choose(name);
  const step = (way) => (event) => frames.go(frames.counted().number + way * (event.shiftKey ? 10 : 1));
  return [
    { keys: [..."123456789"], shown: "1 … 9", does: "open a line of the work order", act: ({ key }) => order.open(Number(key)) },
    { keys: ["r"], does: "result", act: view("result") },
    { keys: ["a"], does: "matte", act: view("matte") },
    { keys: ["p"], does: "plate", act: view("plate") },
    { keys: ["s"], does: "split", act: view("split") },
    { keys: ["x"], shown: "hold X", does: "see the plate", act: () => views.peek(true) },
    { keys: ["v"], shown: "hold V", does: "see the revision that is compared with; choose it among the earlier revisions", act: () => views.earlier(true) },
    { keys: ["l"], does: "the outline of the matte", act: view("outline") },
    { keys: ["g"], does: "what is dropped, dimmed", act: view("dimmed") },
    { keys: ["j"], shown: "J, Shift J", does: "the next ground, and the one before", act: (event) => bench.nextGround(event.shiftKey ? -1 : 1) },
    { keys: ["e"], does: "what is wrong, where", act: view("trouble") },
    { keys: ["u"], shown: "U, Shift U", does: "to the next trouble, and the one before", act: (event) => bench.findings.next(event.shiftKey ? -1 : 1) },
    { keys: ["q"], does: "another place of the picture beside this one, as large; drag in it", act: () => bench.beside.toggle() },
    { keys: ["m"], shown: "M, Shift M", does: "mark ground on the picture, and the subject: click, drag an area, or scribble with Shift", act: (event) => acts.mark(event.shiftKey ? "subject" : "ground") },
    { keys: ["y"], does: "mark glass or gauze, to see through", act: () => acts.mark("veil") },
    { keys: ["w"], does: "pick a grey on the subject for its white balance", act: acts.grey },
    { keys: ["c"], does: "cut away borders: drag the sides; Enter when done", act: acts.crop },
    { keys: ["d"], does: "draw and reshape masks", act: acts.masks },
    { keys: ["h"], does: "hide outlines, or strokes", act: () => (bench.brush.on ? bench.brush.hide() : bench.shape.hide()) },
    { shown: "on a mask", does: "drag points, handles or the outline; Shift picks several, dragging beside it picks by a rectangle, with Alt by a line around; double-click adds a point, or makes one smooth or sharp; Alt sets handles apart; Ctrl moves the shape on all frames; arrow keys nudge; Ctrl A all points; Ctrl C, Ctrl V copy the shape to another frame; Delete" },
    { keys: ["b"], does: "brush over what to keep; with Alt over what to drop; [ ] or Ctrl and dragging size the brush", act: acts.brush },
    { keys: ["n"], shown: "N, Shift N", does: "to the next frame in doubt of a trace, and the one before", act: (event) => bench.traces.toDoubt(event.shiftKey ? -1 : 1) },
    { keys: ["ArrowLeft"], shown: "←", does: "one frame back; with Shift ten", act: step(-1) },
    { keys: ["ArrowRight"], shown: "→", does: "one frame on; with Shift ten", act: step(1) },
    { keys: ["Home"], does: "to the in frame", act: acts["to-first"] },
    { keys: ["End"], does: "to the out frame", act: acts["to-last"] },
    { keys: ["i"], does: "set in here", act: acts["set-in"] },
    { keys: ["o"], does: "set out here", act: acts["set-out"] },
    { keys: [","], does: "to the keyframe before: of the value in focus, or of any", act: () => bench.toKeyframe(-1, focused()) },
    { keys: ["."], does: "to the next keyframe", act: () => bench.toKeyframe(1, focused()) },
    { keys: ["k"], does: "set or remove a keyframe of the value in focus", act: () => focused() && values.toggleKey(focused()) },
    { keys: ["t"], does: "count frames of the plate, or as delivered", act: acts.count },
    { keys: [" "], shown: "space, Shift space", does: "play forwards, backwards, and stop", act: (event) => bench.player.toggle(event.shiftKey ? -1 : 1) },
    { keys: ["+", "="], shown: "+", does: "larger", act: acts["zoom-in"] },
    { keys: ["-"], shown: "−", does: "smaller", act: acts["zoom-out"] },
    { keys: ["f"], does: "fit the picture", act: acts.fit },
    { shown: "wheel, drag", does: "zoom, pan" },
    { keys: ["z"], control: true, shown: "Ctrl Z, Ctrl Shift Z", does: "undo, redo", act: (event) => acts[event.shiftKey ? "redo" : "undo"]() },
    { keys: ["c"], control: true, does: "copy the keyframes of the value in focus", act: () => (focused() ? keyframes.copy(focused()) : false) },
    { keys: ["v"], control: true, does: "paste them", act: () => (focused() ? keyframes.paste(focused()) : false) },
    { shown: "on a value", does: "drag, type, arrow keys; Shift finer; double-click for the default" },
    { keys: ["Escape"], does: "put the tool away; while dragging: take back what was dragged", act: bench.leaveTools },
    { keys: ["Enter"], does: "", act: bench.leaveTools },
    { keys: ["?"], does: "this page", act: acts.help },
  ];
}

const shownOf = ({ keys, shown, control }) => shown ?? `${control ? "Ctrl " : ""}${keys[0].length === 1 ? keys[0].toUpperCase() : keys[0]}`;

/** Write the table where it is shown. */
function write(table) {
  const list = document.querySelector("#keys dl");
  for (const line of table.filter(({ does }) => does)) {
    const term = Object.assign(document.createElement("dt"), { className: "font-semibold", textContent: shownOf(line) });
    list.append(term, Object.assign(document.createElement("dd"), { textContent: line.does }));
  }
}

/** @param {object} bench  gives `acts` by the buttons they stand behind, `views`, `order`, `values`, `keyframes`, `fields`, ... */
export function listen(bench) {
  const table = tableOf(bench, focused);
  write(table);
  const bound = new Map(table.flatMap((line) => (line.keys ?? []).map((key) => [`${line.control ? "Ctrl " : ""}${key}`, line.act])));

  /** The path of the value in focus, where it is one that may have keyframes. */
  function focused() {
    const path = document.activeElement?.dataset?.path;
    return path && bench.fields[path]?.keyed ? path : undefined;
  }

  function act(event) {
    const control = event.ctrlKey || event.metaKey;
    if (event.altKey && !control) return false;
    const key = event.key.length === 1 ? event.key.toLowerCase() : event.key;
    const found = bound.get(`${control ? "Ctrl " : ""}${key}`);
    return found ? found(event) : false;
  }

  /** Whether a key is meant for what is in focus: text is typed, a list is walked through, a button is pressed. */
  function meantFor({ target, key, ctrlKey, metaKey }) {
    if (target.closest("dialog[open]")) return true;
    const field = target.closest("input, select, textarea, button, a");
    if (!field) return false;
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
    if (act(event) !== false) event.preventDefault();
  });
}
