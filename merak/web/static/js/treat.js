// The run at the chair. The server's fold over taps is the truth; here a tap is painted at once, queued, sent, and the server's own
// state is painted over it. The parts: the line to the server, what a tap will do, how it is painted, sounds.

const chair = document.getElementById("chair");
const [{ Line, uuid7 }, sight, { Painter, put }, sound] = await Promise.all(
  ["line", "foresee", "paint", "sound"].map((name) => import(chair.dataset[name])));
const { order, limits, me, held, state: first } = JSON.parse(document.getElementById("told").textContent);
const { foresee, secondsOf, clock, over } = sight;
const watching = "watch" in chair.dataset;
const at = (id) => document.getElementById(id);
const voice = new sound.Voice();

let offset = 0, state = null, armed = { at: -9999, words: "" }, rang = "", spoken = "", draft = 38, aimed = true;
let look = { redness: null, swelling: null, mark: 0 }, where = "right jawline", grade = 1, card = "";
// The step and moment of the last count: one press too many must not carry the treatment into the next step.
let last = { step: -1, at: 0 };

const now = () => Date.now() + offset;
const painter = new Painter(order, limits, { clock, secondsOf, over, now });
const line = new Line(chair.dataset.visit, chair.dataset.csrf, take, (words, failed) => { put("sent", words); at("sent").classList.toggle("late", failed); });

function take(fresh, queue) {
  const moment = Date.parse(fresh.now);
  offset = moment - Date.now();
  state = { ...fresh, at: moment };
  for (const one of queue) foresee(order, state, one, now(), limits);
  paint();
}

function tap(kind, value = null, words = "", data = null) {
  if (watching || !state) return;
  const named = ["count", "uncount", "pass", "next", "level", "comfort", "heat", "pain", "reading", "clean", "spot", "spot_read", "unlock", "incident"];
  const made = { id: uuid7(), kind, at: new Date(now()).toISOString(), value, words, step: named.includes(kind) ? state.step : null, data };
  foresee(order, state, made, now(), limits);
  paint();
  line.push(made);
}

// The one thing to do next: its words, what it does, whether it can be done.
function mainAct() {
  const n = state.step, step = order[n], run = state.steps[n], to = state.following, titled = to === null ? "" : order[to].title;
  const on = to === null ? { words: "Finish", does: () => { if (!justCounted()) tap("finish"); } } : { words: `Next: ${titled}`, does: () => { if (!justCounted()) leave(); } };
  if (over(state)) return { words: "Close the visit", does: () => window.location.assign(`/visits/${chair.dataset.visit}/close`), always: true };
  if (state.phase === "ready") return { words: "Start the clock", does: () => tap("start") };
  if (state.owed) return { words: "Write the incident", does: () => openWhy() };
  if (state.phase === "halted") return { words: "Stopped: say why", does: () => openWhy() };
  if (run.over) return on;
  if (state.phase === "paused") return { words: "Resume", does: () => tap("resume") };
  if (run.lock?.kind === "licence") return me.licences.includes(step.licence) ? { words: `${me.name.split(" ")[0]} takes over`, does: () => tap("take_over") } : { words: `Needs a licence: ${step.licence}`, does: () => {}, cannot: true };
  const spot = painter.spot(state);
  if (!at("spot").hidden) {
    if (spot.due) return { words: look.redness === null || look.swelling === null ? "Grade the spot" : "Keep what is seen", does: readSpot, cannot: look.redness === null || look.swelling === null };
    if (spot.later) return on;
    if (spot.placed) return { words: "Waiting for the spot", does: () => {}, cannot: true };
    return { words: `Place the spot: ${where}`, does: () => tap("spot", null, "", { zone: where }) };
  }
  if (step.clean_every && run.since_clean >= step.clean_every) return { words: "Tip wiped and dried", does: () => tap("clean") };
  if (!run.complete && run.next !== null) return { words: { strokes: "Stroke", pulses: "Pulse", sections: "Section done" }[step.kind], does: count };
  if (!run.complete) return { words: `Close pass ${run.passes + 1} of ${step.passes}`, does: () => tap("pass") };
  return on;
}

function count() {
  last = { step: state.step, at: performance.now() };
  tap("count");
  const run = state.steps[state.step];
  voice.say(run.strokes);
}

// On; where something was missed, or the cream has not had its time, only on a second press.
function leave() {
  const n = state.step, step = order[n], run = state.steps[n], left = step.seconds - secondsOf(state, n, now());
  const early = step.modality === "numbing" && step.must_end && left > 5 && order[state.following ?? n].beside !== n;
  const why = run.missed && !run.complete ? `${run.missed} missed: press again to leave them` : early ? `${clock(left)} left: press again to end early` : "";
  if (why && !arming()) { armed = { at: performance.now(), words: why }; return paint(); }
  armed.at = -9999;
  tap("next");
}

