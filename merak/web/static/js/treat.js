// The run at the chair. The server's fold over taps is the truth; here a tap is painted at once, queued, sent, and the server's own
// state is painted over it. The parts: the line to the server, what a tap will do, how it is painted, keys, sounds.

const chair = document.getElementById("chair");
// STOP that is hit while the rest is still loading is heard.
let early = false;
document.getElementById("stop").addEventListener("click", () => { early = true; }, { once: true });
const [{ Line, uuid7 }, sight, { Painter, put, time }, { Keys }, sound] = await Promise.all(
  ["line", "foresee", "paint", "keys", "sound"].map((name) => import(chair.dataset[name])));
const { order, limits, me, held, state: first } = JSON.parse(document.getElementById("told").textContent);
const { foresee, opened, secondsOf, clock, over } = sight;
const book = { acts: order, limits };
const watching = "watch" in chair.dataset;
const at = (id) => document.getElementById(id);
const all = (what) => [...document.querySelectorAll(what)];
const voice = new sound.Voice();
const ASKS = ["saying", "heat", "warm", "pain", "spot", "machine"];
const SHEETS = ["why", "acts", "more", "unlock-why"];

// The server's time as it was told, carried on by the page's own steady clock: no clock that is set meanwhile moves it.
let told = { at: Date.now(), mono: performance.now() };
let state = null, armed = { at: -9999, words: "" }, rang = "", spoken = "", draft = 38, aimed = true;
let look = { redness: null, swelling: null, mark: 0 }, where = "right jawline", grade = 1, card = "", going = null;
// What is asked: the one that is due, until another is chosen; a new thing due takes its place again.
let chosen = { act: -1, key: "", due: "" };
// The act and moment of the last count, and when this key last led into an act: one press too many must not leave it.
let last = { act: -1, at: -9999 }, entered = -9999;

const now = () => told.at + performance.now() - told.mono;
const painter = new Painter(order, limits, { clock, secondsOf, over, now });
const line = new Line(chair.dataset.visit, chair.dataset.me, chair.dataset.csrf, take, (words, failed, refused) => {
  put("sent", words);
  at("sent").classList.toggle("late", failed);

  at("aside").hidden = !refused.length;
  put("aside-says", refused.map((one) => `${one.kind.replace("_", " ")}, ${time(one.at)}: ${one.why}`).join(" · "));
});

function take(fresh, queue) {
  told = { at: Date.parse(fresh.now), mono: performance.now() };
  state = opened(fresh);
  for (const one of queue) foresee(book, state, one, me);
  paint();
}

const NAMED = ["count", "uncount", "pass", "next", "leave", "level", "comfort", "heat", "pain", "reading", "clean", "spot", "spot_read", "unlock", "incident"];
function tap(kind, value = null, words = "", data = null) {
  if (watching || !state) return;
  const made = { id: uuid7(), kind, at: new Date(now()).toISOString(), value, words, act: NAMED.includes(kind) ? state.act : null, data };
  foresee(book, state, made, me);
  paint();
  line.push(made);
}

