"""Aftercare by what was done, written a second time: what is left alone, for how many hours, how strictly.

Common practice and house defaults as gathered in the handbook (after the treatment); of a range its longer end.
"""

from datetime import UTC, datetime, timedelta
from typing import Any

import pytest

from builders.done import tags_when
from merak.core.after.aftercare import Moments, Personal, SheetLine, sheet
from merak.core.knowledge import aspects
from merak.core.plan.screening import housekeeping, subjects

ENDED = datetime(2026, 11, 25, 12, tzinfo=UTC)
NEXT = ENDED + timedelta(days=30)
DAY, WEEK = 24, 7 * 24
#: Topic → (hours until it is over, words that it must hold).
Kept = dict[str, tuple[int, str]]
#: What every visit without anything else leaves: gentle hands tonight, sun protection to the next visit.
PLAIN_ACIDS: Kept = {"acids": (DAY, "acids, retinoids or scrubs")}
STRONG_ACIDS = "acids, retinoids, scrubs, vitamin C"
SAUNA, ALL_HEAT, SWEAT, FLUSH = "sauna", "hot shower", "hard exercise", "sweat or flush"
OPENED: Kept = {"closed": (DAY, "no sun protection either"), "make_up": (DAY, "No make-up on the treated skin")}
DRY: Kept = {
    "acids": (72, "acids, retinoids or scrubs"),
    "heat": (48, SAUNA),
    "pool": (48, "pool"),
    "wax": (72, "waxing"),
}

