/** Renders: the list keeps itself current. */

import { keepCurrent } from "./lib/live.js";

keepCurrent(document.getElementById("list"));
