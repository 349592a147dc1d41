// Marks: chosen, moved, removed. What changes them goes to the server one after the other.

import { byId, every } from "../dom.js";
import { fit, drawn, paint, stop_drawing } from "./pen.js";
import { field, page, pen, say, watching } from "./view.js";

let last = Promise.resolve();
/**
 * @param {string} address
 * @param {Record<string, string | number>} values
 */
export function send(address, values = {}) {
  const fields = Object.fromEntries(new FormData(byId("laying", HTMLFormElement)));
  last = last.then(() => window.htmx.ajax("POST", `/visits/${page.dataset.visit}/plate/${address}`, { target: "#plate", source: pen, values: { ...fields, ...values } })).catch(() => {});
  return last;
}

/** @param {HTMLElement} mark */
export function choose(mark) {
  stop_drawing();
  mark.classList.add("chosen");
  every("[name=tab][value=marks]")[0].click();
  /** @type {Record<string, string>} */
  const fields = JSON.parse(mark.dataset.fields ?? "{}");
  for (const [name, value] of Object.entries(fields)) field(name).value = value;
  field("mark").value = mark.dataset.mark ?? "";
  fit();
  drawn.points = corners(mark);
  byId("remove", HTMLElement).hidden = watching;
  paint();
  say(`${mark.getAttribute("aria-label")}: chosen.`);
}

/**
 * The mark's own points, on this plate.
 * @param {HTMLElement} mark
 */
export const corners = (mark) => (mark.dataset.points ?? "").split(" ").map((pair) => pair.split(",").map(Number));

/** @param {string | undefined} id */
export function refocus(id) {
  every(`[data-mark="${id}"]`)[0]?.focus();
}
