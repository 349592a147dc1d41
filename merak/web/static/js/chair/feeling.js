// What is felt, read and seen: heat words, pain, temperatures, test spots (merak/core/treatment/fold.py).

import { answer, locked, lookOf } from "./spots.js";
import { bank, hand, say, stand } from "./track.js";
import { tooWarm, warmed } from "./warmth.js";

/** @typedef {import("./types.js").Met} Met */

const COLDEST = -10, WARMEST = 80;
/** As the server writes a number. @param {number} value */
const plain = (value) => String(Number(value.toPrecision(6)));
/** The run of the act that something was felt in. @param {Met} met */
const feltIn = ({ state, run }) => (run.begun ? run : state.acts[state.act]);

/** A heat word or a pain: it is said, and from its limit on the hands stand. @param {Met} met @param {"heat" | "pain"} key @param {number} most @param {number} stop */
export function felt(met, key, most, stop) {
  const { order, state, tap, me } = met, value = tap.value ?? -1;
  if (state.status === "ready" || value < 0 || value > most) return;
  const run = feltIn(met), words = `${key} ${plain(value)}`;
  run[key] = value;
  say(run, tap, words, me.name);
  if (value >= stop) stand(order, state, tap.at, words);
  if (key === "heat" && value >= most) state.owed = "burn";
}

/** @param {Met} met */
export function reading({ order, state, tap, n, act, run, me }) {
  const value = tap.value ?? NaN, zone = String(tap.data?.zone ?? "");
  if (!act.heat || !run.begun || !(value >= COLDEST && value <= WARMEST)) return;
  run.warmth[zone] = warmed(run.warmth[zone], value, tap.at, act.heat);
  hand(run, me.name);
  const words = tooWarm(run.warmth[zone], zone, act.heat);
  if (!words || run.over) return;
  run.over = words;
  if (n === state.act) stand(order, state, tap.at, words);
  else bank(run, tap.at);
}

/** @param {Met} met */
export function spot({ state, tap, n, act, run, me }) {
  const waiting = run.spot && !run.spot.answer;
  if (!act.spot || !run.begun || waiting || run.over || locked(act, state, n)?.kind === "licence") return;
  const due = new Date(Date.parse(tap.at) + act.spot.wait_s * 1000).toISOString();
  run.spot = { placed: tap.at, due, at: run.set_to ?? act.spot.at, zone: String(tap.data?.zone ?? "").slice(0, 80), answer: null };
  hand(run, me.name);
}

/** @param {Met} met */
export function spotRead({ tap, act, run, me }) {
  const mine = run.spot, look = lookOf(tap.data ?? {});
  if (!act.spot?.same_visit || !mine || mine.answer || Date.parse(tap.at) < Date.parse(mine.due) || !look) return;
  mine.answer = answer(act.spot, mine.at, look, run.stepped_up);
  run.set_to = mine.answer.set_to;
  run.stepped_up ||= mine.answer.verdict === "up";
  if (mine.answer.verdict === "stop") run.over = mine.answer.words;
  hand(run, me.name);
}

/** @param {Met} met */
export function comfort(met) {
  if (["running", "paused"].includes(met.state.status)) say(feltIn(met), met.tap, met.tap.words ?? "", met.me.name);
}

/** A senior lets it begin without a read spot, in writing. @param {Met} met */
export function unlock({ tap, act, run }) {
  if (act.spot && run.begun && !run.over && (tap.words ?? "").trim()) run.unlocked = true;
}
