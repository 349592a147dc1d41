"""The chair's frame: whatever the act, the alarm and the window, STOP, the main act and undo stand whole in their
places and take a tap.
"""

import re
from collections.abc import Callable, Iterator
from typing import Any

import httpx
import pytest
from playwright.sync_api import Browser, Page, expect

from builders.browser import signed_in_page, violations
from builders.server import Server, sign_in
from builders.visits import begun, booked, sent, tap

LONGEST = "Wilhelmina-Alexandrina Featherstonehaugh-Oyelaran the Younger"
#: A phone both ways, twice the size from 640 × 1280 and 1280 × 640, tablets, the trolley, laptops, a wall.
SIZES = [
    (320, 640),
    (640, 320),
    (390, 844),
    (844, 390),
    (820, 1180),
    (1180, 820),
    (1024, 768),
    (1280, 640),
    (1280, 720),
    (1366, 650),
    (1280, 800),
    (1920, 1080),
]
#: The least wide, the least high, a phone, a trolley: what is shorter than an alarm that fitted everywhere fits here.
TIGHT = [(320, 640), (640, 320), (390, 844), (1024, 768)]
FOOT = """() => Object.fromEntries(["stop", "main-act", "undo"].map((id) => {
  const key = document.getElementById(id), box = key.getBoundingClientRect(), missed = [];
  for (let i = 1; i <= 5; i++) for (let j = 1; j <= 5; j++) {
    const x = box.left + box.width * i / 6, y = box.top + box.height * j / 6;
    if (document.elementFromPoint(x, y)?.closest("button") !== key) missed.push([Math.round(x), Math.round(y)]);
  }
  const whole = box.left >= 0 && box.top >= 0 && box.right <= innerWidth && box.bottom <= innerHeight;
  const fits = key.scrollWidth <= key.clientWidth + 1 && key.scrollHeight <= key.clientHeight + 1;
  return [id, { missed, whole, fits, box: [box.left, box.top, box.width, box.height].map(Math.round) }];
}))"""
PAGE = (
    "() => [document.documentElement.scrollWidth <= innerWidth, document.documentElement.scrollHeight <= innerHeight]"
)
#: The alarm's room is as high as the alarm, which is read whole.
WHOLE = """() => {
  const said = document.getElementById("alarm"), room = said.parentElement;
  return said.scrollHeight <= Math.min(said.clientHeight, room.clientHeight) + 1;
}"""


@pytest.fixture(scope="module")
def adaeze(server: Server) -> httpx.Client:
    return sign_in(server.url, "adaeze")


def said(client: httpx.Client, visit: str, kind: str, value: float | None = None, words: str = "", **data: Any) -> None:
    """One tap from another device, in words too."""
    answer = client.post(f"/api/visits/{visit}/run", json={"taps": [tap(kind, 0, value, data or None, words)]})
    assert answer.status_code == 200, answer.text


def instrument(client: httpx.Client, name: str) -> str:
    shelf = client.get("/instruments").text
    return shelf[: shelf.index(f"<h2>{name}")].rpartition('data-instrument="')[2][:36]


#: An alarm is what the page says in #alarm, and the taps that make it; each begins where the one before was answered.
Alarm = tuple[str, Callable[[httpx.Client, str], None]]


def pain(grade: float) -> Callable[[httpx.Client, str], None]:
    return lambda client, visit: said(client, visit, "pain", grade)


def heat(grade: float) -> Callable[[httpx.Client, str], None]:
    return lambda client, visit: said(client, visit, "heat", grade)


def words(text: str) -> Callable[[httpx.Client, str], None]:
    return lambda client, visit: said(client, visit, "comfort", None, text)


def resume(client: httpx.Client, visit: str) -> None:
    said(client, visit, "resume")


def warm(celsius: float) -> Callable[[httpx.Client, str], None]:
    return lambda client, visit: said(client, visit, "reading", celsius, zone="right mid cheek")


def owed(client: httpx.Client, visit: str) -> None:
    said(client, visit, "heat", 4)


def written(client: httpx.Client, visit: str) -> None:
    said(client, visit, "incident", 2, card="Burn", done="cooled for twenty minutes", zone="right mid cheek")


def worn(client: httpx.Client, visit: str) -> None:
    sent(client, visit, ("pain", 1, 1), *[("count", 1)] * 55)


