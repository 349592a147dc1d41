"""Debian's Chromium, a signed-in page in it, and what axe finds on one."""

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from functools import cache

from axe_playwright_python.sync_playwright import Axe
from playwright.sync_api import Browser, BrowserContext, Page, Route, expect

from builders.server import PASSWORD, PATIENCE_S, Server, sign_in

expect.set_options(timeout=PATIENCE_S * 1000)


@cache
def session_of(url: str, login: str) -> tuple[tuple[str, str], ...]:
    """The cookies of somebody who signed in, (name, value) each; once for all of their pages."""
    return tuple(sign_in(url, login).cookies.items())


def sign_in_by_hand(page: Page, server: Server, login: str) -> None:
    page.goto(f"{server.url}/sign-in")
    page.get_by_label("Sign-in name").fill(login)
    page.get_by_label("Password").fill(PASSWORD)
    page.get_by_role("button", name="Sign in").click()
    page.wait_for_url(f"{server.url}/")


@contextmanager
def signed_in_page(
    browser: Browser, server: Server, login: str, at: str | None = None, **options: object
) -> Iterator[Page]:
    """A page of somebody who is signed in, at an address of the app where one is given."""
    calm = {"viewport": {"width": 1280, "height": 800}, "reduced_motion": "reduce"}  # heads turn at once
    context: BrowserContext = browser.new_context(**calm | options)  # type: ignore[arg-type]
    context.add_cookies(
        [{"name": name, "value": value, "url": server.url} for name, value in session_of(server.url, login)]
    )
    page = context.new_page()
    page.set_default_timeout(PATIENCE_S * 1000)
    if at is not None:
        page.goto(f"{server.url}{at}")
    yield page
    context.close()


def axe(page: Page) -> Axe:
    """Axe; its script is brought into a page once."""
    return Axe("0") if page.evaluate("'axe' in window") else Axe()


def violations(page: Page, *rules: str) -> list[str]:
    """What axe finds, by all its rules or by some."""
    # Style sheets are not fetched once more for axe: only its rule about turned screens reads them.
    options: dict[str, object] = {"resultTypes": ["violations"], "preload": False}
    found = axe(page).run(page, options=options | ({"runOnly": list(rules)} if rules else {})).response["violations"]
    return [f"{one['id']}: {[node['target'] for node in one['nodes']][:3]}" for one in found]


def faint(page: Page) -> list[str]:
    """What is written with less contrast than AAA asks for."""
    enhanced = {"runOnly": ["color-contrast-enhanced"], "resultTypes": ["violations"], "preload": False}
    found = axe(page).run(page, context="#chair", options=enhanced).response["violations"]
    return [str(node["target"]) for one in found for node in one["nodes"]]


def settled(page: Page) -> None:
    """What was drawn anew is live: no hand is quicker, a test is."""
    expect(page.locator(".htmx-request, .htmx-added, .htmx-settling, .htmx-swapping")).to_have_count(0)


def at_the_chair(page: Page, server: Server, visit: str) -> None:
    page.goto(f"{server.url}/visits/{visit}/treat")
    expect(page.locator("#main-act")).not_to_be_empty()


def intercept(page: Page, address: str, meet: Callable[[Route], object], times: int | None = None) -> None:
    """Routes requests of an open page: it hears of that a moment later, and until then they slip past."""
    page.route("**/intercepted", lambda route: route.fulfill(status=204))
    page.evaluate("async () => { while ((await fetch('/intercepted')).status !== 204); }")
    page.route(address, meet, times=times)


def at_the_next_tap(page: Page, does: Callable[[Route], object]) -> None:
    """Does something with the next request that sends taps; those that only ask where it stands go on."""

    met: list[Route] = []

    def meet(route: Route) -> None:
        if route.request.method == "POST" and not met:
            met.append(route)
            does(route)
        else:
            route.fallback()

    intercept(page, "**/run", meet)


def clean_first(page: Page) -> None:
    """Says that machines are clean, where another visit left that open."""
    page.get_by_role("button", name="Begin").wait_for()
    for tick in page.get_by_label("Cleaned now").all():
        tick.check()
