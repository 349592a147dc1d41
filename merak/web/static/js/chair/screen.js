// The chair's figures, painted from the state alone; its clock, alarm and main act, four times a second.

import { all, at, button, chair, it } from "./chair.js";
import { clock, over, secondsOf } from "./foresee.js";
import { arming, mainAct } from "./main_act.js";
import { put } from "./paint.js";
import { paintStopped } from "./panels.js";
import { paintAsked } from "./questions.js";
import * as sound from "./sound.js";
import { dots, seenWords } from "./seen.js";
import { anywhere } from "./walk.js";
import { whereNow } from "./where.js";

export function paint() {
  const n = it.state.act, act = it.order[n], run = it.state.acts[n], ended = over(it.state), begun = run.begun;
  const counted = act.wanted.length > 0 && !ended && begun && !run.lock;
  put("title", ended ? (it.state.status === "finished" ? "Finished" : "Stopped") : act.title);
  put("instruction", ended ? (it.state.reason ? `Because of: ${it.state.reason}.` : it.state.status === "finished" ? "Everything is on the record." : "No reason was given.") : begun && run.lock?.kind === "licence" ? `${run.lock.words} ${run.lock.action} ${(it.held[act.licence] || []).join(", ")}` : act.instruction);
  put("nth", `${n + 1} of ${it.order.length}`);
  at("counting").hidden = !counted;
  const spot = it.painter.spot(it.state);
  at("still").hidden = counted || ended || spot.due;
  chair.classList.toggle("grading", Boolean(spot.due) && !ended);
  at("levels").hidden = !act.lines.length || ended || !begun;
  const { part, words } = whereNow(it.order, it.state);
  it.painter.plate(it.state);
  it.painter.warmth(it.state, part);
  dots(n);
  if (counted) { put("count", String(run.strokes)); put("of", anywhere(act) ? "seen" : "of"); put("total", anywhere(act) ? "" : String(act.wanted.reduce((a, b) => a + b, 0) * act.passes)); }
  const wipe = act.clean_every && counted ? ` · wipe in ${Math.max(0, act.clean_every - run.since_clean)}` : "";
  const set = (name, value, unit) => (unit === "level" ? `${name} level ${value}` : `${name} ${value} ${unit}`);
  const dials = act.lines.length || ended ? [] : act.dials;
  const dial = dials.map(([name, value, unit]) => set(name, Number((run.set_to ?? value).toFixed(3)), unit)).join(" · ");
  put("line", [counted ? (anywhere(act) ? seenWords() : words) + wipe : "", dial].filter(Boolean).join(" · "));
  for (const [whole, of] of [["words-title", "title"], ["words-line", "line"], ["words-whole", "instruction"]]) put(whole, at(of).textContent);
  if (act.lines.length && begun) level(act, run);
  const working = ["running", "paused"].includes(it.state.status);
  put("pause", it.state.status === "paused" ? "paused" : "pause");
  button("pause").disabled = it.state.status !== "running" || it.watching;
  button("undo").disabled = !act.wanted.length || ended || !begun || !run.strokes || it.watching || it.state.status === "halted";
  at("pass").hidden = !counted || act.passes < 2 || run.next === null || run.complete || !run.missed;
  at("photo").hidden = !act.mirror || ended || it.watching;
  button("stop").disabled = !working || it.watching;
  const pressed = (row, value) => row.querySelectorAll("[data-value]").forEach((key) => key.setAttribute("aria-pressed", String(value !== null && Number(key.dataset.value) === value)));
  pressed(at("heat"), begun ? run.heat : null);
  pressed(at("pain"), begun ? run.pain : null);
  all("[data-look]").forEach((key) => key.setAttribute("aria-checked", String(it.look[key.dataset.look] === Number(key.dataset.value))));
  all("[data-zone]").forEach((key) => key.setAttribute("aria-pressed", String(it.where === key.dataset.zone)));
  put("draft", it.draft.toFixed(1));
  put("aim", it.aimed ? `dot ${Math.round(it.limits.below_mm)} mm above` : "dot on the place");
  at("aim").setAttribute("aria-pressed", String(it.aimed));
  machineLine(act);
  const others = begun && act.licence && !it.me.licences.includes(act.licence) && !it.watching;
  put("said", it.state.unheard || (others && !ended && it.limits.hands) || (begun && run.said.length && !ended ? `said: ${run.said.slice(-3).join(", ")}` : ""));
  put("holder", it.state.holder ? `in hand: ${it.state.holder}` : "");
  put("voice", it.voice.on ? "voice on" : "voice off");
  at("voice").setAttribute("aria-pressed", String(it.voice.on));
  paintStopped(ended);
  tick();
}

