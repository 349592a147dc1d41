// What every page needs: the changed field's name for the server, keys on drawn buttons, the keys sheet, honest words without a network.

import { around, byId, control, every, formOf, isControl, typed } from "./dom.js";

document.addEventListener("htmx:configRequest", (event) => {
  const from = event.detail.triggeringEvent?.target;
  if (from?.name) event.detail.headers["X-Changed"] = from.name;
});

document.addEventListener("keydown", (event) => {
  const drawn = around(event, "svg [role=button]");
  if (drawn && (event.key === "Enter" || event.key === " ")) {
    event.preventDefault();
    drawn.dispatchEvent(new MouseEvent("click", { bubbles: true }));
  }
  const keys = document.getElementById("keys");
  if (event.key === "?" && !typed(event) && keys instanceof HTMLDialogElement) keys.showModal();
  if (event.key === "Escape") close_panel();
});

function close_panel() {
  const panel = document.getElementById("panel");
  if (panel) panel.hidden = true;
}

document.addEventListener("click", (event) => {
  if (around(event, "[data-close]")) {
    close_panel();
    const dialog = around(event, "dialog");
    if (dialog instanceof HTMLDialogElement) dialog.close();
  }
  const opens = around(event, "[data-open]");
  if (opens) byId(opens.dataset.open ?? "", HTMLDialogElement).showModal();
});

document.addEventListener("htmx:afterSwap", (event) => {
  if (event.detail.target.id === "panel") {
    event.detail.target.hidden = false;
    event.detail.target.querySelector("[data-close]")?.focus();
  }
});

const offline = document.getElementById("offline");
if (offline && !document.querySelector("[data-keep]")) {
  document.addEventListener("htmx:sendError", () => {
    offline.textContent = "No connection. What you typed is still on this page; it is sent with the next change once the connection is back.";
    offline.hidden = false;
  });
  document.addEventListener("htmx:afterOnLoad", () => { offline.hidden = true; });
}

// A form that asks in words before it does something that cannot be taken back.
document.addEventListener("submit", (event) => {
  const words = formOf(event).dataset.sure;
  if (words && !window.confirm(words)) event.preventDefault();
});

// Widths in proportion to time; the policy allows no style attribute.
/** @param {Element | Document} root */
function grow(root) {
  for (const item of every("[data-grow]", root)) item.style.flex = `${item.dataset.grow} 1 0`;
}
grow(document);
document.addEventListener("htmx:load", (event) => grow(event.detail.elt));
document.addEventListener("htmx:oobAfterSwap", () => grow(document));

// What is unfolded stays so when it is drawn anew.
/** @type {string[]} */
let opened = [];
document.addEventListener("htmx:beforeSwap", () => { opened = every("details[id][open]").map((one) => one.id); });
document.addEventListener("htmx:afterSettle", () => { for (const id of opened) document.getElementById(id)?.setAttribute("open", ""); });

document.addEventListener("click", (event) => { if (around(event, "[data-print]")) window.print(); });

// What is typed or ticked while an earlier answer is under way outlives that answer: the page that comes back does not know of it yet.
// Only where its form stays, which sends it next; in a form that is itself drawn anew it would be seen and never sent.
/** When each control was touched, ms of the page's own clock. @type {Map<import("./dom.js").Control, number>} */
const touched = new Map();
/** @type {{ old: import("./dom.js").Control, at: number, form: HTMLFormElement | null, open: boolean }[]} */
let since = [];
for (const kind of ["input", "change"]) {
  document.addEventListener(kind, (event) => {
    const one = control(event);
    if (one?.name) touched.set(one, performance.now());
  }, true);
}
document.addEventListener("htmx:beforeRequest", ({ detail }) => { detail.requestConfig.began = performance.now(); });
document.addEventListener("htmx:beforeSwap", ({ detail }) => {
  const began = detail.requestConfig?.began ?? Infinity;
  for (const control of touched.keys()) if (!control.isConnected) touched.delete(control);
  since = [...touched].filter(([, at]) => at > began).map(([old, at]) => ({ old, at, form: old.form, open: old.closest("details")?.open ?? false }));
});
function restore() {
  for (const { old, at, form, open } of since) {
    if (old.isConnected || old.type === "file" || !form?.isConnected) continue;
    const ticked = ["radio", "checkbox"].includes(old.type);
    const same = [...document.getElementsByName(old.name)].filter(isControl);
    const now = same.find((one) => one.form === form && (!ticked || one.value === old.value));
    if (!now) continue;
    if (old instanceof HTMLInputElement && now instanceof HTMLInputElement && ticked) now.checked = old.checked;
    else now.value = old.value;
    const fold = now.closest("details");
    if (open && fold) fold.open = true;
    touched.set(now, at);
  }
}
document.addEventListener("htmx:afterSwap", restore);
document.addEventListener("htmx:oobAfterSwap", restore);
