// Where one has been in a pass, what was missed and done twice, what comes next (merak/core/treatment/walk.py).

/** @typedef {import("./types.js").Act} Act */
/** @typedef {import("./types.js").ActRun} ActRun */

/** How often each place was counted. @param {Act} act @param {number[]} walk */
export function tallied(act, walk) {
  const counts = act.wanted.map(() => 0);
  for (const place of walk) counts[place] += 1;
  return counts;
}

/** Whether each thing is counted in whichever part it is seen, as often as it is. @param {Act} act */
export const anywhere = (act) => act.at_most && act.kind === "sections";

/** The place that is lit; null when none lacks a count. @param {Act} act @param {ActRun} run */
export function nextPlace(act, run) {
  const many = act.wanted.length;
  if (run.walks.length >= act.passes) return null;
  if (!run.tally.length) return many ? 0 : null;
  const here = run.walk.at(-1) ?? 0;
  if (anywhere(act)) return here;
  for (let k = here; k < here + many; k++) if (run.tally[k % many] < act.wanted[k % many]) return k % many;
  return null;
}

/** Whether all was counted, or its passes were closed. @param {Act} act @param {ActRun} run */
export function complete(act, run) {
  if (!act.wanted.length || anywhere(act) || run.walks.length >= act.passes) return true;
  return run.walks.length + 1 === act.passes && nextPlace(act, run) === null;
}

/** Places missed and done twice in all passes. @param {Act} act @param {ActRun} run */
export function missedInAll(act, run) {
  let missed = 0, doubled = 0;
  if (act.at_most) return { missed, doubled };
  for (const walk of [...run.walks, run.walk]) {
    const counts = tallied(act, walk), furthest = walk === run.walk ? Math.max(-1, ...walk) : Infinity;
    act.wanted.forEach((want, n) => {
      if (counts[n] < want && n < furthest) missed += 1;
      if (counts[n] > want) doubled += 1;
    });
  }
  return { missed, doubled };
}
