// What a tap will do, painted before the server says so. Only what can be seen at once; the server's own fold replaces it.

export const over = (state) => ["stopped", "finished"].includes(state.status);
export const clock = (seconds) => `${Math.floor(seconds / 60)}:${String(Math.floor(seconds % 60)).padStart(2, "0")}`;

export function secondsOf(state, n, now) {
  const run = state.acts[n];
  return run.begun ? run.worked_s + (run.on ? Math.max(0, (now - state.at) / 1000) : 0) : 0;
}

// Puts the running seconds into the acts, so that their clocks go on from here.
function settle(state, now) {
  for (const run of state.acts) if (run.begun && run.on) run.worked_s += Math.max(0, (now - state.at) / 1000);
  state.at = now;
}

export function fresh() {
  return { begun: true, ended: false, on: true, worked_s: 0, strokes: 0, tally: [], walk: null, next: 0, passes: 0, complete: false, missed: 0,
    doubled: 0, level_shift: 0, said: [], heat: null, pain: null, asked: null, since_clean: 0, lock: null, over: "", left: "", set_to: null, spot: null,
    hands: [], warmth: {} };
}

export function following(order, state) {
  const here = state.act, ended = (n) => state.acts[n].ended;
  const guests = (host) => order.flatMap((act, n) => (act.beside === host ? [n] : []));
  const after = (host) => { const n = order.findIndex((act, k) => k > host && act.beside === null); return n < 0 ? null : n; };
  const open = guests(here).filter((n) => !ended(n));
  if (open.length) return open[0];
  const host = order[here].beside;
  if (host === null) return after(here);
  const more = guests(host).find((n) => n > here && !ended(n));
  return more ?? (ended(host) ? after(host) : host);
}

function enter(order, state, n) {
  state.act = n;
  if (!state.acts[n].begun) {
    state.acts[n] = fresh();
    if (order[n].lines.length) state.acts[n].level_shift = state.acts.slice(0, n).reverse().find((run) => run.level_shift)?.level_shift || 0;
    if (order[n].spot && state.acts[n].lock === null) state.acts[n].lock = { kind: "spot", words: "", act: "Place a test spot." };
    state.acts[n].complete = !order[n].wanted.length;
  }
  const run = state.acts[n];
  run.ended = false;
  run.on = !run.over;
}

function stand(order, state, why) {
  if (state.status === "running") state.status = "paused";
  state.why = why;
  if (!order[state.act].keeps) state.acts[state.act].on = false;
}

export function recount(act, run) {
  const want = act.wanted, many = want.length, here = run.walk ?? 0;
  run.next = null;
  for (let k = here; k < here + many && run.next === null; k++) if ((run.tally[k % many] || 0) < want[k % many]) run.next = k % many;
  if (run.passes >= act.passes) run.next = null;
  run.complete = !many || run.passes >= act.passes || (run.passes + 1 === act.passes && run.next === null);
}

const say = (run, words, tap) => { run.said.push(words); run.asked = tap.at; };

// What only the licence of whoever taps lets, in an act that asks for one (core/treatment/hands.py).
export const gives = (tap) => ["count", "pass", "spot", "spot_read"].includes(tap.kind) || (tap.kind === "level" && tap.value > 0);
const AFTERWARDS = ["incident", "strike", "reopen"];

