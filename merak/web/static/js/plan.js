// The strip in time and the rows of a step: drag a step or a stage, or use keys on it; what had the focus keeps it when they are drawn anew.
import { around, byId, every, typed } from "./dom.js";
import { Views } from "./head/views.js";
import { mirror, taps } from "./zones.js";

const page = () => document.getElementById("plan");
/**
 * @param {string} op
 * @param {Record<string, string>} values
 */
const send = (op, values) => {
  const { value: version } = byId("version", HTMLInputElement), address = `${page().dataset.address}/${op}`;
  return window.htmx.ajax("POST", address, { target: "#plan", swap: "outerHTML", values: { ...values, version } });
};

// The plate on the head, from where it was seen last.
const views = new Views(`plan.${page().dataset.me}`, "0");
views.wear();

// Each page is known by itself: what another window of the same person changed meanwhile is not written over either.
const mine = crypto.getRandomValues(new Uint32Array(4)).join("-");
document.addEventListener("htmx:configRequest", (event) => { event.detail.headers["X-Page"] = mine; });

/**
 * Steps lie side by side, stages one below the other: what moves there, how, and what keys do to it.
 * @typedef {{ kind: string, one: string, moves: string, within: string, op: string, keys: Record<string, [string, Record<string, string>]>,
 *   earlier: (box: DOMRect, event: DragEvent) => boolean }} Movable
 */
/** @type {Movable} */
const STEPS = {
  kind: "step", one: ".step-block[data-step]", moves: ".track-0 .step-block[data-step]", within: ".lane", op: "move",
  keys: { ArrowLeft: ["move", { by: "-1" }], ArrowRight: ["move", { by: "1" }], "+": ["lengthen", { by: "1" }], "=": ["lengthen", { by: "1" }],
    "-": ["lengthen", { by: "-1" }], Delete: ["remove", {}], Backspace: ["remove", {}] },
  earlier: (box, event) => box.left + box.width / 2 < event.clientX,
};
/** @type {Movable} */
const STAGES = {
  kind: "stage", one: ".stage-rows a[data-stage]", moves: "a[data-stage]", within: ".stage-rows", op: "shift",
  keys: { ArrowUp: ["shift", { by: "-1" }], ArrowDown: ["shift", { by: "1" }], "+": ["lengthen", { by: "1" }], "=": ["lengthen", { by: "1" }],
    "-": ["lengthen", { by: "-1" }], a: ["again", {}], Delete: ["leave", {}], Backspace: ["leave", {}] },
  earlier: (box, event) => box.top + box.height / 2 < event.clientY,
};
const ALL = [STEPS, STAGES];

/** What is being dragged, and where. @type {{ id: string, of: Movable } | null} */
let held = null;
let focused = "";

document.addEventListener("dragstart", (event) => {
  const of = ALL.find((one) => around(event, one.one));
  if (!of) return;
  held = { id: around(event, of.one).dataset[of.kind], of };
  event.dataTransfer.effectAllowed = "move";
  event.dataTransfer.setData("text/plain", held.id);
});
document.addEventListener("dragover", (event) => { if (held && around(event, held.of.within)) event.preventDefault(); });
document.addEventListener("drop", (event) => {
  if (!held) return;
  const { id, of } = held, room = around(event, of.within);
  if (!room) return;
  event.preventDefault();
  const others = every(of.moves, room).filter((one) => one.dataset[of.kind] !== id);
  const before = others.filter((one) => of.earlier(one.getBoundingClientRect(), event));
  focused = `${of === STEPS ? "b" : "s"}-${id}`;
  send(of.op, { [of.kind]: id, after: before.at(-1)?.dataset[of.kind] || "" });
  held = null;
});
document.addEventListener("dragend", () => { held = null; });

taps(send);

document.addEventListener("keydown", (event) => {
  if ((event.ctrlKey || event.metaKey) && !typed(event) && ["z", "y", "Z", "Y"].includes(event.key)) {
    event.preventDefault();
    const redo = event.key.toLowerCase() === "y" || event.shiftKey;
    const button = document.querySelector(`[data-op=${redo ? "redo" : "undo"}] button:not(:disabled)`);
    if (button) send(redo ? "redo" : "undo", { stage: document.getElementById("where")?.dataset.stage ?? "" });
    return;
  }
  if (event.ctrlKey || event.metaKey || event.altKey) return;
  const of = ALL.find((one) => around(event, one.one));
  const act = of?.keys[event.key];
  if (!act) {
    if (typed(event)) return;
    if (event.key === "m") mirror();
    else views.key(event.key);
    return;
  }
  event.preventDefault();
  const id = around(event, of.one).dataset[of.kind];
  focused = around(event, of.one).id;
  send(act[0], { [of.kind]: id, ...act[1] });
});

document.addEventListener("htmx:beforeSwap", (event) => {
  if (event.detail.target.id === "plan" && !focused && /^[bsz]-/.test(document.activeElement?.id ?? "")) focused = document.activeElement.id;
});
document.addEventListener("htmx:afterSettle", () => {
  if (focused) document.getElementById(focused)?.focus();
  focused = "";
});

// A field that is being typed in is left alone, whatever came back for it: it is sent with the next change. One that only has the focus
// takes the number that follows from the others, and keeps the focus.
/** @type {EventTarget | null} */
let typing = null;
document.addEventListener("input", (event) => { typing = event.target; });
document.addEventListener("focusin", (event) => { if (event.target !== typing) typing = null; });
document.addEventListener("htmx:oobBeforeSwap", (event) => {
  const { target, fragment } = event.detail;
  if (target !== document.activeElement || !target.matches("input, select")) return;
  event.detail.shouldSwap = false;
  const fresh = fragment.querySelector?.(`#${CSS.escape(target.id)}`) ?? fragment.firstElementChild;
  if (target === typing || !fresh || fresh.value === target.value) return;
  target.value = fresh.value;
  target.select?.();
});
