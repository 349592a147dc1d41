// The line to the server: a tap is queued in this browser under its giver's name, sent in order until it is acknowledged, and the server's
// state comes back, also when somebody else has tapped. No tap is ever thrown away here. Nothing here knows what a tap does.

import { Steady } from "./steady.js";

/**
 * @typedef {import("./types.js").Tap & { load: string, mono_s: number }} Queued
 * @typedef {Queued & { why: string }} Refused
 * @typedef {import("./types.js").Told} Told
 */

const WAIT_MS = 3000, ASK_MS = 15000, ASLEEP_MS = 5000;
const AWAY = "No connection: go on, taps are kept here and sent later.";

// Refused for a tap's own sake: what cannot be read, what only a senior may do. All else (signed out, not begun, closed) waits in its queue.
/**
 * @param {number} status
 * @param {Queued[]} batch
 */
const theirs = (status, batch) => [404, 413, 422].includes(status) || (status === 403 && batch.some((tap) => tap.kind === "unlock"));
/** @param {string} key @returns {any[]} */
const stored = (key) => JSON.parse(localStorage.getItem(key) || "[]");

export class Line {
  /**
   * @param {string} visit
   * @param {string} me
   * @param {string} csrf
   * @param {(state: Told, queue: Queued[]) => void} take is told every state of the server's
   * @param {(words: string, late: boolean, aside: Refused[]) => void} say is told whether all is kept, and what was not taken
   */
  constructor(visit, me, csrf, take, say) {
    this.address = `/api/visits/${visit}/run`;
    this.csrf = csrf;
    this.kept = `merak.taps.${visit}.${me}`;
    this.refused = `merak.aside.${visit}.${me}`;
    this.take = take;
    this.say = say;
    /** @type {Queued[]} */
    this.queue = stored(this.kept);
    /** @type {Refused[]} */
    this.aside = stored(this.refused);
    // Taps that somebody else left in this browser wait for them: they never go out under another name.
    this.others = Object.keys(localStorage).filter((key) => key.startsWith(`merak.taps.${visit}`) && key !== this.kept).reduce((sum, key) => sum + stored(key).length, 0);
    this.steady = new Steady();
    this.sending = false;
    this.failed = "";
    this.seq = -1;
    /** @type {Told | null} */
    this.overheard = null;
    this.seen = Date.now();
  }

  open() {
    this.follow();
    this.listen();
    setInterval(() => { if (this.queue.length || this.failed) this.send(); }, WAIT_MS);
    setInterval(() => this.follow(), ASK_MS);
    setInterval(() => this.wake(), 1000);
    window.addEventListener("online", () => this.follow());
    document.addEventListener("visibilitychange", () => { if (!document.hidden) this.follow(); });
  }

  // After the machine slept, the state is asked for at once: others may have gone on.
  wake() {
    const slept = Date.now() - this.seen > ASLEEP_MS;
    this.seen = Date.now();
    if (slept) this.follow();
  }

  listen() {
    const live = new EventSource(`${this.address}/live`);
    // While a tap of ours is on its way, a state told meanwhile waits for its answer: between, it would count the tap twice for a blink.
    // It is not thrown away: what others did since may be newer than that answer.
    live.addEventListener("message", (event) => {
      this.overheard = JSON.parse(event.data);
      if (!this.sending) this.caughtUp();
    });
    live.addEventListener("error", () => { if (live.readyState === EventSource.CLOSED) setTimeout(() => this.listen(), WAIT_MS); });
  }

  caughtUp() {
    if (this.overheard) this.told(this.overheard);
    this.overheard = null;
  }

  /** @param {Told} state */
  told(state) {
    if (state.seq < this.seq) return;  // an answer that was overtaken
    this.seq = state.seq;
    this.take(state, this.queue);
  }

  /** @param {import("./types.js").Tap} tap */
  push(tap) {
    this.queue.push({ ...tap, ...this.steady.now() });
    this.keep();
    this.send();
  }

  keep() {
    localStorage.setItem(this.kept, JSON.stringify(this.queue));
    localStorage.setItem(this.refused, JSON.stringify(this.aside));
  }

  status() {
    const others = this.others ? ` · ${this.others} taps of somebody else wait here: they go out when that person signs in` : "";
    const aside = this.aside.length ? ` · ${this.aside.length} not taken: see the menu` : "";
    this.say((this.failed || (this.queue.length ? `${this.queue.length} on the way` : "all kept")) + aside + others, Boolean(this.failed || aside), this.aside);
  }

  async send() {
    if (this.sending) return;
    this.sending = true;
    let many = 200, failed = "";
    this.status();
    try {
      while (this.queue.length) {
        const batch = this.queue.slice(0, many);
        const answer = await this.ask("", { taps: batch, sent: this.steady.now() });
        if (answer.ok) {
          this.drop(batch);
          this.told(await answer.json());
          continue;
        }
        failed = (await answer.json().catch(() => null))?.error?.words || `The server answered ${answer.status}.`;
        // Which of several was refused is found by sending them singly. That one is put aside, told and kept; the rest goes on.
        if (!theirs(answer.status, batch)) break;
        if (batch.length > 1) { many = 1; failed = ""; continue; }
        this.aside.push({ ...batch[0], why: failed });
        this.drop(batch);
        failed = "";
      }
      this.failed = failed;
    } catch {
      this.failed = AWAY;
    }
    this.sending = false;
    this.caughtUp();
    this.status();
  }

  // What was put aside is tried once more, in its old order.
  again() {
    this.queue = [...this.aside.map(({ why, ...tap }) => tap), ...this.queue];
    this.aside = [];
    this.keep();
    return this.send();
  }

  /** @param {Queued[]} batch */
  drop(batch) {
    const sent = new Set(batch.map((one) => one.id));
    this.queue = this.queue.filter((one) => !sent.has(one.id));
    this.keep();
  }

  async follow() {
    if (this.queue.length) return this.send();
    try {
      const answer = await fetch(this.address);
      if (answer.ok) { this.failed = ""; this.told(await answer.json()); }
    } catch {
      this.failed = AWAY;
    }
    this.status();
  }

  /**
   * @param {string} path
   * @param {object} body
   */
  ask(path, body) {
    const token = { "x-csrf-token": this.csrf }, address = `${this.address}${path}`;
    if (body instanceof FormData) return fetch(address, { method: "POST", headers: token, body });
    const headers = { ...token, "content-type": "application/json" };
    return fetch(address, { method: "POST", headers, body: JSON.stringify(body) });
  }

  // An instrument is asked now or not at all: its answer is of no use later.
  /**
   * @param {string} path
   * @param {object} body
   * @returns {Promise<{ ok: boolean, words: string, value?: number | null }>}
   */
  async instrument(path, body) {
    try {
      const answer = await this.ask(path, body);
      const said = await answer.json();
      if (!answer.ok) return { ok: false, words: said?.error?.words || `The server answered ${answer.status}.` };
      this.told(said.state || said);
      return said.answer || { ok: true, words: "" };
    } catch {
      return { ok: false, words: "No connection: read it by hand and type it." };
    }
  }
}
