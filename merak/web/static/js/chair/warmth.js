// How warm a zone got (merak/core/treatment/warmth.py, merak/core/dose/thermal.py: Sapareto & Dewey's cumulative equivalent minutes).

/** @typedef {import("./types.js").Heat} Heat */
/** @typedef {import("./types.js").Warmth} Warmth */
const BREAK_C = 43, CHARRED_C = 200, STEPS = 50;

/** CEM43 minutes between two readings. @param {number} seconds @param {number} from @param {number} to */
function cem43(seconds, from, to) {
  let total = 0;
  for (let n = 0; n < STEPS; n++) {
    const c = from + ((to - from) * (n + 0.5)) / STEPS;
    total += (seconds / 60 / STEPS) * (c >= BREAK_C ? 0.5 : 0.25) ** (BREAK_C - Math.min(c, CHARRED_C));
  }
  return total;
}

/** The share of the way from a to b that lies in the band. @param {number} a @param {number} b @param {number} low @param {number} high */
function shareBetween(a, b, low, high) {
  if (a === b) return low <= a && a <= high ? 1 : 0;
  const first = Math.min(a, b), last = Math.max(a, b);
  return Math.max(0, Math.min(last, high) - Math.max(first, low)) / (last - first);
}

/** A zone after one more reading. @param {Warmth | undefined} known @param {number} celsius @param {string} at @param {Heat} heat @returns {Warmth} */
export function warmed(known, celsius, at, heat) {
  const dwell = (/** @type {number} */ c) => Math.max(0, Math.min(heat.dwell_s, heat.rate_c_s > 0 ? (heat.stop_c - c) / heat.rate_c_s : Infinity));
  if (!known) return { last: celsius, peak: celsius, band_s: 0, cem43: 0, deep43: 0, dwell_s: dwell(celsius), at };
  const now = { ...known, peak: Math.max(known.peak, celsius) };
  const seconds = (Date.parse(at) - Date.parse(known.at)) / 1000;
  if (seconds < 0) return now;
  if (seconds > 0) {
    now.band_s += seconds * shareBetween(known.last, celsius, heat.low_c, heat.high_c);
    now.cem43 += cem43(seconds, known.last, celsius);
    now.deep43 += cem43(seconds, known.last + heat.deeper_c, celsius + heat.deeper_c);
  }
  return { ...now, last: celsius, at, dwell_s: dwell(celsius) };
}

/** Whether a zone is done for today, in words; "" while it is not. @param {Warmth} zone @param {string} name @param {Heat} heat */
export function tooWarm(zone, name, heat) {
  if (zone.peak >= heat.stop_c) return `${zone.peak.toFixed(1)} °C in ${name || "a zone"}`;
  return zone.deep43 >= heat.stop_min ? `${zone.deep43.toFixed(1)} CEM43 min in ${name || "a zone"}` : "";
}
