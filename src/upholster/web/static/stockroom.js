/** The page's ground, the same under every clip and kept for the next visit. */

import { groundPicker, layGround } from "./lib/grounds.js";
import "./lib/live.js";

const choice = { ground: "checker", colour: "#c026a8", ...JSON.parse(localStorage.getItem("stockroom-ground") || "{}") };

/** Only clips in sight move. */
const sight = new IntersectionObserver((entries) => {
  for (const { target, isIntersecting } of entries) {
    if (isIntersecting) target.play().catch(() => {});
    else target.pause();
  }
});

function lay() {
  for (const video of document.querySelectorAll("video")) sight.observe(video);
  for (const element of document.querySelectorAll(".ground")) layGround(element, choice);
}
groundPicker(choice, () => {
  localStorage.setItem("stockroom-ground", JSON.stringify(choice));
  lay();
});
document.body.addEventListener("htmx:afterSwap", lay);
lay();
