// Ids in the order in which they were made, and a clock that notices when the machine slept.

import assert from "node:assert/strict";
import { mock, test } from "node:test";
import { Steady, uuid7 } from "../../merak/web/static/js/chair/steady.js";

test("a UUIDv7 carries its version, its variant and its milliseconds (RFC 9562)", () => {
  const before = Date.now(), id = uuid7(), after = Date.now();
  assert.match(id, /^[0-9a-f]{8}-[0-9a-f]{4}-7[0-9a-f]{3}-[89ab][0-9a-f]{3}-[0-9a-f]{12}$/);
  const ms = parseInt(id.replaceAll("-", "").slice(0, 12), 16);
  assert.ok(ms >= before && ms <= after);
});

test("the example of RFC 9562, appendix A.6: 2022-02-22 19:22:22 UTC is 017F22E2-79B0", () => {
  mock.timers.enable({ apis: ["Date"], now: Date.UTC(2022, 1, 22, 19, 22, 22) });
  assert.ok(uuid7().startsWith("017f22e2-79b0-7"));
  mock.timers.reset();
});

test("no two ids are the same, and later ones sort behind", () => {
  const ids = Array.from({ length: 2000 }, uuid7);
  assert.equal(new Set(ids).size, 2000);
  const stamps = ids.map((id) => id.slice(0, 13));
  assert.deepEqual(stamps, [...stamps].sort());
});

test("a page load keeps its clock; where wall and steady clock part, a new one begins", () => {
  mock.timers.enable({ apis: ["Date"], now: Date.now() });
  const steady = new Steady(), first = steady.now();
  assert.equal(steady.now().load, first.load);
  assert.ok(steady.now().mono_s >= first.mono_s);
  mock.timers.tick(900);
  assert.equal(steady.now().load, first.load, "less than a second is drift");
  mock.timers.tick(60_000);
  const woken = steady.now();
  assert.notEqual(woken.load, first.load, "it slept a minute");
  assert.equal(steady.now().load, woken.load);
  mock.timers.reset();
});