def lost(client: httpx.Client, visit: str) -> None:
    assert client.post(f"/api/visits/{visit}/run/machine").status_code == 200
    said(client, visit, "machine", None, "lost")


#: Kind of act → (modalities, zones, taps that lead to it, its title, alarms).
ACTS: dict[str, tuple[tuple[str, ...], dict[str, tuple[str, ...]], list[Any], str, list[Alarm]]] = {
    "strokes": (
        ("microcurrent", "led", "finish"),
        {},
        [("start", 500), ("next", 400), ("count", 300)],
        "Lift, right",
        [
            ("Ask now", lambda *_: None),
            ("gentler", pain(5)),
            ("off the skin", pain(8)),
            ("", resume),
            ("", pain(1)),
            ("One step down", words("too strong")),
            ("is lost", lost),
        ],
    ),
    "light": (
        ("microcurrent", "led", "finish"),
        {},
        [("start", 5000), ("go", 3600, 5)],
        "Red light",
        [("Time is up", lambda *_: None)],
    ),
    "sections": (
        ("wet_abrasion", "finish"),
        {},
        [("start", 400), ("next", 250), ("count", 200)],
        "Acid cleanse",
        [("Time is up", lambda *_: None), ("off the skin", pain(9))],
    ),
    "timed": (
        ("oxygen_mask", "finish"),
        {},
        [("start", 300), ("next", 125)],
        "Foam",
        [("Time is up", lambda *_: None)],
    ),
    "warm": (
        ("rf_bulk", "finish"),
        {"Bulk": ("mid cheek", "lower cheek")},
        [("start", 300), ("next", 200), ("reading", 150, 39.0, {"zone": "x"})],
        "Bulk radiofrequency, right",
        [
            ("Ask now", lambda *_: None),
            ("move on", heat(3)),
            ("off the skin", heat(3.5)),
            ("", resume),
            ("off the skin", pain(8)),
            ("Write the incident", owed),
            ("", written),
            ("over for today", warm(44.5)),
        ],
    ),
    "spot": (
        ("numbing", "rf_fractional", "finish"),
        {"Fractional": ("mid cheek", "lower cheek")},
        [("start", 3000), ("next", 2950), ("next", 2900), ("next", 900), ("next", 800), ("next", 600)],
        "Fractional radiofrequency",
        [
            ("", lambda *_: None),
            ("", lambda client, visit: sent(client, visit, ("spot", 400, None, {"zone": "right jawline"}))),
            ("gentler", pain(4)),
        ],
    ),
    "pulses": (
        ("numbing", "rf_fractional", "finish"),
        {},
        [
            ("start", 3000),
            ("next", 2950),
            ("next", 2900),
            ("next", 900),
            ("next", 800),
            ("next", 600),
            ("spot", 400, None, {"zone": "right jawline"}),
            ("spot_read", 60, None, {"redness": 2, "swelling": 1, "pain": 0, "mark": False}),
            ("count", 50),
        ],
        "Fractional radiofrequency",
        [("Ask now", lambda *_: None), ("Wipe", worn), ("off the skin", pain(7))],
    ),
    "free": (("microcurrent", "finish"), {}, [("start", 60)], "Gel and probes", [("", lambda *_: None)]),
}


#: What can happen in every act, whatever it is, the longest first: said here and written by another device. The first
#: act meets them all, the others the longest: its words are read whole wherever an act leaves room for longer ones.
EVERYWHERE: list[Alarm] = [
    ("Write the incident", owed),
    ("off the skin", written),
    ("", resume),
    ("", pain(1)),
    ("", pain(5)),
    ("off the skin", pain(8)),
    ("", resume),
    ("", pain(0)),
    ("off the skin", heat(3.5)),
    ("", resume),
]
#: So many of them are the longest.
LONGER = 3


def places(page: Page, sizes: list[tuple[int, int]] = SIZES) -> dict[tuple[int, int], dict[str, Any]]:
    """The foot at every size, held to be whole, uncovered and reachable."""
    found = {}
    for width, height in sizes:
        page.set_viewport_size({"width": width, "height": height})
        foot, on_page, whole = page.evaluate(f"() => [({FOOT})(), ({PAGE})(), ({WHOLE})()]")
        for name, key in foot.items():
            assert key["missed"] == [] and key["whole"] and key["fits"], (width, height, name, key)
            assert min(key["box"][2:]) >= 44, (width, height, name, key)
        assert on_page == [True, True], (width, height)
        assert whole, (width, height, page.locator("#alarm").inner_text())
        found[width, height] = {name: key["box"] for name, key in foot.items()}
    page.set_viewport_size({"width": 1280, "height": 800})
    return found


