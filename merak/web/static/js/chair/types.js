// The shapes that the chair speaks of, as the server tells them (merak/api/treat.py, merak/core/acts.py). For the type checker only.

/**
 * @typedef {{ words: string, action: string, stop?: boolean }} Saying
 * @typedef {{ path: string, repeats: number, level: number, bony: boolean }} StrokeLine
 * @typedef {{ name: string, plate: string, cm2: number, mind: string }} Part
 * @typedef {{ low_c: number, high_c: number, stop_c: number, rate_c_s: number, dwell_s: number, deeper_c: number, warn_min: number,
 *   stop_min: number }} Heat
 * @typedef {{ wait_s: number, same_visit: boolean, name: string, unit: string, at: number, down: number | null, up: number | null,
 *   why_not: string, numbed: boolean, minds: string, rule: string, severe: number, pain_stop: number,
 *   words: Record<string, string> }} SpotRule
 * @typedef {{ kind: string, title: string, instruction: string, seconds: number, modality: string, lines: StrokeLine[], parts: Part[],
 *   cells: { part: number, set_to: string }[], passes: number, hold_s: number, level_most: number, sayings: Saying[], stage: string, strict: boolean,
 *   over: string, keeps: boolean, not_before: boolean, beside: number | null, spot: SpotRule | null, heat: Heat | null, asks: string[], ask_s: number,
 *   clean_every: number, licence: string, mirror: boolean, machine: string, dials: [string, number, string][], plate: string,
 *   wanted: number[], must_end: boolean, halt: string, cards: string[], machine_name: string, at_most: boolean }} Act
 * @typedef {{ heat_move: number, heat_stop: number, heat_never: number, pain_lower: number, pain_stop: number, reading_s: number,
 *   below_mm: number, hands: string, late_s: number, early_s: number }} Limits
 * @typedef {{ acts: Act[], limits: Limits }} Order
 *
 * @typedef {{ verdict: string, set_to: number, words: string }} SpotAnswer
 * @typedef {{ placed: string, due: string, at: number, zone: string, answer: SpotAnswer | null }} Spot
 * @typedef {{ last: number, peak: number, band_s: number, cem43: number, deep43: number, dwell_s: number | null, at: string }} Warmth
 * @typedef {{ kind: string, words: string, action: string }} Lock
 * @typedef {{ begun: boolean, ended: boolean, on: boolean, worked_s: number, banked_s: number, since: string | null,
 *   ended_at: string | null, strokes: number, tally: number[], walk: number[], walks: number[][], next: number | null, passes: number,
 *   complete: boolean, missed: number, doubled: number, level_shift: number, said: string[], heat: number | null, pain: number | null,
 *   asked: string | null, since_clean: number, lock: Lock | null, over: string, left: string, set_to: number | null, unlocked: boolean,
 *   stepped_up: boolean, spot: Spot | null, hands: string[], warmth: Record<string, Warmth>,
 *   seen: [number, string, number, number][] }} ActRun
 * @typedef {{ id: string, at: string, card: string, zone: string, grade: number, done: string, struck: string }} Incident
 * @typedef {{ at: string, by: string, reason: string, back: string | null }} Ending
 * @typedef {{ status: string, act: number, following: number | null, why: string, owed: string, reason: string, holder: string,
 *   licences: string[], stood_at: string | null, ran: number[], machine: string, unheard: string, incidents: Incident[],
 *   endings: Ending[], photos: number, acts: ActRun[] }} State
 * @typedef {{ name: string, at: number | null, scale: string, pulses: number, since_clean: number, clean_every: number, fault: string,
 *   plugged: boolean, wants_wiping: boolean }} Instrument
 * @typedef {State & { seq: number, now: string, instrument: Instrument | null }} Told
 * @typedef {{ id: string, kind: string, at: string, value?: number | null, words?: string, act?: number | null,
 *   data?: Record<string, any> | null }} Tap
 * @typedef {{ name: string, licences: string[] }} Person
 * @typedef {{ order: Order, state: State, tap: Tap, me: Person, n: number, act: Act, run: ActRun }} Met
 */

export {};
