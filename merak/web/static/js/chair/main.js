// The treatment at the chair. The server's fold over taps is the truth; here a tap is painted at once, queued, sent, and the server's own
// state is painted over it. What the parts share stands in chair.js.

import "./buttons.js";
import { at, button, it, take } from "./chair.js";
import { paint, tick } from "./screen.js";

/** Begins; `early` where STOP was hit while this was loading. */
export function begin(early) {
  // The screen stays awake; the lock is lost whenever the page is hidden.
  const awake = () => { if (!document.hidden) navigator.wakeLock?.request("screen").catch(() => {}); };
  document.addEventListener("visibilitychange", awake);
  awake();
  it.paint = paint;
  take(it.first, it.line.queue);
  it.draft = Object.values(it.state.acts[it.state.act].warmth || {}).at(-1)?.last ?? it.draft;
  paint();
  it.line.seq = it.first.seq;
  it.line.open();
  if (early && !button("stop").disabled) at("stop").click();
  setInterval(tick, 250);
}
