// The line to the server: a tap is queued in this browser, sent in order until it is acknowledged, and the server's state comes back,
// also when somebody else has tapped. Nothing here knows what a tap does.

const WAIT_MS = 3000, ASK_MS = 15000, ASLEEP_MS = 5000;

// A UUIDv7 (RFC 9562): 48 bits of milliseconds, then chance.
export function uuid7() {
  const bytes = crypto.getRandomValues(new Uint8Array(16));
  const ms = Date.now();
  for (let i = 0; i < 6; i++) bytes[i] = Math.floor(ms / 2 ** (40 - 8 * i)) & 0xff;
  bytes[6] = (bytes[6] & 0x0f) | 0x70;
  bytes[8] = (bytes[8] & 0x3f) | 0x80;
  const hex = [...bytes].map((b) => b.toString(16).padStart(2, "0")).join("");
  return hex.replace(/^(.{8})(.{4})(.{4})(.{4})(.{12})$/, "$1-$2-$3-$4-$5");
}

// A tap that the server will never take, however often it is sent: what cannot be read, what only a senior may do.
const hopeless = (status, tap) => [404, 422].includes(status) || (status === 403 && tap.kind === "unlock");

export class Line {
  // `take(state, queue)` is told every state of the server's; `say(words)` whether all is kept.
  constructor(visit, csrf, take, say) {
    this.address = `/api/visits/${visit}/run`;
    this.csrf = csrf;
    this.kept = `merak.taps.${visit}`;
    this.take = take;
    this.say = say;
    this.queue = JSON.parse(localStorage.getItem(this.kept) || "[]");
    this.sending = false;
    this.failed = "";
    this.seq = -1;
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
    // While a tap of ours is on its way its own answer comes next: a state between would count it twice for a blink.
    live.addEventListener("message", (event) => { if (!this.sending) this.told(JSON.parse(event.data)); });
    live.addEventListener("error", () => { if (live.readyState === EventSource.CLOSED) setTimeout(() => this.listen(), WAIT_MS); });
  }

  told(state) {
    if (state.seq < this.seq) return;  // an answer that was overtaken
    this.seq = state.seq;
    this.take(state, this.queue);
  }

  push(tap) {
    this.queue.push(tap);
    localStorage.setItem(this.kept, JSON.stringify(this.queue));
    this.send();
  }

  status() {
    this.say(this.failed || (this.queue.length ? `${this.queue.length} on the way` : "all kept"), Boolean(this.failed));
  }

  async send() {
    if (this.sending) return;
    this.sending = true;
    let many = 200, refused = "";
    this.status();
    try {
      while (this.queue.length) {
        const batch = this.queue.slice(0, many);
        const answer = await this.ask("", { taps: batch });
        if (!answer.ok) {
          this.failed = (await answer.json().catch(() => null))?.error?.words || `The server answered ${answer.status}.`;
          if (batch.length > 1 && [403, 404, 422].includes(answer.status)) { many = 1; continue; }
          if (!hopeless(answer.status, batch[0])) break;
          this.drop(batch);  // the rest is not held up by what will never be taken
          refused = this.failed;
          continue;
        }
        this.drop(batch);
        this.failed = "";
        this.told(await answer.json());
      }
      this.failed ||= refused;
    } catch {
      this.failed = "No connection: go on, taps are kept here and sent later.";
    }
    this.sending = false;
    this.status();
  }

  drop(batch) {
    const sent = new Set(batch.map((one) => one.id));
    this.queue = this.queue.filter((one) => !sent.has(one.id));
    localStorage.setItem(this.kept, JSON.stringify(this.queue));
  }

  async follow() {
    if (this.queue.length) return this.send();
    try {
      const answer = await fetch(this.address);
      if (answer.ok) { this.failed = ""; this.told(await answer.json()); }
    } catch {
      this.failed = "No connection: go on, taps are kept here and sent later.";
    }
    this.status();
  }

  ask(path, body) {
    const form = body instanceof FormData;
    const headers = { "x-csrf-token": this.csrf, ...(form ? {} : { "content-type": "application/json" }) };
    return fetch(`${this.address}${path}`, { method: "POST", headers, body: form ? body : JSON.stringify(body) });
  }

  // An instrument is asked now or not at all: its answer is of no use later.
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
