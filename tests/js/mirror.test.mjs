// What a tap does at the chair, told as a treatment goes: figures and moments are worked out by hand, not by the fold.
// That the mirror agrees with the core on everything else is held by the corpus (tests/web/test_foresight.py).

import assert from "node:assert/strict";
import { test } from "node:test";
import { clock, foresee, gives, opened, secondsOf } from "../../merak/web/static/js/chair/foresee.js";
import { fresh } from "../../merak/web/static/js/chair/track.js";

const BEGAN = Date.UTC(2026, 0, 1, 10);
const at = (seconds) => new Date(BEGAN + seconds * 1000).toISOString();
const ADAEZE = { name: "Adaeze", licences: ["fractional"] }, TOMAS = { name: "Tomas", licences: [] };
const LIMITS = { heat_move: 3, heat_stop: 3.5, heat_never: 4, pain_lower: 4, pain_stop: 7, reading_s: 60, below_mm: 12.7, hands: "" };
const HEAT = { low_c: 40, high_c: 42, stop_c: 43, rate_c_s: 1, dwell_s: 3, deeper_c: 0, warn_min: 2, stop_min: 10 };
const SPOT = {
  wait_s: 300, same_visit: true, name: "power", unit: "W", at: 5, down: 4, up: 6, why_not: "", numbed: false, minds: "", rule: "r", severe: 3,
  pain_stop: 7, words: { first: "first a spot", wait: "not yet", kept: "kept", down: "lower", up: "higher", once: "enough", mark: "a mark" },
};

/** An act of the order; timed and kept going unless said otherwise. */
function act(title, changes = {}) {
  return {
    title, kind: "timed", seconds: 60, lines: [], wanted: [], passes: 1, keeps: false, beside: null, spot: null, heat: null, licence: "",
    machine: "", level_most: 10, clean_every: 0, ...changes,
  };
}
const strokes = (changes = {}) => act("Lift", { kind: "strokes", wanted: [2, 1, 1], passes: 2, ...changes });

/** A treatment of some acts that is told by its taps: `tap(seconds, kind, value, words, more)`. */
function treatment(...acts) {
  const order = { acts, limits: LIMITS };
  const state = opened({
    status: "ready", act: 0, following: null, why: "", owed: "", reason: "", holder: "", licences: [], stood_at: null, ran: [], machine: "",
    unheard: "", incidents: [], endings: [], photos: 0, acts: acts.map(() => fresh()),
  });
  let n = 0;
  const tap = (seconds, kind, value = null, words = "", { me = ADAEZE, act: named = null, ...data } = {}) => {
    foresee(order, state, { id: `tap-${(n += 1)}`, kind, at: at(seconds), value, words, act: named, data }, me);
    return state;
  };
  return { state, tap, here: () => state.acts[state.act], seconds: (act_, now) => secondsOf(state, act_, BEGAN + now * 1000) };
}

test("nothing is counted, felt or ended before the clock was started", () => {
  const { state, tap } = treatment(strokes(), act("Mask"));
  for (const kind of ["count", "pass", "next", "pain", "heat", "stop", "finish", "pause", "level", "clean", "resume"]) tap(0, kind, 1, "no");
  assert.equal(state.status, "ready");
  assert.deepEqual(state.acts.map((run) => [run.begun, run.strokes, run.pain]), [[false, 0, null], [false, 0, null]]);
  tap(5, "start");
  assert.deepEqual([state.status, state.act, state.holder, state.following], ["running", 0, "Adaeze", 1]);
  tap(6, "start", null, "", { me: TOMAS });
  assert.equal(state.holder, "Adaeze", "it was begun already");
});

test("strokes fill the lit place, passes close, the last press counts no more", () => {
  const { state, tap, here } = treatment(strokes(), act("Mask"));
  tap(0, "start");
  for (let n = 0; n < 4; n++) tap(n + 1, "count");
  assert.deepEqual([here().tally, here().next, here().complete], [[2, 1, 1], null, false]);
  tap(6, "pass");
  assert.deepEqual([here().passes, here().tally, here().next], [1, [0, 0, 0], 0]);
  for (const place of [0, 0, 2]) tap(7, "count", place);
  assert.deepEqual([here().missed, here().next, here().complete], [1, 1, false], "the place that was passed over is lit");
  tap(8, "count");
  assert.deepEqual([here().missed, here().complete, here().strokes], [0, true, 8]);
  tap(9, "pass");
  tap(10, "count");
  assert.deepEqual([here().strokes, here().passes, state.act], [8, 2, 0]);
});

