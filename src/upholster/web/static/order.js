/** The work order: sentences with values that are changed in place. */

const KINDS = {
  screen: "colour screen",
  colour: "other solid colour",
  dark: "dark ground",
  light: "light ground",
  none: "nothing",
};

/** Numbers shown as percents. */
const SHARES = new Set(["edge_colour.unmix", "edge_colour.spill", "edge_colour.desaturate", "matte.opacity", "matte.steady", "matte.see_through", "edge.recover", "matte.along"]);

/** The instruments, by the line they unfold with. */
const INSTRUMENTS = { matte: "histogram", edge: "profile", edge_colour: "chroma" };

/** How a number of the recipe is shown: percents where it is a share, pixels for edges. */
function shown(path, number, unit) {
  if (SHARES.has(path)) return `${Math.round(number * 100)} %`;
  if (path.startsWith("take.")) return `${number}`;
  if (path === "edge.shift") return `${Math.abs(number).toFixed(1)} px`;
  if (unit === "°") return `${Math.round(number)}°`;
  return unit ? `${number.toFixed(1)} ${unit}` : number.toFixed(3).replace(/0$/, "");
}

export class Order {
  /** @param {object} bench  gives `recipe()`, `fields`, `change(path, value, final, words)`, ... */
  constructor(bench) {
    this.bench = bench;
    this.values = [...document.querySelectorAll(".value")];
    for (const value of this.values) this.#editable(value);
    for (const button of document.querySelectorAll("[data-pause]")) {
      button.addEventListener("click", () => {
        const stage = button.dataset.pause;
        const paused = !bench.recipe()[stage].paused;
        bench.change(`${stage}.paused`, paused, true, `${paused ? "Paused" : "Resumed"}: ${button.closest(".line").ariaLabel}`);
      });
    }
    for (const button of document.querySelectorAll("[data-open]")) button.addEventListener("click", () => this.open(Number(button.dataset.open)));
    for (const button of document.querySelectorAll("[data-switch]")) {
      button.addEventListener("click", () => {
        const [stage, name] = button.dataset.switch.split(".");
        const on = !bench.recipe()[stage][name];
        bench.change(button.dataset.switch, on, true, `${button.ariaLabel}: ${on ? "on" : "off"}`);
      });
    }
    this.#screen();
    this.#handles();
  }

  /** Unfold one line (or fold it again). */
  open(number) {
    const button = document.querySelector(`[data-open="${number}"]`);
    if (!button) return;
    const line = button.closest(".line");
    const unfolded = line.querySelector(".unfolded");
    if (!unfolded?.hasChildNodes()) {
      line.querySelector("select, input, .value, button.main")?.focus();
      return;
    }
    unfolded.hidden = !unfolded.hidden;
    button.setAttribute("aria-expanded", !unfolded.hidden);
    this.bench.left.open = unfolded.hidden ? 0 : number;
    this.bench.remember();
    this.show();
  }

  /** Write the recipe into the sentences. */
  show() {
    const recipe = this.bench.recipe();
    for (const element of this.values) {
      const { path } = element.dataset;
      const number = this.#number(path);
      const field = this.#field(path);
      if (document.activeElement !== element || element.tagName !== "INPUT") element.textContent = Array.isArray(number) ? "keyframes" : shown(path, number, field.unit);
      for (const [name, value] of [["aria-valuenow", number], ["aria-valuemin", field.low], ["aria-valuemax", field.high], ["aria-valuetext", element.textContent]]) element.setAttribute(name, value);
    }
    const kind = recipe.screen.kind;
    document.getElementById("edge-way").textContent = recipe.edge.shift < 0 ? "in" : "out";
    document.getElementById("opacity").hidden = kind !== "dark" && kind !== "light";
    for (const id of ["close", "see-through", "along"]) document.getElementById(id).hidden = kind === "dark" || kind === "light";
    document.getElementById("spill").hidden = kind !== "screen";
    for (const line of document.querySelectorAll(".line[data-stage]")) {
      const { stage } = line.dataset;
      if (stage === "deliver") continue;
      line.classList.toggle("paused", Boolean(recipe[stage].paused));
      const parts = stage === "screen" ? ["screen", "region", "narrow"] : [stage];
      line.classList.toggle("set", parts.some((part) => JSON.stringify(recipe[part]) !== JSON.stringify(this.bench.defaults[part])));
      const pause = line.querySelector("[data-pause]");
      pause?.setAttribute("aria-pressed", Boolean(recipe[stage].paused));
    }
    for (const button of document.querySelectorAll("[data-switch]")) {
      const [stage, name] = button.dataset.switch.split(".");
      button.setAttribute("aria-checked", recipe[stage][name]);
      button.textContent = recipe[stage][name] ? "yes" : "no";
    }
    for (const part of document.querySelectorAll("[data-when]")) {
      const [stage, name] = part.dataset.when.split(".");
      part.hidden = !recipe[stage][name];
    }
    this.#showScreen(recipe.screen);
    this.showInstruments();
  }

