/** The work order: its lines, sentences, switches and choices. */

const KINDS = {
  screen: "colour screen",
  colour: "other solid colour",
  dark: "dark ground",
  light: "light ground",
  none: "nothing",
};

/** What was marked on the picture, in words. */
const MARKED = { ground: "ground", subject: "subject", veil: "glass or gauze" };

export class Order {
  /** @param {object} bench  gives `store`, `defaults`, `view`, `change(path, value, final, words)`, `changeScreen(screen)`, ... */
  constructor(bench) {
    this.bench = bench;
    const { store } = bench;
    for (const button of document.querySelectorAll("[data-pause]")) {
      button.addEventListener("click", () => {
        const stage = button.dataset.pause;
        const paused = !store.recipe[stage].paused;
        bench.change(`${stage}.paused`, paused, true, `${paused ? "Paused" : "Resumed"}: ${button.closest(".line").ariaLabel}`);
      });
    }
    for (const button of document.querySelectorAll("[data-open]")) button.addEventListener("click", () => this.open(Number(button.dataset.open)));
    for (const button of document.querySelectorAll("[data-switch]")) {
      button.addEventListener("click", () => {
        const on = !store.get(button.dataset.switch);
        bench.change(button.dataset.switch, on, true, `${button.ariaLabel}: ${on ? "on" : "off"}`);
      });
    }
    for (const select of document.querySelectorAll("[data-choose]")) {
      select.addEventListener("change", () => {
        const value = JSON.parse(select.value);
        bench.change(select.dataset.choose, value, true, `${select.ariaLabel}: ${select.selectedOptions[0].text}`);
      });
    }
    this.#screen();
  }

  /** Unfold one line (or fold it again). */
  open(number) {
    const button = document.querySelector(`[data-open="${number}"]`);
    if (!button) return;
    const line = button.closest(".line");
    const unfolded = line.querySelector(".unfolded");
    unfolded.hidden = !unfolded.hidden;
    button.setAttribute("aria-expanded", !unfolded.hidden);
    const others = this.bench.view.unfolded.filter((n) => n !== number);
    this.bench.view.unfolded = unfolded.hidden ? others : [...others, number];
    this.bench.remember();
    this.bench.show();
    if (!unfolded.hidden) line.scrollIntoView({ block: "nearest" });
  }

  /** Write the recipe into the sentences. */
  show() {
    const { store, defaults, values } = this.bench;
    const { recipe } = store;
    const kind = recipe.screen.kind;
    document.getElementById("edge-way").hidden = values.number("edge.choke") >= 0;
    document.getElementById("opacity").hidden = kind !== "dark" && kind !== "light";
    for (const id of ["fill-holes", "see-through", "edge-smoothing", "tracking-marks"]) document.getElementById(id).hidden = kind === "dark" || kind === "light";
    document.getElementById("spill").hidden = kind !== "screen";
    for (const line of document.querySelectorAll(".line[data-stage]")) {
      const { stage } = line.dataset;
      if (stage === "deliver") continue;
      line.classList.toggle("paused", Boolean(recipe[stage].paused));
      const parts = stage === "screen" ? ["screen", "region", "qualifier"] : [stage];
      line.classList.toggle("set", parts.some((part) => JSON.stringify(recipe[part]) !== JSON.stringify(defaults[part])));
      line.querySelector("[data-pause]")?.setAttribute("aria-pressed", Boolean(recipe[stage].paused));
    }
    for (const button of document.querySelectorAll("[data-switch]")) {
      const on = store.get(button.dataset.switch);
      button.setAttribute("aria-checked", on);
      button.textContent = on ? "yes" : "no";
    }
    for (const select of document.querySelectorAll("[data-choose]")) select.value = JSON.stringify(store.get(select.dataset.choose));
    for (const part of document.querySelectorAll("[data-when]")) part.hidden = !store.get(part.dataset.when);
    this.#showTake(recipe.take);
    this.#showScreen(recipe.screen);
  }

  /** What a take changes of its footage, in words behind its range. */
  #showTake(take) {
    const { times, delivered } = this.bench.shown;
    const said = [];
    if (take.speed !== 100) said.push(`at ${Number(take.speed.toFixed(2))} % speed`);
    if (take.backwards) said.push("backwards");
    if (take.hold_first || take.hold_last) said.push(`held for ${take.hold_first + take.hold_last} frames`);
    if (["left", "top", "right", "bottom"].some((side) => take[`crop_${side}`])) said.push("cropped");
    if (take.flip_across || take.flip_down) said.push("mirrored");
    if (take.turns) said.push(`turned by ${take.turns * 90}°`);
    document.getElementById("take-more").textContent = said.length ? `, ${said.join(", ")}` : "";
    document.getElementById("take-result").textContent = `Gives ${times.frames} frames of ${delivered[0]}×${delivered[1]}.`;
  }

  #screen() {
    this.kind = document.getElementById("kind");
    for (const [value, words] of Object.entries(KINDS)) this.kind.add(new Option(words, value));
    this.kind.addEventListener("change", () => this.bench.changeScreen({ kind: this.kind.value }));
    this.empty = document.getElementById("empty");
    this.empty.addEventListener("change", () => this.bench.changeScreen({ empty: this.empty.value || null }));
  }

  #showScreen(screen) {
    this.kind.value = screen.kind;
    for (const option of this.kind.options) option.text = option.value === screen.kind && option.value === "screen" ? `the ${this.bench.screenName}` : KINDS[option.value];
    const ground = screen.samples.filter(({ of }) => of === "ground");
    const count = ground.length;
    document.getElementById("places").textContent = screen.kind === "none" ? "" : count ? `, measured at ${count} place${count > 1 ? "s" : ""}` : ", as found by looking";
    const swatch = document.querySelector("#screen-sentence .swatch");
    const colours = count ? ground.map((s) => s.colour) : screen.colour ? [screen.colour] : [];
    swatch.hidden = screen.kind === "none" || !colours.length;
    if (colours.length) swatch.style.backgroundColor = css([0, 1, 2].map((c) => colours.reduce((sum, k) => sum + k[c], 0) / colours.length));
    this.empty.value = screen.empty ?? "";
    const list = document.getElementById("samples");
    const held = [...list.querySelectorAll("button")].indexOf(document.activeElement);
    list.textContent = "";
    screen.samples.forEach((sample, index) => {
      const where = sample.frame === null ? "as in another shot" : `frame ${sample.frame}, at ${Math.round(sample.x)}, ${Math.round(sample.y)}`;
      const row = item(` ${MARKED[sample.of]}, ${where}: ${sample.colour.map((c) => Math.round(c * 255)).join(" ")} `);
      const patch = document.createElement("span");
      patch.className = "swatch";
      patch.style.backgroundColor = css(sample.colour);
      const remove = document.createElement("button");
      remove.className = "plain";
      remove.textContent = "remove";
      remove.setAttribute("aria-label", `Remove sample ${index + 1}`);
      remove.onclick = () => this.bench.changeScreen({ samples: screen.samples.filter((_, k) => k !== index) });
      row.prepend(patch);
      row.append(remove);
      list.append(row);
    });
    // Whoever removed one by the keyboard goes on from its neighbour.
    if (held >= 0) (list.querySelectorAll("button")[Math.min(held, screen.samples.length - 1)] ?? document.getElementById("kind")).focus();
  }
}

function item(words) {
  const row = document.createElement("li");
  row.append(words);
  return row;
}

function css(rgb) {
  return `rgb(${rgb.map((c) => Math.round(c * 255)).join(" ")})`;
}
