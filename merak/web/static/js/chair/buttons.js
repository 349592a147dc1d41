// Every button and key of the chair.

import { around, every, formOf } from "../dom.js";
import { all, at, button, chair, it } from "./chair.js";
import { over } from "./foresee.js";
import { Keys } from "./keys.js";
import { leave, mainPressed } from "./main_act.js";
import { put } from "./paint.js";
import { SHEETS, goTo, open_, show, shut, turn } from "./panels.js";
import { choosePart, seenThere } from "./seen.js";
import * as sound from "./sound.js";
import { turnPlate, views } from "./stand.js";
import { anywhere } from "./walk.js";
import { whereNow } from "./where.js";

async function sendPhoto(file, when, zone = "") {
  const form = new FormData();
  form.append("file", file);
  form.append("when", when);
  form.append("zone", zone);
  const said = await it.line.instrument("/photo", form);
  return said.ok === false ? said.words : "photograph kept";
}

/** @param {Event} event the photograph that was chosen */
const chosen = (event) => /** @type {HTMLInputElement} */ (event.target).files[0];

async function ask(place, path, body) {
  const said = await it.line.instrument(path, body);
  place.dataset.says = said.words || "";
  it.paint();
  setTimeout(() => { delete place.dataset.says; it.paint(); }, 6000);
  return said;
}

chair.addEventListener("click", (event) => {
  const key = around(event, "[data-tap]"), go = around(event, "[data-go]"), place = around(event, "[data-place]");
  if (key) it.tap(key.dataset.tap, key.dataset.value ? Number(key.dataset.value) : null, key.dataset.words || "");
  else if (go) goTo(Number(go.dataset.go));
  else if (place && Number(around(event, "[data-act]").dataset.act) === it.state.act) { it.last = { act: it.state.act, at: performance.now() }; it.tap("count", Number(place.dataset.place)); }
  const seen = around(event, "[data-look]"), zone = around(event, "[data-zone]"), asks = around(event, "[data-ask]");
  const opens = around(event, "[data-open-sheet]"), shuts = around(event, "[data-shut]");
  if (seen) { it.look[seen.dataset.look] = Number(seen.dataset.value); it.paint(); }
  if (zone) { it.where = zone.dataset.zone; it.paint(); }
  if (asks) { it.chosen = { ...it.chosen, act: it.state.act, key: asks.dataset.ask }; it.paint(); }
  if (opens && !it.watching) turn(opens.dataset.openSheet);
  if (shuts) shut(shuts.dataset.shut);
});
const zoneNow = () => whereNow(it.order, it.state).part || it.order[it.state.act].parts[0]?.name || "";
at("main-act").addEventListener("click", mainPressed);
at("pause").addEventListener("click", () => it.tap("pause"));
at("stop").addEventListener("click", () => { it.tap("halt"); sound.stopNow(); });
at("go-on").addEventListener("click", () => it.tap("resume"));
at("leave-act").addEventListener("click", () => it.tap("leave", null, it.state.why));
at("end-visit").addEventListener("click", () => it.tap("stop", null, it.state.why));
at("reopen")?.addEventListener("click", () => it.tap("reopen"));
at("leaving-yes").addEventListener("click", () => goTo(it.going));
at("leaving-no").addEventListener("click", () => shut("acts"));
at("aside-again").addEventListener("click", () => it.line.again());
at("incident-open").addEventListener("click", () => open_("why"));
at("voice").addEventListener("click", () => { it.voice.toggle(); it.paint(); });
at("colder").addEventListener("click", () => { it.draft = Math.max(20, it.draft - 0.5); it.paint(); });
at("warmer").addEventListener("click", () => { it.draft = Math.min(60, it.draft + 0.5); it.paint(); });
at("keep-reading").addEventListener("click", () => it.tap("reading", it.draft, "", { zone: zoneNow(), source: "hand" }));
at("aim").addEventListener("click", () => { it.aimed = !it.aimed; it.paint(); });
at("read").addEventListener("click", async () => {
  const said = await ask(at("machine"), "/temperature", { zone: zoneNow(), aim_mm: it.aimed ? it.limits.below_mm : 0 });
  if (said.ok) { it.draft = Math.round(said.value * 2) / 2; it.voice.say(said.value); }
  put("said", said.words || "");
});
at("attach").addEventListener("click", () => ask(at("machine"), "/machine", {}));
at("photo-file").addEventListener("change", async (event) => { put("said", await sendPhoto(chosen(event), "half face")); });
at("incident-photo").addEventListener("change", async (event) => { put("photo-says", await sendPhoto(chosen(event), it.card || "incident")); });
at("why").addEventListener("click", (event) => {
  const because = around(event, "[data-why]"), opened = around(event, "[data-card]"), graded = around(event, "[data-grade]");
  if (because) it.tap("why", null, because.dataset.why);
  if (opened) show(opened.dataset.card === it.card ? "" : opened.dataset.card);
  if (graded) { it.grade = Number(graded.dataset.grade); every("[data-grade]", at("incident")).forEach((key) => key.setAttribute("aria-checked", String(Number(key.dataset.grade) === it.grade))); }
});
at("incident").addEventListener("submit", (event) => {
  event.preventDefault();
  const form = formOf(event), said = Object.fromEntries(new FormData(form)), done = String(said.done).trim();
  put("incident-wrong", done.length < 3 ? "What was done? A few words: an empty incident says nothing." : "");
  if (done.length < 3) return every("[name=done]", form)[0].focus();
  it.tap("incident", it.grade, "", { card: it.card, zone: said.zone, done, told: said.told });
  form.reset();
  put("photo-says", "Written. A call tomorrow is on the list.");
});
at("unlock-form").addEventListener("submit", (event) => {
  event.preventDefault();
  const form = formOf(event), words = String(new FormData(form).get("words"));
  if (words.trim().length >= 5) { it.tap("unlock", null, words); form.reset(); shut("unlock-why"); }
});