export function foresee(order, state, tap, now, limits, licences = []) {
  settle(state, now);
  const n = tap.act ?? state.act, act = order[n], run = state.acts[n];
  const going = ["running", "paused"].includes(state.status);
  if (over(state) && !AFTERWARDS.includes(tap.kind)) return;
  if (act.licence && gives(tap) && !licences.includes(act.licence)) return;
  switch (tap.kind) {
    case "start": if (state.status === "ready") { state.status = "running"; enter(order, state, 0); } break;
    case "count":
      if (state.status !== "running" || !run.begun || run.lock || run.over || run.passes >= act.passes) break;
      { const place = tap.value ?? run.next;
        if (place === null || place === undefined) break;
        if (!run.tally.length) run.tally = act.wanted.map(() => 0);
        run.tally[place] += 1; run.walk = place; run.strokes += 1; run.since_clean += 1;
        recount(act, run); }
      break;
    case "uncount":
      if (run.begun && run.walk !== null && run.tally[run.walk]) { run.tally[run.walk] -= 1; run.strokes -= 1; recount(act, run); run.next = run.walk; }
      break;
    case "pass":
      if (run.begun && run.strokes && run.passes < act.passes) { run.passes += 1; run.tally = act.wanted.map(() => 0); run.walk = null; recount(act, run); }
      break;
    case "next":
      { const to = following(order, state);
        if (!going || state.owed || to === null || n !== state.act) break;
        if (order[to].beside !== state.act) { state.acts[state.act].on = false; state.acts[state.act].ended = true; }
        state.status = "running"; state.why = "";
        enter(order, state, to); }
      break;
    case "back": case "go":
      { const to = tap.kind === "go" ? tap.value : state.act - 1;
        if (!going || state.owed || to < 0 || to >= order.length) break;
        if (!order[state.act].keeps) state.acts[state.act].on = false;
        state.status = "running"; state.why = "";
        enter(order, state, to); }
      break;
    case "pause": stand(order, state, ""); break;
    case "resume":
      if (["paused", "halted"].includes(state.status) && !state.owed) { state.status = "running"; state.why = ""; run.left = ""; if (!run.over) run.on = true; }
      break;
    case "level":
      if (going && act.lines.length) {
        const planned = Math.max(...act.lines.map((line) => line.level));
        run.level_shift = Math.min(Math.max(planned + run.level_shift + tap.value, 1), act.level_most) - planned;
      }
      break;
    case "comfort": say(run, tap.words, tap); break;
    case "heat":
      run.heat = tap.value; say(run, `heat ${tap.value}`, tap);
      if (tap.value >= limits.heat_stop) stand(order, state, `heat ${tap.value}`);
      if (tap.value >= limits.heat_never) state.owed = "burn";
      break;
    case "pain":
      run.pain = tap.value; say(run, `pain ${tap.value}`, tap);
      if (tap.value >= limits.pain_stop) stand(order, state, `pain ${tap.value}`);
      break;
    case "reading":
      { const heat = act.heat, zone = tap.data.zone, known = run.warmth[zone];
        if (!heat) break;
        const dwell = Math.max(0, Math.min(heat.dwell_s, (heat.stop_c - tap.value) / heat.rate_c_s));
        run.warmth[zone] = { band_s: 0, cem43: 0, deep43: 0, ...known, last: tap.value, peak: Math.max(tap.value, known?.peak ?? -99), dwell_s: dwell, at: tap.at };
        if (tap.value >= heat.stop_c) { run.over = `${tap.value} °C in ${zone}`; stand(order, state, run.over); run.on = false; } }
      break;
    case "clean": run.since_clean = 0; break;
    case "spot":
      if (act.spot) run.spot = { placed: tap.at, due: new Date(Date.parse(tap.at) + act.spot.wait_s * 1000).toISOString(), at: run.set_to ?? act.spot.at, zone: tap.data.zone, answer: null };
      break;
    case "spot_read":  // the plain case only, so that a spell without network does not stand still here; all else is for the rule book
      { const seen = tap.data, mild = !seen.mark && Math.max(seen.redness, seen.swelling) < act.spot.severe && seen.pain < act.spot.pain_stop;
        if (run.spot && act.spot.same_visit && Date.parse(tap.at) >= Date.parse(run.spot.due) && mild && (seen.redness || seen.swelling)) {
          run.spot.answer = { verdict: "keep", set_to: run.spot.at, words: "" };
          run.set_to = run.spot.at;
          run.lock = null;
        } }
      break;
    case "unlock": if (run.lock?.kind === "spot") run.lock = null; break;
    case "halt": if (going) { stand(order, state, state.why); state.status = "halted"; for (const [k, one] of state.acts.entries()) if (one.begun && !order[k].keeps) one.on = false; } break;
    case "incident": state.owed = ""; state.incidents.push({ id: tap.id, at: tap.at, grade: tap.value, struck: "", ...tap.data }); break;
    case "strike": for (const one of state.incidents) if (one.id === tap.data.incident) one.struck = tap.words; break;
    case "why": if (["halted", "paused"].includes(state.status)) { state.why = tap.words; say(run, tap.words, tap); } break;
    case "leave":
      if ((going || state.status === "halted") && !state.owed && run.begun) {
        const to = following(order, state);
        Object.assign(run, { on: false, ended: true, left: tap.words || "left" });
        if (to !== null) { enter(order, state, to); if (!order[to].keeps) state.acts[to].on = false; }
        state.status = "paused"; state.why = "";
      }
      break;
    case "reopen":
      if (over(state)) { state.status = "paused"; state.reason = ""; run.ended = false; const last = state.endings.at(-1); if (last) last.back = tap.at; }
      break;
    case "machine": state.machine = tap.words; break;
    case "stop": if (state.status !== "ready") { for (const one of state.acts) one.on = false; state.status = "stopped"; state.reason = tap.words; state.endings.push({ at: tap.at, by: "", reason: tap.words, back: null }); } break;
    case "finish": if (going && !state.owed && following(order, state) === null) { for (const one of state.acts) one.on = false; state.status = "finished"; state.endings.push({ at: tap.at, by: "", reason: "", back: null }); } break;
  }
  state.following = following(order, state);
}
