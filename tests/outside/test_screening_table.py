"""The table of contraindications, written a second time: each answer, each modality, exactly one verdict.

Common practice as gathered in the handbook (screening: each answer, each modality). Groups are spelt out again here, so
that a modality that falls out of a group of the rule book is noticed. What is not named in a row is go.
"""

from dataclasses import dataclass, field, replace
from datetime import date, timedelta
from typing import Any

import pytest

from builders.briefs import TODAY, brief, planned
from merak.core.client import Findings
from merak.core.knowledge import book
from merak.core.plan.brief import Brief
from merak.core.plan.screening import Answer, Reason, Standing, housekeeping, subjects

FACE_CURRENT = {"microcurrent", "galvanic_softening", "iontophoresis"}
CURRENT = FACE_CURRENT | {"muscle_stimulation", "ear_clips"}
RADIO = {"rf_bulk", "rf_fractional"}
SOUND = {"ultrasound", "spatula"}
HEAT = RADIO | {"focused_lifting", "soften"}
ENERGY = CURRENT | RADIO | SOUND | {"focused_lifting", "pulsed_light"}
NEEDLES = {"micro_needling", "nano"}
ABRASION = {"wet_abrasion", "crystal", "diamond"}
OPEN = NEEDLES | ABRASION | {"rf_fractional", "peel"}
OXYGEN = {"oxygen_jet", "oxygen_airbrush", "oxygen_mask"}
REST = {"enzyme", "numbing", "extract", "mask", "cold", "led"}
ALL = ENERGY | OPEN | HEAT | OXYGEN | REST
LINES = {"focused_lifting"}
BURNT = ENERGY | OPEN | HEAT | OXYGEN | REST - {"cold", "mask"} | {"touch"}
#: What a verdict on the whole says of its parts as well.
STRONG_SUCTION, WEAK_ACID = {"strong_suction"}, {"strong_acid", "salicylic", "wet_salicylic"}
ABOVE_THE_SHOULDERS = {"thyroid strip", "front of neck", "side of neck", "under the chin"}
ROUND_THE_MOUTH = {"upper lip", "lips", "mouth corner and fold", "chin"}
HERE = "mid cheek"


def who(answers: dict[str, Answer] | None = None, **of: Any) -> Brief:
    """Somebody of light skin who has been here."""
    return brief(answers, **({"returning": True, "findings": Findings(phototype=2)} | of))


@dataclass(frozen=True)
class Row:
    """An answer; what it makes of the modalities that it is about; what it closes in some zones alone; days to wait."""

    question: str
    option: str
    verdicts: dict[str, set[str]] = field(default_factory=dict)
    closed: dict[str, set[str]] = field(default_factory=dict)
    zones: set[str] = field(default_factory=lambda: {HERE})
    days: int | None = None
    until: date | None = None

    @property
    def id(self) -> str:
        return f"{self.question}: {self.option}"

    def board(self) -> dict[str, Standing]:
        return who({self.question: Answer(option=self.option, on=TODAY, zones=(HERE,))}).board


#: What a compound question asks for by name: each means what an unnamed yes does.
NAMED = {
    "heart": "heart arrhythmia pressure stroke thrombosis",
    "immunity": "chemotherapy suppressed disease transplant",
    "palsy": "palsy neuralgia",
    "clotting": "disorder thinners",
    "blood_oxygen": "deficiency methaemoglobin antibiotic",
}

