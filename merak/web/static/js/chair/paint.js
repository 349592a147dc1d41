// The chair as it is painted: from the state alone, a figure at a time, so that a tap is seen within a frame.

import { every } from "../dom.js";
import { clock, over, secondsOf } from "./foresee.js";
import { plateNow } from "./where.js";

const at = (id) => document.getElementById(id);

export function put(id, words) {
  const place = typeof id === "string" ? at(id) : id;
  if (place.textContent !== words) place.textContent = words;
}

export const time = (iso) => new Date(iso).toLocaleTimeString([], { hour: "2-digit", minute: "2-digit", hour12: false });
const day = (iso) => new Date(iso).toLocaleDateString([], { weekday: "short", day: "numeric", month: "short" });

export class Painter {
  constructor(order, limits, now) {
    this.order = order;
    this.limits = limits;
    this.now = now;
    this.places = order.map((_, n) => every(`[data-act="${n}"] [data-place]`).sort((a, b) => Number(a.dataset.place) - Number(b.dataset.place)));
    this.groups = every("#chair g[data-act]");
    this.sheets = every("[data-sheet]");
    this.names = every("[data-act-name]");
    this.thread = every("[data-thread]");
    this.used = every("[data-used]");
    this.shorts = Object.fromEntries(every("[data-short]").map((place) => [place.dataset.short, place]));
    this.spent = every("[data-spent]");
    /** Lays what is shown on the head, where the plate is seen on one. @type {(place: Element | undefined) => void} */
    this.lay = () => {};
    /** The part that was chosen for what is marked when it is seen. @type {() => number | null} */
    this.chosen = () => null;
  }

  plate(state) {
    const n = state.act, act = this.order[n], run = state.acts[n], on = plateNow(this.order, state, this.chosen());
    for (const sheet of this.sheets) sheet.hidden = sheet.dataset.sheet !== on;
    for (const group of this.groups) {
      const mine = Number(group.dataset.act), twin = act.kind === "strokes" && this.order[mine].kind === "strokes";
      group.toggleAttribute("hidden", mine !== n && !twin);
    }
    this.lay(run.begun && run.next !== null ? this.places[n][run.next] : undefined);
    const sheet = this.sheets.find((one) => !one.hidden), tip = sheet?.querySelector("[data-tip]");
    tip?.setAttribute("hidden", "");
    const shown = this.groups.filter((group) => !group.hasAttribute("hidden")).map((group) => Number(group.dataset.act));
    for (const mine of new Set(shown)) this.inked(state, mine, tip);
    const missed = run.begun ? run.missed : 0, doubled = run.begun ? run.doubled : 0;
    put("walked", [missed && `${missed} missed`, doubled && `${doubled} done twice`].filter(Boolean).join(" · "));
  }

  inked(state, n, tip) {
    const act = this.order[n], run = state.acts[n], here = n === state.act && !over(state);
    const tally = run.begun ? run.tally : [];
    let furthest = -1;
    tally.forEach((count, k) => { if (count) furthest = k; });
    this.places[n].forEach((place, k) => {
      const count = tally[k] || 0, want = act.wanted[k], next = here && run.next === k && !run.lock;
      const passed = count < want && k < furthest;
      place.classList.toggle("done", count >= want);
      place.classList.toggle("part-done", count > 0 && count < want);
      place.classList.toggle("before", !count && run.begun && run.passes > 0);
      place.classList.toggle("missed", passed && act.kind !== "strokes");
      place.classList.toggle("doubled", count > want);
      place.classList.toggle("current", next);
      place.classList.toggle("off", !here && !count);
      if (here && act.heat) this.celsius(place, run.warmth?.[act.parts[k].name]);
      if (next && tip && act.kind === "strokes") {
        const end = place.points[place.points.length - 1];
        tip.setAttribute("cx", end.x);
        tip.setAttribute("cy", end.y);
        tip.removeAttribute("hidden");
      }
    });
  }