test("a count is taken back, also the one that closed a pass", () => {
  const { tap, here } = treatment(strokes());
  tap(0, "start");
  tap(1, "uncount");
  assert.equal(here().strokes, 0);
  for (const n of [1, 2, 3, 4]) tap(n, "count");
  tap(5, "pass");
  tap(6, "uncount");
  assert.deepEqual([here().passes, here().strokes, here().tally], [0, 3, [2, 1, 0]]);
});

test("a count that was tapped before the hands stood still counts; one after does not", () => {
  const { tap, here, state } = treatment(strokes(), act("Mask"));
  tap(0, "start");
  tap(10, "pause");
  tap(9, "count");
  tap(10, "count");
  tap(11, "count");
  assert.deepEqual([here().strokes, state.status], [2, "paused"]);
  tap(20, "resume");
  tap(21, "count");
  assert.equal(here().strokes, 3);
});

test("the clock stands while the hands stand; what works by itself works on", () => {
  const { tap, seconds } = treatment(act("Cream", { keeps: true }), act("Massage"), act("Mask"));
  tap(0, "start");
  tap(30, "pause");
  tap(90, "resume");
  assert.equal(seconds(0, 100), 100, "cream does not stop because hands do");
  tap(100, "next");
  tap(130, "pause");
  assert.equal(seconds(1, 500), 30);
  tap(530, "resume");
  assert.equal(seconds(1, 540), 40);
  assert.equal(seconds(0, 540), 100, "an act that was left has stopped");
});

test("guests of a wait run in its time, and the wait is come back to", () => {
  const { state, tap, seconds } = treatment(act("Mask", { keeps: true }), act("Panel", { beside: 0 }), act("Light", { beside: 0 }), act("Off"));
  tap(0, "start");
  assert.equal(state.following, 1);
  tap(10, "next");
  tap(20, "next");
  assert.deepEqual([state.act, state.acts[0].ended, seconds(0, 30)], [2, false, 30]);
  tap(40, "next");
  assert.deepEqual([state.act, state.acts[2].ended], [0, true], "back at the mask");
  tap(60, "next");
  assert.deepEqual([state.act, state.acts[0].ended, seconds(0, 900)], [3, true, 60]);
  assert.equal(state.following, null);
  tap(70, "finish");
  assert.equal(state.status, "finished");
});

test("a stale “next” of a page that shows another act leads nowhere", () => {
  const { state, tap } = treatment(act("One"), act("Two"), act("Three"));
  tap(0, "start");
  tap(1, "next", null, "", { act: 0 });
  tap(2, "next", null, "", { act: 0 });
  assert.equal(state.act, 1);
  tap(3, "back", null, "", { act: 0 });
  assert.equal(state.act, 1);
  tap(4, "go", 2);
  tap(5, "go", 7);
  tap(6, "go", -1);
  assert.equal(state.act, 2);
});

test("heat 3.5 and pain 7 stop the hands; heat 4 owes an incident that is written before anything goes on", () => {
  const { state, tap, here } = treatment(act("Warm"), act("Mask"));
  tap(0, "start");
  tap(1, "heat", 3.4);
  assert.equal(state.status, "running");
  tap(2, "heat", 3.5);
  assert.deepEqual([state.status, state.why, here().heat], ["paused", "heat 3.5", 3.5]);
  tap(3, "resume");
  tap(4, "pain", 6);
  assert.equal(state.status, "running");
  tap(5, "pain", 7);
  assert.deepEqual([state.status, state.why], ["paused", "pain 7"]);
  tap(6, "pain", 11);
  tap(6, "heat", -1);
  assert.deepEqual([here().pain, here().heat], [7, 3.5], "no such word");
  tap(7, "heat", 4);
  assert.equal(state.owed, "burn");
  for (const kind of ["resume", "next", "finish", "leave"]) tap(8, kind);
  assert.deepEqual([state.status, state.act, state.acts[0].ended], ["paused", 0, false]);
  tap(9, "incident", 2, "", { card: "Burn", done: "cooled", zone: "chin" });
  tap(10, "resume");
  assert.deepEqual([state.owed, state.status, state.incidents[0].grade], ["", "running", 2]);
});

