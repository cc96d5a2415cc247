/** The shots that this one is linked with: which lines go to all of them. */

const $ = (id) => document.getElementById(id);

/** Most shots that are named. */
const SHOWN = 5;

export class Family {
  /** @param {object} bench  gives `store`, `settle()` */
  constructor({ store, settle }) {
    this.buttons = [...document.querySelectorAll("[data-follows]")];
    for (const button of this.buttons) {
      button.addEventListener("click", () => {
        settle();
        store.ask("/family", { line: button.dataset.follows, follows: button.getAttribute("aria-pressed") === "false" });
      });
    }
    $("unlink").addEventListener("click", () => store.ask("/unlink"));
  }

  /** @param {object | null} family  others: each with shot and name; departs: lines of this shot that go their own way */
  show(family) {
    $("family").hidden = !family;
    for (const button of this.buttons) {
      button.hidden = !family;
      const follows = !family?.departs.includes(button.dataset.follows);
      const line = button.closest(".line").ariaLabel;
      button.setAttribute("aria-pressed", follows);
      button.setAttribute("aria-label", `${line} as in the family`);
      button.title = follows ? "Changed in all linked shots; press to let this shot go its own way" : "This shot goes its own way; press to take this line as the others have it";
    }
    const others = (family?.others ?? []).map(({ shot, name }) => Object.assign(document.createElement("a"), { className: "underline", href: `/bench/${shot}`, textContent: name }));
    $("family-others").replaceChildren(...others.slice(0, SHOWN).flatMap((link, k) => (k ? [", ", link] : [link])), others.length > SHOWN ? ` and ${others.length - SHOWN} more` : "");
  }
}