// The one thing to do next: its words, what it does, whether it can be done.
function mainAct() {
  const n = state.act, act = order[n], run = state.acts[n], to = state.following, titled = to === null ? "" : order[to].title;
  const on = to === null ? { words: "Finish", does: () => { if (!tooSoon()) tap("finish"); } } : { words: `Next: ${titled}`, does: () => { if (!tooSoon()) leave(); } };
  if (over(state)) return { words: "Close the visit", does: () => window.location.assign(`/visits/${chair.dataset.visit}/close`), always: true };
  if (state.status === "ready") return { words: "Start the clock", does: () => tap("start") };
  if (state.owed) return { words: "Write the incident", does: () => open_("why") };
  if (state.status === "halted") return { words: "Stopped: how to go on?", does: () => open_("why") };
  if (run.over) return on;
  if (state.status === "paused" && run.left && to === null) return on;
  if (state.status === "paused") return { words: "Resume", does: () => tap("resume") };
  if (run.lock?.kind === "licence") return me.licences.includes(act.licence) ? { words: `${me.name.split(" ")[0]} takes over`, does: () => tap("take_over") } : { words: `Needs a licence: ${act.licence}`, does: () => {}, cannot: true };
  const giving = !act.licence || me.licences.includes(act.licence), cannot = !giving;
  const spot = painter.spot(state);
  if (spot.shown) {
    if (spot.later) return on;
    if (cannot) return { words: `Needs a licence: ${act.licence}`, does: () => {}, cannot };
    if (spot.due) return { words: look.redness === null || look.swelling === null ? "Grade the spot" : "Keep what is seen", does: readSpot, cannot: look.redness === null || look.swelling === null };
    if (spot.placed) return { words: "Waiting for the spot", does: () => {}, cannot: true };
    return { words: `Place the spot: ${where}`, does: () => tap("spot", null, "", { zone: where }) };
  }
  if (act.clean_every && run.since_clean >= act.clean_every) return { words: "Tip wiped and dried", does: () => tap("clean") };
  if (!run.complete && cannot) return { words: `Needs a licence: ${act.licence}`, does: () => {}, cannot };
  if (!run.complete && run.next !== null) return { words: { strokes: "Stroke", pulses: "Pulse", sections: "Section done" }[act.kind], does: count };
  if (!run.complete) return { words: `Close pass ${run.passes + 1} of ${act.passes}`, does: () => tap("pass") };
  return on;
}

function count() {
  last = { act: state.act, at: performance.now() };
  tap("count");
  const run = state.acts[state.act];
  voice.say(run.strokes);
}

// On; where something was missed, or the cream has not had its time, only on a second press.
function leave() {
  const n = state.act, act = order[n], run = state.acts[n], left = act.seconds - secondsOf(state, n, now());
  const early = act.modality === "numbing" && act.must_end && left > 5 && order[state.following ?? n].beside !== n;
  const why = run.missed && !run.complete ? `${run.missed} missed: press again to leave them` : early ? `${clock(left)} left: press again to end early` : "";
  if (why && !arming()) { armed = { at: performance.now(), words: why }; return paint(); }
  armed.at = -9999;
  tap("next");
}

// One press too many, on the last count or on the act that was just entered.
const tooSoon = () => (last.act === state.act && performance.now() - last.at < 800) || performance.now() - entered < 400;
const arming = () => performance.now() - armed.at < 4000;

function readSpot() {
  tap("spot_read", null, "", { redness: look.redness, swelling: look.swelling, pain: Math.round(state.acts[state.act].pain || 0), mark: Boolean(look.mark) });
  look = { redness: null, swelling: null, mark: 0 };
}

// What may be asked now, the one that is due first; the one that is shown.
function asked(spot, alarm) {
  const n = state.act, act = order[n], run = state.acts[n], ended = over(state);
  if (ended || !run.begun) return { able: [], due: "", shown: "" };
  const free = !run.lock, machine = act.machine && run.lock?.kind !== "licence" && ["running", "paused"].includes(state.status) && !watching;
  const able = ASKS.filter((key) => ({
    saying: act.sayings.length, heat: act.asks.includes("heat") && free, warm: act.heat, pain: act.asks.includes("pain") && (free || spot.due),
    spot: spot.shown, machine,
  })[key]);
  const key = alarm.key || "";
  const due = spot.shown ? "spot" : state.machine === "lost" && machine ? "machine" : key.startsWith("read") ? "warm"
    : key.startsWith("ask") ? (act.asks.includes("heat") ? "heat" : "pain") : "";
  if (chosen.act !== n || (due && due !== chosen.due) || !able.includes(chosen.key)) chosen = { act: n, key: able.includes(due) ? due : able[0] || "", due };
  chosen.due = due;
  return { able, due, shown: chosen.key };
}

