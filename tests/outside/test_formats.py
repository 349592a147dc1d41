"""What leaves the product, read by libraries that had no part in writing it, and numbers of published standards."""

import re
from datetime import UTC, datetime, timedelta
from io import BytesIO
from pathlib import Path
from runpy import run_path
from uuid import UUID
from zoneinfo import ZoneInfo

import pytest
from dateutil import parser, rrule
from pypdf import PdfReader
from uuid_utils.compat import uuid7

from merak.exchange.calendar import invitation
from merak.exchange.pdf import pdf
from merak.services.studio.signing_in import HASHER
from merak.web.pages import STATIC

STYLES = Path(__file__).parents[2] / "merak/web/styles/app.css"


def unfolded(body: bytes) -> dict[str, str]:
    """Lines of the event by the grammar of RFC 5545: folds undone, name up to the first colon."""
    text = body.decode().replace("\r\n ", "")
    event = text[text.index("BEGIN:VEVENT") : text.index("END:VEVENT")]
    return {line.partition(":")[0]: line.partition(":")[2] for line in event.split("\r\n") if line}


@pytest.mark.outside(
    "RFC 5545's grammar by hand, and dateutil's parser, beside icalendar", values="the calendar file", tolerance="exact"
)
@pytest.mark.parametrize("start", [datetime(2026, 11, 30, 9, 0), datetime(2026, 7, 1, 14, 30)])
def test_the_invitation_parses_elsewhere(start: datetime) -> None:
    zone = ZoneInfo("Europe/Lisbon")
    body = invitation(
        "0199-x",
        "Visit at the studio, two",
        start.replace(tzinfo=zone),
        60,
        datetime(2026, 6, 1, tzinfo=UTC),
        "Vesper Bay; quay",
    )
    assert body.endswith(b"END:VCALENDAR\r\n") and all(len(line) <= 75 for line in body.split(b"\r\n"))
    event = unfolded(body)
    assert event["SUMMARY"] == r"Visit at the studio\, two" and event["LOCATION"] == r"Vesper Bay\; quay"
    assert parser.parse(event["DTSTART;TZID=Europe/Lisbon"]) == start
    assert parser.parse(event["DTEND;TZID=Europe/Lisbon"]) - start == timedelta(minutes=60)
    assert event["TRIGGER"] == "-P1D"


@pytest.mark.outside(
    "dateutil.rrule: every third day from a visit, beside the course's gap", values="four visits", tolerance="exact"
)
def test_the_gap_is_calendar_days_across_the_clock_change() -> None:
    from merak.core.after.course import propose

    zone = ZoneInfo("Europe/Lisbon")
    last = datetime(2026, 10, 23, 10, tzinfo=zone)  # clocks go back on the 25th
    hours = {day: (datetime(2026, 1, 1, 9).time(), datetime(2026, 1, 1, 18).time()) for day in range(7)}
    found = propose(last, 1, 10, 60, hours, [], "Europe/Lisbon")
    expected = list(rrule.rrule(rrule.DAILY, interval=3, count=2, dtstart=last.replace(tzinfo=None)))[1]
    assert found and found.at.replace(tzinfo=None) == expected


@pytest.mark.outside(
    "RFC 9562: UUID version 7, variant 10, milliseconds in the first 48 bits; the browser makes them by the same"
    " layout",
    values="layout",
    tolerance="exact",
    memory=True,
)
def test_ids_are_version_seven() -> None:
    made = uuid7()
    assert made.version == 7 and made.variant == "specified in RFC 4122"
    assert abs((made.int >> 80) / 1000 - datetime.now(UTC).timestamp()) < 5
    assert UUID(str(made)) == made


@pytest.mark.outside(
    "OWASP password storage: Argon2id, parameters", values="19 MiB, two passes", tolerance="lower bound", memory=True
)
def test_password_hashes() -> None:
    hashed = HASHER.hash("vesper")
    memory, passes, lanes = (int(n) for n in re.match(r"\$argon2id\$v=19\$m=(\d+),t=(\d+),p=(\d+)\$", hashed).groups())  # type: ignore[union-attr]
    assert memory >= 19 * 1024 and passes >= 2 and lanes >= 1


@pytest.mark.outside(
    "pypdf reads what WeasyPrint wrote; nothing outside the folder is fetched",
    values="the sheet's words",
    tolerance="exact",
)
def test_pdf_is_a_pdf_and_fetches_nothing() -> None:
    made = pdf(
        '<p>Until Fri 27 Nov, 18:00</p><img src="http://127.0.0.1:9/x.png"><img src="file:///etc/hostname">', STATIC
    )
    reader = PdfReader(BytesIO(made))
    assert "Until Fri 27 Nov, 18:00" in reader.pages[0].extract_text()
    assert not reader.pages[0].images


def luminance(colour: str) -> float:
    channels = [int(colour[i : i + 2], 16) / 255 for i in (1, 3, 5)]
    red, green, blue = (c / 12.92 if c <= 0.04045 else ((c + 0.055) / 1.055) ** 2.4 for c in channels)
    return 0.2126 * red + 0.7152 * green + 0.0722 * blue


@pytest.mark.outside("WCAG 2.2 contrast ratio, AAA and AA text", values="7; 4.5", tolerance="lower bound", memory=True)
@pytest.mark.parametrize("theme", ["light", "dim"])
def test_contrast_of_the_tokens(theme: str) -> None:
    block = re.search(rf'\[data-theme="{theme}"\] \{{(.*?)\}}', STYLES.read_text(), re.S).group(1)  # type: ignore[union-attr]
    tokens = dict(re.findall(r"--(\w+): (#[0-9a-f]{6})", block))

    def ratio(a: str, b: str) -> float:
        light, dark = sorted((luminance(tokens[a]), luminance(tokens[b])), reverse=True)
        return (light + 0.05) / (dark + 0.05)

    for ground in ("paper", "sheet"):
        assert min(ratio(ink, ground) for ink in ("ink", "note", "now", "stop")) >= 7, ground
    assert ratio("on", "now") >= 7 and ratio("on", "stop") >= 7
    assert ratio("hair", "paper") >= 3, "lines that carry meaning"


def test_the_list_of_checks_is_current() -> None:
    root = Path(__file__).parents[2]
    script = run_path(str(root / "scripts/checks"))
    assert (root / "docs/checks.md").read_text() == script["page"](), "run scripts/checks"