UNNAMED = (
    Row("since", "day", {"change": ENERGY | OPEN | {"led"}}),
    Row("since", "longer", {"change": ENERGY | OPEN | {"led"}}),
    Row("since", "mark", {"letter": ALL}),
    Row("changes", "some", {"change": ALL}),
    # Electronics: no current and no radiofrequency whatever a doctor says; sound and lines by letter and senior.
    Row("implants", "implanted", {"never": CURRENT | RADIO, "no": SOUND | {"focused_lifting"}}),
    # A pump or a stimulator: also when it comes off for the visit, lines included.
    Row("implants", "pump", {"never": CURRENT | RADIO | {"focused_lifting"}, "no": SOUND}),
    Row("implants", "worn", {"change": ENERGY | {"led"}}),
    Row("metal", "body", {"no": {"focused_lifting"}, "letter": CURRENT | RADIO}),
    Row("metal", "path", {"no": {"focused_lifting"}, "letter": CURRENT | RADIO}, {"no": CURRENT | RADIO}),
    Row("metal", "piercing", {"change": ENERGY | OPEN}),
    Row("gold", "yes", {"never": {"pulsed_light"}}),
    Row(
        "pregnancy",
        "pregnant",
        {"no": ENERGY, "letter": NEEDLES | {"numbing", "cold", "led"} | WEAK_ACID},
    ),
    Row("pregnancy", "breastfeeding", {"no": ENERGY, "letter": {"numbing"} | WEAK_ACID}),
    Row(
        "heart",
        "yes",
        {"no": CURRENT | RADIO | {"focused_lifting"}, "letter": SOUND | {"pulsed_light"}},
    ),
    Row(
        "epilepsy",
        "yes",
        {"never": {"ear_clips"}, "no": {"pulsed_light", "led_pulsed"}, "letter": FACE_CURRENT, "change": {"led"}},
    ),
    Row("malignancy", "yes", {"no": ENERGY | OPEN, "letter": {"led"}}),
    Row("malignancy", "mole", {"letter": ENERGY | OPEN | {"led"}}),
    Row("immunity", "yes", {"letter": ALL}),
    Row("immunity", "lupus", {"letter": ALL - {"led", "pulsed_light"}, "no": {"led", "pulsed_light"}}),
    Row("diabetes", "yes", {"letter": CURRENT | HEAT | OPEN}),
    Row("diabetes", "numb", {"letter": CURRENT | HEAT | OPEN}, {"no": HEAT}),
    Row("palsy", "yes", {"letter": CURRENT | HEAT}),
    Row("clotting", "yes", {"letter": NEEDLES | {"rf_fractional"} | STRONG_SUCTION}),
    Row("blood_borne", "yes"),
    Row(
        "thyroid",
        "yes",
        {"change": CURRENT | HEAT | {"ultrasound"}},
        {"no": CURRENT | HEAT | {"ultrasound"}},
        ABOVE_THE_SHOULDERS,
    ),
    Row("eyes", "yes", {"letter": {"led", "pulsed_light"}}),
    Row("cold_disease", "yes", {"never": {"cold"}}),
    Row("blood_oxygen", "yes", {"no": {"prilocaine"}}),
    Row("light_medicine", "taking", {"no": {"pulsed_light", "led_blue"}, "letter": {"led"}}),
    Row("light_medicine", "stopped", {"wait": {"led", "led_blue", "pulsed_light"}}, days=14),
    Row("light_medicine", "photodynamic", {"wait": {"led", "led_blue", "pulsed_light"}}, days=90),
    Row("porphyria", "yes", {"never": {"pulsed_light", "led_blue"}, "no": {"led"}}),
    Row("oral_retinoid", "yes", {"wait": OPEN | {"pulsed_light"}}, until=date(2027, 5, 25)),
    Row("topicals", "yes", {"wait": OPEN}, days=7),
    Row(
        "injections",
        "relaxant",
        closed={"wait": HEAT | ABRASION | NEEDLES | {"touch", "microcurrent"}},
        days=14,
    ),
    # Lines never go through filler, however old it is.
    Row(
        "filler",
        "hyaluronic",
        closed={"wait": (ENERGY | OPEN | HEAT | {"touch"}) - LINES, "never": LINES},
        days=28,
    ),
    Row("filler", "permanent", closed={"no": (HEAT | NEEDLES | {"pulsed_light"}) - LINES, "never": LINES}),
    # Half a year and a letter: whichever is the more careful is told.
    Row("surgery", "recent", {"letter": ENERGY | OPEN | HEAT | {"touch", "led"}}),
    Row("tattoo", "yes", {"change": ENERGY - {"pulsed_light"} | OPEN}, {"never": {"pulsed_light"}}),
    # What is there waits for as long as it is there: the day on which it began opens nothing.
    Row("infection", "yes", {"wait": ALL | {"touch"}}),
    Row("infection", "skin", closed={"wait": ALL | {"touch"}}),
    Row("infection", "sore", closed={"wait": ALL | {"touch"}}, zones=ROUND_THE_MOUTH | {"nose tip and wings"}),
    Row("infection", "healed", closed={"wait": ALL | {"touch"}}, days=7),
    Row(
        "infection",
        "healed_sore",
        closed={"wait": ALL | {"touch"}},
        zones=ROUND_THE_MOUTH | {"nose tip and wings"},
        days=14,
    ),
    Row("herpes", "yes", closed={"letter": OPEN | {"pulsed_light"}}, zones=ROUND_THE_MOUTH),
    Row("keloid", "yes", {"no": NEEDLES | {"rf_fractional"}, "letter": ABRASION | {"pulsed_light", "peel"}}),
    Row("skin_disease", "quiet", {"change": OPEN | ENERGY}),
    Row("skin_disease", "flare", {"wait": OPEN, "change": ENERGY - OPEN}),
    Row("rosacea", "early", {"no": HEAT | {"brisk_suction"}, "change": ABRASION | OXYGEN}),
    Row("rosacea", "severe", {"wait": ENERGY | OPEN | HEAT | OXYGEN | {"touch", "enzyme"}}),
    Row(
        "melasma",
        "yes",
        {"no": HEAT | {"pulsed_light", "led_blue", "led_near_infrared"}, "letter": OPEN - {"rf_fractional"}},
    ),
    Row("sun", "sun", {"wait": {"pulsed_light"}, "change": {"peel"}}, days=14),
    Row("sun", "tanned", {"wait": {"pulsed_light"}, "change": {"peel"}}, days=28),
    Row("sun", "self", {"wait": {"pulsed_light"}}),
    Row("sun", "burnt", {"wait": BURNT}),
    Row("sun", "burnt_healed", {"wait": BURNT}, days=28),
    Row("wax", "yes", closed={"wait": OPEN}, days=7),
    # Peeled yesterday, here or elsewhere: no needles and no deep heat for a week, no lamp for two.
    Row("exfoliated", "yes", {"wait": OPEN | LINES | {"enzyme", "rf_bulk", "pulsed_light"}}),
    Row("dry_air", "yes", {"change": OXYGEN | {"peel", "wet_abrasion", "enzyme"}}),
    Row("worn", "yes", {"change": ENERGY | OPEN | OXYGEN | {"led"}}),
    Row("allergy", "amide", {"letter": {"numbing"}}),
    Row("allergy", "shellfish", {"change": {"mask", "iontophoresis", "oxygen_airbrush"}}),
    Row("allergy", "salicylate", {"no": {"wet_salicylic"}}),
    *(Row("allergy", one, {"change": ALL}) for one in ("scent", "plant", "nut", "other")),
    Row("today", "yes", {"wait": ALL | {"touch"}}),
    Row("hopes", "yes", {"wait": ALL}),
)
ROWS = (
    *UNNAMED,
    *(
        replace(row, option=name)
        for row in UNNAMED
        if row.option == "yes"
        for name in NAMED.get(row.question, "").split()
    ),
)
EACH = pytest.mark.parametrize("row", ROWS, ids=[row.id for row in ROWS])
#: A verdict on the whole is one on its parts.
PARTS = {
    "led": {"led_blue", "led_near_infrared", "led_pulsed"},
    "numbing": {"prilocaine"},
    "peel": {"strong_acid", "salicylic"},
    "wet_abrasion": {"wet_salicylic", "strong_suction", "brisk_suction"},
}
WHOLES = [name for name in subjects() if not any(name in parts for parts in PARTS.values())]


