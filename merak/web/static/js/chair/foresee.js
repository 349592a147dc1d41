// What a tap does: a small mirror of the server's fold (merak/core/treatment/fold.py), held to it by a corpus in the tests, so that a tap
// is painted within a frame. The server decides: where the two differ, what it says is painted over this.

import { clean, count, level, pass, uncount } from "./counting.js";
import { comfort, felt, reading, spot, spotRead, unlock } from "./feeling.js";
import { locked } from "./spots.js";
import { following, fresh, seconds } from "./track.js";
import { back, finish, go, halt, leaveAct, next, over, pause, reopen, resume, start, stop, takeOver, why } from "./turns.js";
import { complete, missedInAll, nextPlace } from "./walk.js";

export { following, over };
/** @typedef {import("./types.js").Met} Met */
/** @typedef {import("./types.js").Order} Order */
/** @typedef {import("./types.js").State} State */
/** @typedef {import("./types.js").Tap} Tap */
/** @typedef {import("./types.js").Person} Person */

const AFTERWARDS = ["incident", "strike", "photo", "reopen"];

/** Minutes and seconds. @param {number} s */
export const clock = (s) => `${Math.floor(s / 60)}:${String(Math.floor(s % 60)).padStart(2, "0")}`;

/** Seconds of an act's clock at a moment (ms). @param {State} state @param {number} n @param {number} now */
export const secondsOf = (state, n, now) => (state.acts[n].begun ? seconds(state.acts[n], now) : 0);

/** What only the licence of whoever taps lets (merak/core/treatment/hands.py). @param {Tap} tap */
export function gives(tap) {
  return ["count", "pass", "spot", "spot_read"].includes(tap.kind) || (tap.kind === "level" && (tap.value ?? 0) > 0)
    || (tap.kind === "machine" && tap.words === "plugged");
}

/** @param {Met} met */
function incident({ state, tap }) {
  const text = (/** @type {string} */ key) => String(tap.data?.[key] ?? "").slice(0, 400), grade = tap.value ?? -1;
  state.incidents.push({
    id: tap.id, at: tap.at, card: text("card"), zone: text("zone"), grade: grade >= 0 && grade <= 4 ? Math.trunc(grade) : 0, done: text("done"),
    struck: "",
  });
  state.owed = "";
}

/** @param {Met} met */
function strike({ state, tap, me }) {
  const one = state.incidents.find((found) => found.id === String(tap.data?.incident ?? "") && !found.struck), words = (tap.words ?? "").trim();
  if (one && words) one.struck = `${me.name}: ${words}`;
}

/** @param {Met} met */
function machine({ state, tap }) {
  const words = tap.words ?? "";
  if (state.status !== "ready" && ["plugged", "lost", "hand", ""].includes(words)) state.machine = words;
}

/** @type {Record<string, (met: Met) => void>} */
const HANDLERS = {
  start, count, uncount, pass, next, back, go, pause, resume, level, comfort, reading, clean, spot, unlock, incident, strike, machine, halt,
  why, stop, finish, reopen, leave: leaveAct, take_over: takeOver, spot_read: spotRead,
  heat: (met) => felt(met, "heat", met.order.limits.heat_never, met.order.limits.heat_stop),
  pain: (met) => felt(met, "pain", 10, met.order.limits.pain_stop),
  photo: ({ state }) => { state.photos += 1; },
};

/** A state as the server told it, ready to be foreseen from. @param {State} told @returns {State} */
export const opened = (told) => ({ ...told, acts: told.acts.map((run) => (run.begun ? { ...run } : fresh())) });

/** Changes a state by a tap of somebody. @param {Order} order @param {State} state @param {Tap} tap @param {Person} me */
export function foresee(order, state, tap, me) {
  const handle = HANDLERS[tap.kind];
  if (!handle || (over(state) && !AFTERWARDS.includes(tap.kind))) return;
  const named = tap.act ?? state.act, n = named >= 0 && named < order.acts.length ? named : state.act, act = order.acts[n];
  state.unheard = "";
  if (act.licence && gives(tap) && !me.licences.includes(act.licence)) {
    const kind = tap.kind.replaceAll("_", " ");
    state.unheard = `${me.name || "Whoever tapped"} holds no licence for ${act.licence}: “${kind}” was kept and not counted.`;
  } else {
    handle({ order, state, tap, me, n, act, run: state.acts[n] });
  }
  derive(order, state);
}

/** What follows from the rest of a state. @param {Order} order @param {State} state */
function derive(order, state) {
  state.following = following(order, state);
  state.acts.forEach((run, n) => {
    if (!run.begun) return;
    const act = order.acts[n];
    Object.assign(run, missedInAll(act, run), {
      on: run.since !== null, strokes: run.walk.length + run.walks.reduce((sum, walk) => sum + walk.length, 0), passes: run.walks.length,
      next: nextPlace(act, run), complete: complete(act, run), lock: locked(act, state, n),
    });
  });
}
