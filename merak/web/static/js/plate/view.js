// The sheet: its layers, and the box of it that is seen, in millimetres.

export const page = document.getElementById("plate-page");
export const told = document.getElementById("told");
export const pen = document.getElementById("pen");
export const watching = "watch" in page.dataset;
export const sheet = () => document.getElementById("sheet");
export const tool = () => document.querySelector("[name=tab]:checked").value;
export const say = (words) => { told.textContent = words; };

export const sight = { view: null };
export const ARROWS = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };

// Layers: hidden ones stay hidden when the plate is drawn anew, and on paper.

export const hidden = () => [...document.querySelectorAll("[data-shows]:not(:checked)")].map((box) => box.dataset.shows);

export function dress() {
  const off = new Set(hidden());
  for (const layer of sheet().querySelectorAll("[data-layer]")) layer.toggleAttribute("hidden", off.has(layer.dataset.layer));
  for (const kind of ["svg", "pdf"]) {
    const query = new URLSearchParams(new FormData(document.getElementById("laying")));
    query.set("hide", [...off].join(","));
    document.getElementById(`as-${kind}`).href = `/visits/${page.dataset.visit}/plate.${kind}?${query}`;
  }
}

// The view: a box in millimetres, kept while the plate is drawn anew.

export const whole = () => sheet().dataset.box.split(" ").map(Number);

export function look(box) {
  sight.view = box;
  sheet().setAttribute("viewBox", (box ?? whole()).map((n) => n.toFixed(2)).join(" "));
}

export function zoom(factor, at) {
  const [x, y, w, h] = sight.view ?? whole();
  const full = whole();
  const width = Math.min(full[2], Math.max(full[2] / 12, w * factor));
  const share = width / w;
  const [cx, cy] = at ?? [x + w / 2, y + h / 2];
  look(width >= full[2] ? null : [cx - (cx - x) * share, cy - (cy - y) * share, width, h * share]);
}

export function pan(dx, dy) {
  const [x, y, w, h] = sight.view ?? whole();
  const [fx, fy, fw, fh] = whole();
  const within = (value, low, high) => Math.min(Math.max(value, low), high);
  look([within(x + dx, fx - w / 2, fx + fw - w / 2), within(y + dy, fy - h / 2, fy + fh - h / 2), w, h]);
}

// Where a pointer is, in millimetres.
export function place(event) {
  const point = new DOMPoint(event.clientX, event.clientY).matrixTransform(sheet().getScreenCTM().inverse());
  return [point.x, point.y];
}
