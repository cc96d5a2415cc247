/** The stockroom: clips move over the ground of the page, the same under all and kept for the next visit. */

import { say, send } from "./lib/common.js";
import { groundPicker, layGround } from "./lib/grounds.js";
import "./lib/live.js";

const choice = { ground: "checker", colour: "#c026a8", ...JSON.parse(localStorage.getItem("stockroom-ground") || "{}") };

/** Only clips in sight move. */
const sight = new IntersectionObserver((entries) => {
  for (const { target, isIntersecting } of entries) {
    if (isIntersecting && !("held" in target.dataset)) target.play().catch(() => {});
    else target.pause();
  }
});

document.getElementById("list").addEventListener("click", (event) => {
  const video = event.target.closest("li")?.querySelector("video");
  const hold = event.target.closest("[data-hold]");
  if (hold) {
    const held = video.toggleAttribute("data-held");
    hold.setAttribute("aria-pressed", held);
    if (held) video.pause();
    else video.play().catch(() => {});
  }
  if (event.target.closest("[data-larger]")) enlarge(video);
});

function enlarge(video) {
  const dialog = document.getElementById("larger");
  const large = dialog.querySelector("video");
  large.src = video.src;
  dialog.querySelector("h2").textContent = video.closest("li").dataset.clip;
  dialog.showModal();
  large.play().catch(() => {});
  dialog.addEventListener("close", () => large.removeAttribute("src"), { once: true });
}

function lay() {
  for (const video of document.querySelectorAll("#list video")) sight.observe(video);
  for (const element of document.querySelectorAll(".ground")) layGround(element, choice);
}
groundPicker(choice, () => {
  localStorage.setItem("stockroom-ground", JSON.stringify(choice));
  lay();
});
document.body.addEventListener("htmx:afterSwap", lay);
lay();

document.getElementById("list").addEventListener("click", async (event) => {
  const button = event.target.closest("[data-fit]");
  if (!button) return;
  try {
    location.href = (await send("/fittings", { clip: Number(button.dataset.fit) })).at;
  } catch (error) {
    say(error.message);
  }
});
