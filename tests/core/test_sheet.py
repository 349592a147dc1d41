"""Aftercare joined from all that was done: twenty written cases, and what joining may never do."""

from dataclasses import dataclass, field
from datetime import date, datetime, timedelta
from pathlib import Path
from typing import Any
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from builders.done import tags_when
from merak.core.after.aftercare import (
    DERIVED,
    Moments,
    Personal,
    SheetLine,
    answered,
    join,
    lines,
    sheet,
    yielding,
)
from merak.core.after.home import kit
from merak.core.knowledge import about, book, topics

LISBON = ZoneInfo("Europe/Lisbon")
ENDED = datetime(2026, 11, 25, 18, tzinfo=LISBON)
AT = Moments(ENDED)
D = 24


@dataclass
class Case:
    """What was done, to whom; hours until which topics hold (None: not on the sheet), the step of some, what is taken
    home.
    """

    name: str
    done: dict[str, dict[str, Any]]
    hours: dict[str, float | None]
    of: Personal = field(default_factory=Personal)
    steps: dict[str, int] = field(default_factory=dict)
    starts: dict[str, float] = field(default_factory=dict)
    extra: tuple[str, ...] = ()
    spot: bool = False
    home: tuple[str, ...] = ()
    not_home: tuple[str, ...] = ()


CASES = (
    Case("nothing but a talk", {}, {"sun": 28 * D, "call": 7 * D, "acids": None, "closed": None}),
    Case(
        "lift and red light",
        {"microcurrent": {}, "led": {"colour": "red"}},
        {"acids": D, "normal.ache": D, "heat": None},
        home=("home.sun",),
    ),
    Case("blue light", {"led": {"colour": "blue"}}, {"sensitive_light": D, "normal.ache": None}),
    Case("wet abrasion", {"wet_abrasion": {}}, {"normal.pink": 1, "acids": 2 * D, "wax": 3 * D}),
    Case(
        "wet abrasion with a peel stage",
        {"wet_abrasion": {"kind": "peel"}},
        {"acids": 5 * D, "pick": 7 * D, "normal.pink": 2 * D},
    ),
    Case(
        "diamond", {"diamond": {}}, {"acids": 3 * D, "sun": 28 * D, "normal.dry": 3 * D}, steps={"sun": 2, "cream": 1}
    ),
    Case("crystal, then red light", {"crystal": {}, "led": {}}, {"acids": 3 * D, "normal.pink": D}),
    Case("enzyme and one pass of diamond", {"enzyme": {}, "diamond": {}}, {"acids": 3 * D, "pick": 3 * D}),
    Case("a mild peel", {"peel": {"percent": 10}}, {"acids": 5 * D, "sun": 28 * D}, steps={"acids": 1}),
    Case(
        "a strong peel",
        {"peel": {"percent": 30}},
        {"acids": 7 * D, "shave": D},
        steps={"acids": 2},
        home=("home.soothing",),
    ),
    Case("a strong peel, not shaved", {"peel": {"percent": 30}}, {"shave": None}, of=Personal(shaves=False)),
    Case(
        "pulsed light for brown",
        {"pulsed_light": {"target": "brown"}},
        {"heat": 2 * D, "sweat": D, "acids": 7 * D, "normal.heal": 21 * D},
    ),
    Case(
        "pulsed light for vessels",
        {"pulsed_light": {"target": "red"}},
        {"sweat": 2 * D, "make_up": D, "emergency.eye": 3 * D},
    ),
    Case(
        "fractional, numbed",
        {"rf_fractional": {}, "numbing": {}},
        {"closed": D, "heat": 3 * D, "shave": 7 * D, "sun": 30 * D, "hot_drink": 2, "emergency.numbing": 8},
        starts={"sun": D, "cream": D, "cleanse": D},
        steps={"sun": 2},
        home=("home.kit", "home.soothing"),
    ),
    Case(
        "needles on a skin with pigment",
        {"micro_needling": {}},
        {"closed": D, "make_up": D, "sweat": 2 * D, "heat": 2 * D, "alcohol": 2 * D, "acids": 7 * D},
        of=Personal(family="pigment"),
        home=("home.antioxidant", "home.kit"),
        not_home=("home.peptide", "home.rich"),
    ),
    Case(
        "needles on a skin with acne",
        {"micro_needling": {}},
        {"make_up": None},
        of=Personal(family="acne-prone", make_up=False),
        home=("home.light",),
        not_home=("home.antioxidant",),
    ),
    Case(
        "nano, on sensitive skin",
        {"nano": {}},
        {"closed": D, "sweat": D, "acids": 3 * D},
        of=Personal(family="sensitive", sensitive=True),
        home=("home.plain",),
    ),
    Case(
        "oxygen mask after galvanic",
        {"galvanic_softening": {}, "oxygen_mask": {}},
        {"normal.numb": 1, "heat": D, "cream": 2 * D},
    ),
    Case(
        "warmed, then burnt",
        {"rf_bulk": {}},
        {"place": 14 * D, "sun": 90 * D, "heat": 7 * D, "acids": 28 * D},
        extra=("burn",),
    ),
    Case(
        "a lift that the skin answered strongly",
        {"microcurrent": {}},
        {"heat": 2 * D, "acids": 3 * D, "call.look": 2 * D},
        extra=answered(3, 1),
        starts={"call.look": 12},
    ),
    Case(
        "only a spot of pulsed light",
        {"pulsed_light": {}},
        {"spot": 48, "acids": 48, "normal.dark": None, "heat": None},
        spot=True,
    ),
    Case(
        "focused lifting on darker skin",
        {"focused_lifting": {}},
        {"call.nerve": 28 * D, "call.colour": 28 * D, "heat": 2 * D},
        of=Personal(dark=True),
        starts={"call.colour": 3 * D},
    ),
    Case("body stimulation", {"muscle_stimulation": {}}, {"emergency.muscle": 3 * D, "sweat": D, "normal.ache": 2 * D}),
    Case(
        "a wedding in ten days",
        {"led": {}},
        {"event": (date(2026, 12, 5) - date(2026, 11, 25)).days * D - 18},
        of=Personal(event=date(2026, 12, 5)),
    ),
)