const forward = () => { if (!over(it.state)) (it.state.following === null ? it.tap("finish") : leave()); };
const upDown = (by) => (anywhere(it.order[it.state.act]) ? choosePart(by > 0 ? -1 : 1) : it.order[it.state.act].heat ? ((it.draft = Math.min(60, Math.max(20, it.draft + by))), it.paint()) : it.tap("level", by));
const shownAsk = (key) => !at(key).hidden;
const KEYS = {
  " ": mainPressed, PageDown: mainPressed, Enter: mainPressed, ArrowRight: mainPressed, ArrowLeft: () => it.tap("uncount"), Backspace: () => it.tap("uncount"), PageUp: () => it.tap("uncount"),
  ArrowUp: () => upDown(0.5), ArrowDown: () => upDown(-0.5), b: () => { if (!over(it.state) && it.state.act) it.tap("back"); },
  p: () => it.tap(it.state.status === "paused" ? "resume" : "pause"), n: forward, v: () => { it.voice.toggle(); it.paint(); }, "?": () => open_("more"), h: () => turn("words"),
  m: seenThere, t: turnPlate, u: () => views.key("u"), ",": () => views.key(","), ".": () => views.key("."),
  Escape: () => { if (!button("stop").disabled) at("stop").click(); },
};
new Keys((event) => {
  const digit = /^Digit\d$/.test(event.code) || /^Numpad\d$/.test(event.code) ? Number(event.code.at(-1)) : null;
  if (digit === null) return KEYS[event.key];
  if (event.shiftKey) return shownAsk("heat") && digit && digit <= 5 ? () => it.tap("heat", digit === 5 ? it.limits.heat_stop : digit) : null;
  if (shownAsk("saying")) { const said = all("#saying [data-words]")[digit - 1]; return said ? () => said.click() : null; }
  return shownAsk("pain") ? () => it.tap("pain", digit) : null;
}, () => SHEETS.some((id) => !at(id).hidden));
