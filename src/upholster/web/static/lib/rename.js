/** Names that are changed where they stand. */

import { say, send } from "./common.js";

/** Begin to type another name over what shows the one there is; `data-rename` says where it is kept. */
export function rename(shown) {
  if (shown.querySelector("input")) return;
  const before = shown.textContent.trim();
  const field = Object.assign(document.createElement("input"), { className: "field w-full min-w-0 py-0", value: before, maxLength: 120, ariaLabel: "Name" });
  let over = false;
  shown.dataset.renaming = "";
  const end = async (name) => {
    if (over) return;
    over = true;
    delete shown.dataset.renaming;
    shown.textContent = before;
    if (!name || name === before) return;
    try {
      const kept = await send(shown.dataset.rename, { name });
      shown.textContent = shown.title = kept.name;
    } catch (error) {
      say(error.message);
    }
  };
  field.addEventListener("keydown", (event) => {
    event.stopPropagation();
    if (event.key === "Enter") end(field.value.trim());
    if (event.key === "Escape") end("");
    if (["Enter", "Escape"].includes(event.key)) document.querySelector(`[data-renames="${shown.id}"]`)?.focus();
  });
  field.addEventListener("blur", () => end(field.value.trim()));
  shown.replaceChildren(field);
  field.select();
}

document.body.addEventListener("click", (event) => {
  const button = event.target.closest("[data-renames]");
  if (button) rename(document.getElementById(button.dataset.renames));
});