def told(reasons: tuple[Reason, ...], verdict: str) -> list[Reason]:
    return [reason for reason in reasons if reason.verdict == verdict]


@pytest.mark.outside(
    "the handbook’s table of contraindications",
    values="each answer on each modality",
    tolerance="exact",
)
@EACH
def test_each_answer_on_each_modality(row: Row) -> None:
    board = row.board()
    expected = {name: verdict for verdict, names in row.verdicts.items() for name in names}
    shut = {name: verdict for verdict, names in row.closed.items() for name in names}
    for name in WHOLES:
        verdict = expected.get(name, "change" if name in shut else "go")
        assert board[name].verdict == verdict, f"{name}: {[one.reason for one in board[name].reasons]}"
    for part in (part for parts in PARTS.values() for part in parts if part in expected):
        assert board[part].verdict == expected[part], part


@EACH
def test_what_is_closed_is_closed_there_and_nowhere_else(row: Row) -> None:
    board = row.board()
    shut = {name: verdict for verdict, names in row.closed.items() for name in names}
    for name in WHOLES:
        where = {zone: reason.verdict for zone, reason in board[name].closed.items()}
        assert where == (dict.fromkeys(row.zones, shut[name]) if name in shut else {}), name


@EACH
def test_a_wait_says_its_day(row: Row) -> None:
    waits = [reason for standing in row.board().values() for reason in told(standing.reasons, "wait")]
    assert bool(waits) == bool({"wait"} & (row.verdicts.keys() | row.closed.keys()) or row.question == "surgery")
    if row.days or row.until:
        assert {reason.until for reason in waits} == {row.until or TODAY + timedelta(days=row.days or 0)}


