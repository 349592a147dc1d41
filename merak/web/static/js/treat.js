// The run at the chair. The server's fold over events is the truth; here a tap is painted at once, queued in this browser,
// sent in order until it is acknowledged, and then the server's own state is painted over it.

const chair = document.getElementById("chair");
const order = JSON.parse(document.getElementById("order").textContent);
const address = `/api/visits/${chair.dataset.visit}/run`;
const kept = `merak.taps.${chair.dataset.visit}`;
const watching = "watch" in chair.dataset;
const at = (id) => document.getElementById(id);

let queue = JSON.parse(localStorage.getItem(kept) || "[]");
// The step and moment of the last stroke: one press too many must not carry the treatment into the next step.
let lastStroke = { step: -1, at: 0 };
let state = null, since = 0, offset = 0, sending = false, failed = "", rang = -1;

// A UUIDv7 (RFC 9562): 48 bits of milliseconds, then chance.
function uuid7() {
  const bytes = crypto.getRandomValues(new Uint8Array(16));
  const ms = Date.now();
  for (let i = 0; i < 6; i++) bytes[i] = Math.floor(ms / 2 ** (40 - 8 * i)) & 0xff;
  bytes[6] = (bytes[6] & 0x0f) | 0x70;
  bytes[8] = (bytes[8] & 0x3f) | 0x80;
  const hex = [...bytes].map((b) => b.toString(16).padStart(2, "0")).join("");
  return hex.replace(/^(.{8})(.{4})(.{4})(.{4})(.{12})$/, "$1-$2-$3-$4-$5");
}

function take(fresh) {
  state = fresh;
  since = performance.now();
  offset = Date.parse(fresh.now) - Date.now();
  for (const tap of queue) foresee(tap);
  paint();
}

// What a tap will do, painted before the server says so. Only what can be seen at once; the server's state replaces it.
function foresee(tap) {
  const run = state.steps[state.step], step = order[state.step];
  settle();
  if (tap.kind === "start" && state.phase === "ready") state.phase = "running";
  if (tap.kind === "stroke" && state.phase === "running" && step.kind === "strokes") run.strokes += 1;
  if (tap.kind === "unstroke") run.strokes = Math.max(0, run.strokes - 1);
  if (tap.kind === "level" && step.lines.length) run.level_shift = clampLevel(step, run.level_shift + tap.value);
  if (tap.kind === "comfort") run.said.push(tap.words);
  if (tap.kind === "pause" && state.phase === "running") state.phase = "paused";
  else if (tap.kind === "resume" && state.phase === "paused") state.phase = "running";
  if (tap.kind === "next" && state.step + 1 < order.length) { state.step += 1; state.phase = "running"; }
  if (tap.kind === "back" && state.step > 0) { state.step -= 1; state.phase = "running"; }
  if (tap.kind === "stop") { state.phase = "stopped"; state.reason = tap.words; }
  if (tap.kind === "finish") state.phase = "finished";
}

function clampLevel(step, shift) {
  const planned = Math.max(...step.lines.map((line) => line.level));
  return Math.min(Math.max(planned + shift, 1), step.level_most) - planned;
}

// Puts the live seconds into the step, so that the clock goes on from here.
function settle() {
  const now = performance.now();
  if (state.phase === "running") state.steps[state.step].worked_s += (now - since) / 1000;
  since = now;
}

function tap(kind, value = null, words = "") {
  if (watching) return;
  const made = { id: uuid7(), kind, at: new Date(Date.now() + offset).toISOString(), value, words };
  queue.push(made);
  localStorage.setItem(kept, JSON.stringify(queue));
  foresee(made);
  paint();
  send();
}

async function send() {
  if (sending) return;
  sending = true;
  try {
    while (queue.length) {
      const batch = queue.slice(0, 200);
      const answer = await fetch(address, {
        method: "POST",
        headers: { "content-type": "application/json", "x-csrf-token": chair.dataset.csrf },
        body: JSON.stringify({ taps: batch }),
      });
      if (!answer.ok) {
        failed = (await answer.json().catch(() => null))?.error?.words || `The server answered ${answer.status}.`;
        break;
      }
      const sent = new Set(batch.map((one) => one.id));
      queue = queue.filter((one) => !sent.has(one.id));
      localStorage.setItem(kept, JSON.stringify(queue));
      failed = "";
      take(await answer.json());
    }
  } catch {
    failed = "No connection: go on, taps are kept here and sent later.";
  }
  sending = false;
  paint();
}

