// What is asked at the chair: one question at a time, the one that is due first.

import { every } from "../dom.js";
import { at, chair, it } from "./chair.js";
import { over } from "./foresee.js";
import { put } from "./paint.js";

export const ASKS = ["saying", "heat", "warm", "pain", "spot", "machine"];

// What may be asked now, the one that is due first; the one that is shown.
function asked(spot, alarm) {
  const n = it.state.act, act = it.order[n], run = it.state.acts[n], ended = over(it.state);
  if (ended || !run.begun) return { able: [], due: "", shown: "" };
  const free = !run.lock, machine = act.machine && run.lock?.kind !== "licence" && ["running", "paused"].includes(it.state.status) && !it.watching;
  const able = ASKS.filter((key) => ({
    saying: act.sayings.length, heat: act.asks.includes("heat") && free, warm: act.heat, pain: act.asks.includes("pain") && (free || spot.due),
    spot: spot.shown, machine,
  })[key]);
  const key = alarm.key || "";
  const due = spot.shown ? "spot" : it.state.machine === "lost" && machine ? "machine" : key.startsWith("read") ? "warm"
    : key.startsWith("ask") ? (act.asks.includes("heat") ? "heat" : "pain") : "";
  if (it.chosen.act !== n || (due && due !== it.chosen.due) || !able.includes(it.chosen.key)) it.chosen = { act: n, key: able.includes(due) ? due : able[0] || "", due };
  it.chosen.due = due;
  return { able, due, shown: it.chosen.key };
}

export function paintAsked(alarm) {
  const spot = it.painter.spot(it.state), { able, due, shown } = asked(spot, alarm), run = it.state.acts[it.state.act];
  const zone = Object.values(run.warmth || {}).at(-1);
  const latest = { heat: run.heat, pain: run.pain, warm: zone ? zone.last.toFixed(1) : null, saying: null };
  for (const key of ASKS) {
    const [tab] = every(`[data-ask="${key}"]`, chair), panel = at(key);
    tab.hidden = !able.includes(key) || (able.length < 2 && key !== "machine");
    tab.setAttribute("aria-selected", String(shown === key));
    tab.classList.toggle("due", due === key);
    put(chair.querySelector(`[data-ask-last="${key}"]`), latest[key] === null || latest[key] === undefined ? "" : String(latest[key]));
    panel.hidden = !able.includes(key);
    panel.classList.toggle("chosen", shown === key);
  }
}
