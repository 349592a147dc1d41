// What is typed or tapped without a network is kept in this browser under its giver's name, sent by itself and in order when the network
// is back, each once; moving on waits for it. For pages that say so (data-keep).

import { around, every, formOf } from "./dom.js";

const AGAIN_MS = 3000;
const [place] = every("[data-keep]");
const notice = document.getElementById("offline");
const key = `merak.kept.${place.dataset.keep}`, through = `${key}.through`;
const queue = JSON.parse(localStorage.getItem(key) || "[]");
let sending = false, onward = null, refused = "";

// A name for one request, like no other; also where the page is not served as secure.
const named = () => crypto.getRandomValues(new Uint32Array(4)).join("-");

function keep() {
  localStorage.setItem(key, JSON.stringify(queue));
  const many = `${queue.length} ${queue.length === 1 ? "answer is" : "answers are"} kept here`;
  notice.hidden = !queue.length && !refused;
  notice.textContent = refused || `No connection: ${many} and sent by ${queue.length === 1 ? "itself" : "themselves"} as soon as there is one.${onward ? " Moving on waits for that." : ""}`;
}

function push(path, entries, once) {
  queue.push({ path, entries: entries.filter(([name]) => name !== "csrf"), once });
  keep();
}

// Every request of such a page has a name of its own, so that one sent twice counts once.
document.addEventListener("htmx:configRequest", (event) => { if (event.detail.verb === "post") event.detail.headers["X-Once"] = named(); });
document.addEventListener("htmx:beforeRequest", (event) => {
  const asked = event.detail.requestConfig;
  if (asked.verb !== "post" || !(queue.length || !navigator.onLine)) return;
  event.preventDefault();  // behind those that wait
  took(asked);
});
document.addEventListener("htmx:beforeOnLoad", (event) => {
  const { xhr, requestConfig } = event.detail;
  if (requestConfig.verb === "post" && xhr.getResponseHeader("HX-Redirect")) took(requestConfig, false);
});
document.addEventListener("htmx:sendError", (event) => { if (event.detail.requestConfig.verb === "post") took(event.detail.requestConfig); });

function took(asked, now = true) {
  push(asked.path, [...asked.formData.entries()].map(([name, value]) => [name, String(value)]), asked.headers["X-Once"]);
  const zone = asked.formData.get("zone");
  document.querySelector(`[data-zone="${CSS.escape(zone || "")}"]`)?.classList.add("waits");
  if (now) send();
}

async function send() {
  if (sending || !queue.length) return;
  sending = true;
  try {
    while (queue.length) {
      const one = queue[0], token = JSON.parse(document.body.getAttribute("hx-headers"))["X-CSRF-Token"];
      const headers = { "content-type": "application/x-www-form-urlencoded", "hx-request": "true", "x-csrf-token": token, "x-once": one.once };
      const answer = await fetch(one.path, { method: "POST", headers, body: new URLSearchParams(one.entries), redirect: "manual" });
      const elsewhere = answer.headers.get("HX-Redirect");
      if (elsewhere) return window.location.assign(elsewhere);  // signed out meanwhile: it waits here for its giver
      if (answer.status >= 500 || answer.status === 401) break;
      if (answer.status >= 400) refused = `Something of what waited here was refused (${answer.status}). Look through the page once more.`;
      queue.shift();
      localStorage.setItem(through, String(Date.now()));
      keep();
    }
    if (!queue.length) settle();
  } catch { /* still no network */ }
  sending = false;
  keep();
}

// All of it is kept: on to where one wanted to go, or the page as it stands now, once nobody is typing in it.
function settle() {
  if (onward) return window.location.assign(onward);
  const typing = document.activeElement?.matches?.("input:not([type=radio]):not([type=checkbox]), textarea");
  if (typing) return document.activeElement.addEventListener("blur", () => settle(), { once: true });
  window.htmx.ajax("GET", window.location.href, { target: "#main", select: "#main", swap: "outerHTML" });
}

document.addEventListener("click", (event) => {
  const link = around(event, "a[href]");
  if (!(link instanceof HTMLAnchorElement) || !queue.length || link.getAttribute("href").startsWith("#")) return;
  event.preventDefault();
  onward = link.href;
  keep();
  send();
}, true);
document.addEventListener("submit", (event) => {
  if (!around(event, "[data-keep]") || (!queue.length && navigator.onLine) || formOf(event).matches("[enctype='multipart/form-data']")) return;
  event.preventDefault();
  event.stopPropagation();
  const entries = [...new FormData(formOf(event), event.submitter).entries()].map(([name, value]) => [name, String(value)]);
  const key = event.submitter;
  push(key instanceof HTMLButtonElement && key.formAction || formOf(event).action, entries, named());
  onward ||= window.location.href;
  send();
}, true);
window.addEventListener("online", send);
setInterval(send, AGAIN_MS);
keep();
send();
// An answer that went through after this page was asked for, from the page before it, may not be on it yet.
if (!queue.length && Number(localStorage.getItem(through)) >= performance.timeOrigin) settle();