// Another browser may be at work on the same visit: look when nothing of ours is on the way.
async function follow() {
  if (queue.length) return send();
  try {
    const answer = await fetch(address);
    if (answer.ok && !queue.length) { failed = ""; take(await answer.json()); }
  } catch {
    failed = "No connection: go on, taps are kept here and sent later.";
    paint();
  }
}

const clock = (seconds) => `${Math.floor(seconds / 60)}:${String(Math.floor(seconds % 60)).padStart(2, "0")}`;
const worked = () => state.steps[state.step].worked_s + (state.phase === "running" ? (performance.now() - since) / 1000 : 0);
const done = () => ["stopped", "finished"].includes(state.phase);

function put(id, words) {
  const place = at(id);
  if (place.textContent !== words) place.textContent = words;
}

// The line that a count of strokes stands in: its index, and which repeat comes next.
function place(step, strokes) {
  let left = strokes;
  for (let i = 0; i < step.lines.length; i++) {
    if (left < step.lines[i].repeats) return { index: i, repeat: left + 1 };
    left -= step.lines[i].repeats;
  }
  return { index: step.lines.length, repeat: 0 };
}

function paint() {
  const step = order[state.step], run = state.steps[state.step];
  const total = step.lines.reduce((sum, line) => sum + line.repeats, 0);
  const here = place(step, run.strokes), line = step.lines[here.index];
  put("title", done() ? (state.phase === "finished" ? "Finished" : "Stopped") : step.title);
  put("act", done() ? (state.reason ? `Because of: ${state.reason}.` : "Everything is on the record.") : step.act);
  at("counting").hidden = !step.lines.length || done();
  at("levels").hidden = at("saying").hidden = !step.lines.length || done();
  put("count", String(run.strokes));
  put("total", String(total));
  put("line", line ? `${line.path}: ${here.repeat} of ${line.repeats}${line.bony ? ", bone" : ""}${step.hold_s ? `, hold ${step.hold_s} s` : ""}` : "All lines done. Go on.");
  if (step.lines.length) {
    const planned = line ? line.level : Math.max(...step.lines.map((one) => one.level));
    put("level", String(Math.max(1, planned + run.level_shift)));
  }
  put("planned", clock(step.seconds));
  const complete = !step.lines.length || run.strokes >= total;
  const last = state.step + 1 === order.length;
  put("main-act", done() ? "Close the visit" : state.phase === "ready" ? "Start the clock" : state.phase === "paused" ? "Resume" : complete ? (last ? "Finish" : `Next: ${order[state.step + 1].title}`) : "Stroke");
  put("pause", state.phase === "paused" ? "paused" : "pause");
  at("pause").disabled = state.phase !== "running" || watching;
  at("undo").disabled = !run.strokes || done() || watching;
  at("undo").hidden = !step.lines.length;
  at("stop").disabled = state.phase === "ready" || done() || watching;
  at("main-act").disabled = watching && !done();
  put("said", run.said.length ? `said: ${run.said.slice(-3).join(", ")}` : "");
  put("sent", failed || (queue.length ? `${queue.length} on the way` : "all kept"));
  paintPlate(step, run, here.index);
  for (const item of document.querySelectorAll("[data-step-name]")) {
    const n = Number(item.dataset.stepName);
    item.className = n === state.step && !done() ? "here" : state.steps[n].begun || n < state.step ? "done" : "";
  }
  tick();
}