test("an incident is struck out with a reason and stays", () => {
  const { state, tap } = treatment(act("Warm"));
  tap(0, "start");
  tap(1, "incident", 9, "", { card: "Faint", done: "laid down" });
  const { id, grade } = state.incidents[0];
  assert.equal(grade, 0, "there is no grade nine");
  tap(2, "strike", null, "  ", { incident: id });
  tap(2, "strike", null, "somebody else’s", { incident: "another" });
  assert.equal(state.incidents[0].struck, "");
  tap(3, "strike", null, "somebody else’s", { incident: id });
  tap(4, "strike", null, "once more", { incident: id });
  assert.equal(state.incidents[0].struck, "Adaeze: somebody else’s");
});

test("a zone at 43 °C is over, and the hands stand", () => {
  const { state, tap, here, seconds } = treatment(act("Warm", { heat: HEAT }), act("Mask"));
  tap(0, "start");
  tap(10, "reading", 41.5, "", { zone: "chin" });
  tap(20, "reading", 81, "", { zone: "chin" });
  tap(20, "reading", -11, "", { zone: "chin" });
  assert.deepEqual([here().warmth.chin.last, here().over], [41.5, ""], "no skin is so warm or so cold");
  tap(30, "reading", 43, "", { zone: "chin" });
  assert.deepEqual([here().over, state.status], ["43.0 °C in chin", "paused"]);
  tap(40, "resume");
  assert.equal(seconds(0, 90), 30, "its clock does not go on");
});

test("who holds no licence counts nothing, and is told", () => {
  const { state, tap, here } = treatment(strokes({ licence: "fractional" }));
  tap(0, "start", null, "", { me: TOMAS });
  assert.equal(here().lock.kind, "licence");
  tap(1, "count", null, "", { me: TOMAS });
  assert.match(state.unheard, /Tomas holds no licence for fractional: “count”/);
  tap(2, "take_over", null, "", { me: ADAEZE });
  tap(3, "count", null, "", { me: ADAEZE });
  assert.deepEqual([here().strokes, here().lock, state.unheard, here().hands], [1, null, "", ["Tomas", "Adaeze"]]);
  assert.deepEqual(["count", "pass", "spot", "spot_read", "pause", "stop", "uncount"].map((kind) => gives({ kind })), [true, true, true, true, false, false, false]);
  assert.ok(gives({ kind: "level", value: 1 }) && !gives({ kind: "level", value: -1 }), "down is always allowed");
});

test("pins wait for their spot: placed, not read too soon, read, and one step up at most", () => {
  const { tap, here } = treatment(strokes({ spot: SPOT, kind: "pulses" }));
  tap(0, "start");
  tap(1, "count");
  assert.deepEqual([here().lock.words, here().strokes], ["first a spot", 0]);
  tap(2, "spot", null, "", { zone: "jaw" });
  assert.equal(here().spot.due, at(302));
  tap(301, "spot_read", null, "", { redness: 1 });
  assert.equal(here().spot.answer, null, "five minutes are not over");
  tap(302, "spot_read", null, "", { redness: 5 });
  assert.equal(here().spot.answer, null, "there is no redness of five");
  tap(303, "spot_read", null, "", {});
  assert.deepEqual([here().spot.answer.verdict, here().set_to, here().stepped_up, here().lock.words], ["up", 6, true, "higher"]);
  tap(304, "spot");
  tap(700, "spot_read", null, "", {});
  assert.deepEqual([here().spot.answer.verdict, here().set_to, here().lock], ["keep", 6, null], "never up twice");
  tap(701, "count");
  assert.equal(here().strokes, 1);
});

