// The walk: footprints in working order.

import { byId } from "../dom.js";
import { lines } from "../head/worn.js";
import { laid, pan, say, shownAt, sight } from "./view.js";

/** The footprint that is stood on; null before the first. @type {{ here: number | null }} */
export const stand = { here: null };
/** @returns {{ cells: [number, number, number, number][], sections: { name: string, d: string }[] }} */
export const walk = () => JSON.parse(byId("walk", HTMLScriptElement).textContent);

/** @param {number} n */
export function step_to(n) {
  const { cells, sections } = walk();
  if (!cells.length) return;
  stand.here = Math.min(Math.max(n, 0), cells.length - 1);
  const [x, y, section, row] = cells[stand.here];
  const mark = byId("here", SVGPathElement);
  const outline = lines(sections[section].d).map(({ points }) => points.map(([dx, dy]) => `${x + dx} ${y + dy}`).join("L"));
  mark.setAttribute("d", `M${outline.join("ZM")}Z`);
  mark.removeAttribute("hidden");
  laid(mark);
  const [right, low] = shownAt([x, y]);
  if (sight.view) pan(right - sight.view[0] - sight.view[2] / 2, low - sight.view[1] - sight.view[3] / 2);
  say(`${stand.here + 1} of ${cells.length}: ${sections[section].name}, row ${row}, ${Math.abs(x).toFixed(0)} mm ${x < 0 ? "right" : "left"} of the midline`);
}

/** @param {number} by */
export function next_row(by) {
  const { cells } = walk();
  let n = stand.here ?? 0;
  const [, , section, row] = cells[n] ?? [];
  while (cells[n + by] && cells[n][2] === section && cells[n][3] === row) n += by;
  step_to(n);
}

/** @param {KeyboardEvent} event */
export function walked(event) {
  const { cells } = walk();
  /** @type {Record<string, () => void>} */
  const keys = { ArrowRight: () => step_to((stand.here ?? -1) + 1), ArrowLeft: () => step_to((stand.here ?? 1) - 1), ArrowDown: () => next_row(1), ArrowUp: () => next_row(-1), Home: () => step_to(0), End: () => step_to(cells.length - 1) };
  if (!cells.length || !keys[event.key]) return false;
  keys[event.key]();
  return true;
}
