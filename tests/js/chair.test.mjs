// The pure parts of the chair, each against figures that were worked out elsewhere.

import assert from "node:assert/strict";
import { test } from "node:test";
import { answer, lookOf } from "../../merak/web/static/js/chair/spots.js";
import { following, fresh } from "../../merak/web/static/js/chair/track.js";
import { complete, missedInAll, nextPlace, tallied } from "../../merak/web/static/js/chair/walk.js";
import { tooWarm, warmed } from "../../merak/web/static/js/chair/warmth.js";

const act = (wanted, passes = 1) => ({ wanted, passes });
const run = (act_, walk, walks = []) => ({ ...fresh(), begun: true, walk, walks, tally: tallied(act_, walk) });
const heat = { low_c: 40, high_c: 42, stop_c: 43, rate_c_s: 1, dwell_s: 3, deeper_c: 0, warn_min: 5, stop_min: 10 };
const after = (minutes, c) => warmed(warmed(undefined, c, "2026-01-01T10:00:00Z", heat), c, new Date(Date.UTC(2026, 0, 1, 10, minutes)).toISOString(), heat);

test("CEM43: a minute counts as one at 43 °C, half for each degree above, a quarter for each below (Sapareto & Dewey 1984)", () => {
  for (const [c, minutes, expected] of [[43, 10, 10], [44, 10, 20], [42, 10, 2.5], [41, 16, 1], [45, 1, 4]]) {
    assert.ok(Math.abs(after(minutes, c).cem43 - expected) < 1e-9, `${minutes} min at ${c} °C`);
  }
});

test("a zone is done at its highest temperature and at its thermal dose, and time in the band is counted", () => {
  assert.equal(tooWarm(after(1, 43), "chin", heat), "43.0 °C in chin");
  assert.equal(tooWarm(after(48, 42), "chin", heat), "12.0 CEM43 min in chin");
  assert.equal(tooWarm(after(1, 42), "chin", heat), "");
  assert.equal(after(2, 41).band_s, 120);
  assert.equal(after(1, 42).dwell_s, 1);
});

test("the lit place goes on, comes back to what was passed over, and nothing is lit behind the last pass", () => {
  const lines = act([1, 1, 1, 1], 2);
  assert.equal(nextPlace(lines, run(lines, [0, 1])), 2);
  assert.equal(nextPlace(lines, run(lines, [0, 2, 3])), 1);
  assert.equal(nextPlace(lines, run(lines, [], [[0, 1], [0]])), null);
  assert.deepEqual(missedInAll(lines, run(lines, [0, 2, 2], [[0]])), { missed: 4, doubled: 1 });
  assert.ok(complete(lines, run(lines, [0, 1, 2, 3], [[0, 1, 2, 3]])) && !complete(lines, run(lines, [0, 1, 2, 3])));
});

test("a spot answers with one step at most, and stops at a mark", () => {
  const rule = { at: 5, up: 6, down: 4, severe: 3, pain_stop: 7, numbed: false, why_not: "", words: { mark: "m", down: "d", kept: "k", once: "o", up: "u" } };
  const look = (seen) => lookOf(seen) ?? assert.fail("it can be seen");
  assert.equal(answer(rule, 5, look({ mark: true }), false).verdict, "stop");
  assert.deepEqual(answer(rule, 5, look({ redness: 3 }), false), { verdict: "down", set_to: 4, words: "d" });
  assert.deepEqual(answer(rule, 6, look({ swelling: 4 }), true), { verdict: "down", set_to: 5, words: "d" });
  assert.deepEqual(answer(rule, 5, look({}), false), { verdict: "up", set_to: 6, words: "u" });
  assert.deepEqual(answer(rule, 5, look({ pain: 2 }), false), { verdict: "keep", set_to: 5, words: "k" });
  assert.equal(answer({ ...rule, numbed: true, up: null }, 5, look({ pain: 2 }), false).words, "o");
  assert.equal(lookOf({ redness: 5 }), null);
  assert.equal(lookOf({ pain: 2.5 }), null);
});

test("guests of a wait come first, then the wait, then what is behind it", () => {
  const acts = [{ beside: null }, { beside: null }, { beside: 1 }, { beside: 1 }, { beside: null }];
  const at = (here, ended = []) => following({ acts }, { act: here, acts: acts.map((_, n) => ({ ...fresh(), ended: ended.includes(n) })) });
  assert.deepEqual([at(0), at(1), at(2), at(3), at(1, [2, 3]), at(3, [1]), at(4)], [1, 2, 3, 1, 4, 4, null]);
});