@pytest.fixture(scope="module")
def first_places() -> dict[tuple[int, int], Any]:
    """Where the keys stood first: for ever."""
    return {}


@pytest.mark.parametrize("kind", ACTS)
def test_every_act_every_alarm_every_size(
    browser: Browser, server: Server, adaeze: httpx.Client, kind: str, first_places: dict[tuple[int, int], Any]
) -> None:
    modalities, zones, taps, title, alarms = ACTS[kind]
    visit = begun(adaeze, booked(adaeze, f"{LONGEST} {kind}"), *modalities, **zones)
    sent(adaeze, visit, *taps)
    with signed_in_page(browser, server, "adaeze") as page:
        page.goto(f"{server.url}/visits/{visit}/treat")
        expect(page.locator("#title")).to_have_text(title)
        met: set[str] = set()
        everywhere = EVERYWHERE if kind == next(iter(ACTS)) else EVERYWHERE[:LONGER] if kind != "warm" else ()
        for n, (alarm, make) in enumerate([alarms[0], *everywhere, *alarms[1:]]):
            make(adaeze, visit)
            expect(page.locator("#alarm")).to_contain_text(alarm)
            told = re.sub(r"\d", "0", page.locator("#alarm").inner_text())  # a clock that goes on says nothing longer
            if told in met:  # the same act under the same words stands where it stood
                continue
            longest = len(told) > max(map(len, met), default=-1)
            met.add(told)
            here = places(page, SIZES if longest else TIGHT)
            foot = first_places.setdefault("foot", here)  # type: ignore[call-overload]
            assert here == {size: foot[size] for size in here}, f"{alarm}: a key has moved"
            if n == 0:
                assert violations(page) == []
        page.locator("#stop").click()
        expect(page.locator("#why")).to_be_visible()
        assert places(page) == first_places["foot"], "stopped: what opens lies over the field alone"  # type: ignore[index]
        assert violations(page) == []
        for name in ("acts", "more"):
            page.locator(f"[data-open-sheet={name}]").click()
            assert places(page, TIGHT) == {size: first_places["foot"][size] for size in TIGHT}, name  # type: ignore[index]


@pytest.fixture()
def lift(server: Server, adaeze: httpx.Client) -> Iterator[str]:
    visit = begun(adaeze, booked(adaeze, "Frame Invented"), "microcurrent", "led", "finish")
    sent(adaeze, visit, ("start", 500), ("next", 400))
    yield visit


def test_a_key_that_is_held_or_repeated_does_one_thing(
    browser: Browser, server: Server, adaeze: httpx.Client, lift: str
) -> None:
    with signed_in_page(browser, server, "adaeze") as page:
        page.goto(f"{server.url}/visits/{lift}/treat")
        expect(page.locator("#title")).to_have_text("Lift, right")
        for _ in range(5):
            page.keyboard.down("Space")  # as a held key repeats, and a foot switch that is not let go
        page.keyboard.up("Space")
        expect(page.locator("#count")).to_have_text("1")
        page.locator("#main-act").focus()
        for _ in range(4):
            page.keyboard.down("Enter")
        page.keyboard.up("Enter")
        expect(page.locator("#count")).to_have_text("2")
        for _ in range(5):
            page.keyboard.down("Escape")
        page.keyboard.up("Escape")
        for key in ("Escape", "Space", "Space", "Enter", "Escape"):
            page.keyboard.press(key)
        expect(page.locator("#why")).to_be_visible()
        expect(page.locator("#sent")).to_have_text("all kept")
        state = adaeze.get(f"/api/visits/{lift}/run").json()
        assert state["status"] == "halted" and state["acts"][1]["strokes"] == 2, (
            "stopped, and nothing goes on by itself"
        )


