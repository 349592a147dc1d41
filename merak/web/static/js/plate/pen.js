// The pen. What is drawn stays until it is kept or thrown away, whatever the server says of it.

import { byId, isControl } from "../dom.js";
import { towards } from "../head/views.js";
import { ARROWS, field, laid, page, pen, rolled, say, sheet, shownAt, sight, skin, views, whole } from "./view.js";

/** @type {{ points: number[][], cursor: import("./view.js").Place | null }} */
export const drawn = { points: [], cursor: null };
export const shape = () => field("shape").value;
export const text = (list) => list.map(([x, y]) => `${x.toFixed(2)},${y.toFixed(2)}`).join(" ");

export function paint() {
  const ink = byId("ink", SVGGElement);
  const d = drawn.points.length > 1 ? `M${drawn.points.map(([x, y]) => `${x.toFixed(2)} ${y.toFixed(2)}`).join("L")}${shape() === "area" ? "Z" : ""}` : "";
  const dots = drawn.points.length < 40 ? drawn.points.map(([x, y]) => `<circle cx="${x.toFixed(2)}" cy="${y.toFixed(2)}" r="1.1"/>`).join("") : "";
  ink.innerHTML = `<path d="${d}"${shape() === "line" ? ' fill="none"' : ""}/>${dots}`;
  laid(ink);
  field("points").value = text(drawn.points);
  const cross = byId("pen-at", SVGElement);
  cross.toggleAttribute("hidden", !drawn.cursor);
  if (drawn.cursor) cross.setAttribute("transform", `translate(${shownAt(drawn.cursor).map((n) => n.toFixed(2)).join(" ")})`);
}

export function keep() {
  field("points").value = text(drawn.points);
  window.htmx.trigger(pen, "submit");
}

export function stop_drawing() {
  drawn.points = [];
  field("mark").value = "";
  byId("remove", HTMLElement).hidden = true;
  for (const mark of sheet().querySelectorAll(".chosen")) mark.classList.remove("chosen");
  for (const slip of pen.querySelectorAll(".slip")) slip.textContent = "";
  paint();
}

export function add(point) {
  if (field("mark").value) {  // a tap beside a chosen mark lets it go; only a stroke draws it anew
    stop_drawing();
    say("Let go.");
    return;
  }
  drawn.points = shape() === "spot" ? [point] : [...drawn.points, point];
  paint();
  if (shape() === "spot") keep();
  else say(`${drawn.points.length} points. Keep the drawing when it is done.`);
}

// A free-hand line without the points that do not bend it by more than a third of a millimetre.
export function simplified(line) {
  if (line.length < 3) return line;
  const [ax, ay] = line[0];
  const [bx, by] = line[line.length - 1];
  const long = Math.hypot(bx - ax, by - ay);
  let far = 0;
  let at = 0;
  line.forEach(([x, y], n) => {
    const gap = long > 1e-6 ? Math.abs((bx - ax) * (ay - y) - (ax - x) * (by - ay)) / long : Math.hypot(x - ax, y - ay);
    if (gap > far) [far, at] = [gap, n];
  });
  return far < 0.33 ? [line[0], line[line.length - 1]] : [...simplified(line.slice(0, at + 1)).slice(0, -1), ...simplified(line.slice(at))];
}

export function penned(event) {
  if (event.key in ARROWS) {
    const by = event.shiftKey ? 10 : 2;
    const [x, y, w, h] = sight.view ?? whole();
    drawn.cursor ??= skin([x + w / 2, y + h / 2]) ?? [0, 60];
    drawn.cursor = [drawn.cursor[0] + ARROWS[event.key][0] * by, drawn.cursor[1] + ARROWS[event.key][1] * by];
    say(`${Math.abs(drawn.cursor[0]).toFixed(0)} mm ${drawn.cursor[0] < 0 ? "right" : "left"}, ${drawn.cursor[1].toFixed(0)} mm down`);
    if (!rolled() && !views.head.shows(views.head.cell(...drawn.cursor))) views.to(towards(drawn.cursor[0]));
    paint();
  } else if (event.key === "Enter" && drawn.cursor) {
    const end = drawn.points[drawn.points.length - 1];
    if (end && end[0] === drawn.cursor[0] && end[1] === drawn.cursor[1]) keep();
    else add([...drawn.cursor]);
  } else if (event.key === "f") keep();
  else if (event.key === "Backspace") { drawn.points.pop(); paint(); }
  else if (event.key === "Escape") { drawn.cursor = null; stop_drawing(); }
  else return false;
  return true;
}

// What a kind may have: its shapes (the first of them, when the chosen one is none), a grade, a reading; an area has no width.
export function fit() {
  const { shapes, graded, measured } = JSON.parse(page.dataset.fits)[field("kind").value];
  if (!shapes.includes(shape())) [field("shape").value] = shapes;
  for (const radio of pen.querySelectorAll("[name=shape]")) if (radio instanceof HTMLInputElement) radio.disabled = !shapes.includes(radio.value);
  for (const [name, has] of [["grade", graded], ["value", measured], ["size_mm", shape() !== "area"]]) {
    const one = field(name);
    if (isControl(one)) /** @type {HTMLElement} */ (one.closest(".field")).hidden = !has;
    if (!has && name !== "size_mm") one.value = "";
  }
}
