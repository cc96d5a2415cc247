/** The choice of what a result is laid over, kept by whoever asks. What is given back goes on to the next one. */

import { read } from "./common.js";

export function groundPicker(current, changed) {
  const group = document.getElementById("grounds");
  const footage = document.getElementById("ground-footage");
  const any = document.getElementById("any-colour");

  function mark() {
    for (const dot of group.querySelectorAll(".dot")) {
      const on = current.ground === dot.dataset.ground && (current.ground !== "colour" || current.colour === dot.dataset.colour);
      dot.setAttribute("aria-pressed", on);
      if (dot.dataset.colour) dot.style.background = dot.dataset.colour;
    }
    footage.value = current.ground === "footage" ? current.footage : "";
    if (current.ground === "colour") any.value = current.colour;
  }
  function choose(ground) {
    Object.assign(current, ground);
    mark();
    changed(current);
  }
  group.addEventListener("click", (event) => {
    const dot = event.target.closest(".dot");
    if (dot) choose({ ground: dot.dataset.ground, colour: dot.dataset.colour || current.colour });
  });
  any.addEventListener("input", () => choose({ ground: "colour", colour: any.value }));
  footage.addEventListener("change", () => choose(footage.value ? { ground: "footage", footage: footage.value } : { ground: "checker" }));
  mark();
  // There may be thousands; the page does not wait for them.
  read("/footage/grounds").then((grounds) => {
    for (const { id, name, length, reading_id: reading } of grounds) {
      if (String(id) === footage.dataset.except) continue;
      const option = new Option(name, id);
      Object.assign(option.dataset, { length, reading: reading ?? 0 });
      footage.append(option);
    }
    mark();
    changed(current);
  }, () => {});
  return (way) => {
    const dots = [...group.querySelectorAll(".dot")];
    const at = dots.findIndex((dot) => dot.getAttribute("aria-pressed") === "true");
    // From a colour of one's own, or a still, the first one is next.
    dots[(Math.max(at, way > 0 ? -1 : 0) + way + dots.length) % dots.length].click();
  };
}

/** Lay a ground into an element; for a clip, its frame in step with `frame`. */
export function layGround(element, choice, frame = 0) {
  element.classList.toggle("checker", choice.ground === "checker");
  element.style.backgroundColor = choice.ground === "colour" ? choice.colour : "";
  const option = choice.ground === "footage" && document.querySelector(`#ground-footage option[value="${Number(choice.footage)}"]`);
  const picture = option ? `/footage/${Number(choice.footage)}/frame/${frame % Number(option.dataset.length)}.jpg?reading=${option.dataset.reading}` : "";
  if (element.dataset.picture === picture) return;
  element.dataset.picture = picture;
  if (!picture) element.style.backgroundImage = "";
  else lay(element, picture);
}

/** The picture before stays until the next one is there. */
async function lay(element, picture) {
  await Object.assign(new Image(), { src: picture }).decode().catch(() => {});
  if (element.dataset.picture === picture) element.style.backgroundImage = `url(${picture})`;
}
