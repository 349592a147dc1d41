// What the parts of the chair share: the order, where it stands, who has it in hand, and what the hand is about to do.

import { byId, every } from "../dom.js";
import { foresee, opened } from "./foresee.js";
import { Line } from "./line.js";
import { uuid7 } from "./steady.js";
import { Painter, put, time } from "./paint.js";
import { Voice } from "./sound.js";

/** @param {string} id */
export const at = (id) => document.getElementById(id);
/** @param {string} id */
export const button = (id) => byId(id, HTMLButtonElement);
export const all = every;
export const chair = at("chair");
const told = JSON.parse(at("told").textContent);
const { order, limits, me, held } = told;
/** Taps that say which act they were made in. */
const NAMED = new Set([
  "count", "uncount", "pass", "next", "leave", "level", "comfort", "heat", "pain", "reading", "clean", "spot", "spot_read", "unlock", "incident",
]);

export const it = {
  order, limits, me, held, watching: "watch" in chair.dataset, voice: new Voice(), state: null,
  // The server's time as it was told, carried on by the page's own steady clock: no clock that is set meanwhile moves it.
  told: { at: Date.now(), mono: performance.now() },
  now: () => it.told.at + performance.now() - it.told.mono,
  // What is pressed twice, what was heard and said last, what is about to be read, seen, written, left.
  armed: { at: -9999, words: "" }, rang: "", spoken: "", draft: 38, aimed: true,
  look: { redness: null, swelling: null, mark: 0 }, where: "right jawline", grade: 1, card: "", going: null, part: { act: -1, n: 0 },
  // What is asked: the one that is due, until another is chosen; a new thing due takes its place again.
  chosen: { act: -1, key: "", due: "" },
  // The act and moment of the last count, and when this key last led into an act: one press too many must not leave it.
  last: { act: -1, at: -9999 }, entered: -9999,
  paint: () => {}, tap, first: told.state,
};
const book = { acts: order, limits };
it.painter = new Painter(order, limits, it.now);
it.line = new Line(chair.dataset.visit, chair.dataset.me, chair.dataset.csrf, take, (words, failed, refused) => {
  put("sent", words);
  at("sent").classList.toggle("late", failed);
  at("aside").hidden = !refused.length;
  put("aside-says", refused.map((one) => `${one.kind.replace("_", " ")}, ${time(one.at)}: ${one.why}`).join(" · "));
});

/** The server's own state, with what waits here on top of it. */
export function take(fresh, queue) {
  it.told = { at: Date.parse(fresh.now), mono: performance.now() };
  it.state = opened(fresh);
  for (const one of queue) foresee(book, it.state, one, it.me);
  it.paint();
}

function tap(kind, value = null, words = "", data = null) {
  if (it.watching || !it.state) return;
  const act = NAMED.has(kind) ? it.state.act : null;
  const made = { id: uuid7(), kind, at: new Date(it.now()).toISOString(), value, words, act, data };
  foresee(book, it.state, made, it.me);
  it.paint();
  it.line.push(made);
}