// One press too many on the last count.
const justCounted = () => last.step === state.step && performance.now() - last.at < 800;
const arming = () => performance.now() - armed.at < 4000;

function readSpot() {
  tap("spot_read", null, "", { redness: look.redness, swelling: look.swelling, pain: Math.round(state.steps[state.step].pain || 0), mark: Boolean(look.mark) });
  look = { redness: null, swelling: null, mark: 0 };
}

function paint() {
  const n = state.step, step = order[n], run = state.steps[n], ended = over(state), begun = run.begun;
  const counted = step.wanted.length > 0 && !ended && begun && !run.lock;
  put("title", ended ? (state.phase === "finished" ? "Finished" : "Stopped") : step.title);
  put("act", ended ? (state.reason ? `Because of: ${state.reason}.` : "Everything is on the record.") : begun && run.lock?.kind === "licence" ? `${run.lock.words} ${run.lock.act} ${(held[step.licence] || []).join(", ")}` : step.act);
  at("counting").hidden = !counted;
  at("levels").hidden = !step.lines.length || ended || !begun;
  at("saying").hidden = !step.sayings.length || ended || !begun;
  const spotted = begun && run.lock?.kind === "spot";
  at("heat").hidden = !step.asks.includes("heat") || ended || !begun || Boolean(run.lock);
  const { part, words } = painter.whereNow(state);
  painter.plate(state);
  painter.warmth(state, part);
  const spot = painter.spot(state);
  at("pain").hidden = !step.asks.includes("pain") || ended || !begun || (Boolean(run.lock) && !spot.due);
  if (counted) { put("count", String(run.strokes)); put("total", String(step.wanted.reduce((a, b) => a + b, 0) * step.passes)); }
  const wipe = step.clean_every && counted ? ` · wipe in ${Math.max(0, step.clean_every - run.since_clean)}` : "";
  const dial = step.dials.length && !step.lines.length && !ended ? step.dials.map(([name, value, unit]) => (unit === "level" ? `${name} level ${run.set_to ?? value}` : `${name} ${run.set_to ?? value} ${unit}`)).join(" · ") : "";
  at("line").hidden = spotted;
  put("line", [counted ? words + wipe : "", dial].filter(Boolean).join(" · "));
  if (step.lines.length && begun) {
    const planned = run.next !== null && step.lines[run.next] ? step.lines[run.next].level : Math.max(...step.lines.map((one) => one.level));
    put("level", String(Math.max(1, planned + run.level_shift)));
  }
  chair.classList.toggle("roomy", at("warm").hidden && at("spot").hidden);
  paintMain();
  const going = ["running", "paused"].includes(state.phase);
  put("pause", state.phase === "paused" ? "paused" : "pause");
  at("pause").disabled = state.phase !== "running" || watching;
  at("undo").hidden = !step.wanted.length || ended;
  at("undo").disabled = !begun || !run.strokes || watching;
  at("pass").hidden = !counted || step.passes < 2 || run.next === null || run.complete || !run.missed;
  at("photo").hidden = !step.mirror || ended || watching;
  at("stop").disabled = !going || watching;
  const pressed = (row, value) => row.querySelectorAll("[data-value]").forEach((key) => key.setAttribute("aria-pressed", String(value !== null && Number(key.dataset.value) === value)));
  pressed(at("heat"), begun ? run.heat : null);
  pressed(at("pain"), begun ? run.pain : null);
  document.querySelectorAll("[data-look]").forEach((key) => key.setAttribute("aria-checked", String(look[key.dataset.look] === Number(key.dataset.value))));
  document.querySelectorAll("[data-zone]").forEach((key) => key.setAttribute("aria-pressed", String(where === key.dataset.zone)));
  put("draft", draft.toFixed(1));
  put("aim", aimed ? `dot ${Math.round(limits.below_mm)} mm above` : "dot on the place");
  at("aim").setAttribute("aria-pressed", String(aimed));
  machineLine(step, ended);
  put("said", begun && run.said.length ? `said: ${run.said.slice(-3).join(", ")}` : "");
  put("holder", state.holder ? `in hand: ${state.holder}` : "");
  put("voice", voice.on ? "voice on" : "voice off");
  at("voice").setAttribute("aria-pressed", String(voice.on));
  if ((state.phase === "halted" || state.owed) && !at("why").open && !watching) openWhy();
  if (state.phase !== "halted" && !state.owed && at("why").open) at("why").close();
  tick();
}

