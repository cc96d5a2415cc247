/** The list of fittings: a new one is begun, or read from a timeline. */

import { say, send } from "../lib/common.js";

document.getElementById("begin").addEventListener("click", async () => {
  try {
    const { at } = await send("/fittings", {});
    location.href = at;
  } catch (error) {
    say(error.message);
  }
});

document.getElementById("timeline").addEventListener("change", async ({ target }) => {
  const [file] = target.files;
  target.value = "";
  if (!file) return;
  try {
    const { at } = await send("/fittings/timeline", { text: await file.text() });
    location.href = at;
  } catch (error) {
    say(error.message);
  }
});