function paint() {
  const n = state.act, act = order[n], run = state.acts[n], ended = over(state), begun = run.begun;
  const counted = act.wanted.length > 0 && !ended && begun && !run.lock;
  put("title", ended ? (state.status === "finished" ? "Finished" : "Stopped") : act.title);
  put("instruction", ended ? (state.reason ? `Because of: ${state.reason}.` : state.status === "finished" ? "Everything is on the record." : "No reason was given.") : begun && run.lock?.kind === "licence" ? `${run.lock.words} ${run.lock.act} ${(held[act.licence] || []).join(", ")}` : act.instruction);
  put("nth", `${n + 1} of ${order.length}`);
  at("counting").hidden = !counted;
  const spot = painter.spot(state);
  at("still").hidden = counted || ended || spot.due;
  chair.classList.toggle("grading", Boolean(spot.due) && !ended);
  at("levels").hidden = !act.lines.length || ended || !begun;
  const { part, words } = painter.whereNow(state);
  painter.plate(state);
  painter.warmth(state, part);
  if (counted) { put("count", String(run.strokes)); put("total", String(act.wanted.reduce((a, b) => a + b, 0) * act.passes)); }
  const wipe = act.clean_every && counted ? ` · wipe in ${Math.max(0, act.clean_every - run.since_clean)}` : "";
  const dial = act.dials.length && !act.lines.length && !ended ? act.dials.map(([name, value, unit]) => (unit === "level" ? `${name} level ${run.set_to ?? value}` : `${name} ${run.set_to ?? value} ${unit}`)).join(" · ") : "";
  put("line", [counted ? words + wipe : "", dial].filter(Boolean).join(" · "));
  if (act.lines.length && begun) level(act, run);
  const working = ["running", "paused"].includes(state.status);
  put("pause", state.status === "paused" ? "paused" : "pause");
  at("pause").disabled = state.status !== "running" || watching;
  at("undo").disabled = !act.wanted.length || ended || !begun || !run.strokes || watching || state.status === "halted";
  at("pass").hidden = !counted || act.passes < 2 || run.next === null || run.complete || !run.missed;
  at("photo").hidden = !act.mirror || ended || watching;
  at("stop").disabled = !working || watching;
  const pressed = (row, value) => row.querySelectorAll("[data-value]").forEach((key) => key.setAttribute("aria-pressed", String(value !== null && Number(key.dataset.value) === value)));
  pressed(at("heat"), begun ? run.heat : null);
  pressed(at("pain"), begun ? run.pain : null);
  all("[data-look]").forEach((key) => key.setAttribute("aria-checked", String(look[key.dataset.look] === Number(key.dataset.value))));
  all("[data-zone]").forEach((key) => key.setAttribute("aria-pressed", String(where === key.dataset.zone)));
  put("draft", draft.toFixed(1));
  put("aim", aimed ? `dot ${Math.round(limits.below_mm)} mm above` : "dot on the place");
  at("aim").setAttribute("aria-pressed", String(aimed));
  machineLine(act);
  const others = begun && act.licence && !me.licences.includes(act.licence) && !watching;
  put("said", state.unheard || (others && !ended && limits.hands) || (begun && run.said.length && !ended ? `said: ${run.said.slice(-3).join(", ")}` : ""));
  put("holder", state.holder ? `in hand: ${state.holder}` : "");
  put("voice", voice.on ? "voice on" : "voice off");
  at("voice").setAttribute("aria-pressed", String(voice.on));
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

// What stands once it was stopped or ended: how to go on, what was written, the way back.
function paintStopped(ended) {
  const stopped = state.status === "halted" || Boolean(state.owed);
  if (stopped && !watching && at("why").hidden) open_("why");
  if (!stopped && !at("why").hidden && at("why").dataset.asked !== "yes") shut("why");
  at("go-on").hidden = !stopped || Boolean(state.owed);
  at("leave-act").hidden = !stopped || Boolean(state.owed) || !state.acts[state.act].begun;
  at("end-visit").hidden = !stopped || Boolean(state.owed);
  at("why-means").hidden = !stopped || Boolean(state.owed);
  document.querySelector(".reasons").hidden = !stopped;
  all("[data-why]").forEach((key) => key.setAttribute("aria-checked", String(key.dataset.why === state.why)));
  at("ended").hidden = !ended;
  at("ended").classList.toggle("chosen", ended);
  const times = state.endings.map((one) => `${one.reason ? `stopped, ${one.reason}` : "ended"} ${time(one.at)}${one.back ? `, taken back ${time(one.back)}` : ""}`);
  put("ended-says", times.join(" · "));
  written();
}

// The incidents that were written; one written by mistake is struck out with a reason.
function written() {
  const list = at("written"), key = JSON.stringify(state.incidents);
  if (list.dataset.shown === key) return;
  list.dataset.shown = key;
  list.replaceChildren(...state.incidents.map((one) => {
    const item = document.createElement("li"), words = document.createElement(one.struck ? "s" : "span");
    words.textContent = `${one.card || "Incident"}, grade ${one.grade}${one.zone ? `, ${one.zone}` : ""}: ${one.done}`;
    item.append(words);
    if (one.struck) item.append(`struck out, ${one.struck}`);
    else if (!watching) {
      const why = document.createElement("input"), key = document.createElement("button");
      Object.assign(why, { placeholder: "written by mistake: why", maxLength: 300, ariaLabel: `Why ${one.card} is struck out` });
      Object.assign(key, { type: "button", className: "key", textContent: "Strike out" });
      key.addEventListener("click", () => (why.value.trim().length >= 5 ? tap("strike", null, why.value, { incident: one.id }) : why.focus()));
      item.append(why, key);
    }
    return item;
  }));
}

function machineLine(act) {
  const box = state.instrument, lost = state.machine === "lost";
  const says = box && box.plugged ? `${box.name}: ${box.at ?? "–"} ${box.scale} · ${box.pulses} pulses${box.wants_wiping ? " · wants wiping" : ""}` : act.machine_name;
  put("machine-says", at("machine").dataset.says || (lost ? `${act.machine_name} is lost` : state.machine === "plugged" ? says : `${act.machine_name}, by hand`));
  at("attach").hidden = state.machine === "plugged" || (Boolean(act.licence) && !me.licences.includes(act.licence));
  at("by-hand").hidden = !["plugged", "lost"].includes(state.machine);
}

function paintAsked(alarm) {
  const spot = painter.spot(state), { able, due, shown } = asked(spot, alarm), run = state.acts[state.act];
  const zone = Object.values(run.warmth || {}).at(-1);
  const latest = { heat: run.heat, pain: run.pain, warm: zone ? zone.last.toFixed(1) : null, saying: null };
  for (const key of ASKS) {
    const tab = chair.querySelector(`[data-ask="${key}"]`), panel = at(key);
    tab.hidden = !able.includes(key) || (able.length < 2 && key !== "machine");
    tab.setAttribute("aria-selected", String(shown === key));
    tab.classList.toggle("due", due === key);
    put(chair.querySelector(`[data-ask-last="${key}"]`), latest[key] === null || latest[key] === undefined ? "" : String(latest[key]));
    panel.hidden = !able.includes(key);
    panel.classList.toggle("chosen", shown === key);
  }
}

function tick() {
  if (!state) return;
  const n = state.act, act = order[n], seconds = secondsOf(state, n, now()), said = painter.alarm(state);
  const late = act.must_end && seconds >= act.seconds && !over(state), shown = clock(act.must_end && !late ? act.seconds - seconds : seconds);
  put("clock", shown);
  put("still", shown);
  for (const figure of [at("clock"), at("still")]) {
    figure.classList.toggle("over", late);
    figure.classList.toggle("left", act.must_end && !late);
  }
  put("planned", act.must_end && !late ? `${clock(act.seconds)} left` : clock(act.seconds));
  if (act.must_end && state.status === "running") countDown(n, Math.ceil(act.seconds - seconds));
  put("alarm", said.words);
  at("alarm").dataset.kind = said.kind;
  at("alarm").classList.toggle("long", said.words.length > 90 && said.words.length <= 150);
  at("alarm").classList.toggle("longer", said.words.length > 150);
  chair.classList.toggle("flash", Boolean(said.flash));
  if (said.kind && said.key !== rang) { rang = said.key; ({ stop: said.flash ? sound.timeIsUp : sound.stopNow, ask: sound.askNow }[said.kind] || (() => {}))(); if (said.kind === "stop") voice.say(said.words); }
  if (!said.kind) rang = "";
  painter.strip(state);
  paintAsked(said);
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

function mainPressed() {
  const main = mainAct(), here = state.act;
  if (!main.cannot && (!watching || main.always)) main.does();
  if (state.act !== here) entered = performance.now();
}

// What opens over the field: one at a time.
function open_(id) {
  for (const other of SHEETS) if (at(other)) at(other).hidden = other !== id;
  if (id === "why") {
    const act = order[state.act], stopped = state.status === "halted" || Boolean(state.owed);
    put("first-act", act.halt);
    put("why-owed", state.owed ? "Heat word 4 is an incident: it is written before anything goes on." : "");
    put(at("why-title").firstChild, stopped ? "Stopped. " : "What went wrong? ");
    at("why").dataset.asked = stopped ? "" : "yes";
    all("[data-card]").forEach((key) => { key.style.order = act.cards.indexOf(key.dataset.card); });
    if (state.owed) show("Burn");
  }
  if (id === "acts") { at("leaving").hidden = true; going = null; }
  paint();
}

function shut(id) {
  at(id).hidden = true;
  at(id).dataset.asked = "";
}

function show(title) {
  card = title;
  all("[data-card]").forEach((key) => key.setAttribute("aria-selected", String(key.dataset.card === title)));
  all("[data-card-of]").forEach((one) => { one.hidden = one.dataset.cardOf !== title; });
  at("incident").hidden = !title;
}

// To another act from the list. A running act is left only on a second tap that says so.
function goTo(n) {
  if (n === state.act) return shut("acts");
  if (!["running", "paused"].includes(state.status)) return;
  const run = state.acts[state.act], act = order[state.act];
  const runs = state.status === "running" && run.begun && run.on && !act.keeps && going !== n;
  if (runs) {
    going = n;
    put("leaving-says", `${act.title} is running${act.wanted.length ? `, ${run.strokes} counted` : `, ${clock(secondsOf(state, state.act, now()))} on its clock`}.`);
    put("leaving-yes", `Leave it for ${order[n].title}`);
    at("leaving").hidden = false;
    return;
  }
  tap("go", n);
  shut("acts");
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
  else if (go) goTo(Number(go.dataset.go));
  else if (place && Number(place.closest("[data-act]").dataset.act) === state.act) { last = { act: state.act, at: performance.now() }; tap("count", Number(place.dataset.place)); }
  const seen = event.target.closest("[data-look]"), zone = event.target.closest("[data-zone]"), asks = event.target.closest("[data-ask]");
  const opens = event.target.closest("[data-open-sheet]"), shuts = event.target.closest("[data-shut]");
  if (seen) { look[seen.dataset.look] = Number(seen.dataset.value); paint(); }
  if (zone) { where = zone.dataset.zone; paint(); }
  if (asks) { chosen = { ...chosen, act: state.act, key: asks.dataset.ask }; paint(); }
  if (opens && !watching) at(opens.dataset.openSheet).hidden ? open_(opens.dataset.openSheet) : shut(opens.dataset.openSheet);
  if (shuts) shut(shuts.dataset.shut);
});
const zoneNow = () => painter.whereNow(state).part || order[state.act].parts[0]?.name || "";
at("main-act").addEventListener("click", mainPressed);
at("pause").addEventListener("click", () => tap("pause"));
at("stop").addEventListener("click", () => { tap("halt"); sound.stopNow(); });
at("go-on").addEventListener("click", () => tap("resume"));
at("leave-act").addEventListener("click", () => tap("leave", null, state.why));
at("end-visit").addEventListener("click", () => tap("stop", null, state.why));
at("reopen")?.addEventListener("click", () => tap("reopen"));
at("leaving-yes").addEventListener("click", () => goTo(going));
at("leaving-no").addEventListener("click", () => shut("acts"));
at("aside-again").addEventListener("click", () => line.again());
at("incident-open").addEventListener("click", () => open_("why"));
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
at("why").addEventListener("click", (event) => {
  const because = event.target.closest("[data-why]"), opened = event.target.closest("[data-card]"), graded = event.target.closest("[data-grade]");
  if (because) tap("why", null, because.dataset.why);
  if (opened) show(opened.dataset.card === card ? "" : opened.dataset.card);
  if (graded) { grade = Number(graded.dataset.grade); at("incident").querySelectorAll("[data-grade]").forEach((key) => key.setAttribute("aria-checked", String(Number(key.dataset.grade) === grade))); }
});
at("incident").addEventListener("submit", (event) => {
  event.preventDefault();
  const said = new FormData(event.target), done = said.get("done").trim();
  put("incident-wrong", done.length < 3 ? "What was done? A few words: an empty incident says nothing." : "");
  if (done.length < 3) return event.target.elements.done.focus();
  tap("incident", grade, "", { card, zone: said.get("zone"), done, told: said.get("told") });
  event.target.reset();
  put("photo-says", "Written. A call tomorrow is on the list.");
});
at("unlock-form").addEventListener("submit", (event) => {
  event.preventDefault();
  const words = new FormData(event.target).get("words");
  if (words.trim().length >= 5) { tap("unlock", null, words); event.target.reset(); shut("unlock-why"); }
});

const forward = () => { if (!over(state)) (state.following === null ? tap("finish") : leave()); };
const upDown = (by) => (order[state.act].heat ? ((draft = Math.min(60, Math.max(20, draft + by))), paint()) : tap("level", by));
const shownAsk = (key) => !at(key).hidden;
const KEYS = {
  " ": mainPressed, PageDown: mainPressed, Enter: mainPressed, ArrowRight: mainPressed, ArrowLeft: () => tap("uncount"), Backspace: () => tap("uncount"), PageUp: () => tap("uncount"),
  ArrowUp: () => upDown(0.5), ArrowDown: () => upDown(-0.5), b: () => { if (!over(state) && state.act) tap("back"); },
  p: () => tap(state.status === "paused" ? "resume" : "pause"), n: forward, v: () => { voice.toggle(); paint(); }, "?": () => open_("more"),
  Escape: () => { if (!at("stop").disabled) at("stop").click(); },
};
new Keys((event) => {
  const digit = /^Digit\d$/.test(event.code) || /^Numpad\d$/.test(event.code) ? Number(event.code.at(-1)) : null;
  if (digit === null) return KEYS[event.key];
  if (event.shiftKey) return shownAsk("heat") && digit && digit <= 5 ? () => tap("heat", digit === 5 ? 3.5 : digit) : null;
  if (shownAsk("saying")) { const said = all("#saying [data-words]")[digit - 1]; return said ? () => said.click() : null; }
  return shownAsk("pain") ? () => tap("pain", digit) : null;
}, () => SHEETS.some((id) => !at(id).hidden));

// The screen stays awake; the lock is lost whenever the page is hidden.
const awake = () => { if (!document.hidden) navigator.wakeLock?.request("screen").catch(() => {}); };
document.addEventListener("visibilitychange", awake);
awake();
take(first, line.queue);
draft = Object.values(state.acts[state.act].warmth || {}).at(-1)?.last ?? draft;
paint();
line.seq = first.seq;
line.open();
if (early && !at("stop").disabled) at("stop").click();
setInterval(tick, 250);