// The level for the lit line, what was planned there, and how far it is to the ceiling.
function level(act, run) {
  const most = Math.max(...act.lines.map((one) => one.level));
  const planned = run.next !== null && act.lines[run.next] ? act.lines[run.next].level : most;
  const is = Math.max(1, planned + run.level_shift), left = Math.max(0, act.level_most - most - run.level_shift);
  put("level", String(is));
  put("level-planned", `planned ${planned} · ${left > 0 ? `${left} to the ceiling` : "at the ceiling"}`);
  document.querySelector(".levels").classList.toggle("raised", run.level_shift > 0);
}

function machineLine(act) {
  const box = it.state.instrument, lost = it.state.machine === "lost";
  const says = box && box.plugged ? `${box.name}: ${box.at ?? "–"} ${box.scale} · ${box.pulses} pulses${box.wants_wiping ? " · wants wiping" : ""}` : act.machine_name;
  put("machine-says", at("machine").dataset.says || (lost ? `${act.machine_name} is lost` : it.state.machine === "plugged" ? says : `${act.machine_name}, by hand`));
  at("attach").hidden = it.state.machine === "plugged" || (Boolean(act.licence) && !it.me.licences.includes(act.licence));
  at("by-hand").hidden = !["plugged", "lost"].includes(it.state.machine);
}

export function tick() {
  if (!it.state) return;
  const n = it.state.act, act = it.order[n], seconds = secondsOf(it.state, n, it.now()), said = it.painter.alarm(it.state);
  const late = act.must_end && seconds >= act.seconds && !over(it.state), shown = clock(act.must_end && !late ? act.seconds - seconds : seconds);
  put("clock", shown);
  put("still", shown);
  for (const figure of [at("clock"), at("still")]) {
    figure.classList.toggle("over", late);
    figure.classList.toggle("left", act.must_end && !late);
  }
  put("planned", act.must_end && !late ? `${clock(act.seconds)} left` : clock(act.seconds));
  if (act.must_end && it.state.status === "running") countDown(n, Math.ceil(act.seconds - seconds));
  put("alarm", said.words);
  at("alarm").dataset.kind = said.kind;
  at("alarm").classList.toggle("long", said.words.length > 90 && said.words.length <= 150);
  at("alarm").classList.toggle("longer", said.words.length > 150);
  chair.classList.toggle("flash", Boolean(said.flash));
  if (said.kind && said.key !== it.rang) { it.rang = said.key; ({ stop: said.flash ? sound.timeIsUp : sound.stopNow, ask: sound.askNow }[said.kind] || (() => {}))(); if (said.kind === "stop") it.voice.say(said.words); }
  if (!said.kind) it.rang = "";
  it.painter.strip(it.state);
  paintAsked(said);
  paintMain();
}

// The last half minute and the last ten seconds of a clock that must not be overrun, spoken once each.
function countDown(n, left) {
  const key = `${n} ${left}`;
  if ([30, 10].includes(left) && it.spoken !== key) { it.spoken = key; it.voice.say(`${left} seconds`); }
}

function paintMain() {
  const main = mainAct();
  put("main-act", arming() ? it.armed.words : main.words);
  button("main-act").disabled = (it.watching && !main.always) || Boolean(main.cannot);
  at("main-act").classList.toggle("halt", arming());
}