  // A zone's last temperature, written on it.
  celsius(place, zone) {
    if (!zone) return;
    let words = place.nextElementSibling?.matches("text.celsius") ? place.nextElementSibling : null;
    if (!words) {
      const box = place.getBBox();
      words = document.createElementNS("http://www.w3.org/2000/svg", "text");
      words.classList.add("celsius");
      const [x, y] = [box.x + box.width / 2, box.y + box.height / 2];
      for (const [name, value] of Object.entries({ x, y, "text-anchor": "middle" })) words.setAttribute(name, value);
      place.after(words);
    }
    put(words, zone.last.toFixed(1));
  }

  // What waits to be said: the weightiest first. `kind` is stop, now or "" for nothing loud.
  alarm(state) {
    const n = state.act, act = this.order[n], run = state.acts[n], seconds = secondsOf(state, n, this.now());
    if (over(state)) return { words: "", kind: "" };
    if (state.owed) return { words: `Heat word 4. ${act.halt} Write the incident before anything goes on.`, kind: "stop", key: "owed" };
    if (run.begun && run.over) return { words: `${run.over}: this act is over for today. Cool it, then go on.`, kind: "stop", key: `over ${n}` };
    if (state.machine === "lost") return { words: "The machine is lost: off the skin, tip on its rest. Go on by hand, or plug it in again.", kind: "stop", key: "lost" };
    if (state.status === "paused" && state.why) return { words: `${state.why}: off the skin, cool, ask again. Go on one increment lower.`, kind: "stop", key: `why ${state.why}` };
    const late = this.order.findIndex((one, k) => one.must_end && state.acts[k].begun && !state.acts[k].ended && state.acts[k].on !== false && secondsOf(state, k, this.now()) >= one.seconds);
    if (late >= 0) {
      const past = secondsOf(state, late, this.now()) - this.order[late].seconds;
      return { words: `${late === n ? "" : `${this.order[late].title}: `}Time is up, ${clock(past)} over. ${this.order[late].over}`, kind: "stop", key: `up ${late}`, flash: true };
    }
    if (!run.begun) return { words: "", kind: "" };
    if (run.heat >= this.limits.heat_move && run.heat < this.limits.heat_stop && act.asks.includes("heat")) return { words: `Heat ${this.limits.heat_move}: move on.`, kind: "now", key: `move ${run.asked}` };
    if (run.pain >= this.limits.pain_lower && run.pain < this.limits.pain_stop) return { words: `Pain ${run.pain}: gentler.`, kind: "now", key: `pain ${run.asked}` };
    const said = act.sayings.find((one) => one.words === run.said.at(-1));
    if (said) return { words: said.action, kind: said.stop ? "stop" : "now", key: `said ${run.asked}` };
    if (act.clean_every && run.since_clean >= act.clean_every) return { words: "Wipe and dry the tip, then on from the same place.", kind: "now", key: "wipe" };
    if (state.status === "running" && act.ask_s && run.on && !run.lock) {
      const since = run.asked ? (this.now() - Date.parse(run.asked)) / 1000 : seconds;
      if (since > act.ask_s) return { words: `Ask now: ${act.asks.includes("heat") ? "how warm, 1 to 4?" : "0 to 10?"}`, kind: "ask", key: `ask ${run.asked}` };
    }
    if (act.heat && run.on && seconds > this.limits.reading_s) {
      const read = Object.values(run.warmth).map((one) => Date.parse(one.at)), last = read.length ? Math.max(...read) : 0;
      if ((this.now() - last) / 1000 > this.limits.reading_s) return { words: "Read the temperature.", kind: "ask", key: `read ${last}` };
    }
    return { words: state.pace?.words || "", kind: "" };
  }

  warmth(state, part) {
    const act = this.order[state.act], run = state.acts[state.act];
    if (!act.heat || !run.begun) return;
    const zones = Object.keys(run.warmth), zone = run.warmth[part] || run.warmth[zones.at(-1)];
    put("celsius", zone ? zone.last.toFixed(1) : "–");
    at("celsius").classList.toggle("hot", Boolean(zone) && zone.last >= act.heat.high_c);
    put("peak", zone ? `${zone.peak.toFixed(1)} °C` : "–");
    put("band", zone ? clock(zone.band_s) : "0:00");
    put("dwell", zone && zone.dwell_s !== null ? `${zone.dwell_s.toFixed(1)} s` : `${act.heat.dwell_s} s`);
    const deep = zone ? zone.deep43 : 0;
    put("dose", `burn guard: ${deep.toFixed(2)} of ${act.heat.stop_min} CEM43 min at the hottest depth, ${zone ? zone.cem43.toFixed(2) : "0.00"} at the surface`);
    at("dose-bar").style.setProperty("--share", String(Math.min(1, deep / act.heat.stop_min)));
    at("dose-bar").classList.toggle("warn", deep >= act.heat.warn_min);
  }

