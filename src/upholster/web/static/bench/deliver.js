/** The last line of the work order: what is delivered, for what it is wanted. */

import { say, send } from "../lib/common.js";
import { asNumber, exactly } from "../lib/rates.js";
import { Presets } from "./presets.js";
import { thisWindow } from "./requests.js";

const $ = (id) => document.getElementById(id);

/** Milliseconds after a change, and after opening, when pictures come first, until a delivery is reckoned with. */
const RESTING = 500;
const OPENING = 1500;

export class Deliver {
  /**
   * @param {object} bench    a shot's or a fitting's: gives `at`, `store`, `view`, `remember()`, `saved()` (a promise of
   *                          the newest revision), and by choice `of()`, which part of it is meant, and
   *                          `heard()`, whether anything of it sounds
   * @param {object} choices  formats by name, needs, defaults, ready values, presets
   */
  constructor(bench, choices) {
    this.bench = bench;
    this.choices = choices;
    this.also = [];
    this.asked = 0;
    this.delivery = { ...choices.defaults, ...bench.view.delivery };
    if (!choices.formats[this.delivery.format]) this.delivery = { ...choices.defaults };
    this.inputs = [...document.querySelectorAll("[data-choice]")];
    $("need").append(...Object.entries(choices.needs).map(([name, words]) => new Option(words, name)));
    $("need").addEventListener("change", () => this.#format(this.#fitting()[0][0]));
    $("format").addEventListener("change", () => this.#format($("format").value));
    for (const input of this.inputs) input.addEventListener("change", () => this.#choose(input));
    $("ground-colour").addEventListener("change", () => this.set({ ground: $("ground-colour").value }));
    $("propose").addEventListener("click", () => this.set({ colour: null }));
    $("another").addEventListener("click", () => this.#another());
    $("render").addEventListener("click", () => this.#render());
    addEventListener("beforeunload", (event) => this.sending && event.preventDefault());
    this.presets = new Presets(this, choices);
    this.show();
    this.quote(OPENING);
  }

  get form() {
    return this.choices.formats[this.delivery.format];
  }

  /** Change some choices; what they lead to is shown at once. */
  set(changed) {
    this.presets.offer();
    this.delivery = { ...this.delivery, ...changed };
    if (this.form.kinds.length && !this.form.kinds.includes(this.delivery.alpha)) this.delivery.alpha = this.form.kinds[0];
    if (this.#noSound()) this.delivery.sound = false;
    this.bench.view.delivery = this.delivery;
    this.bench.remember();
    this.show();
    this.quote();
  }

  show() {
    const { delivery, form } = this;
    $("need").value = form.need;
    $("format").replaceChildren(...this.#fitting().map(([name, f]) => new Option(f.title, name)));
    $("format").value = delivery.format;
    const kinds = Object.keys(this.choices.alphaWords);
    $("alpha-choice").hidden = !form.kinds.length;
    for (const input of this.inputs) {
      const name = input.dataset.choice;
      if (name === "alpha") {
        input.replaceChildren(...kinds.map((kind) => Object.assign(new Option(kind, kind), { disabled: !form.kinds.includes(kind) })));
      }
      if (input.type === "checkbox") input.checked = delivery[name];
      else if (name === "ground") input.value = delivery.ground.startsWith("#") ? "" : delivery.ground;
      else if (name === "rate") input.value = delivery.rate ? Number(asNumber(delivery.rate).toFixed(3)) : "";
      else input.value = delivery[name] ?? "";
    }
    $("ground-colour").hidden = !delivery.ground.startsWith("#");
    if (delivery.ground.startsWith("#")) $("ground-colour").value = delivery.ground;
    for (const row of document.querySelectorAll("[data-takes]")) row.hidden = !form.takes.includes(row.dataset.takes);
    const silent = this.#noSound();
    $("no-sound").textContent = silent;
    document.querySelector("[data-choice=sound]").disabled = Boolean(silent);
    const only = form.kinds.length === 1 ? ` ${form.title} has no other kind.` : "";
    const alpha = form.kinds.length ? ` ${this.choices.alphaWords[delivery.alpha]}${only}` : "";
    $("deliver-note").textContent = form.note + alpha;
    this.#showAlso();
    if (form.takes.includes("colour")) this.#lookAtFlat();
  }

  /** The take may have changed, and with it what is delivered. */
  follow() {
    if (this.#take() !== this.quoted) this.quote();
  }

  #take() {
    const { take, frame } = this.bench.store.recipe;
    return JSON.stringify(take ?? frame);
  }

  /** Ask what the delivery will cost, once the hand rests. */
  quote(rest = RESTING) {
    clearTimeout(this.resting);
    this.quoted = this.#take();
    $("quote").textContent = "";
    this.resting = setTimeout(async () => {
      const sequence = ++this.asked;
      $("quote").textContent = "Reckoning its size…";
      try {
        const told = await send(`${this.bench.at}/quote`, { ...this.bench.store.asked, deliveries: this.#all(), sequence, window: thisWindow, ...this.bench.of?.() });
        if (told && sequence === this.asked) $("quote").textContent = told.words;
      } catch (error) {
        if (sequence !== this.asked) return;
        $("quote").textContent = error.message;
      }
    }, rest);
  }

  #fitting() {
    return Object.entries(this.choices.formats).filter(([, f]) => f.need === ($("need").value || this.form.need));
  }

  #noSound() {
    if (!this.form.takes.includes("sound")) return this.form.noSound;
    if (this.bench.heard) return this.bench.heard() ? "" : "No layer is heard.";
    const speed = this.bench.store.recipe.take?.speed ?? 100;
    const { slowest, fastest, words } = this.choices.sound;
    return this.form.noSound || (speed < slowest || speed > fastest ? words : "");
  }

  #format(name) {
    this.set({ format: name });
  }

  #choose(input) {
    const name = input.dataset.choice;
    if (!input.validity.valid) {
      say(`${input.ariaLabel} is a ${input.step === "1" ? "whole number" : "number"} from ${input.min} to ${input.max}.`);
      this.show();
      return;
    }
    let value = input.type === "checkbox" ? input.checked : input.value;
    if (name === "ground" && !value) value = $("ground-colour").value;
    if (input.type === "number") value = value === "" ? this.choices.defaults[name] : name === "rate" ? exactly(Number(value)) : Number(value);
    this.set({ [name]: value });
  }

  async #lookAtFlat() {
    const chosen = this.delivery.colour;
    try {
      const { colour, fit, words } = await send(`${this.bench.at}/flat`, { ...this.bench.store.asked, colour: chosen });
      if (this.delivery.colour !== chosen) return;
      document.querySelector("[data-choice=colour]").value = colour;
      $("flat-words").textContent = words;
      $("flat-words").classList.toggle("notice", !fit);
    } catch (error) {
      $("flat-words").textContent = error.message;
    }
  }

  #another() {
    this.also.push(this.delivery);
    const others = Object.keys(this.choices.formats).filter((name) => !this.#all().some((d) => d.format === name && d !== this.delivery));
    const next = others.find((name) => this.choices.formats[name].need !== this.form.need) ?? this.delivery.format;
    $("need").value = this.choices.formats[next].need;
    this.#format(next);
  }

  #all() {
    return [...this.also, this.delivery];
  }

  #showAlso() {
    $("also").replaceChildren(
      ...this.also.map((delivery, place) => {
        const row = document.createElement("li");
        row.className = "flex items-center gap-2 text-sm";
        row.textContent = `and ${this.choices.formats[delivery.format].title}${delivery.size ? `, ${delivery.size} px` : ""}`;
        const away = document.createElement("button");
        away.className = "plain";
        away.textContent = "leave out";
        away.addEventListener("click", () => {
          this.also.splice(place, 1);
          this.show();
          this.quote();
        });
        row.append(away);
        return row;
      }),
    );
    if (!this.sending) $("render").lastChild.textContent = this.also.length ? ` Render ${this.also.length + 1} files` : " Render";
  }

  async #render() {
    if (this.sending) return;
    this.sending = true;
    // Not disabled: it would lose the focus.
    $("render").setAttribute("aria-busy", "true");
    $("render").lastChild.textContent = " Handing it over…";
    try {
      const wanted = $("name").value.trim();
      const revision = await this.bench.saved();
      const { names, proposed } = await send(`${this.bench.at}/render`, { revision, deliveries: this.#all(), name: wanted, ...this.bench.of?.() });
      $("name").value = proposed;
      this.also = [];
      this.show();
      this.bench.traces?.ask();
      const renamed = wanted && !names[0].startsWith(wanted) ? ` Not every disk takes “${wanted}” as a name.` : "";
      say(`${names.join(", ")} ${names.length > 1 ? "are" : "is"} being made.${renamed}`, ["/renders", "See Renders"]);
    } catch (error) {
      say(error.message);
    }
    this.sending = false;
    $("render").removeAttribute("aria-busy");
    this.#showAlso();
  }
}