function paintPlate(step, run, index) {
  const tip = at("tip");
  tip.setAttribute("hidden", "");
  for (const drawn of document.querySelectorAll("#chair polyline")) {
    const mine = Number(drawn.dataset.step), n = Number(drawn.dataset.line);
    const upTo = place(order[mine], state.steps[mine].strokes).index;
    drawn.classList.toggle("off", mine !== state.step && n >= upTo);
    drawn.classList.toggle("done", n < upTo);
    const current = mine === state.step && n === index && !done();
    drawn.classList.toggle("current", current);
    if (current) {
      const end = drawn.points[drawn.points.length - 1];
      tip.setAttribute("cx", end.x);
      tip.setAttribute("cy", end.y);
      tip.removeAttribute("hidden");
    }
  }
}

function tick() {
  if (!state) return;
  const step = order[state.step], seconds = worked(), over = step.kind === "timed" && seconds >= step.seconds && !done();
  put("clock", clock(seconds));
  at("clock").classList.toggle("over", over);
  const said = step.sayings.find((one) => one.words === state.steps[state.step].said.at(-1));
  at("alarm").classList.toggle("text-stop", over || Boolean(said?.stop));
  put("alarm", over ? `Time is up: ${clock(seconds - step.seconds)} over. Light off.` : said && !done() ? said.act : "");
  if (over && rang !== state.step) { rang = state.step; ring(); }
  document.querySelectorAll("[data-step-done]").forEach((place, n) => {
    const words = state.steps[n].begun || n === state.step ? `${clock(n === state.step ? seconds : state.steps[n].worked_s)} of` : "";
    if (place.textContent !== words) place.textContent = words;
  });
}

// Three short tones: the end of a timed step is heard as well as seen.
function ring() {
  try {
    const sound = new AudioContext();
    for (let i = 0; i < 3; i++) {
      const tone = sound.createOscillator();
      tone.frequency.value = 880;
      tone.connect(sound.destination);
      tone.start(sound.currentTime + i * 0.4);
      tone.stop(sound.currentTime + i * 0.4 + 0.2);
    }
  } catch { /* no sound here: the words and the colour stand */ }
}

function act() {
  const step = order[state.step], total = step.lines.reduce((sum, line) => sum + line.repeats, 0);
  if (done()) window.location.assign(`/visits/${chair.dataset.visit}/close`);
  else if (state.phase === "ready") tap("start");
  else if (state.phase === "paused") tap("resume");
  else if (state.steps[state.step].strokes < total) {
    lastStroke = { step: state.step, at: performance.now() };
    tap("stroke");
  } else if (lastStroke.step !== state.step || performance.now() - lastStroke.at > 800) tap(state.step + 1 === order.length ? "finish" : "next");
}

chair.addEventListener("click", (event) => {
  const key = event.target.closest("[data-tap]");
  if (key) tap(key.dataset.tap, key.dataset.value ? Number(key.dataset.value) : null, key.dataset.words || "");
});
at("main-act").addEventListener("click", act);
at("pause").addEventListener("click", () => tap("pause"));
at("stop").addEventListener("click", () => at("why").showModal());
at("why").addEventListener("click", (event) => {
  const because = event.target.closest("[data-stop]");
  if (because) { at("why").close(); tap("stop", null, because.dataset.stop); }
});

const KEYS = {
  " ": act, ArrowLeft: () => tap("unstroke"), Backspace: () => tap("unstroke"), ArrowUp: () => tap("level", 0.5), ArrowDown: () => tap("level", -0.5),
  b: () => { if (!done() && state.step) tap("back"); },
  p: () => tap(state.phase === "paused" ? "resume" : "pause"), n: () => { if (!done()) tap(state.step + 1 === order.length ? "finish" : "next"); },
};
document.addEventListener("keydown", (event) => {
  if (event.ctrlKey || event.metaKey || event.altKey || document.querySelector("dialog[open]")) return;
  const said = document.querySelectorAll("#saying [data-words]")[Number(event.key) - 1];
  const does = KEYS[event.key] || (said && !at("saying").hidden ? () => said.click() : null);
  if (does) { event.preventDefault(); does(); }
});

take(JSON.parse(document.getElementById("state").textContent));
if (queue.length) send();
setInterval(tick, 250);
setInterval(follow, 3000);
window.addEventListener("online", follow);
document.addEventListener("visibilitychange", () => { if (!document.hidden) follow(); });
navigator.wakeLock?.request("screen").catch(() => {});