  spot(state) {
    const act = this.order[state.act], run = state.acts[state.act], lock = run.begun ? run.lock : null;
    const shown = Boolean(act.spot) && !over(state) && run.begun && (lock?.kind === "spot" || (run.spot && !act.wanted.length));
    if (!shown) return { shown: false, due: false, placed: false };
    const spot = run.spot, answered = spot?.answer, waiting = Boolean(spot) && !answered;
    const left = spot ? (Date.parse(spot.due) - this.now()) / 1000 : 0;
    const setting = `${act.spot.name.toLowerCase()} ${spot && waiting ? spot.at : run.set_to ?? act.spot.at} ${act.spot.unit}`;
    let words = `Test spot first: ${setting}, at a hidden border.`;
    if (waiting && !act.spot.same_visit) words = `Spot placed, ${setting}. It is read from ${day(spot.due)}, ${time(spot.due)} on; the task is on the list.`;
    else if (waiting && left > 0) words = `Spot placed at ${time(spot.placed)}, ${setting}. Read it in ${clock(left)}.`;
    else if (waiting) words = `Read the spot now. ${act.spot.minds}`;
    else if (answered) words = `${answered.words} ${answered.verdict === "stop" ? "" : `Another spot at ${answered.set_to} ${act.spot.unit}.`}`;
    put("spot-says", words);
    const due = waiting && left <= 0 && act.spot.same_visit;
    at("spot-look").hidden = !due;
    at("spot-place").hidden = waiting || answered?.verdict === "stop";
    if (at("unlock")) at("unlock").hidden = !act.wanted.length || due || answered?.verdict === "stop";
    return { shown: true, due, placed: waiting, later: waiting && !act.spot.same_visit };
  }

  strip(state) {
    const short = new Map((state.pace?.starved || []).map(([n, seconds]) => [n, seconds]));
    for (const item of this.names) {
      const n = Number(item.dataset.actName), run = state.acts[n];
      item.classList.toggle("here", n === state.act && !over(state));
      item.classList.toggle("done", Boolean(run.ended));
      item.classList.toggle("begun", run.begun);
      item.classList.toggle("runs", Boolean(run.begun && run.on && n !== state.act));
      item.classList.toggle("short", short.has(n));
    }
    for (const place of this.used) {
      const n = Number(place.dataset.used), seconds = secondsOf(state, n, this.now());
      const lacks = short.get(n), run = state.acts[n];
      put(place, clock(run.begun ? seconds : this.order[n].seconds));
      put(this.shorts[n], `${lacks ? ` · ${clock(lacks)} short` : ""}${run.begun && run.missed ? ` · ${run.missed} missed` : ""}`);
    }
    const share = (n) => secondsOf(state, n, this.now()) / this.order[n].seconds;
    for (const bar of this.spent) {
      const past = share(Number(bar.dataset.spent));
      bar.style.setProperty("--share", String(Math.min(1, past)));
      bar.classList.toggle("past", past > 1.05);
    }
    for (const part of this.thread) {
      const n = Number(part.dataset.thread), here = this.order[state.act].beside ?? state.act;
      /** @type {HTMLElement} */ (part.firstElementChild).style.setProperty("--share", String(state.acts[n].ended ? 1 : Math.min(1, share(n))));
      part.classList.toggle("here", n === here && !over(state));
      part.classList.toggle("short", short.has(n));
    }
    const pace = state.pace, late = pace?.late_s || 0;
    const names = (pace?.starved || []).map(([n]) => this.order[n].title).join(", ");
    put("pace", !pace || state.status === "ready" ? "" : `${clock(pace.used_s)} used · ${clock(pace.left_s)} to go${late >= this.limits.late_s ? ` · ${clock(late)} too long: ${names} would go short` : ""}`);
    at("pace").classList.toggle("late", late >= this.limits.late_s);
  }
}
