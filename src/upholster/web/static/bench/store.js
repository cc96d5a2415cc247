/** The recipe as it stands in this window, and its way to the house. */

import { read, send } from "../lib/common.js";

/** Milliseconds within which what was sent as the page was left has reached the house. */
const ARRIVES = 500;

/** What differs between two recipes, by section and field; of masks and traces, by each and field, null where one is gone. */
export function differences(before, after) {
  const found = {};
  for (const [section, fields] of Object.entries(after)) {
    if (section === "version" || fields === before[section]) continue;
    const told = changed(before[section], fields);
    if (told.each) told.each = eachChanged(before[section].each, fields.each);
    if (Object.keys(told).length) found[section] = told;
  }
  return found;
}

function changed(before, after) {
  return Object.fromEntries(Object.entries(after).filter(([name, value]) => value !== before[name] && JSON.stringify(value) !== JSON.stringify(before[name])));
}

function eachChanged(before, after) {
  const gone = Object.keys(before).filter((mark) => !(mark in after));
  const told = Object.entries(after).map(([mark, mask]) => [mark, before[mark] ? changed(before[mark], mask) : mask]);
  return Object.fromEntries([...gone.map((mark) => [mark, null]), ...told.filter(([, fields]) => Object.keys(fields).length)]);
}

/** A recipe with differences as `differences` tells them. */
export function withDifferences(recipe, found) {
  const put = (held, told) => ({ ...held, ...told });
  const sections = Object.entries(found).map(([section, { each, ...fields }]) => {
    const whole = put(recipe[section], fields);
    if (!each) return [section, whole];
    const kept = Object.entries(each).filter(([, told]) => told).map(([mark, told]) => [mark, put(recipe[section].each[mark], told)]);
    const others = Object.entries(recipe[section].each).filter(([mark]) => !(mark in each));
    return [section, { ...whole, each: Object.fromEntries([...others, ...kept]) }];
  });
  return put(recipe, Object.fromEntries(sections));
}

export class Store {
  /**
   * @param {string} at      address of the shot
   * @param {object} state   what the house says is in force: revision, recipe, ...
   * @param {object} acts    taken(state): the house's word stands; noted(state): it has kept ours;
   *                         conflict(sentence, words): a promise of "mine" or "theirs"; trouble(error);
   *                         keeping(on): whether something is here that the house does not have yet
   */
  constructor(at, state, acts) {
    Object.assign(this, { at, acts });
    this.saving = Promise.resolve();
    this.waiting = 0;
    /** Whether the page is being left: what is sent then has to outlive it. */
    this.leaving = false;
    this.#base(state);
    this.recipe = state.recipe;
  }

  #base(state) {
    this.revision = state.revision;
    this.kept = state.recipe;
  }

  /** What a request says of the recipe: the revision it began with, and what was changed since. */
  get asked() {
    return { base: this.revision, changes: differences(this.kept, this.recipe) };
  }

  get(path) {
    return path.split(".").reduce((held, name) => held?.[name], this.recipe);
  }

  set(path, value) {
    const put = (held, [name, ...rest]) => ({ ...held, [name]: rest.length ? put(held[name], rest) : value });
    this.recipe = put(this.recipe, path.split("."));
    this.#told();
  }

  #told() {
    this.acts.keeping?.(this.waiting > 0 || Object.keys(this.asked.changes).length > 0);
  }

  /** Where the page is being left: keep on this machine what may not have reached the house, for `takeUp`. */
  leave() {
    this.leaving = true;
    const left = this.asked;
    if (this.words && Object.keys(left.changes).length) sessionStorage.setItem(`left ${this.at}`, JSON.stringify({ ...left, words: this.words }));
  }

  /** Keep what was changed as the page was left, unless it reached the house after all. */
  async takeUp() {
    const left = JSON.parse(sessionStorage.getItem(`left ${this.at}`) ?? "null");
    sessionStorage.removeItem(`left ${this.at}`);
    if (left?.base !== this.revision) return;
    await new Promise((done) => setTimeout(done, ARRIVES));
    const state = await read(`${this.at}/state`);
    if (state.revision !== this.revision) {
      this.#answered(state, false);
      return;
    }
    this.recipe = withDifferences(this.recipe, left.changes);
    await this.keep(left.words);
  }

  /** Keep the recipe as a revision. */
  keep(words) {
    this.words = words;
    return this.ask("/recipe", { change: words }, { words, ours: true });
  }

  /**
   * Ask for something that makes a revision, in order, one at a time.
   *
   * @param {object} how  ours: what stands here is what is kept; words of the change, where it and another can be kept
   */
  ask(path, body = {}, { ours = false, words = "" } = {}) {
    this.waiting++;
    this.#told();
    this.saving = this.saving.then(async () => {
      // A change reaches the house even where the page is being left.
      const request = (more) => send(`${this.at}${path}`, { ...this.asked, ...body, seen: this.revision, ...more }, { keepalive: this.leaving });
      const sent = this.recipe;
      try {
        const state = await request({});
        this.#answered(state, ours, sent);
        if (this.recipe === this.kept) this.words = "";
      } catch (error) {
        if (error.status === 409) await this.#settle(error.message, request, words);
        else this.acts.trouble(error);
      }
      this.waiting--;
      this.#told();
    });
    return this.saving;
  }

  #answered(state, ours, sent) {
    this.#base(state);
    if (ours) {
      // What was changed while it was on its way is still to be kept; what was kept is as the house has it.
      if (this.recipe === sent) this.recipe = state.recipe;
      this.acts.noted(state);
    } else {
      this.recipe = state.recipe;
      this.acts.taken(state);
    }
  }

  /** Another window changed the shot since: whoever works here sees both changes and chooses. */
  async #settle(sentence, request, words) {
    try {
      const mine = (await this.acts.conflict(sentence, words)) === "mine";
      this.#answered(mine ? await request({ branch: true }) : await read(`${this.at}/state`), false);
    } catch (error) {
      this.acts.trouble(error);
    }
  }
}
