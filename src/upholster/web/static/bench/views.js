/** Result, matte, plate or split, and the grey around; how the Bench is looked at. */

import { say } from "../lib/common.js";

const $ = (id) => document.getElementById(id);

export class Views {
  /** @param {object} bench  gives `view`, `viewer`, `refresh()`, `remember()` */
  constructor(bench) {
    this.bench = bench;
    for (const button of document.querySelectorAll("[data-view]")) button.addEventListener("click", () => this.choose(button.dataset.view));
    $("surround").addEventListener("click", (event) => {
      const button = event.target.closest("[data-surround]");
      if (!button) return;
      bench.view.surround = button.dataset.surround;
      this.show();
      bench.remember();
    });
    document.addEventListener("keyup", (event) => {
      if (event.key.toLowerCase() === "x") this.peek(false);
      if (event.key.toLowerCase() === "v") this.earlier(false);
    });
    window.addEventListener("blur", () => {
      if (bench.viewer.peek) this.peek(false);
      this.earlier(false);
    });
    $("compared").addEventListener("click", () => this.compare(0));
  }

  /** Compare with an earlier revision: held by a key, and at the left of the split view. 0 ends it. */
  compare(revision) {
    this.bench.viewer.compared = revision;
    $("compared").hidden = !revision;
    $("compared-with").textContent = `Compared with revision ${revision}`;
    this.choose(revision ? "split" : this.bench.view.view);
  }

  /** Show the revision that is compared with, for as long as a key is held. */
  earlier(on) {
    const { viewer } = this.bench;
    if (on && !viewer.compared) {
      say("Choose a revision to compare with first, among the earlier ones.");
      return;
    }
    if (on === viewer.earlier) return;
    viewer.earlier = on;
    viewer.showView();
    this.bench.refresh();
  }

  choose(name) {
    this.bench.view.view = name;
    this.show();
    this.bench.refresh();
    this.bench.remember();
  }

  show() {
    const { view, viewer } = this.bench;
    for (const button of document.querySelectorAll("[data-view]")) button.setAttribute("aria-pressed", button.dataset.view === view.view);
    for (const button of $("surround").children) button.setAttribute("aria-pressed", button.dataset.surround === view.surround);
    $("trouble-panel").hidden = view.view !== "trouble";
    this.bench.findings?.draw();
    $("booth").classList.toggle("dark", view.surround === "dark");
    $("booth").classList.toggle("light", view.surround === "light");
    viewer.showView();
  }

  /** Show the plate for as long as a key is held. */
  peek(on) {
    if (on === this.bench.viewer.peek) return;
    this.bench.viewer.peek = on;
    this.bench.viewer.showView();
    this.bench.refresh();
  }
}
