/** Which part of a fitting is delivered: all layers, or one. */

const choice = document.getElementById("of-layer");

export class Part {
  /** @param {object} page  gives `store`, `deliver` */
  constructor(page) {
    this.page = page;
    choice.addEventListener("change", () => page.deliver.quote());
  }

  /** The mark of the one layer; empty for all. */
  get layer() {
    return choice.value;
  }

  show() {
    const { order, each } = this.page.store.recipe.layers;
    const names = [["", "All layers"], ...[...order].reverse().map((mark) => [mark, `“${each[mark].name}” alone`])];
    const stands = JSON.stringify(names);
    if (this.stands === stands) return;
    this.stands = stands;
    const { value } = choice;
    choice.replaceChildren(...names.map(([mark, words]) => new Option(words, mark)));
    choice.value = order.includes(value) ? value : "";
  }
}
