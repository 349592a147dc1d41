// From act to act; standing, stopping, ending, and back again (merak/core/treatment/fold.py).

import { bank, enter, following, goOn, hand, leave, say, stand } from "./track.js";

/** @typedef {import("./types.js").Met} Met */
/** @typedef {import("./types.js").State} State */

/** @param {State} state */
export const over = (state) => ["stopped", "finished"].includes(state.status);
/** @param {State} state */
const going = (state) => ["running", "paused"].includes(state.status);

/** @param {Met} met */
function held({ state, me }) {
  state.holder = me.name;
  state.licences = [...me.licences].sort();
}

/** @param {Met} met */
export function start(met) {
  const { order, state, tap, me } = met;
  if (state.status !== "ready") return;
  state.status = "running";
  held(met);
  enter(order, state, 0, tap, me.name);
}

/** @param {Met} met */
export function takeOver(met) {
  if (met.state.status === "ready") return;
  held(met);
  hand(met.state.acts[met.state.act], met.me.name);
}

/** @param {Met} met */
export function next({ order, state, tap, me }) {
  const here = state.act, to = following(order, state);
  if (!going(state) || state.owed || to === null || (tap.act ?? here) !== here) return;
  goOn(state);
  if (order.acts[to].beside !== here) leave(state.acts[here], tap.at);
  enter(order, state, to, tap, me.name);
}

/** To any act, back or forth; what is on the skin works on. @param {Met} met @param {number} to */
function turnTo({ order, state, tap, me }, to) {
  if (!going(state) || state.owed) return;
  if (!order.acts[state.act].keeps) bank(state.acts[state.act], tap.at);
  goOn(state);
  enter(order, state, to, tap, me.name);
}

/** @param {Met} met */
export function resume({ order, state, tap }) {
  if (!["paused", "halted"].includes(state.status) || state.owed) return;
  goOn(state);
  const here = state.acts[state.act], host = order.acts[state.act].beside;
  if (here.left) Object.assign(here, { left: "", ended: false, ended_at: null });
  for (const run of [here, ...(host === null ? [] : [state.acts[host]])]) {
    if (run.begun && run.since === null && !run.ended && !run.over) run.since = tap.at;
  }
}

/** @param {Met} met */
export function halt({ order, state, tap }) {
  if (!going(state)) return;
  stand(order, state, tap.at, state.why);
  state.acts.forEach((run, n) => { if (run.since && !order.acts[n].keeps) bank(run, tap.at); });
  state.status = "halted";
}

/** @param {Met} met */
export function back(met) {
  const { state, tap } = met;
  if (state.act > 0 && (tap.act ?? state.act) === state.act) turnTo(met, state.act - 1);
}

/** @param {Met} met */
export function go(met) {
  const to = met.tap.value ?? -1;
  if (to >= 0 && to < met.order.acts.length && Math.trunc(to) !== met.state.act) turnTo(met, Math.trunc(to));
}

/** @param {Met} met */
export function pause({ order, state, tap }) {
  if (state.status === "running") stand(order, state, tap.at, "");
}

/** @param {Met} met */
export function why({ state, tap, me }) {
  const words = (tap.words ?? "").trim();
  if (!["halted", "paused"].includes(state.status) || !words) return;
  state.why = words;
  say(state.acts[state.act], tap, words, me.name);
}

/** @param {Met} met */
export function leaveAct({ order, state, tap, me }) {
  const here = state.act, to = following(order, state), run = state.acts[here];
  if (!(going(state) || state.status === "halted") || state.owed || (tap.act ?? here) !== here || !run.begun) return;
  run.left = (tap.words ?? "").trim() || state.why || "left";
  leave(run, tap.at);
  goOn(state);
  if (to !== null) enter(order, state, to, tap, me.name);
  stand(order, state, tap.at, "");
}

/** @param {Met} met @param {string} status @param {string} reason */
function end({ state, tap, me }, status, reason) {
  state.ran = state.acts.flatMap((run, n) => (run.since ? [n] : []));
  for (const n of state.ran) leave(state.acts[n], tap.at);
  state.endings.push({ at: tap.at, by: me.name, reason, back: null });
  state.status = status;
}

/** @param {Met} met */
export function stop(met) {
  if (met.state.status === "ready") return;
  end(met, "stopped", met.tap.words ?? "");
  met.state.reason = met.tap.words ?? "";
}

/** @param {Met} met */
export function finish(met) {
  const { order, state } = met;
  if (going(state) && !state.owed && following(order, state) === null) end(met, "finished", "");
}

/** @param {Met} met */
export function reopen({ order, state, tap }) {
  const ended = state.endings.at(-1);
  if (!over(state) || !ended) return;
  ended.back = tap.at;
  for (const n of state.ran) {
    const run = state.acts[n];
    Object.assign(run, { ended: false, ended_at: null });
    if (!order.acts[n].keeps) continue;
    run.banked_s += Math.max(0, Date.parse(tap.at) - Date.parse(ended.at)) / 1000;
    run.since = tap.at;
  }
  const here = state.acts[state.act];
  if (!state.ran.includes(state.act) && here.ended_at && Date.parse(here.ended_at) === Date.parse(ended.at)) Object.assign(here, { ended: false, ended_at: null });
  Object.assign(state, { status: "paused", reason: "", why: "", stood_at: tap.at });
}
