// The plate under the hand: keys and pointers. What they work on: the view, the pen, marks, and the walk from footprint to footprint.

import { around, byId, control, every, on, typed } from "./dom.js";
import { choose, refocus, send } from "./plate/marks.js";
import { add, fit, drawn, keep, paint, penned, shape, simplified, stop_drawing, text } from "./plate/pen.js";
import { ARROWS, dress, field, look, page, pan, pen, place, say, sight, tool, watching, zoom } from "./plate/view.js";
import { stand, step_to, walked } from "./plate/walk.js";

function keyed(event) {
  if (typed(event)) return;
  const mark = around(event, "[data-mark]");
  if (mark && event.key in ARROWS && !watching) {
    const by = event.shiftKey ? 5 : 1;
    const id = mark.dataset.mark;
    send(`marks/${id}/move`, { dx: ARROWS[event.key][0] * by, dy: ARROWS[event.key][1] * by }).then(() => refocus(id));
  } else if (mark && event.key === "Delete" && !watching) send(`marks/${mark.dataset.mark}/remove`);
  else if (mark && (event.key === "Enter" || event.key === " ")) choose(mark);
  else if (event.altKey && event.key in ARROWS) pan(ARROWS[event.key][0] * 15, ARROWS[event.key][1] * 15);
  else if (event.key === "+" || event.key === "=") zoom(0.7);
  else if (event.key === "-") zoom(1 / 0.7);
  else if (event.key === "0") look(null);
  else if ((event.key === "u" || (event.key === "z" && (event.ctrlKey || event.metaKey))) && !watching) byId("undo", HTMLElement).click();
  else if (around(event, "#sheet") && (tool() === "marks" ? !watching && penned(event) : tool() === "measure" && walked(event))) { /* done */ }
  else return;
  event.preventDefault();
  event.stopPropagation();
}

// Pointers: finger, pen or mouse. Two fingers pinch; one draws, moves a mark, or moves the sheet.

const down = new Map();
let act = null;

function pressed(event) {
  if (event.button > 1 || !around(event, "#sheet")) return;
  down.set(event.pointerId, event);
  around(event, "#sheet").setPointerCapture(event.pointerId);
  const mark = around(event, "[data-mark]");
  const at = place(event);
  if (down.size === 2) act = { kind: "pinch", gap: gap() };
  else if (event.button === 1 || tool() !== "marks") act = { kind: mark ? "mark" : "pan", mark, from: at, still: true };
  else act = { kind: mark && !drawn.points.length ? "mark" : watching ? "pan" : "draw", mark, from: at, still: true, line: [at] };
}

function gap() {
  const [a, b] = [...down.values()];
  return Math.hypot(a.clientX - b.clientX, a.clientY - b.clientY);
}

function moved(event) {
  if (!down.has(event.pointerId) || !act) return;
  down.set(event.pointerId, event);
  const at = place(event);
  if (act.kind === "pinch" && down.size === 2) {
    const now = gap();
    const [a, b] = [...down.values()].map(place);
    zoom(act.gap / now, [(a[0] + b[0]) / 2, (a[1] + b[1]) / 2]);
    act.gap = now;
    return;
  }
  const far = Math.hypot(at[0] - act.from[0], at[1] - act.from[1]);
  if (far > 1.5) act.still = false;
  if (act.still) return;
  if (act.kind === "pan") pan(act.from[0] - at[0], act.from[1] - at[1]);
  if (act.kind === "mark" && !watching && tool() === "marks") act.mark.setAttribute("transform", `translate(${at[0] - act.from[0]} ${at[1] - act.from[1]})`);
  if (act.kind === "draw" && shape() !== "spot") {
    act.line.push(at);
    drawn.points = act.line;
    paint();
  }
}

function lifted(event) {
  if (!down.delete(event.pointerId) || !act) return;
  const at = place(event);
  const { kind, mark, still, from, line } = act;
  act = null;
  if (kind === "mark" && (still || tool() !== "marks")) choose(mark);
  else if (kind === "mark" && !watching) send(`marks/${mark.dataset.mark}/move`, { dx: at[0] - from[0], dy: at[1] - from[1] }).then(() => mark.removeAttribute("transform"));
  else if (kind === "draw" && (still || shape() === "spot")) add(still ? from : at);
  else if (kind === "draw") {
    drawn.points = simplified(line);
    paint();
    keep();
  }
}

document.addEventListener("pointerdown", pressed);
document.addEventListener("pointermove", moved);
document.addEventListener("pointerup", lifted);
document.addEventListener("pointercancel", (event) => { down.delete(event.pointerId); act = null; });
document.addEventListener("wheel", (event) => {
  if (!around(event, "#sheet")) return;
  event.preventDefault();
  zoom(event.deltaY < 0 ? 0.85 : 1 / 0.85, place(event));
}, { passive: false });
document.addEventListener("keydown", keyed, true);
document.addEventListener("change", (event) => {
  const one = control(event);
  if (!one) return;
  if (one.matches("[data-shows]")) dress();
  if (one.name === "tab") page.dataset.tool = one.value;
  if (one.form === pen && ["kind", "shape"].includes(one.name)) {
    fit();
    paint();
  }
});
document.addEventListener("click", (event) => {
  const zoomed = around(event, "[data-zoom]")?.dataset.zoom;
  if (zoomed) zoomed === "all" ? look(null) : zoom(zoomed === "in" ? 0.7 : 1 / 0.7);
  if (on(event)?.id === "stop-drawing") stop_drawing();
  if (on(event)?.id === "remove") send(`marks/${field("mark").value}/remove`);
});
pen.addEventListener("htmx:configRequest", (event) => {
  if (event.detail.elt === pen && !event.detail.parameters.points) event.detail.parameters.points = text(drawn.points);
});
document.addEventListener("plate-kept", (event) => {
  stop_drawing();
  say(event.detail.told || "Kept.");
});
document.addEventListener("htmx:afterSettle", () => {
  look(sight.view);
  dress();
  paint();
  if (stand.here !== null && tool() === "measure") step_to(stand.here);
});

if (window.location.hash === "#marks") every("[name=tab][value=marks]")[0].click();
page.dataset.tool = tool();
fit();
dress();
