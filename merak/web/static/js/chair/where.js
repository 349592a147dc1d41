// Where the hand is: the lit place, what it is called, the plate that it lies on.

// Where the hand is: what the lit place is called, and what of the pass it is.
export function whereNow(order, state) {
  const n = state.act, act = order[n], run = state.acts[n];
  if (!run.begun || !act.wanted.length) return { part: "", words: "" };
  const pass = act.passes > 1 ? ` · pass ${Math.min(run.passes + 1, act.passes)} of ${act.passes}` : "";
  if (run.next === null) return { part: "", words: run.complete ? "All counted. Go on." : `Pass ${run.passes + 1} is counted through.` };
  if (act.kind === "strokes") {
    const line = act.lines[run.next], done = run.tally[run.next] || 0;
    return { part: line.path, words: `${line.path}: ${done + 1} of ${line.repeats}${line.bony ? ", bone" : ""}${act.hold_s ? `, hold ${act.hold_s} s` : ""}` };
  }
  const cell = act.kind === "pulses", part = act.parts[cell ? act.cells[run.next].part : run.next];
  const first = cell ? act.cells.findIndex((one) => one.part === act.cells[run.next].part) : 0;
  const many = cell ? act.cells.filter((one) => one.part === act.cells[run.next].part).length : 0;
  const count = cell ? ` · ${run.next - first + 1} of ${many}` : "";
  const set = cell && act.cells[run.next].set_to ? ` · set to ${act.cells[run.next].set_to}` : "";
  return { part: part.name, words: `${part.name}${count}${pass}${set}${part.mind ? ` · ${part.mind}` : ""}` };
}

// The plate that the lit place lies on, or the part that was chosen; the act's own where none is lit.
export function plateNow(order, state, chosen = null) {
  const act = order[state.act], run = state.acts[state.act], lit = run.begun ? run.next : null;
  const at = act.kind === "pulses" && lit !== null ? act.cells[lit].part : lit;
  const part = run.begun && chosen !== null ? act.parts[chosen] : at === null || act.kind === "strokes" ? null : act.parts[at];
  return part?.plate || (act.parts[0]?.plate ?? "") || act.plate;
}
