// The plate under the hand: layers, pan and zoom, the pen, marks that are chosen, moved and removed, and the walk from footprint to footprint.

const page = document.getElementById("plate-page");
const told = document.getElementById("told");
const pen = document.getElementById("pen");
const watching = "watch" in page.dataset;
const sheet = () => document.getElementById("sheet");
const tool = () => document.querySelector("[name=tab]:checked").value;
const say = (words) => { told.textContent = words; };

// --- Layers: hidden ones stay hidden when the plate is drawn anew, and on paper.

const hidden = () => [...document.querySelectorAll("[data-shows]:not(:checked)")].map((box) => box.dataset.shows);

function dress() {
  const off = new Set(hidden());
  for (const layer of sheet().querySelectorAll("[data-layer]")) layer.toggleAttribute("hidden", off.has(layer.dataset.layer));
  for (const kind of ["svg", "pdf"]) {
    const query = new URLSearchParams(new FormData(document.getElementById("laying")));
    query.set("hide", [...off].join(","));
    document.getElementById(`as-${kind}`).href = `/visits/${page.dataset.visit}/plate.${kind}?${query}`;
  }
}

// --- The view: a box in millimetres, kept while the plate is drawn anew.

let view = null;
const whole = () => sheet().dataset.box.split(" ").map(Number);

function look(box) {
  view = box;
  sheet().setAttribute("viewBox", (box ?? whole()).map((n) => n.toFixed(2)).join(" "));
}

function zoom(factor, at) {
  const [x, y, w, h] = view ?? whole();
  const full = whole();
  const width = Math.min(full[2], Math.max(full[2] / 12, w * factor));
  const share = width / w;
  const [cx, cy] = at ?? [x + w / 2, y + h / 2];
  look(width >= full[2] ? null : [cx - (cx - x) * share, cy - (cy - y) * share, width, h * share]);
}

function pan(dx, dy) {
  const [x, y, w, h] = view ?? whole();
  const [fx, fy, fw, fh] = whole();
  const within = (value, low, high) => Math.min(Math.max(value, low), high);
  look([within(x + dx, fx - w / 2, fx + fw - w / 2), within(y + dy, fy - h / 2, fy + fh - h / 2), w, h]);
}

// Where a pointer is, in millimetres.
function place(event) {
  const point = new DOMPoint(event.clientX, event.clientY).matrixTransform(sheet().getScreenCTM().inverse());
  return [point.x, point.y];
}

// --- The pen. What is drawn stays until it is kept or thrown away, whatever the server says of it.

let points = [];
let cursor = null;
const shape = () => pen.elements.shape.value;
const text = (list) => list.map(([x, y]) => `${x.toFixed(2)},${y.toFixed(2)}`).join(" ");

function paint() {
  const ink = document.getElementById("ink");
  const d = points.length > 1 ? `M${points.map(([x, y]) => `${x.toFixed(2)} ${y.toFixed(2)}`).join("L")}${shape() === "area" ? "Z" : ""}` : "";
  const dots = points.length < 40 ? points.map(([x, y]) => `<circle cx="${x.toFixed(2)}" cy="${y.toFixed(2)}" r="1.1"/>`).join("") : "";
  ink.innerHTML = `<path d="${d}"${shape() === "line" ? ' fill="none"' : ""}/>${dots}`;
  pen.elements.points.value = text(points);
  const cross = document.getElementById("pen-at");
  cross.toggleAttribute("hidden", !cursor);
  if (cursor) cross.setAttribute("transform", `translate(${cursor[0].toFixed(2)} ${cursor[1].toFixed(2)})`);
}

function keep() {
  pen.elements.points.value = text(points);
  window.htmx.trigger(pen, "submit");
}

function stop_drawing() {
  points = [];
  pen.elements.mark.value = "";
  document.getElementById("remove").hidden = true;
  for (const mark of sheet().querySelectorAll(".chosen")) mark.classList.remove("chosen");
  for (const slip of pen.querySelectorAll(".slip")) slip.textContent = "";
  paint();
}

