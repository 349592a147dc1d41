"""The chair: a state rebuilt from 5 000 taps, and a tap until it is painted, in the real browser without the server."""

import statistics
import time
from datetime import UTC, datetime, timedelta
from uuid import UUID

import httpx
from playwright.sync_api import sync_playwright

from builders.browser import at_the_chair, signed_in_page
from builders.orders import PINS, PULSES
from builders.server import Server
from builders.visits import NUMBED, begun, booked, sent
from merak.core.treatment import Tap, fold

TAPS = 5000
#: Counts, each with style and layout done, and the time of its own frame.
PAINT = """async () => {
  const times = [];
  for (let n = 0; n < 60; n++) {
    const begun = performance.now();
    document.getElementById("main-act").click();
    await new Promise((on) => requestAnimationFrame(() => {
      const painted = new MessageChannel();
      painted.port1.onmessage = on;
      painted.port2.postMessage(0);
    }));
    times.push(performance.now() - begun);
  }
  return times;
}"""


def long_treatment() -> list[Tap]:
    """Five thousand taps: pulses with undo, pain asked for, passes opened and closed again."""
    begun = datetime(2026, 11, 25, 9, tzinfo=UTC)
    first = [("start", None, {"licences": ["fractional"]}), ("go", float(PULSES), {}), ("unlock", None, {})]
    kinds = ("pain" if n % 50 == 0 else "uncount" if n % 9 == 0 else "count" for n in range(TAPS))
    many = [(kind, {"pain": float(n % 6), "count": float(n % 40)}.get(kind), {}) for n, kind in enumerate(kinds)]
    return [
        Tap.model_validate(
            {
                "id": UUID(int=n),
                "kind": kind,
                "at": begun + timedelta(seconds=n / 2),
                "value": value,
                "words": "a reason",
                "data": data,
            }
        )
        for n, (kind, value, data) in enumerate(first + many)
    ]


def rebuilt_ms() -> float:
    """A state rebuilt from 5 000 taps, median of 15, ms."""
    taps, times = long_treatment(), []
    for _ in range(15):
        begun = time.perf_counter()
        state = fold(PINS, taps)
        times.append(time.perf_counter() - begun)
        assert len(state.seen) == len(taps)
    return statistics.median(times) * 1000


def painted_ms(server: Server, client: httpx.Client) -> tuple[float, float]:
    """(median, p95) from a tap until it is painted, ms: a whole face of pins, and no server that answers."""
    visit = begun(client, booked(client, "Painted Invented"), "numbing", "rf_fractional", "finish")
    sent(client, visit, *NUMBED)
    with sync_playwright() as playwright:
        chromium = playwright.chromium.launch(
            executable_path="/usr/bin/chromium-headless-shell", args=["--no-sandbox", "--disable-gpu"]
        )
        with signed_in_page(chromium, server, "adaeze") as page:
            at_the_chair(page, server, visit)
            page.locator("#unlock").click()
            page.get_by_role("textbox", name="Why").fill("measured, not treated")
            page.get_by_role("button", name="Let it begin").click()
            page.locator("#main-act", has_text="Pulse").wait_for()
            page.route("**/api/**", lambda route: route.abort())
            times = sorted(page.evaluate(PAINT))
        chromium.close()
    return statistics.median(times), times[int(0.95 * len(times))]
