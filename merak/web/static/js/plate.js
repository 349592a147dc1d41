// The plate under the hand: keys and pointers. What they work on: the view, the pen, marks, and the walk from footprint to footprint.

import { around, byId, control, every, on, typed } from "./dom.js";
import { choose, refocus, send } from "./plate/marks.js";
import { add, fit, drawn, keep, paint, penned, shape, simplified, stop_drawing, text } from "./plate/pen.js";
import { ARROWS, draws, dress, field, look, page, pan, pen, place, rolled, say, sheet, sight, skin, tool, views, watching, zoom } from "./plate/view.js";
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
  else if (event.key === "h" && !event.ctrlKey && !event.metaKey) views.key("u");
  else if ([",", "."].includes(event.key)) views.key(event.key);
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
  const there = skin(at);
  if (down.size === 2) act = { kind: "pinch", gap: gap() };
  else if (event.button === 1 || !draws()) act = { kind: mark ? "mark" : "pan", mark, from: at, still: true };
  else if (mark && !drawn.points.length) act = { kind: "mark", mark, from: at, there, still: true };
  else if (there) act = { kind: "draw", from: at, still: true, line: [there] };
  else say("That is beside the face.");
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
  if (act.kind === "pan" && rolled()) pan(act.from[0] - at[0], act.from[1] - at[1]);
  if (act.kind === "mark" && draws()) act.mark.setAttribute("transform", `translate(${at[0] - act.from[0]} ${at[1] - act.from[1]})`);
  const there = act.kind === "draw" && shape() !== "spot" ? skin(at) : null;
  if (there) {
    act.line.push(there);
    drawn.points = act.line;
    paint();
  }
}

function lifted(event) {
  if (!down.delete(event.pointerId) || !act) return;
  const at = place(event);
  const { kind, mark, still, there, line } = act, to = skin(at);
  act = null;
  if (kind === "mark" && (still || tool() !== "marks")) choose(mark);
  else if (kind === "mark") {
    const moves = there && to && draws() ? send(`marks/${mark.dataset.mark}/move`, { dx: to[0] - there[0], dy: to[1] - there[1] }) : Promise.resolve();
    moves.then(() => mark.removeAttribute("transform"));
  } else if (kind === "draw" && (still || shape() === "spot")) add(still ? line[0] : to ?? line[0]);
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
  if (views.worn?.svg !== sheet()) views.wear();
  look(sight.view);
  dress();
  paint();
  if (stand.here !== null && tool() === "measure") step_to(stand.here);
});

if (window.location.hash === "#marks") every("[name=tab][value=marks]")[0].click();
page.dataset.tool = tool();
fit();
dress();
views.wear();
