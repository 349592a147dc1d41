// What is counted and set by the hand (merak/core/treatment/fold.py).

import { locked } from "./spots.js";
import { hand, say } from "./track.js";
import { nextPlace, tallied } from "./walk.js";

/** @typedef {import("./types.js").Met} Met */

/** Whether something may be counted now: begun, unlocked, going on, or standing only since after the tap. @param {Met} met */
function open({ state, tap, n, act, run }) {
  if (!run.begun || run.over || locked(act, state, n)) return false;
  return state.status === "running" || (state.stood_at !== null && Date.parse(tap.at) <= Date.parse(state.stood_at));
}

/** @param {Met} met */
export function count(met) {
  const { act, run, tap, me } = met;
  if (!open(met) || !act.wanted.length || run.walks.length >= act.passes) return;
  const tally = run.tally.length ? run.tally : tallied(act, []);
  const place = tap.value === null || tap.value === undefined ? nextPlace(act, { ...run, tally }) : Math.trunc(tap.value);
  run.tally = tally;
  if (place === null || place < 0 || place >= act.wanted.length) return;
  run.walk.push(place);
  run.tally[place] += 1;
  mark(met, run.walk.length + run.walks.reduce((sum, walk) => sum + walk.length, 0));
  run.since_clean += 1;
  hand(run, me.name);
}

/** Where what is marked when it is seen lay. @param {Met} met @param {number} nth */
function mark({ act, run, tap }, nth) {
  const { plate, xy } = tap.data ?? {};
  if (act.at_most && xy && act.parts.some((part) => (part.plate || act.plate) === plate)) run.seen = [...run.seen, [nth, plate, xy[0], xy[1]]];
}

/** @param {Met} met */
export function uncount({ act, run }) {
  const last = run.walk.length ? null : run.walks.pop();
  if (last) {
    run.walk = last;
    run.tally = tallied(act, last);
  }
  const place = run.walk.pop();
  if (place === undefined) return;
  run.tally[place] -= 1;
  run.since_clean = Math.max(0, run.since_clean - 1);
  if ((run.seen.at(-1)?.[0] ?? 0) > run.walk.length + run.walks.reduce((sum, walk) => sum + walk.length, 0)) run.seen = run.seen.slice(0, -1);
}

/** @param {Met} met */
export function pass(met) {
  const { act, run } = met;
  if (!open(met) || !run.walk.length || run.walks.length >= act.passes) return;
  run.walks.push(run.walk);
  run.walk = [];
  run.tally = tallied(act, []);
}

/** @param {Met} met */
export function level({ state, tap, act, run, me }) {
  if (!["running", "paused"].includes(state.status) || !run.begun || !act.lines.length || tap.value === null || tap.value === undefined) return;
  const planned = Math.max(...act.lines.map((line) => line.level));
  run.level_shift = Math.min(Math.max(planned + run.level_shift + tap.value, 1), act.level_most) - planned;
  if (tap.words) say(run, tap, tap.words, me.name);
}

/** @param {Met} met */
export function clean({ state, run }) {
  if (run.begun && state.status !== "ready") run.since_clean = 0;
}