function add(point) {
  if (pen.elements.mark.value) {  // a tap beside a chosen mark lets it go; only a stroke draws it anew
    stop_drawing();
    say("Let go.");
    return;
  }
  points = shape() === "spot" ? [point] : [...points, point];
  paint();
  if (shape() === "spot") keep();
  else say(`${points.length} points. Keep the drawing when it is done.`);
}

// A free-hand line without the points that do not bend it by more than a third of a millimetre.
function simplified(line) {
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

// --- Marks: chosen, moved, removed. What changes them goes to the server one after the other.

let last = Promise.resolve();
function send(address, values = {}) {
  const fields = Object.fromEntries(new FormData(document.getElementById("laying")));
  last = last.then(() => window.htmx.ajax("POST", `/visits/${page.dataset.visit}/plate/${address}`, { target: "#plate", source: pen, values: { ...fields, ...values } })).catch(() => {});
  return last;
}

function choose(mark) {
  stop_drawing();
  mark.classList.add("chosen");
  document.querySelector("[name=tab][value=marks]").click();
  const fields = JSON.parse(mark.dataset.fields);
  for (const [name, value] of Object.entries(fields)) pen.elements[name].value = value;
  pen.elements.mark.value = mark.dataset.mark;
  fit();
  points = corners(mark);
  document.getElementById("remove").hidden = watching;
  paint();
  say(`${mark.getAttribute("aria-label")}: chosen.`);
}

// The mark's own points, on this plate.
const corners = (mark) => mark.dataset.points.split(" ").map((pair) => pair.split(",").map(Number));

function refocus(id) {
  document.querySelector(`[data-mark="${id}"]`)?.focus();
}

// --- The walk: footprints in working order.

let here = null;
const walk = () => JSON.parse(document.getElementById("walk").textContent);

function step_to(n) {
  const { cells, sections } = walk();
  if (!cells.length) return;
  here = Math.min(Math.max(n, 0), cells.length - 1);
  const [x, y, section, row] = cells[here];
  const mark = document.getElementById("here");
  mark.setAttribute("d", sections[section].d);
  mark.setAttribute("transform", `translate(${x} ${y})`);
  mark.removeAttribute("hidden");
  if (view) pan(x - view[0] - view[2] / 2, y - view[1] - view[3] / 2);
  say(`${here + 1} of ${cells.length}: ${sections[section].name}, row ${row}, ${Math.abs(x).toFixed(0)} mm ${x < 0 ? "right" : "left"} of the midline`);
}

function next_row(by) {
  const { cells } = walk();
  let n = here ?? 0;
  const [, , section, row] = cells[n] ?? [];
  while (cells[n + by] && cells[n][2] === section && cells[n][3] === row) n += by;
  step_to(n);
}

// --- Keys.

function walked(event) {
  const { cells } = walk();
  const keys = { ArrowRight: () => step_to((here ?? -1) + 1), ArrowLeft: () => step_to((here ?? 1) - 1), ArrowDown: () => next_row(1), ArrowUp: () => next_row(-1), Home: () => step_to(0), End: () => step_to(cells.length - 1) };
  if (!cells.length || !keys[event.key]) return false;
  keys[event.key]();
  return true;
}

const ARROWS = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };

function penned(event) {
  if (event.key in ARROWS) {
    const by = event.shiftKey ? 10 : 2;
    const [x, y, w, h] = view ?? whole();
    cursor ??= [x + w / 2, y + h / 2];
    cursor = [cursor[0] + ARROWS[event.key][0] * by, cursor[1] + ARROWS[event.key][1] * by];
    say(`${Math.abs(cursor[0]).toFixed(0)} mm ${cursor[0] < 0 ? "right" : "left"}, ${cursor[1].toFixed(0)} mm down`);
    paint();
  } else if (event.key === "Enter" && cursor) {
    const end = points[points.length - 1];
    if (end && end[0] === cursor[0] && end[1] === cursor[1]) keep();
    else add([...cursor]);
  } else if (event.key === "f") keep();
  else if (event.key === "Backspace") { points.pop(); paint(); }
  else if (event.key === "Escape") { cursor = null; stop_drawing(); }
  else return false;
  return true;
}

