// Marks: chosen, moved, removed. What changes them goes to the server one after the other.

import { fit, drawn, paint, stop_drawing } from "./pen.js";
import { page, pen, say, watching } from "./view.js";

let last = Promise.resolve();
export function send(address, values = {}) {
  const fields = Object.fromEntries(new FormData(document.getElementById("laying")));
  last = last.then(() => window.htmx.ajax("POST", `/visits/${page.dataset.visit}/plate/${address}`, { target: "#plate", source: pen, values: { ...fields, ...values } })).catch(() => {});
  return last;
}

export function choose(mark) {
  stop_drawing();
  mark.classList.add("chosen");
  document.querySelector("[name=tab][value=marks]").click();
  const fields = JSON.parse(mark.dataset.fields);
  for (const [name, value] of Object.entries(fields)) pen.elements[name].value = value;
  pen.elements.mark.value = mark.dataset.mark;
  fit();
  drawn.points = corners(mark);
  document.getElementById("remove").hidden = watching;
  paint();
  say(`${mark.getAttribute("aria-label")}: chosen.`);
}

// The mark's own points, on this plate.
export const corners = (mark) => mark.dataset.points.split(" ").map((pair) => pair.split(",").map(Number));

export function refocus(id) {
  document.querySelector(`[data-mark="${id}"]`)?.focus();
}