test("a mark on the spot ends the act, and nothing unlocks it", () => {
  const { tap, here } = treatment(strokes({ spot: SPOT }));
  tap(0, "start");
  tap(1, "spot");
  tap(400, "spot_read", null, "", { mark: true });
  assert.deepEqual([here().over, here().spot.answer.verdict], ["a mark", "stop"]);
  tap(401, "unlock", null, "I have looked");
  tap(402, "count");
  tap(403, "spot");
  assert.deepEqual([here().unlocked, here().strokes, here().spot.answer.verdict], [false, 0, "stop"]);
});

test("a level moves inside its machine, says why, and is carried to the other side", () => {
  const lines = [{ path: "a", repeats: 1, level: 3, bony: false }, { path: "b", repeats: 1, level: 4, bony: true }];
  const { tap, here, state } = treatment(strokes({ lines, level_most: 6 }), act("Gel"), strokes({ lines, level_most: 6 }));
  tap(0, "start");
  tap(1, "level", -0.5, "a little less");
  assert.deepEqual([here().level_shift, here().said], [-0.5, ["a little less"]]);
  tap(2, "level", 9);
  assert.equal(here().level_shift, 2, "no more than the machine has: 4 + 2");
  tap(3, "level", -99);
  assert.equal(here().level_shift, -3, "no less than one: 4 − 3");
  tap(4, "next");
  tap(5, "level", 1);
  assert.equal(here().level_shift, 0, "gel has no level");
  tap(6, "next");
  assert.equal(state.acts[2].level_shift, -3);
});

test("a stop is a stop: clocks stand, what it was for is kept, leaving keeps why", () => {
  const { state, tap, here, seconds } = treatment(act("Cream", { keeps: true }), act("Lift"), act("Mask"));
  tap(0, "start");
  tap(10, "next");
  tap(20, "halt");
  assert.deepEqual([state.status, seconds(1, 99)], ["halted", 10]);
  tap(21, "why", null, "");
  tap(21, "why", null, "client unwell");
  assert.deepEqual([state.why, here().said], ["client unwell", ["client unwell"]]);
  tap(22, "count");
  tap(30, "leave");
  assert.deepEqual([state.acts[1].left, state.acts[1].ended, state.act, state.status], ["client unwell", true, 2, "paused"]);
  tap(31, "resume");
  assert.deepEqual([state.status, state.why], ["running", ""]);
});

test("an ended visit is opened again: both times are kept, the mask has gone on working", () => {
  const { state, tap, seconds } = treatment(act("Mask", { keeps: true }));
  tap(0, "start");
  tap(60, "stop", null, "fire alarm");
  assert.deepEqual([state.status, state.reason, seconds(0, 500)], ["stopped", "fire alarm", 60]);
  for (const kind of ["count", "next", "pain", "pause"]) tap(61, kind, 1);
  assert.equal(state.acts[0].pain, null, "it is over");
  tap(180, "reopen");
  assert.deepEqual([state.status, state.endings.length, state.endings[0].back, seconds(0, 200)], ["paused", 1, at(180), 200]);
  tap(200, "photo");
  assert.equal(state.photos, 1);
});

test("a tip wants wiping: strokes since then are counted and taken back", () => {
  const { tap, here } = treatment(strokes({ wanted: [9], clean_every: 3 }));
  tap(0, "start");
  for (const n of [1, 2, 3]) tap(n, "count");
  assert.equal(here().since_clean, 3);
  tap(4, "clean");
  tap(5, "uncount");
  assert.equal(here().since_clean, 0, "never less than none");
});

test("the last three things said are kept, and when they were asked", () => {
  const { tap, here } = treatment(act("Warm"));
  tap(0, "start");
  for (const [n, words] of ["warm", "nice", "tingles", "too much"].entries()) tap(n + 1, "comfort", null, words);
  assert.deepEqual([here().said, here().asked], [["nice", "tingles", "too much"], at(4)]);
  tap(2, "comfort", null, "late");
  assert.equal(here().asked, at(4), "a late tap does not make the last question older");
});

test("a clock is read in minutes and seconds", () => {
  assert.deepEqual([0, 9.9, 60, 754.2, 3600].map(clock), ["0:00", "0:09", "1:00", "12:34", "60:00"]);
});