def test_a_week_to_needles_and_two_to_the_lamp_after_a_peel() -> None:
    def standing(days: int) -> dict[str, str]:
        peeled = Answer(option="yes", on=TODAY - timedelta(days=days))
        board = who({"exfoliated": peeled}).board
        return {name: board[name].verdict for name in ("micro_needling", "peel", "rf_bulk", "pulsed_light")}

    assert standing(6) == dict.fromkeys(("micro_needling", "peel", "rf_bulk", "pulsed_light"), "wait")
    assert standing(7) == {"micro_needling": "go", "peel": "go", "rf_bulk": "go", "pulsed_light": "wait"}
    assert set(standing(14).values()) == {"go"}


@pytest.mark.parametrize("option", ["yes", "skin", "sore"])
def test_the_day_on_which_an_infection_began_opens_nothing(option: str) -> None:
    long_ago = Answer(option=option, on=TODAY - timedelta(days=400), zones=(HERE,))
    assert told(who({"infection": long_ago}).board["led"].reasons, "wait")


def test_half_a_year_is_six_calendar_months() -> None:
    last = Answer(option="yes", on=date(2026, 5, 25))
    assert who({"oral_retinoid": last}).board["peel"].verdict == "go", "25 May to 25 November"
    one_more = Answer(option="yes", on=date(2026, 5, 26))
    assert who({"oral_retinoid": one_more}).board["peel"].until == date(2026, 11, 26)


def test_while_nobody_has_looked_the_lamp_waits_and_what_opens_goes_gently() -> None:
    board = brief(returning=True).board
    assert board["pulsed_light"].verdict == "wait" and board["pulsed_light"].until is None
    assert {board[name].verdict for name in OPEN} == {"change"}
    assert {board[name].verdict for name in ("led", "microcurrent", "cold", "touch")} == {"go"}


def test_rough_skin_that_is_seen_counts_as_dry_skin_that_is_told() -> None:
    seen = who(findings=Findings(phototype=2, grades={"dehydration": {"right mid cheek": 4}})).board
    said = who({"dry_air": Answer(option="yes")}).board
    assert {name for name in WHOLES if seen[name].verdict != "go"} == {
        name for name in WHOLES if said[name].verdict != "go"
    }


def test_dilated_vessels_close_all_heat_there_and_lower_the_suction() -> None:
    vessels = Findings(phototype=2, grades={"vessels": {"right mid cheek": 2}})
    board = who(findings=vessels).board
    assert board["soften"].verdict == "no", "steam keeps to no zone"
    for name in HEAT:
        assert {zone: one.verdict for zone, one in board[name].closed.items()} == {HERE: "no"}, name
    begun = planned(who(findings=vessels), "wet_abrasion")
    drawn = {one.settings.kind: one.settings.at for one in begun.plan.stages}
    assert drawn == {"acid": 4, "salicylic": 4, "infuse": 4} and not begun.stopped
    free = {one.settings.kind: one.settings.at for one in planned(who(), "wet_abrasion").plan.stages}
    assert free == {"acid": 4, "salicylic": 4, "infuse": 7}


def test_every_answer_of_the_book_stands_in_the_table() -> None:
    written = {(row.question, row.option) for row in ROWS}
    asked = {(question.id, option.id) for question in book().question for option in question.options[1:]}
    assert written == asked and len(written) == len(ROWS)


def test_the_first_answer_to_every_question_is_that_nothing_is_there() -> None:
    assert {standing.verdict for standing in who().board.values()} == {"go"}


def test_every_modality_has_a_verdict_but_what_every_visit_has() -> None:
    plain = {"touch"}  # light touch: only what stands under the hand stops it
    assert set(WHOLES) == ALL | plain
    between = "wash wipe towel alcohol antisepsis saline mist gloves mirror photograph try_out call_senior clean_tool"
    assert {"cleanse", "tone", "dry", "finish", *between.split()} == housekeeping()
