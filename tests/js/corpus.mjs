// Foresees every transition of a corpus that Python wrote, and says which come out otherwise. Prints {"seen", "kinds", "differ": [...]}.

import { readFileSync } from "node:fs";
import { foresee, opened } from "../../merak/web/static/js/chair/foresee.js";

/** Left to the server: what depends on its own clock, and its number of the tap. */
const SERVERS = new Set(["now", "pace", "seq", "worked_s"]);
const near = (a, b) => a === b || (typeof a === "number" && typeof b === "number" && Math.abs(a - b) <= 1e-6 * Math.max(1, Math.abs(a)));
const moment = (value) => (typeof value === "string" && /^\d{4}-\d\d-\d\dT/.test(value) ? Date.parse(value) : value);

/** Where two values part, as a path; "" where they are the same. */
function parts(want, got, path = "state") {
  if (want && typeof want === "object" && !Array.isArray(want)) {
    if (want.begun === false && got?.begun === false) return "";
    const keys = new Set([...Object.keys(want), ...Object.keys(got ?? {})]);
    for (const key of keys) {
      const found = SERVERS.has(key) ? "" : parts(want[key], got?.[key], `${path}.${key}`);
      if (found) return found;
    }
    return "";
  }
  if (Array.isArray(want)) {
    if (!Array.isArray(got) || want.length !== got.length) return `${path}: ${JSON.stringify(want)} ≠ ${JSON.stringify(got)}`;
    return want.map((one, n) => parts(one, got[n], `${path}[${n}]`)).find(Boolean) ?? "";
  }
  return near(moment(want), moment(got)) ? "" : `${path}: ${JSON.stringify(want)} ≠ ${JSON.stringify(got)}`;
}

const corpus = JSON.parse(readFileSync(process.argv[2], "utf8")), differ = [], kinds = {};
let seen = 0;
for (const { name, order, steps } of corpus) {
  const whole = opened(structuredClone(steps[0].before));
  for (const { before, tap, me, after } of steps) {
    const state = opened(structuredClone(before));
    foresee(order, state, tap, me);
    foresee(order, whole, tap, me);
    const found = parts(after, state) || parts(after, whole, "the run from its start");
    if (found) differ.push(`${name}, tap ${seen}, ${JSON.stringify(tap)} by ${me.name}: ${found}`);
    kinds[tap.kind] = (kinds[tap.kind] ?? 0) + 1;
    seen += 1;
  }
}
process.stdout.write(JSON.stringify({ seen, kinds, differ: differ.slice(0, 40), many: differ.length }));
