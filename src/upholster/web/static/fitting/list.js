/** The list of fittings: a new one is begun. */

import { say, send } from "../lib/common.js";

document.getElementById("begin").addEventListener("click", async () => {
  try {
    const { at } = await send("/fittings", {});
    location.href = at;
  } catch (error) {
    say(error.message);
  }
});