  /** Draw the instruments of the lines that are unfolded. */
  showInstruments() {
    for (const [stage, name] of Object.entries(INSTRUMENTS)) {
      if (document.querySelector(`[data-stage="${stage}"] .unfolded`).hidden) continue;
      if (name === "histogram") this.#showHandles();
      this.bench.instrument(name, (found) => DRAW[name](document.getElementById(name), found));
    }
  }

  #number(path) {
    const [stage, name] = path.split(".");
    const value = this.bench.recipe()[stage][name];
    return path === "take.last" && value === null ? this.bench.facts.length - 1 : value;
  }

  #field(path) {
    const most = this.bench.facts.length - 1;
    return path.startsWith("take.") ? { low: 0, high: most, step: 1, unit: "", default: path === "take.first" ? 0 : most } : this.bench.fields[path];
  }

  set(path, number, final) {
    const { low, high, step } = this.#field(path);
    const fine = step / 10;
    let value = Math.min(high, Math.max(low, Math.round(number / fine) * fine));
    if (path.startsWith("take.")) {
      value = Math.round(value);
      const take = this.bench.recipe().take;
      if (path === "take.first") value = Math.min(value, take.last ?? high);
      else value = Math.max(value, take.first);
    }
    if (path === "matte.clear") value = Math.min(value, this.#number("matte.solid") - 0.01);
    if (path === "matte.solid") value = Math.max(value, this.#number("matte.clear") + 0.01);
    const label = document.querySelector(`.value[data-path="${path}"]`)?.ariaLabel || path;
    this.bench.change(path, Number(value.toFixed(5)), final, `${label}: ${shown(path, value, this.#field(path).unit)}`);
  }

  /** Steps in quick succession become one revision. */
  #settleSoon(path) {
    if (this.stepping && this.stepping !== path) this.settle();
    this.stepping = path;
    clearTimeout(this.settling);
    this.settling = setTimeout(() => this.settle(), 600);
  }

  /** Make what was stepped a revision now. */
  settle() {
    clearTimeout(this.settling);
    const path = this.stepping;
    this.stepping = null;
    if (path) this.set(path, this.#number(path), true);
  }

  #editable(element) {
    const { path } = element.dataset;
    element.addEventListener("pointerdown", (event) => {
      if (event.button) return;
      element.setPointerCapture(event.pointerId);
      const from = { x: event.clientX, number: this.#number(path), moved: false };
      const move = (e) => {
        const dx = e.clientX - from.x;
        if (Math.abs(dx) < 3 && !from.moved) return;
        from.moved = true;
        this.set(path, from.number + dx * this.#field(path).step * (e.shiftKey ? 0.1 : 1), false);
      };
      element.addEventListener("pointermove", move);
      element.addEventListener("pointerup", () => {
        element.removeEventListener("pointermove", move);
        if (from.moved) this.set(path, this.#number(path), true);
      }, { once: true });
    });
    element.addEventListener("dblclick", () => {
      const stage = path.split(".")[0];
      const standard = this.#field(path).default ?? this.bench.defaults[stage][path.split(".")[1]];
      this.set(path, standard, true);
    });
    element.addEventListener("keydown", (event) => {
      const step = { ArrowUp: 1, ArrowRight: 1, ArrowDown: -1, ArrowLeft: -1, PageUp: 10, PageDown: -10 }[event.key];
      if (step) {
        event.preventDefault();
        event.stopPropagation();
        const fine = event.shiftKey && !path.startsWith("take.") ? 0.1 : 1;
        this.set(path, this.#number(path) + step * fine * this.#field(path).step, false);
        this.#settleSoon(path);
      } else if (event.key === "Enter" || /^[-\d.,]$/.test(event.key)) {
        event.preventDefault();
        event.stopPropagation();
        this.#type(element, event.key === "Enter" ? "" : event.key);
      }
    });
  }

  /** Let a value be typed in place of its words. */
  #type(element, start) {
    const { path } = element.dataset;
    const input = document.createElement("input");
    input.className = "value";
    input.setAttribute("aria-label", element.ariaLabel);
    const percent = element.textContent.endsWith("%");
    input.value = start || String(percent ? Math.round(this.#number(path) * 100) : this.#number(path));
    element.hidden = true;
    element.after(input);
    input.focus();
    if (!start) input.select();
    let over = false;
    const end = (take) => {
      if (over) return;
      over = true;
      const number = Number(input.value.replace(",", ".").replace(/[^-\d.]/g, ""));
      input.remove();
      element.hidden = false;
      element.focus();
      if (take && Number.isFinite(number)) this.set(path, percent ? number / 100 : number, true);
    };
    input.addEventListener("keydown", (event) => {
      event.stopPropagation();
      if (event.key === "Enter") end(true);
      if (event.key === "Escape") end(false);
    });
    input.addEventListener("blur", () => end(true));
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
    const count = screen.samples.length;
    document.getElementById("places").textContent = screen.kind === "none" ? "" : count ? `, measured at ${count} place${count > 1 ? "s" : ""}` : ", as found by looking";
    const swatch = document.querySelector("#screen-sentence .swatch");
    const colours = count ? screen.samples.map((s) => s.colour) : screen.colour ? [screen.colour] : [];
    swatch.hidden = screen.kind === "none" || !colours.length;
    if (colours.length) swatch.style.backgroundColor = css([0, 1, 2].map((c) => colours.reduce((sum, k) => sum + k[c], 0) / colours.length));
    this.empty.value = screen.empty ?? "";
    const list = document.getElementById("samples");
    list.textContent = "";
    if (!count) list.append(item("Press M and click on the screen, or drag an area, to measure it yourself."));
    screen.samples.forEach((sample, index) => {
      const row = item(` frame ${sample.frame}, at ${Math.round(sample.x)}, ${Math.round(sample.y)}: ${sample.colour.map((c) => Math.round(c * 255)).join(" ")} `);
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
  }

  /** On the matte's histogram, a handle for clear and one for solid. */
  #handles() {
    const svg = document.getElementById("histogram");
    svg.addEventListener("pointerdown", (event) => {
      const number = (e) => {
        const box = svg.getBoundingClientRect();
        return (e.clientX - box.left) / box.width;
      };
      const at = number(event);
      const path = Math.abs(at - this.#number("matte.clear")) <= Math.abs(at - this.#number("matte.solid")) ? "matte.clear" : "matte.solid";
      svg.setPointerCapture(event.pointerId);
      const move = (e) => this.set(path, number(e), false);
      move(event);
      svg.addEventListener("pointermove", move);
      svg.addEventListener("pointerup", () => {
        svg.removeEventListener("pointermove", move);
        this.set(path, this.#number(path), true);
      }, { once: true });
    });
  }

  #showHandles() {
    const [clear, solid] = [this.#number("matte.clear"), this.#number("matte.solid")];
    document.querySelector("#histogram g").innerHTML = [[clear, "clear"], [solid, "solid"]]
      .map(([v, name]) => `<g transform="translate(${v * 300})"><line y1="0" y2="72" class="stroke-ink"/><path d="M-5 84 L5 84 L0 72 Z" class="${name === "clear" ? "fill-sheet" : "fill-ink"} stroke-ink"/></g>`)
      .join("") + `<path d="M${clear * 300} 72 L${solid * 300} 0" class="stroke-brass" fill="none"/>`;
  }
}

/** How each instrument is drawn into its SVG. */
const DRAW = {
  histogram(svg, counts) {
    const top = Math.log1p(Math.max(...counts));
    const bars = counts.map((n, k) => `M${(k * 300) / 64} 72v${(-70 * Math.log1p(n)) / top}h4.2V72z`).join("");
    svg.querySelector("path").setAttribute("d", bars);
  },
  profile(svg, { distances, pulled, matte }) {
    if (!distances.length) {
      svg.innerHTML = '<text x="150" y="44" text-anchor="middle" class="fill-faded text-sm">There is no edge in this picture.</text>';
      return;
    }
    const points = (values) => values.flatMap((v, k) => (v === null ? [] : [`${(k * 300) / (values.length - 1)} ${78 - 72 * v}`]));
    const line = (values) => `M${points(values).join("L")}`;
    svg.innerHTML = `<path d="M150 0V84M0 78H300M0 6H300" class="stroke-sheet"/><path d="${line(pulled)}" class="stroke-faded" stroke-dasharray="4 3" fill="none"/><path d="${line(matte)}" class="stroke-brass" stroke-width="2" fill="none"/>`;
  },
  chroma(svg, { plate, screen }) {
    const most = Math.log1p(Math.max(1, ...plate.map(([, , n]) => n)));
    const dots = plate.map(([u, v, n]) => `<rect x="${u * 3}" y="${141 - v * 3}" width="3" height="3" fill="${tint(u, v)}" opacity="${0.25 + (0.75 * Math.log1p(n)) / most}"/>`);
    const rings = screen.map(([u, v]) => `<rect x="${u * 3 - 0.5}" y="${140.5 - v * 3}" width="4" height="4" class="stroke-ink" fill="none"/>`);
    svg.innerHTML = `<path d="M72 0V144M0 72H144" class="stroke-sheet"/>${dots.join("")}${rings.join("")}`;
  },
};

/** The colour of a cell of the chroma plane, at a middling brightness. */
function tint(u, v) {
  const blue = (u + 0.5) / 48 - 0.5;
  const red = (v + 0.5) / 48 - 0.5;
  const green = -(0.2126 * red + 0.0722 * blue) / 0.7152;
  return css([red, green, blue].map((c) => Math.min(1, Math.max(0, 0.5 + c))));
}

function item(words) {
  const row = document.createElement("li");
  row.append(words);
  return row;
}

function css(rgb) {
  return `rgb(${rgb.map((c) => Math.round(c * 255)).join(" ")})`;
}