function machineLine(step, ended) {
  at("machine").hidden = !step.machine || ended || state.steps[state.step].lock?.kind === "licence" || !["running", "paused"].includes(state.phase) || watching;
  const box = state.instrument, lost = state.machine === "lost";
  const told = box && box.plugged ? `${box.name}: ${box.at ?? "–"} ${box.scale} · ${box.pulses} pulses${box.wants_wiping ? " · wants wiping" : ""}` : step.machine_name;
  put("machine-says", at("machine").dataset.says || (lost ? `${step.machine_name} is lost` : state.machine === "plugged" ? told : `${step.machine_name}, by hand`));
  at("attach").hidden = state.machine === "plugged";
  at("by-hand").hidden = !["plugged", "lost"].includes(state.machine);
}

function tick() {
  if (!state) return;
  const n = state.step, step = order[n], seconds = secondsOf(state, n, now()), said = painter.alarm(state);
  const late = step.must_end && seconds >= step.seconds && !over(state);
  put("clock", clock(step.must_end && !late ? step.seconds - seconds : seconds));
  at("clock").classList.toggle("over", late);
  at("clock").classList.toggle("left", step.must_end && !late);
  put("planned", step.must_end && !late ? `${clock(step.seconds)} left` : clock(step.seconds));
  if (step.must_end && state.phase === "running") countDown(n, Math.ceil(step.seconds - seconds));
  put("alarm", said.words);
  at("alarm").dataset.kind = said.kind;
  chair.classList.toggle("flash", Boolean(said.flash));
  if (said.kind && said.key !== rang) { rang = said.key; ({ stop: said.flash ? sound.timeIsUp : sound.stopNow, ask: sound.askNow }[said.kind] || (() => {}))(); if (said.kind === "stop") voice.say(said.words); }
  if (!said.kind) rang = "";
  painter.strip(state);
  paintMain();
}

// The last half minute and the last ten seconds of a clock that must not be overrun, spoken once each.
function countDown(n, left) {
  const key = `${n} ${left}`;
  if ([30, 10].includes(left) && spoken !== key) { spoken = key; voice.say(`${left} seconds`); }
}

function paintMain() {
  const main = mainAct();
  put("main-act", arming() ? armed.words : main.words);
  at("main-act").disabled = (watching && !main.always) || Boolean(main.cannot);
  at("main-act").classList.toggle("halt", arming());
}

function act() {
  const main = mainAct();
  if (!main.cannot && (!watching || main.always)) main.does();
}

function openWhy() {
  const step = order[state.step];
  put("first-act", step.halt);
  document.querySelectorAll("[data-card]").forEach((key) => { key.style.order = step.cards.indexOf(key.dataset.card); });
  put("why-owed", state.owed ? "Heat word 4 is an incident: it is written before anything goes on." : "");
  at("go-on").hidden = Boolean(state.owed);
  if (!at("why").open) at("why").showModal();
  if (state.owed) show("Burn");
}

function show(title) {
  card = title;
  document.querySelectorAll("[data-card]").forEach((key) => key.setAttribute("aria-selected", String(key.dataset.card === title)));
  document.querySelectorAll("[data-card-of]").forEach((one) => { one.hidden = one.dataset.cardOf !== title; });
  at("incident").hidden = !title;
}

async function sendPhoto(file, when, zone = "") {
  const form = new FormData();
  form.append("file", file);
  form.append("when", when);
  form.append("zone", zone);
  const said = await line.instrument("/photo", form);
  return said.ok === false ? said.words : "photograph kept";
}

async function ask(place, path, body) {
  const said = await line.instrument(path, body);
  place.dataset.says = said.words || "";
  paint();
  setTimeout(() => { delete place.dataset.says; paint(); }, 6000);
  return said;
}

