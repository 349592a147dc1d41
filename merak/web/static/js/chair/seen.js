// What is marked where it is seen: a tap on the plate, or a part that was chosen by keys.

import { around, every, inside } from "../dom.js";
import { at, it } from "./chair.js";
import { views } from "./stand.js";
import { anywhere } from "./walk.js";

/** A tap on a part of the plate: counted there, with where it was. @param {MouseEvent} event @param {HTMLElement} part */
export function seenAt(event, part) {
  const svg = /** @type {SVGSVGElement} */ (/** @type {unknown} */ (part.closest("svg"))), act = it.order[it.state.act], n = Number(part.dataset.part);
  const { x, y } = inside(event, svg), on = svg.dataset.seen === undefined ? [x, y] : views.head?.place(x, y);
  const data = on ? { plate: act.parts[n].plate || act.plate, xy: on.map((mm) => Math.round(mm * 10) / 10) } : {};
  it.last = { act: it.state.act, at: performance.now() };
  it.part = { act: it.state.act, n };
  it.tap("count", act.kind === "sections" ? n : null, "", data);
}

it.painter.chosen = () => (it.part.act === it.state.act ? it.part.n : null);
/** The part that a key counts in: the one that was chosen, or where the last was seen. */
const lit = () => it.painter.chosen() ?? it.state.acts[it.state.act].next ?? 0;

/** Another part for keys. @param {number} by */
export function choosePart(by) {
  const act = it.order[it.state.act], many = act.parts.length;
  if (!anywhere(act) || !it.state.acts[it.state.act].begun) return;
  it.part = { act: it.state.act, n: (lit() + by + many) % many };
  it.paint();
}

/** One more in the lit part. */
export function seenThere() {
  if (anywhere(it.order[it.state.act])) it.tap("count", lit());
}

/** The dots of an act's marks, on the plate that they lie on; the lit part. @param {number} n */
export function dots(n) {
  const run = it.state.acts[n], act = it.order[n], plates = new Set(act.parts.map((part) => part.plate || act.plate));
  at("plates-of")?.toggleAttribute("hidden", !act.at_most || plates.size < 2);
  if (!act.at_most) return;
  for (const key of every("[data-other]")) {
    key.hidden = !plates.has(key.dataset.other ?? "");
    key.setAttribute("aria-pressed", String((act.parts[lit()]?.plate || act.plate) === key.dataset.other));
  }
  for (const part of every(`[data-act="${n}"] [data-part]`)) part.classList.toggle("current", anywhere(act) && run.begun && Number(part.dataset.part) === lit());
  for (const group of document.querySelectorAll(`[data-seen-in="${n}"]`)) {
    const plate = group.closest("[data-sheet]")?.getAttribute("data-sheet");
    const here = (run.begun ? run.seen : []).filter(([, on]) => on === plate).map(([, , x, y]) => `${x} ${y}`), told = here.join(",");
    if (group.getAttribute("data-told") === told) continue;
    group.setAttribute("data-told", told);
    group.innerHTML = here.map((one) => one.split(" ")).map(([x, y]) => `<circle cx="${x}" cy="${y}" r="2.2"/>`).join("");
    if (plate === "face") views.worn?.again(group);
  }
}

/** How many were seen in the lit part. */
export function seenWords() {
  const part = it.order[it.state.act].parts[lit()], here = it.state.acts[it.state.act].tally[lit()] ?? 0;
  return `${part.name}: ${here || "none"} seen${part.mind ? ` · ${part.mind}` : ""}`;
}

at("chair").addEventListener("click", (event) => {
  const other = around(event, "[data-other]")?.dataset.other, act = it.order[it.state.act];
  if (other) {
    it.part = { act: it.state.act, n: act.parts.findIndex((part) => (part.plate || act.plate) === other) };
    it.paint();
  }
  const part = around(event, "[data-part]");
  if (part && Number(around(event, "[data-act]")?.dataset.act ?? -1) === it.state.act) seenAt(event, part);
});
