// The one thing to do next, and what pressing it does.

import { chair, it } from "./chair.js";
import { clock, over, secondsOf } from "./foresee.js";
import { open_ } from "./panels.js";

// The one thing to do next: its words, what it does, whether it can be done.
export function mainAct() {
  const n = it.state.act, act = it.order[n], run = it.state.acts[n], to = it.state.following, titled = to === null ? "" : it.order[to].title;
  const on = to === null ? { words: "Finish", does: () => { if (!tooSoon()) it.tap("finish"); } } : { words: `Next: ${titled}`, does: () => { if (!tooSoon()) leave(); } };
  if (over(it.state)) return { words: "Close the visit", does: () => window.location.assign(`/visits/${chair.dataset.visit}/close`), always: true };
  if (it.state.status === "ready") return { words: "Start the clock", does: () => it.tap("start") };
  if (it.state.owed) return { words: "Write the incident", does: () => open_("why") };
  if (it.state.status === "halted") return { words: "Stopped: how to go on?", does: () => open_("why") };
  if (run.over) return on;
  if (it.state.status === "paused" && run.left && to === null) return on;
  if (it.state.status === "paused") return { words: "Resume", does: () => it.tap("resume") };
  if (run.lock?.kind === "licence") return it.me.licences.includes(act.licence) ? { words: `${it.me.name.split(" ")[0]} takes over`, does: () => it.tap("take_over") } : { words: `Needs a licence: ${act.licence}`, does: () => {}, cannot: true };
  const giving = !act.licence || it.me.licences.includes(act.licence), cannot = !giving;
  const spot = it.painter.spot(it.state);
  if (spot.shown) {
    if (spot.later) return on;
    if (cannot) return { words: `Needs a licence: ${act.licence}`, does: () => {}, cannot };
    if (spot.due) return { words: it.look.redness === null || it.look.swelling === null ? "Grade the spot" : "Keep what is seen", does: readSpot, cannot: it.look.redness === null || it.look.swelling === null };
    if (spot.placed) return { words: "Waiting for the spot", does: () => {}, cannot: true };
    return { words: `Place the spot: ${it.where}`, does: () => it.tap("spot", null, "", { zone: it.where }) };
  }
  if (act.clean_every && run.since_clean >= act.clean_every) return { words: "Tip wiped and dried", does: () => it.tap("clean") };
  if (!run.complete && cannot) return { words: `Needs a licence: ${act.licence}`, does: () => {}, cannot };
  if (!run.complete && run.next !== null) return { words: { strokes: "Stroke", pulses: "Pulse", sections: "Section done" }[act.kind], does: count };
  if (!run.complete) return { words: `Close pass ${run.passes + 1} of ${act.passes}`, does: () => it.tap("pass") };
  return on;
}

function count() {
  it.last = { act: it.state.act, at: performance.now() };
  it.tap("count");
  const run = it.state.acts[it.state.act];
  it.voice.say(run.strokes);
}

// On; where something was missed, or the cream has not had its time, only on a second press.
export function leave() {
  const n = it.state.act, act = it.order[n], run = it.state.acts[n], left = act.seconds - secondsOf(it.state, n, it.now());
  const early = act.not_before && act.must_end && left > it.limits.early_s && it.order[it.state.following ?? n].beside !== n;
  const why = run.missed && !run.complete ? `${run.missed} missed: press again to leave them` : early ? `${clock(left)} left: press again to end early` : "";
  if (why && !arming()) { it.armed = { at: performance.now(), words: why }; return it.paint(); }
  it.armed.at = -9999;
  it.tap("next");
}

// One press too many, on the last count or on the act that was just entered.
const tooSoon = () => (it.last.act === it.state.act && performance.now() - it.last.at < 800) || performance.now() - it.entered < 400;
export const arming = () => performance.now() - it.armed.at < 4000;

function readSpot() {
  it.tap("spot_read", null, "", { redness: it.look.redness, swelling: it.look.swelling, pain: Math.round(it.state.acts[it.state.act].pain || 0), mark: Boolean(it.look.mark) });
  it.look = { redness: null, swelling: null, mark: 0 };
}

export function mainPressed() {
  const main = mainAct(), here = it.state.act;
  if (!main.cannot && (!it.watching || main.always)) main.does();
  if (it.state.act !== here) it.entered = performance.now();
}