TABLE: dict[str, tuple[str, dict[str, Any], Kept]] = {
    "microcurrent": ("microcurrent", {}, PLAIN_ACIDS),
    "red light": ("led", {"colour": "red"}, PLAIN_ACIDS),
    "blue light": ("led", {"colour": "blue"}, PLAIN_ACIDS | {"sensitive_light": (DAY, "sensitive to light")}),
    "galvanic softening": ("galvanic_softening", {}, PLAIN_ACIDS),
    "ear clips": ("ear_clips", {}, {}),
    "driving in": ("iontophoresis", {}, PLAIN_ACIDS),
    "ultrasound": ("ultrasound", {}, PLAIN_ACIDS),
    "spatula": ("spatula", {}, PLAIN_ACIDS),
    "oxygen jet": ("oxygen_jet", {}, PLAIN_ACIDS),
    "oxygen airbrush": ("oxygen_airbrush", {}, PLAIN_ACIDS),
    "oxygen mask": ("oxygen_mask", {}, PLAIN_ACIDS | {"heat": (DAY, SAUNA)}),
    "extraction": (
        "extract",
        {},
        PLAIN_ACIDS | {"touch": (DAY, "washed hands"), "make_up": (DAY, "until redness has gone")},
    ),
    "body stimulation": ("muscle_stimulation", {}, {"sweat": (DAY, SWEAT)}),
    "wet abrasion": (
        "wet_abrasion",
        {},
        {"acids": (48, "acids, retinoids or scrubs"), "heat": (DAY, SAUNA), "wax": (72, "waxing")},
    ),
    "crystal": ("crystal", {}, DRY),
    "diamond": ("diamond", {}, DRY),
    "enzyme": (
        "enzyme",
        {},
        {"acids": (72, "acids, retinoids or scrubs"), "pick": (72, "Do not rub or pick."), "wax": (72, "waxing")},
    ),
    "mild peel": (
        "peel",
        {"percent": 10},
        {
            "acids": (120, "acids, retinoids or scrubs"),
            "pick": (WEEK, "flakes or darkens"),
            "heat": (48, SAUNA),
            "sweat": (DAY, SWEAT),
            "wax": (WEEK, "waxing"),
            "shave": (DAY, "shaving"),
        },
    ),
    "strong peel": (
        "peel",
        {"percent": 30},
        {
            "acids": (WEEK, STRONG_ACIDS),
            "pick": (WEEK, "flakes or darkens"),
            "heat": (48, SAUNA),
            "sweat": (DAY, SWEAT),
            "wax": (WEEK, "waxing"),
            "shave": (DAY, "shaving"),
        },
    ),
    "brown target": (
        "pulsed_light",
        {"target": "brown"},
        {
            "acids": (WEEK, STRONG_ACIDS),
            "pick": (10 * DAY, "flakes or darkens"),
            "heat": (48, ALL_HEAT),
            "sweat": (DAY, FLUSH),
            "pool": (48, "pool"),
            "wax": (WEEK, "waxing"),
            "make_up": (DAY, "until redness has gone"),
            "sensitive_light": (WEEK, "sensitive to light"),
        },
    ),
    "red target": (
        "pulsed_light",
        {"target": "red"},
        {
            "acids": (WEEK, STRONG_ACIDS),
            "pick": (10 * DAY, "flakes or darkens"),
            "heat": (48, ALL_HEAT),
            "sweat": (48, FLUSH),
            "pool": (48, "pool"),
            "wax": (WEEK, "waxing"),
            "make_up": (DAY, "until redness has gone"),
            "sensitive_light": (WEEK, "sensitive to light"),
        },
    ),
    "bulk radiofrequency": (
        "rf_bulk",
        {},
        {"acids": (48, "acids, retinoids or scrubs"), "heat": (48, ALL_HEAT), "sweat": (DAY, SWEAT)},
    ),
    "focused lines": (
        "focused_lifting",
        {},
        {"acids": (48, "acids, retinoids or scrubs"), "heat": (48, ALL_HEAT), "sweat": (DAY, SWEAT)},
    ),
    "fractional": (
        "rf_fractional",
        {},
        OPENED
        | {
            "acids": (WEEK, STRONG_ACIDS),
            "heat": (72, ALL_HEAT),
            "sweat": (72, FLUSH),
            "pool": (72, "pool"),
            "pick": (WEEK, "flakes or darkens"),
            "touch": (48, "washed hands"),
            "shave": (WEEK, "shaving"),
            "wax": (2 * WEEK, "waxing"),
        },
    ),
    "micro needles": (
        "micro_needling",
        {},
        OPENED
        | {
            "acids": (WEEK, STRONG_ACIDS),
            "heat": (48, ALL_HEAT),
            "sweat": (48, FLUSH),
            "pool": (48, "pool"),
            "alcohol": (48, "alcohol"),
            "touch": (DAY, "washed hands"),
            "shave": (48, "shaving"),
            "wax": (WEEK, "waxing"),
        },
    ),
    "nano": (
        "nano",
        {},
        OPENED
        | {
            "acids": (DAY, STRONG_ACIDS),
            "heat": (DAY, ALL_HEAT),
            "sweat": (DAY, FLUSH),
            "pool": (DAY, "pool"),
            "alcohol": (DAY, "alcohol"),
        },
    ),
    "numbing cream": ("numbing", {}, {"hot_drink": (2, "Nothing hot to drink")}),
    "cold": ("cold", {}, {}),
    "massage": ("touch", {}, {}),
    "mask": ("mask", {}, {}),
    "softening": ("soften", {}, {}),
}
EACH = pytest.mark.parametrize("name", TABLE)
#: How many hours shade and hat are asked for; a month after pins, four weeks after the lamp, two after what opens.
SHADE = {
    "brown target": 28 * DAY,
    "red target": 28 * DAY,
    "fractional": 30 * DAY,
    "micro needles": 14 * DAY,
    "crystal": 14 * DAY,
    "diamond": 14 * DAY,
    "mild peel": 14 * DAY,
    "strong peel": 14 * DAY,
}
#: What may come of it, and where nobody waits for us.
EMERGENCY = {
    "body stimulation": ("emergency.muscle", 72, "Dark urine"),
    "brown target": ("emergency.eye", 72, "Pain in the eye"),
    "red target": ("emergency.eye", 72, "Pain in the eye"),
    "numbing cream": ("emergency.numbing", 8, "ringing ears"),
}
#: Call us: a nerve after current and lines, a dark mark after what heats or peels, a cold sore after what opens.
CALLS = {
    "microcurrent": {"call.nerve"},
    "focused lines": {"call.nerve"},
    "mild peel": {"call.colour"},
    "strong peel": {"call.colour"},
    "brown target": {"call.colour"},
    "red target": {"call.colour"},
    "fractional": {"call.colour", "call.sore"},
    "micro needles": {"call.sore"},
}


