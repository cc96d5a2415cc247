/** Watched folders: one more is watched; the list keeps itself current. */

import { say, send } from "./lib/common.js";
import { chosenDelivery } from "./lib/deliveries.js";
import { keepCurrent } from "./lib/live.js";

const $ = (id) => document.getElementById(id);

$("watch")?.addEventListener("submit", async (event) => {
  event.preventDefault();
  try {
    const shot = $("recipe").value ? Number($("recipe").value) : null;
    await send("/watched", { folder: $("folder").value, shot, report: $("report").checked, ...chosenDelivery($("delivery")) });
    $("folder").selectedOptions[0].remove();
    htmx.trigger($("list"), "refresh");
  } catch (error) {
    say(error.message);
  }
});

keepCurrent($("list"));
