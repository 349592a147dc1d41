// What an act waits for, and what a test spot answers (merak/core/treatment/locks.py, merak/core/spots.py).

/** @typedef {import("./types.js").Act} Act */
/** @typedef {import("./types.js").State} State */
/** @typedef {import("./types.js").SpotRule} SpotRule */
/** @typedef {{ redness: number, swelling: number, pain: number, mark: boolean }} Look */

/** What an act waits for; null when it is free. @param {Act} act @param {State} state @param {number} n @returns {import("./types.js").Lock | null} */
export function locked(act, state, n) {
  const run = state.acts[n], { spot } = run;
  if (act.licence && !state.licences.includes(act.licence)) {
    const words = `This asks for a licence for ${act.licence}, which ${state.holder || "nobody here"} does not hold.`;
    return { kind: "licence", words, action: "Who holds it takes over." };
  }
  if (!act.spot || run.unlocked) return null;
  if (!spot) return { kind: "spot", words: act.spot.words.first, action: "Place a test spot." };
  if (!spot.answer) return { kind: "spot", words: act.spot.words.wait, action: "Read it when it is due." };
  if (spot.answer.verdict === "keep") return null;
  return { kind: "spot", words: spot.answer.words, action: "Place a spot at the new setting." };
}

/** What was seen, when it can be that; else null. @param {Record<string, any>} data @returns {Look | null} */
export function lookOf(data) {
  const { redness = 0, swelling = 0, pain = 0, mark = false } = data;
  /** @param {unknown} value @param {number} most */
  const grade = (value, most) => Number.isInteger(value) && Number(value) >= 0 && Number(value) <= most;
  return grade(redness, 4) && grade(swelling, 4) && grade(pain, 10) ? { redness, swelling, pain, mark } : null;
}

/** The rule's answer to what is seen. @param {SpotRule} rule @param {number} at @param {Look} look @param {boolean} steppedUp */
export function answer(rule, at, look, steppedUp) {
  const said = (/** @type {string} */ verdict, /** @type {number} */ set_to, /** @type {string} */ words) => ({ verdict, set_to, words });
  if (look.mark) return said("stop", at, rule.words.mark);
  if (Math.max(look.redness, look.swelling) >= rule.severe || look.pain >= rule.pain_stop) {
    const lower = rule.up !== null && at >= rule.up ? rule.at : at >= rule.at ? rule.down : null;
    if (lower === null) return said("stop", at, "It is the gentlest setting already: not today.");
    return said("down", lower, rule.words.down);
  }
  if (look.redness || look.swelling || (look.pain && !rule.numbed)) return said("keep", at, rule.words.kept);
  if (steppedUp || at !== rule.at) return said("keep", at, rule.words.once);
  if (rule.up === null) return said("keep", at, rule.why_not || rule.words.once);
  return said("up", rule.up, rule.words.up);
}