chair.addEventListener("click", (event) => {
  const key = event.target.closest("[data-tap]"), go = event.target.closest("[data-go]"), place = event.target.closest("[data-place]");
  if (key) tap(key.dataset.tap, key.dataset.value ? Number(key.dataset.value) : null, key.dataset.words || "");
  else if (go && Number(go.dataset.go) !== state.step && ["running", "paused"].includes(state.phase)) tap("go", Number(go.dataset.go));
  else if (place && Number(place.closest("[data-step]").dataset.step) === state.step) { last = { step: state.step, at: performance.now() }; tap("count", Number(place.dataset.place)); }
  const seen = event.target.closest("[data-look]"), zone = event.target.closest("[data-zone]");
  if (seen) { look[seen.dataset.look] = Number(seen.dataset.value); paint(); }
  if (zone) { where = zone.dataset.zone; paint(); }
});
const zoneNow = () => painter.whereNow(state).part || order[state.step].parts[0]?.name || "";
at("main-act").addEventListener("click", act);
at("pause").addEventListener("click", () => tap("pause"));
at("stop").addEventListener("click", () => { tap("halt"); sound.stopNow(); });
at("go-on").addEventListener("click", () => tap("resume"));
at("voice").addEventListener("click", () => { voice.toggle(); paint(); });
at("colder").addEventListener("click", () => { draft = Math.max(20, draft - 0.5); paint(); });
at("warmer").addEventListener("click", () => { draft = Math.min(60, draft + 0.5); paint(); });
at("keep-reading").addEventListener("click", () => tap("reading", draft, "", { zone: zoneNow(), source: "hand" }));
at("aim").addEventListener("click", () => { aimed = !aimed; paint(); });
at("read").addEventListener("click", async () => {
  const said = await ask(at("machine"), "/temperature", { zone: zoneNow(), aim_mm: aimed ? limits.below_mm : 0 });
  if (said.ok) { draft = Math.round(said.value * 2) / 2; voice.say(said.value); }
  put("said", said.words || "");
});
at("attach").addEventListener("click", () => ask(at("machine"), "/machine", {}));
at("photo-file").addEventListener("change", async (event) => { put("said", await sendPhoto(event.target.files[0], "half face")); });
at("incident-photo").addEventListener("change", async (event) => { put("photo-says", await sendPhoto(event.target.files[0], card || "incident")); });
at("why").addEventListener("cancel", (event) => event.preventDefault());
at("why").addEventListener("click", (event) => {
  const because = event.target.closest("[data-stop]"), chosen = event.target.closest("[data-card]"), graded = event.target.closest("[data-grade]");
  if (because) tap("stop", null, because.dataset.stop);
  if (chosen) show(chosen.dataset.card === card ? "" : chosen.dataset.card);
  if (graded) { grade = Number(graded.dataset.grade); at("incident").querySelectorAll("[data-grade]").forEach((key) => key.setAttribute("aria-checked", String(Number(key.dataset.grade) === grade))); }
});
at("incident").addEventListener("submit", (event) => {
  event.preventDefault();
  const said = new FormData(event.target);
  tap("incident", grade, "", { card, zone: said.get("zone"), done: said.get("done"), told: said.get("told") });
  event.target.reset();
  put("photo-says", "Written. A call tomorrow is on the list.");
});
at("unlock")?.addEventListener("click", () => at("unlock-why").showModal());
at("unlock-form").addEventListener("submit", (event) => { const words = new FormData(event.target).get("words"); if (words.trim().length >= 5) tap("unlock", null, words); event.target.reset(); });

const forward = () => { if (!over(state)) (state.following === null ? tap("finish") : leave()); };
const upDown = (by) => (order[state.step].heat ? ((draft = Math.min(60, Math.max(20, draft + by))), paint()) : tap("level", by));
const KEYS = {
  " ": act, PageDown: act, Enter: act, ArrowRight: act, ArrowLeft: () => tap("uncount"), Backspace: () => tap("uncount"), PageUp: () => tap("uncount"),
  ArrowUp: () => upDown(0.5), ArrowDown: () => upDown(-0.5), b: () => { if (!over(state) && state.step) tap("back"); },
  p: () => tap(state.phase === "paused" ? "resume" : "pause"), n: forward, v: () => { voice.toggle(); paint(); }, Escape: () => { if (!at("stop").disabled) at("stop").click(); },
};
document.addEventListener("keydown", (event) => {
  if (event.ctrlKey || event.metaKey || event.altKey || document.querySelector("dialog[open]") || event.target.matches("input:not([type=file])")) return;
  if (event.key === "Enter" && event.target.closest("button, a, label")) return;
  const digit = /^Digit\d$/.test(event.code) || /^Numpad\d$/.test(event.code) ? Number(event.code.at(-1)) : null;
  let does = KEYS[event.key];
  if (digit !== null && event.shiftKey) does = at("heat").hidden || !digit || digit > 5 ? null : () => tap("heat", digit === 5 ? 3.5 : digit);
  else if (digit !== null && !at("saying").hidden) { const said = document.querySelectorAll("#saying [data-words]")[digit - 1]; does = said ? () => said.click() : null; }
  else if (digit !== null && !at("pain").hidden) does = () => tap("pain", digit);
  if (does) { event.preventDefault(); if (event.repeat) return; does(); }
});

// The screen stays awake; the lock is lost whenever the page is hidden.
const awake = () => { if (!document.hidden) navigator.wakeLock?.request("screen").catch(() => {}); };
document.addEventListener("visibilitychange", awake);
awake();
take(first, line.queue);
draft = Object.values(state.steps[state.step].warmth || {}).at(-1)?.last ?? draft;
paint();
line.seq = first.seq;
line.open();
setInterval(tick, 250);
