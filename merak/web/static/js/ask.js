// An answered question is no longer marked as open; what is unfolded on the board stays unfolded when it is drawn anew.

import { around, every } from "./dom.js";

document.getElementById("ask-form")?.addEventListener("change", (event) => around(event, ".question")?.classList.remove("open"));

/** @type {string[]} */
let unfolded = [];
document.addEventListener("htmx:beforeSwap", () => { unfolded = every("#board details[open], .where[open]").map((one) => one.id); });
document.addEventListener("htmx:afterSettle", () => {
  for (const id of unfolded) if (id) document.getElementById(id)?.setAttribute("open", "");
});
