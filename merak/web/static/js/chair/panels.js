// What opens over the field: one at a time.

import { every } from "../dom.js";
import { all, at, it } from "./chair.js";
import { clock, secondsOf } from "./foresee.js";
import { put, time } from "./paint.js";

export const SHEETS = ["why", "acts", "words", "more", "unlock-why"];

export function open_(id) {
  for (const other of SHEETS) if (at(other)) at(other).hidden = other !== id;
  if (id === "why") {
    const act = it.order[it.state.act], stopped = it.state.status === "halted" || Boolean(it.state.owed);
    put("first-act", act.halt);
    put("why-owed", it.state.owed ? `Heat word ${it.limits.heat_never} is an incident: it is written before anything goes on.` : "");
    put(at("why-title").firstChild, stopped ? "Stopped. " : "What went wrong? ");
    at("why").dataset.asked = stopped ? "" : "yes";
    all("[data-card]").forEach((key) => { key.style.order = act.cards.indexOf(key.dataset.card); });
    if (it.state.owed) show("Burn");
  }
  if (id === "acts") { at("leaving").hidden = true; it.going = null; }
  it.paint();
}

export const turn = (id) => (at(id).hidden ? open_(id) : shut(id));

export function shut(id) {
  at(id).hidden = true;
  at(id).dataset.asked = "";
}

export function show(title) {
  it.card = title;
  all("[data-card]").forEach((key) => key.setAttribute("aria-selected", String(key.dataset.card === title)));
  all("[data-card-of]").forEach((one) => { one.hidden = one.dataset.cardOf !== title; });
  at("incident").hidden = !title;
}

// To another act from the list. A running act is left only on a second tap that says so.
export function goTo(n) {
  if (n === it.state.act) return shut("acts");
  if (!["running", "paused"].includes(it.state.status)) return;
  const run = it.state.acts[it.state.act], act = it.order[it.state.act];
  const runs = it.state.status === "running" && run.begun && run.on && !act.keeps && it.going !== n;
  if (runs) {
    it.going = n;
    put("leaving-says", `${act.title} is running${act.wanted.length ? `, ${run.strokes} counted` : `, ${clock(secondsOf(it.state, it.state.act, it.now()))} on its clock`}.`);
    put("leaving-yes", `Leave it for ${it.order[n].title}`);
    at("leaving").hidden = false;
    return;
  }
  it.tap("go", n);
  shut("acts");
}

// What stands once it was stopped or ended: how to go on, what was written, the way back.
export function paintStopped(ended) {
  const stopped = it.state.status === "halted" || Boolean(it.state.owed);
  if (stopped && !it.watching && at("why").hidden) open_("why");
  if (!stopped && !at("why").hidden && at("why").dataset.asked !== "yes") shut("why");
  at("go-on").hidden = !stopped || Boolean(it.state.owed);
  at("leave-act").hidden = !stopped || Boolean(it.state.owed) || !it.state.acts[it.state.act].begun;
  at("end-visit").hidden = !stopped || Boolean(it.state.owed);
  at("why-means").hidden = !stopped || Boolean(it.state.owed);
  all(".reasons")[0].hidden = !stopped;
  all("[data-why]").forEach((key) => key.setAttribute("aria-checked", String(key.dataset.why === it.state.why)));
  at("ended").hidden = !ended;
  at("ended").classList.toggle("chosen", ended);
  const times = it.state.endings.map((one) => `${one.reason ? `stopped, ${one.reason}` : "ended"} ${time(one.at)}${one.back ? `, taken back ${time(one.back)}` : ""}`);
  put("ended-says", times.join(" · "));
  written();
}

// The incidents that were written; one written by mistake is struck out with a reason. An item that says the same stays as it is: the
// server's word on an incident must not take away the reason that somebody is typing.
function written() {
  const list = at("written"), there = new Map(every("li", list).map((item) => [item.dataset.says, item]));
  const items = it.state.incidents.map((one) => there.get(saysOf(one)) ?? incident(one));
  if (items.length !== list.children.length || items.some((item, n) => item !== list.children[n])) list.replaceChildren(...items);
}

const wordsOf = (one) => `${one.card || "Incident"}, grade ${one.grade}${one.zone ? `, ${one.zone}` : ""}: ${one.done}`;
const saysOf = (one) => [one.id, wordsOf(one), one.struck, it.watching].join(" · ");

function incident(one) {
  const item = document.createElement("li"), words = document.createElement(one.struck ? "s" : "span");
  item.dataset.says = saysOf(one);
  words.textContent = wordsOf(one);
  item.append(words);
  if (one.struck) item.append(`struck out, ${one.struck}`);
  else if (!it.watching) {
    const why = document.createElement("input"), key = document.createElement("button");
    Object.assign(why, { placeholder: "written by mistake: why", maxLength: 300, ariaLabel: `Why ${one.card} is struck out` });
    Object.assign(key, { type: "button", className: "key", textContent: "Strike out" });
    key.addEventListener("click", () => (why.value.trim().length >= 5 ? it.tap("strike", null, why.value, { incident: one.id }) : why.focus()));
    item.append(why, key);
  }
  return item;
}
