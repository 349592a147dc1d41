// Taps on the plate: sent one after the other, so that quick taps all count although each answer redraws what is in the plate.

import { around } from "./dom.js";

let last = Promise.resolve();
document.addEventListener("click", (event) => {
  const zone = around(event, "[data-zone]");
  if (!zone) return;
  const { kind, address = "" } = zone.dataset, values = { zone: zone.dataset.zone, kind };
  last = last.then(() => window.htmx.ajax("POST", address, { target: "#plate", values })).catch(() => {});
});