def test_the_list_of_acts_leaves_no_running_act_by_itself(browser: Browser, server: Server, lift: str) -> None:
    with signed_in_page(browser, server, "adaeze", viewport={"width": 390, "height": 844}) as page:
        page.goto(f"{server.url}/visits/{lift}/treat")
        expect(page.locator("#title")).to_have_text("Lift, right")
        box = page.locator(".thread-line").bounding_box()
        assert box
        page.mouse.click(box["x"] + box["width"] * 0.9, box["y"] + 4)  # the thin line is to be read, not to be hit
        expect(page.locator("#title")).to_have_text("Lift, right")
        page.get_by_role("button", name="All acts").click()
        page.get_by_role("button", name="Lift, left").click()
        expect(page.locator("#leaving")).to_contain_text("Lift, right is running")
        page.get_by_role("button", name="Stay").click()
        expect(page.locator("#title")).to_have_text("Lift, right")
        page.get_by_role("button", name="All acts").click()
        page.get_by_role("button", name="Lift, left").click()
        page.get_by_role("button", name="Leave it for Lift, left").click()
        expect(page.locator("#title")).to_have_text("Lift, left")
        expect(page.locator("#acts")).to_be_hidden()


def test_stop_halts_and_each_way_on_is_said(browser: Browser, server: Server, adaeze: httpx.Client, lift: str) -> None:
    with signed_in_page(browser, server, "adaeze", viewport={"width": 390, "height": 844}) as page:
        page.goto(f"{server.url}/visits/{lift}/treat")
        expect(page.locator("#main-act")).to_have_text("Stroke")
        page.locator("#stop").click()
        page.get_by_role("radio", name="pain", exact=True).click()
        expect(page.get_by_role("radio", name="pain", exact=True)).to_have_attribute("aria-checked", "true")
        assert adaeze.get(f"/api/visits/{lift}/run").json()["status"] == "halted", "a reason ends nothing"
        page.get_by_role("button", name="Leave this act").click()
        expect(page.locator("#title")).to_have_text("Mirror")
        expect(page.locator("#main-act")).to_have_text("Resume")
        page.locator("#main-act").click()
        page.locator("#stop").click()
        page.get_by_role("button", name="End the visit").click()
        expect(page.locator("#title")).to_have_text("Stopped")
        page.get_by_role("button", name="Take the ending back").click()
        expect(page.locator("#main-act")).to_have_text("Resume")
        expect(page.locator("#sent")).to_have_text("all kept")
        state = adaeze.get(f"/api/visits/{lift}/run").json()
        assert state["acts"][1]["left"] == "pain" and state["acts"][1]["ended"]
        assert len(state["endings"]) == 1 and state["endings"][0]["back"] > state["endings"][0]["at"], (
            "both times are kept"
        )


def test_an_incident_says_something_and_is_struck_out_not_erased(
    browser: Browser, server: Server, adaeze: httpx.Client, lift: str
) -> None:
    with signed_in_page(browser, server, "adaeze") as page:
        page.goto(f"{server.url}/visits/{lift}/treat")
        expect(page.locator("#main-act")).to_have_text("Stroke")
        page.locator("#stop").click()
        page.get_by_role("tab", name="Faint").click()
        page.get_by_role("button", name="Write the incident").click()
        expect(page.locator("#incident-wrong")).to_contain_text("What was done?")
        page.get_by_label("What was done").fill("laid down, legs up")
        page.get_by_role("button", name="Write the incident").click()
        expect(page.locator("#written")).to_contain_text("Faint, grade 1: laid down, legs up")
        why = page.get_by_label("Why Faint is struck out")
        why.fill("another client’s")
        said(adaeze, lift, "incident", 1, card="Burn", done="cooled", zone="right chin")
        expect(page.locator("#written")).to_contain_text("Burn, grade 1, right chin: cooled")
        expect(why).to_have_value("another client’s")  # what another device writes takes no word from who is typing
        page.locator("#written li", has_text="Faint").get_by_role("button", name="Strike out").click()
        expect(page.locator("#written s")).to_contain_text("laid down, legs up")
        expect(page.locator("#written")).to_contain_text("Adaeze Okonjo: another client’s")
        expect(page.locator("#sent")).to_have_text("all kept")
    empty = adaeze.post(
        f"/api/visits/{lift}/run", json={"taps": [tap("incident", 0, 2, {"card": "Burn", "done": "  "})]}
    )
    assert empty.status_code == 422 and "done" in empty.json()["error"]["fields"]
