// The strip in time: drag a step, or use keys on it; what had the focus keeps it when the strip is drawn anew.
import { around, byId, every, typed } from "./dom.js";

const page = () => document.getElementById("plan");
/**
 * @param {string} op
 * @param {Record<string, string>} values
 */
const send = (op, values) => {
  const { value: version } = byId("version", HTMLInputElement), address = `${page().dataset.address}/${op}`;
  return window.htmx.ajax("POST", address, { target: "#plan", swap: "outerHTML", values: { ...values, version } });
};

// Each page is known by itself: what another window of the same person changed meanwhile is not written over either.
const mine = crypto.getRandomValues(new Uint32Array(4)).join("-");
document.addEventListener("htmx:configRequest", (event) => { event.detail.headers["X-Page"] = mine; });

/** The step that is being dragged. @type {string | null} */
let held = null;
let focused = "";

document.addEventListener("dragstart", (event) => {
  const block = around(event, ".step-block[data-step]");
  if (!block) return;
  held = block.dataset.step;
  event.dataTransfer.effectAllowed = "move";
  event.dataTransfer.setData("text/plain", held);
});
document.addEventListener("dragover", (event) => { if (held && around(event, ".lane")) event.preventDefault(); });
document.addEventListener("drop", (event) => {
  const lane = around(event, ".lane");
  if (!held || !lane) return;
  event.preventDefault();
  const blocks = every(".track-0 .step-block[data-step]", lane).filter((one) => one.dataset.step !== held);
  const before = blocks.filter((one) => { const box = one.getBoundingClientRect(); return box.left + box.width / 2 < event.clientX; });
  focused = `b-${held}`;
  send("move", { step: held, after: before.at(-1)?.dataset.step || "" });
  held = null;
});
document.addEventListener("dragend", () => { held = null; });

document.addEventListener("keydown", (event) => {
  if ((event.ctrlKey || event.metaKey) && !typed(event) && ["z", "y", "Z", "Y"].includes(event.key)) {
    event.preventDefault();
    const redo = event.key.toLowerCase() === "y" || event.shiftKey;
    const button = document.querySelector(`[data-op=${redo ? "redo" : "undo"}] button:not(:disabled)`);
    if (button) send(redo ? "redo" : "undo", {});
    return;
  }
  const step = around(event, ".step-block[data-step]")?.dataset.step;
  if (!step) return;
  const acts = { ArrowLeft: ["move", { by: "-1" }], ArrowRight: ["move", { by: "1" }], "+": ["lengthen", { by: "1" }], "=": ["lengthen", { by: "1" }], "-": ["lengthen", { by: "-1" }], Delete: ["remove", {}], Backspace: ["remove", {}] };
  const act = acts[event.key];
  if (!act) return;
  event.preventDefault();
  focused = `b-${step}`;
  send(act[0], { step, ...act[1] });
});

document.addEventListener("htmx:beforeSwap", (event) => {
  if (event.detail.target.id === "plan" && !focused && document.activeElement?.id?.startsWith("b-")) focused = document.activeElement.id;
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