def told(name: str, of: Personal | None = None) -> dict[str, SheetLine]:
    modality, settings, _ = TABLE[name]
    lines = sheet(tags_when(modality, settings), of or Personal(), Moments(ENDED, NEXT))
    return {line.topic: line for line in lines}


def hours(line: SheetLine) -> float:
    return (line.until - ENDED).total_seconds() / 3600


@pytest.mark.outside("the handbook’s table of aftercare", values="hours and words of each line", tolerance="exact")
@EACH
def test_what_is_left_alone_and_for_how_long(name: str) -> None:
    found = {topic: line for topic, line in told(name).items() if line.weight == "avoid" or topic == "sensitive_light"}
    assert {topic: hours(line) for topic, line in found.items()} == {
        topic: until for topic, (until, _) in TABLE[name][2].items()
    }
    for topic, (_, words) in TABLE[name][2].items():
        assert words in found[topic].words


@EACH
def test_sun_protection_after_everything_and_shade_after_what_opens_or_lights(name: str) -> None:
    sun = told(name)["sun"]
    assert "SPF 30 or more" in sun.words and sun.until == max(NEXT, ENDED + timedelta(hours=SHADE.get(name, 0)))
    assert ("no sunbed" in sun.words) == (name in SHADE)
    closed = told(name).get("closed")
    assert closed is None or sun.start == closed.until, "no cream of any kind on open channels: shade until then"


@EACH
def test_when_to_call_and_when_not_to_wait_for_us(name: str) -> None:
    lines = told(name)
    assert "blister, spreading redness, weeping, fever" in lines["call"].words and hours(lines["call"]) == WEEK
    assert hours(lines["emergency"]) == 48
    special = {topic for topic in lines if topic.startswith("emergency.")}
    assert special == ({EMERGENCY[name][0]} if name in EMERGENCY else set())
    for topic, until, words in [EMERGENCY[name]] if name in EMERGENCY else []:
        assert hours(lines[topic]) == until and words in lines[topic].words
    assert {topic for topic in lines if topic.startswith("call.")} == CALLS.get(name, set())


@EACH
def test_nothing_is_said_to_who_does_not_shave_or_make_up(name: str) -> None:
    bare = told(name, Personal(shaves=False, make_up=False))
    assert not {"shave", "make_up"} & bare.keys()
    assert bare.keys() == told(name).keys() - {"shave", "make_up"}


@pytest.mark.parametrize("name", ["strong peel", "brown target", "fractional", "micro needles", "crystal"])
def test_darker_skin_keeps_out_of_the_sun_four_weeks_and_is_told_of_marks(name: str) -> None:
    dark = told(name, Personal(dark=True))
    assert hours(dark["sun"]) >= 28 * DAY and "no sunbed" in dark["sun"].words
    assert "brown, white or grey mark" in dark["call.colour"].words and hours(dark["call.colour"]) == 28 * DAY


@pytest.mark.parametrize("name", ["microcurrent", "wet abrasion", "mild peel", "numbing cream"])
def test_sensitive_skin_rests_from_actives_three_days_at_least(name: str) -> None:
    acids = told(name, Personal(sensitive=True))["acids"]
    assert STRONG_ACIDS in acids.words and hours(acids) == max(72, TABLE[name][2].get("acids", (0, ""))[0])


def test_a_test_spot_is_left_alone_until_it_is_read_and_asks_for_nothing_else() -> None:
    reading = ENDED + timedelta(days=7)
    lines = sheet(tags_when("pulsed_light", {"target": "red"}, True), Personal(), Moments(ENDED, NEXT, reading))
    found = {line.topic: line for line in lines}
    assert found["spot"].until == found["acids"].until == reading
    assert not {"heat", "sweat", "pool", "wax", "make_up", "emergency.eye"} & found.keys()


def test_every_modality_stands_in_the_table() -> None:
    planned = {*subjects(), *housekeeping()} - set(aspects())
    assert {modality for modality, _, _ in TABLE.values()} == planned - housekeeping()
    assert all(not tags_when(name, {}) for name in housekeeping())
