// Taps on the plate: sent one after the other, so that quick taps all count although each answer redraws what is in the plate.

import { around, typed } from "./dom.js";
import { Views } from "./head/views.js";

const views = new Views(`look.${document.getElementById("plate")?.dataset.me}`, "0");
views.wear();
document.addEventListener("keydown", (event) => {
  if (!typed(event) && !event.ctrlKey && !event.metaKey && !event.altKey) views.key(event.key);
});

let last = Promise.resolve();
document.addEventListener("click", (event) => {
  const zone = around(event, "[data-zone]");
  if (!zone) return;
  const { kind, address = "" } = zone.dataset, values = { zone: zone.dataset.zone, kind };
  last = last.then(() => window.htmx.ajax("POST", address, { target: "#plate", values })).catch(() => {});
});
