// The sheet: its layers, and the box of it that is seen, in millimetres; unrolled, or on the head.

import { byId, every, inside } from "../dom.js";
import { Views } from "../head/views.js";

/**
 * @typedef {number[]} Box left, top, width, height, mm
 * @typedef {[number, number]} Place
 */

export const page = byId("plate-page", HTMLElement);
export const told = byId("told", HTMLElement);
export const pen = byId("pen", HTMLFormElement);
/**
 * A control of the pen by its name, or the radio buttons that share it.
 * @param {string} name
 */
export const field = (name) => /** @type {import("../dom.js").Control | RadioNodeList} */ (pen.elements.namedItem(name));
export const watching = "watch" in page.dataset;
export const sheet = () => byId("sheet", SVGSVGElement);
export const tool = () => {
  const tab = document.querySelector("[name=tab]:checked");
  return tab instanceof HTMLInputElement ? tab.value : "";
};
/** @param {string} words */
export const say = (words) => { told.textContent = words; };

/** The box that is seen; null for the whole sheet. @type {{ view: Box | null }} */
export const sight = { view: null };
/** @type {Record<string, Place>} */
export const ARROWS = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };

// Layers: hidden ones stay hidden when the plate is drawn anew, and on paper.

export const hidden = () => every("[data-shows]:not(:checked)").map((box) => box.dataset.shows ?? "");

export function dress() {
  const off = new Set(hidden());
  for (const layer of sheet().querySelectorAll("[data-layer]")) layer.toggleAttribute("hidden", off.has(layer.getAttribute("data-layer") ?? ""));
  for (const kind of ["svg", "pdf"]) {
    const query = new URLSearchParams();
    for (const [name, value] of new FormData(byId("laying", HTMLFormElement))) query.append(name, String(value));
    query.set("hide", [...off].join(","));
    byId(`as-${kind}`, HTMLAnchorElement).href = `/visits/${page.dataset.visit}/plate.${kind}?${query}`;
  }
}

// The view: a box in millimetres, kept while the plate is drawn anew.

/** @returns {Box} */
export const whole = () => (sheet().dataset.seen ?? sheet().dataset.box ?? "").split(" ").map(Number);

/** @param {Box | null} box */
export function look(box) {
  sight.view = box;
  sheet().setAttribute("viewBox", (box ?? whole()).map((n) => n.toFixed(2)).join(" "));
}

/**
 * @param {number} factor
 * @param {Place} [at]
 */
export function zoom(factor, at) {
  const [x, y, w, h] = sight.view ?? whole();
  const full = whole();
  const width = Math.min(full[2], Math.max(full[2] / 12, w * factor));
  const share = width / w;
  const [cx, cy] = at ?? [x + w / 2, y + h / 2];
  look(width >= full[2] ? null : [cx - (cx - x) * share, cy - (cy - y) * share, width, h * share]);
}

/**
 * @param {number} dx
 * @param {number} dy
 */
export function pan(dx, dy) {
  const [x, y, w, h] = sight.view ?? whole();
  const [fx, fy, fw, fh] = whole();
  /** @type {(value: number, low: number, high: number) => number} */
  const within = (value, low, high) => Math.min(Math.max(value, low), high);
  look([within(x + dx, fx - w / 2, fx + fw - w / 2), within(y + dy, fy - h / 2, fy + fh - h / 2), w, h]);
}

/** A drag draws where marks are made; elsewhere it turns the head. */
export const draws = () => tool() === "marks" && !watching;
let flat = true;
export const views = new Views("plate", "flat", () => {
  if (flat !== rolled()) look(null);  // another drawing, and all of it
  flat = rolled();
}, () => !draws());
/** Whether the sheet lies unrolled. */
export const rolled = () => sheet().dataset.seen === undefined;

/**
 * The skin under a place of the drawing, mm of the plate; null beside the face.
 * @param {Place} at
 * @returns {Place | null}
 */
export const skin = (at) => (rolled() ? at : views.head?.place(at[0], at[1]) ?? null);

/**
 * Where a place of the plate is drawn.
 * @param {Place} place
 * @returns {Place}
 */
export function shownAt([x, y]) {
  if (rolled() || !views.head) return [x, y];
  const cell = views.head.cell(x, y);
  return [views.head.across(cell), cell.y];
}

/** What was drawn anew lies as the plate does. @param {Element} group */
export const laid = (group) => views.worn?.again(group);

/**
 * Where a pointer is, in millimetres.
 * @param {MouseEvent} event
 * @returns {Place}
 */
export function place(event) {
  const point = inside(event, sheet());
  return [point.x, point.y];
}
