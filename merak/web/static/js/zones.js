// Zones of the open stage: a tap on the drawing adds or takes one, on both sides or, where they are not mirrored, on the side that is
// tapped; by keys it is done in the list of zones, where each side has a box of its own.
import { around, every } from "./dom.js";

const ONE = "A tap takes one side", BOTH = "A tap takes both sides";
let mirrored = true;

/** What the button says, whenever it is drawn anew. */
const told = () => {
  for (const button of every("[data-mirror]")) {
    button.setAttribute("aria-pressed", `${mirrored}`);
    button.textContent = mirrored ? BOTH : ONE;
  }
};

/** A tap on the other side follows, or not. */
export const mirror = () => {
  mirrored = !mirrored;
  told();
};

/** @param {(op: string, values: Record<string, string>) => unknown} send */
export const taps = (send) => {
  document.addEventListener("click", (event) => {
    if (around(event, "[data-mirror]")) return mirror();
    const zone = around(event, "#where [data-zone]"), where = around(event, "#where");
    if (zone && where?.dataset.stage) send("zone", { stage: where.dataset.stage, group: mirrored ? zone.dataset.zone : zone.dataset.key });
  });
  // Before the form is sent, the other side's box follows.
  document.addEventListener("change", ({ target }) => {
    if (!mirrored || !(target instanceof HTMLInputElement) || !target.name.startsWith("zone.")) return;
    for (const box of every("input", target.closest(".sides"))) if (box instanceof HTMLInputElement && !box.disabled) box.checked = target.checked;
  }, { capture: true });
  document.addEventListener("htmx:afterSettle", told);
};