function keyed(event) {
  if (event.target.matches("input:not([type=radio]):not([type=checkbox]), textarea, select")) return;
  const mark = event.target.closest?.("[data-mark]");
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
  else if ((event.key === "u" || (event.key === "z" && (event.ctrlKey || event.metaKey))) && !watching) document.getElementById("undo").click();
  else if (event.target.closest?.("#sheet") && (tool() === "marks" ? !watching && penned(event) : tool() === "measure" && walked(event))) { /* done */ }
  else return;
  event.preventDefault();
  event.stopPropagation();
}

// --- Pointers: finger, pen or mouse. Two fingers pinch; one draws, moves a mark, or moves the sheet.

const down = new Map();
let act = null;

function pressed(event) {
  if (event.button > 1 || !event.target.closest("#sheet")) return;
  down.set(event.pointerId, event);
  event.target.closest("#sheet").setPointerCapture(event.pointerId);
  const mark = event.target.closest("[data-mark]");
  const at = place(event);
  if (down.size === 2) act = { kind: "pinch", gap: gap() };
  else if (event.button === 1 || tool() !== "marks") act = { kind: mark ? "mark" : "pan", mark, from: at, still: true };
  else act = { kind: mark && !points.length ? "mark" : watching ? "pan" : "draw", mark, from: at, still: true, line: [at] };
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
    points = act.line;
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
    points = simplified(line);
    paint();
    keep();
  }
}

document.addEventListener("pointerdown", pressed);
document.addEventListener("pointermove", moved);
document.addEventListener("pointerup", lifted);
document.addEventListener("pointercancel", (event) => { down.delete(event.pointerId); act = null; });
document.addEventListener("wheel", (event) => {
  if (!event.target.closest("#sheet")) return;
  event.preventDefault();
  zoom(event.deltaY < 0 ? 0.85 : 1 / 0.85, place(event));
}, { passive: false });
document.addEventListener("keydown", keyed, true);
document.addEventListener("change", (event) => {
  if (event.target.matches("[data-shows]")) dress();
  if (event.target.name === "tab") page.dataset.tool = event.target.value;
  if (event.target.form === pen && ["kind", "shape"].includes(event.target.name)) {
    fit();
    paint();
  }
});
document.addEventListener("click", (event) => {
  const zoomed = event.target.closest("[data-zoom]")?.dataset.zoom;
  if (zoomed) zoomed === "all" ? look(null) : zoom(zoomed === "in" ? 0.7 : 1 / 0.7);
  if (event.target.id === "stop-drawing") stop_drawing();
  if (event.target.id === "remove") send(`marks/${pen.elements.mark.value}/remove`);
});
pen.addEventListener("htmx:configRequest", (event) => {
  if (event.detail.elt === pen && !event.detail.parameters.points) event.detail.parameters.points = text(points);
});
document.addEventListener("plate-kept", (event) => {
  stop_drawing();
  say(event.detail.told || "Kept.");
});
document.addEventListener("htmx:afterSettle", () => {
  look(view);
  dress();
  paint();
  if (here !== null && tool() === "measure") step_to(here);
});

// What a kind may have: its shapes (the first of them, when the chosen one is none), a grade, a reading; an area has no width.
function fit() {
  const { shapes, graded, measured } = JSON.parse(page.dataset.fits)[pen.elements.kind.value];
  if (!shapes.includes(shape())) [pen.elements.shape.value] = shapes;
  for (const radio of pen.elements.shape) radio.disabled = !shapes.includes(radio.value);
  for (const [name, has] of [["grade", graded], ["value", measured], ["size_mm", shape() !== "area"]]) {
    pen.elements[name].closest(".field").hidden = !has;
    if (!has && name !== "size_mm") pen.elements[name].value = "";
  }
}

if (window.location.hash === "#marks") document.querySelector("[name=tab][value=marks]").click();
page.dataset.tool = tool();
fit();
dress();
