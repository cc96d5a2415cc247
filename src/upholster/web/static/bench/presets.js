/** Deliveries that can be pressed: values that are ready for a need, and what was kept under a name. */

import { say, send } from "../lib/common.js";

const $ = (id) => document.getElementById(id);

export class Presets {
  /**
   * @param {object} deliver  gives `delivery`, `form`, `set(changed)`
   * @param {object} choices  formats by name, defaults, ready values, presets
   */
  constructor(deliver, choices) {
    Object.assign(this, { deliver, choices });
    $("preset").addEventListener("change", () => this.#press());
    $("save-preset").addEventListener("click", () => this.#save());
    $("remove-preset").addEventListener("click", () => this.#remove());
    $("rename-preset").addEventListener("click", () => this.#rename());
    $("share-preset").addEventListener("click", () => this.#share());
    $("read-preset").addEventListener("change", ({ target }) => this.#read(target));
    this.offer();
  }

  /** All that can be pressed: ready values, and what was kept. */
  get #kept() {
    return [...this.choices.ready, ...this.choices.presets];
  }

  /** Show what can be pressed, with one of it chosen; with none, the values are a person's own. */
  offer(chosen = "") {
    const group = (label, each) => {
      const options = Object.assign(document.createElement("optgroup"), { label });
      options.append(...each.map((p) => new Option(p.name, p.id)));
      return options;
    };
    $("preset").replaceChildren(new Option("Own values", ""), group("Ready values", this.choices.ready), ...(this.choices.presets.length ? [group("Presets", this.choices.presets)] : []));
    $("preset").value = chosen;
    this.#own();
  }

  #own() {
    $("own-preset").hidden = !this.choices.presets.some((p) => String(p.id) === $("preset").value);
  }

  #press() {
    const preset = this.#kept.find((p) => String(p.id) === $("preset").value);
    this.#own();
    if (!preset) return;
    this.deliver.set({ ...this.choices.defaults, ...preset.delivery });
    this.offer(String(preset.id));
  }

  async #rename() {
    const id = $("preset").value;
    const name = prompt("Its name", $("preset").selectedOptions[0].text);
    if (!name) return;
    try {
      const { name: kept } = await send(`/presets/${id}/name`, { name });
      this.choices.presets = this.choices.presets.map((p) => (String(p.id) === id ? { ...p, name: kept } : p));
      this.offer(id);
    } catch (error) {
      say(error.message);
    }
  }

  /** These choices as a file, to be read elsewhere. */
  #share() {
    const name = $("preset").value ? $("preset").selectedOptions[0].text : this.deliver.form.title;
    const link = document.createElement("a");
    link.href = URL.createObjectURL(new Blob([JSON.stringify({ name, delivery: this.deliver.delivery }, null, 2)], { type: "application/json" }));
    link.download = `${name}.json`;
    link.click();
    URL.revokeObjectURL(link.href);
  }

  async #read(input) {
    const [file] = input.files;
    input.value = "";
    if (!file) return;
    try {
      const { name, delivery } = JSON.parse(await file.text());
      await this.#keep(String(name ?? file.name.replace(/\.json$/, "")), delivery);
    } catch (error) {
      say(error instanceof SyntaxError ? `${file.name} is no JSON file.` : error.message);
    }
  }

  async #keep(name, delivery) {
    const { id, name: kept, delivery: taken } = await send("/presets", { name, delivery });
    this.choices.presets = [...this.choices.presets.filter((p) => p.id !== id), { id, name: kept, delivery: taken }];
    this.deliver.set({ ...this.choices.defaults, ...taken });
    this.offer(String(id));
    say(`Kept as ${kept}.`);
  }

  async #save() {
    const name = prompt("Keep these choices as", this.deliver.form.title);
    if (!name) return;
    try {
      await this.#keep(name, this.deliver.delivery);
    } catch (error) {
      say(error.message);
    }
  }

  async #remove() {
    const id = $("preset").value;
    if (!confirm(`Remove the preset “${$("preset").selectedOptions[0].text}”?`)) return;
    try {
      await send(`/presets/${id}/remove`);
      this.choices.presets = this.choices.presets.filter((p) => String(p.id) !== id);
      this.offer();
    } catch (error) {
      say(error.message);
    }
  }
}
