/** Result, matte, plate or split, and the grey around; how the Bench is looked at. */

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
    document.addEventListener("keyup", (event) => event.key === "x" && this.peek(false));
    window.addEventListener("blur", () => bench.viewer.peek && this.peek(false));
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
