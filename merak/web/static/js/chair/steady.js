// What a tap carries to be told apart and set in order: an id of its own, and the page load's steady clock.

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

const DRIFT_MS = 1000;

// The page load's own steady clock. Where the machine slept, or its clock was set, the two clocks part: a new load begins.
export class Steady {
  constructor() { this.load = ""; this.drift = 0; this.begin(); }

  begin() {
    this.load = uuid7();
    this.drift = Date.now() - performance.now();
  }

  now() {
    if (Math.abs(Date.now() - performance.now() - this.drift) > DRIFT_MS) this.begin();
    return { load: this.load, mono_s: performance.now() / 1000 };
  }
}
