// Going from act to act, and the clocks of acts (merak/core/treatment/fold.py).

/** @typedef {import("./types.js").Order} Order */
/** @typedef {import("./types.js").State} State */
/** @typedef {import("./types.js").ActRun} ActRun */
/** @typedef {import("./types.js").Tap} Tap */

const MOST_SAID = 3;

/** @returns {ActRun} */
export function fresh() {
  return {
    begun: false, ended: false, on: false, worked_s: 0, banked_s: 0, since: null, ended_at: null, strokes: 0, tally: [], walk: [], walks: [],
    next: null, passes: 0, complete: false, missed: 0, doubled: 0, level_shift: 0, said: [], heat: null, pain: null, asked: null,
    since_clean: 0, lock: null, over: "", left: "", set_to: null, unlocked: false, stepped_up: false, spot: null, hands: [], warmth: {},
    seen: [],
  };
}

/** The act that "next" leads to; null from the last one. @param {Order} order @param {State} state */
export function following(order, state) {
  const { acts } = order, here = state.act, ended = (/** @type {number} */ n) => state.acts[n].ended;
  const guests = (/** @type {number} */ host) => acts.flatMap((act, n) => (act.beside === host && !ended(n) ? [n] : []));
  const after = (/** @type {number} */ host) => {
    const n = acts.findIndex((act, k) => k > host && act.beside === null);
    return n < 0 ? null : n;
  };
  if (guests(here).length) return guests(here)[0];
  const host = acts[here].beside;
  if (host === null) return after(here);
  return guests(host).find((n) => n > here) ?? (ended(host) ? after(host) : host);
}

/** Seconds of an act's clock at a moment (ms). @param {ActRun} run @param {number} at */
export const seconds = (run, at) => run.banked_s + (run.since ? Math.max(0, at - Date.parse(run.since)) / 1000 : 0);

/** @param {ActRun} run @param {string} at */
export function bank(run, at) {
  run.banked_s = seconds(run, Date.parse(at));
  run.since = null;
}

/** The hands stand; what works on by itself works on. @param {Order} order @param {State} state @param {string} at @param {string} why */
export function stand(order, state, at, why) {
  if (state.status === "running") {
    if (!order.acts[state.act].keeps) bank(state.acts[state.act], at);
    state.status = "paused";
    state.stood_at = at;
  }
  state.why = why;
}

/** @param {State} state */
export function goOn(state) {
  state.status = "running";
  state.why = "";
  state.stood_at = null;
}

/** @param {Order} order @param {State} state @param {number} n @param {Tap} tap @param {string} by */
export function enter(order, state, n, tap, by) {
  const { acts } = order;
  if (state.machine && acts[n].machine && acts[n].machine !== acts[state.act].machine) state.machine = "";
  state.act = n;
  if (!state.acts[n].begun) {
    const shift = acts[n].lines.length ? state.acts.slice(0, n).reverse().find((one) => one.begun && one.level_shift)?.level_shift : 0;
    state.acts[n] = { ...fresh(), begun: true, level_shift: shift || 0 };
  }
  const run = state.acts[n];
  run.ended = false;
  run.ended_at = null;
  if (run.since === null && !run.over) run.since = tap.at;
  hand(run, by);
}

/** @param {ActRun} run @param {string} at */
export function leave(run, at) {
  bank(run, at);
  run.ended = true;
  run.ended_at = at;
}

/** @param {ActRun} run @param {string} by */
export function hand(run, by) {
  if (by && !run.hands.includes(by)) run.hands.push(by);
}

/** @param {ActRun} run @param {Tap} tap @param {string} words @param {string} by */
export function say(run, tap, words, by) {
  run.said = [...run.said, words].slice(-MOST_SAID);
  if (!run.asked || Date.parse(tap.at) > Date.parse(run.asked)) run.asked = tap.at;
  hand(run, by);
}