@pytest.mark.parametrize("case", CASES, ids=lambda case: case.name)
def test_written_cases(case: Case) -> None:
    tags = (
        tuple(tag for modality, settings in case.done.items() for tag in tags_when(modality, settings, case.spot))
        + case.extra
    )
    at = Moments(ENDED, None, ENDED + timedelta(hours=48))
    found = sheet(tags, case.of, at)
    there = {line.topic: line for line in found}
    for topic, hours in case.hours.items():
        until = None if topic not in there else (there[topic].until - ENDED) / timedelta(hours=1)
        assert until == hours, topic
    assert {topic: there[topic].step for topic in case.steps} == case.steps
    assert {topic: (there[topic].start - ENDED) / timedelta(hours=1) for topic in case.starts} == case.starts
    taken = {take.id: take for take in kit(tags, case.of, at, found)}
    assert set(case.home) <= taken.keys() and not set(case.not_home) & taken.keys()
    closed = there.get("closed")
    for take in taken.values():
        assert take.id == "home.kit" or closed is None or take.start >= closed.until, (
            "nothing that is not sterile on open channels"
        )
    assert len(there) == len(found), "one line a topic"


ALL_TAGS = sorted({tag for words in about().values() for tag in words.tags} | DERIVED)
TAGGED = st.lists(st.sampled_from(ALL_TAGS), max_size=8)
PERSONS = st.builds(
    Personal,
    family=st.sampled_from(("", "acne-prone", "pigment", "ageing", "sensitive")),
    shaves=st.booleans(),
    make_up=st.booleans(),
    dark=st.booleans(),
    sensitive=st.booleans(),
    event=st.none() | st.dates(date(2026, 11, 26), date(2027, 3, 1)),
)
MOMENTS = st.builds(
    Moments,
    st.just(ENDED),
    st.none() | st.integers(1, 60).map(lambda n: ENDED + timedelta(days=n)),
    st.none() | st.integers(1, 8).map(lambda n: ENDED + timedelta(days=n)),
)


@given(TAGGED, PERSONS, MOMENTS, st.randoms())
def test_joining_minds_neither_order_nor_repetition(done: list[str], of: Personal, at: Moments, random: Any) -> None:
    asked = list(lines(done, of, at))
    once = join(asked)
    random.shuffle(asked)
    assert join(asked) == once == join([*once, *asked]) == join(once), "order-free and idempotent"
    half = len(asked) // 2
    assert join([*join(asked[:half]), *join(asked[half:])]) == once, "in parts or at once"
    assert sheet(done, of, at) == sheet(list(reversed(done)) * 2, of, at)


@given(TAGGED, PERSONS, MOMENTS)
def test_nothing_on_a_sheet_is_shorter_or_laxer_than_any_part(done: list[str], of: Personal, at: Moments) -> None:
    found = {line.topic: line for line in sheet(done, of, at)}
    for part in lines(done, of, at):
        line = found.get(part.topic)
        stricter = found.get(topics()[part.topic].gives_way)
        if line is None:
            assert stricter is not None and stricter.until >= part.until, "only what a stricter line outlasts is gone"
            continue
        assert line.until >= part.until and line.step >= part.step
        assert line.start <= part.start or (
            stricter is not None and line.start == stricter.until and part.weight == "do"
        )
        assert set(part.rules) <= set(line.rules)


def test_more_that_was_done_never_frees_anything() -> None:
    alone: tuple[SheetLine, ...] = sheet(["led"], Personal(), AT)
    more = {line.topic: line for line in sheet(["led", "needles", "fractional", "peel"], Personal(), AT)}
    for line in alone:
        assert line.topic in more or topics()[line.topic].gives_way, line.topic
        assert line.topic not in more or more[line.topic].until >= line.until
    assert yielding(yielding(join(lines(["needles"], Personal(), AT)))) == yielding(
        join(lines(["needles"], Personal(), AT))
    )


def test_the_rule_book_of_aftercare_is_whole() -> None:
    used = {advice.topic for advice in book().advice}
    assert used == topics().keys()
    for topic in topics().values():
        assert not topic.gives_way or (topic.weight == "do" and topics()[topic.gives_way].weight == "avoid"), (
            "only what one does gives way"
        )
        assert len(set(topic.ladder)) == len(topic.ladder)
    for advice in book().advice:
        assert advice.words and (advice.until_h is None or advice.from_h < advice.until_h), advice.id
    signs = (Path(__file__).parents[2] / "merak/web/sheet_signs.py").read_text()
    assert all(f'"{topic.sign}": ' in signs for topic in topics().values()), "every subject has its pictogram"


def test_amounts_follow_from_the_skin() -> None:
    found = {take.id: take for take in kit(["led"], Personal(area_cm2=600), AT, ())}
    sun = found["home.sun"]
    assert sun.each.value == pytest.approx(1.2) and sun.fingertips == 2.5, "2 mg on each cm²"
    assert sun.total_g == 70 and 0 <= sun.total_g - 1.2 * 2 * 28 < 5, "handed over in steps of five grams"
