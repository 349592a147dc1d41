"""Written cases: this skin, this history, this wish; what must and what must not be in a plan. By common practice unless said otherwise."""

from dataclasses import dataclass, field
from datetime import date, timedelta
from typing import Any

import pytest

from builders.briefs import EVERY_LICENCE, TODAY, brief
from merak.core.client import Findings
from merak.core.knowledge import all_of
from merak.core.modality.shared import Before
from merak.core.plan.brief import Brief
from merak.core.plan.facts import Wish
from merak.core.plan.proposals import proposals
from merak.core.plan.screening import Answer
from merak.core.spots import SpotAnswer, SpotRead

ENERGY, OPEN, ABRASION = all_of(("ENERGY",)), all_of(("OPEN",)), all_of(("ABRASION",))
STRONG = {"crystal", "diamond", "peel", "rf_fractional", "focused_lifting", "micro_needling", "pulsed_light"}


def ago(days: int) -> date:
    return TODAY - timedelta(days=days)


def on(condition: str, *zones: str, grade: int = 2) -> dict[str, dict[str, int]]:
    return {condition: dict.fromkeys(zones, grade)}


CHEEKS = ("right mid cheek", "left mid cheek")
JAW = ("right jawline", "left jawline", "right lower cheek")
NOSE = ("right nose tip and wings", "left nose tip and wings")


#: A test spot of pulsed light that was read last week, and kept.
SPOT = {
    "pulsed_light": SpotRead(
        answer=SpotAnswer(verdict="keep", set_to=12, words="kept", rule="chair.spot.kept"), on=ago(7)
    )
}


@dataclass
class Case:
    """`some` is in at least one proposal, `never` in none of them; `stands` are verdicts on the board."""

    name: str
    answers: dict[str, Answer] = field(default_factory=dict)
    grades: dict[str, dict[str, int]] = field(default_factory=dict)
    skin: dict[str, Any] = field(default_factory=dict)
    of: dict[str, Any] = field(default_factory=dict)
    some: frozenset[str] = frozenset()
    never: frozenset[str] = frozenset()
    stands: dict[str, str] = field(default_factory=dict)

    def brief(self) -> Brief:
        findings = Findings(phototype=self.skin.pop("phototype", 2), grades=self.grades, **self.skin)
        known: dict[str, Any] = {"returning": True, "licences": EVERY_LICENCE, "senior": True}
        return brief(self.answers, findings=findings, **(known | self.of))


CASES = (
    Case(
        "plugged nose, nothing against it",
        grades=on("congestion", *NOSE, grade=3),
        some=frozenset({"wet_abrasion", "extract"}),
    ),
    Case(
        "pacemaker, sagging jaw: no current, no radiofrequency, light stays",
        {"implants": Answer(option="implanted")},
        on("laxity", *JAW),
        some=frozenset({"led"}),
        never=all_of(("CURRENT", "RF")),
        stands={"microcurrent": "never", "rf_bulk": "never", "led": "go"},
    ),
    Case(
        "pregnant: no energy, red light and cold by letter",
        {"pregnancy": Answer(option="pregnant")},
        on("laxity", *JAW) | on("dehydration", *CHEEKS),
        some=frozenset({"mask"}),
        never=ENERGY | {"led", "cold"},
        stands={"led": "letter", "microcurrent": "no", "numbing": "letter"},
    ),
    Case(
        "breastfeeding: no energy, light and cold stay",
        {"pregnancy": Answer(option="breastfeeding")},
        on("puffiness", *CHEEKS),
        some=frozenset({"cold", "led"}),
        never=ENERGY,
    ),
    Case(
        "retinoid by mouth, stopped two months ago: nothing opens the skin",
        {"oral_retinoid": Answer(option="yes", on=ago(60))},
        on("scars", *CHEEKS, grade=3),
        never=OPEN | {"pulsed_light"},
        stands={"peel": "wait", "micro_needling": "wait"},
    ),
    Case(
        "retinoid by mouth, stopped seven months ago: open again",
        {"oral_retinoid": Answer(option="yes", on=ago(213))},
        on("scars", *CHEEKS, grade=3),
        some=frozenset({"rf_fractional"}),
        stands={"rf_fractional": "go"},
    ),
    Case(
        "retinoid cream used yesterday: a week",
        {"topicals": Answer(option="yes", on=ago(1))},
        on("congestion", *NOSE),
        never=OPEN,
    ),
    Case(
        "phototype VI with sun spots: never pulsed light",
        grades=on("pigment", *CHEEKS),
        skin={"phototype": 6},
        never=frozenset({"pulsed_light"}),
        stands={"pulsed_light": "never"},
    ),
    Case(
        "phototype V without a senior: no pulsed light",
        grades=on("pigment", *CHEEKS),
        skin={"phototype": 5},
        of={"senior": False},
        never=frozenset({"pulsed_light"}),
    ),
    Case(
        "sun spots, phototype II, licence held, spot read: pulsed light alone with calm",
        grades=on("pigment", *CHEEKS, grade=3),
        of={"spots": SPOT},
        some=frozenset({"pulsed_light"}),
    ),
    Case(
        "sun spots, no spot read yet: none of it today",
        grades=on("pigment", *CHEEKS, grade=3),
        never=frozenset({"pulsed_light", "peel"}),
    ),
    Case(
        "sun spots, no licence: none of it",
        grades=on("pigment", *CHEEKS, grade=3),
        of={"licences": frozenset()},
        never=frozenset({"pulsed_light", "rf_fractional"}),
    ),
    Case(
        "gold long ago: never pulsed light",
        {"gold": Answer(option="yes")},
        on("pigment", *CHEEKS),
        never=frozenset({"pulsed_light"}),
        stands={"pulsed_light": "never"},
    ),
    Case(
        "tanned three weeks ago: pulsed light waits",
        {"sun": Answer(option="tanned", on=ago(21))},
        on("pigment", *CHEEKS),
        never=frozenset({"pulsed_light"}),
        stands={"pulsed_light": "wait"},
    ),
    Case(
        "melasma: no pulsed light, no heat, gentle tone care",
        {"melasma": Answer(option="yes")},
        on("pigment", *CHEEKS),
        never=frozenset({"pulsed_light", "rf_bulk", "peel", "diamond"}),
        some=frozenset({"oxygen_airbrush"}),
        stands={"led_blue": "no"},
    ),
    Case(
        "inflamed acne: blue then red, no massage, no abrasion over it",
        grades=on("acne", *CHEEKS),
        some=frozenset({"led"}),
    ),
    Case(
        "early rosacea: cold and red light, no heat",
        {"rosacea": Answer(option="early")},
        on("redness", *CHEEKS),
        some=frozenset({"cold", "led"}),
        never=all_of(("HEAT",)),
    ),
    Case(
        "severe rosacea: only calm",
        {"rosacea": Answer(option="severe")},
        on("redness", *CHEEKS, grade=3),
        never=ENERGY | OPEN | all_of(("OXYGEN",)),
    ),
    Case(
        "keloid: no needles, no pins",
        {"keloid": Answer(option="yes")},
        on("scars", *CHEEKS, grade=3),
        never=frozenset({"micro_needling", "nano", "rf_fractional", "diamond"}),
    ),
    Case(
        "blood thinners: needles by letter",
        {"clotting": Answer(option="yes")},
        on("scars", *CHEEKS),
        never=frozenset({"micro_needling", "nano", "rf_fractional"}),
    ),
    Case(
        "relaxant in the forehead five days ago: the rest may be lifted",
        {"injections": Answer(option="relaxant", on=ago(5), zones=("forehead", "glabella"))},
        on("laxity", *JAW),
        some=frozenset({"microcurrent"}),
        stands={"microcurrent": "change"},
    ),
    Case(
        "cold urticaria: never cold",
        {"cold_disease": Answer(option="yes")},
        on("puffiness", *CHEEKS),
        never=frozenset({"cold"}),
        stands={"cold": "never"},
    ),
    Case(
        "peeled at home yesterday: no exfoliating step",
        {"exfoliated": Answer(option="yes", on=ago(1))},
        on("congestion", *NOSE) | on("dehydration", *CHEEKS),
        never=ABRASION | {"peel", "enzyme"},
    ),
    Case(
        "sixteen years old: no energy, nothing opened",
        grades=on("acne", *CHEEKS),
        of={"born": date(2010, 3, 1)},
        never=ENERGY | OPEN,
        some=frozenset({"led"}),
    ),
    Case(
        "wedding in ten days: nothing strong",
        grades=on("pigment", *CHEEKS, grade=3) | on("scars", *CHEEKS),
        of={"wish": Wish(event=TODAY + timedelta(days=10))},
        never=frozenset(STRONG),
    ),
    Case(
        "porphyria: no pulsed, no blue light",
        {"porphyria": Answer(option="yes")},
        on("oil", *NOSE),
        never=frozenset({"pulsed_light", "led"}),
        stands={"led_blue": "never", "pulsed_light": "never"},
    ),
    Case(
        "lupus: no light of any colour",
        {"immunity": Answer(option="lupus")},
        on("fine_lines", *CHEEKS),
        never=frozenset({"led", "pulsed_light"}),
        stands={"led": "no"},
    ),
    Case(
        "a changing mole: a doctor first",
        {"malignancy": Answer(option="mole")},
        on("fine_lines", *CHEEKS),
        never=ENERGY | OPEN | {"led"},
        stands={"led": "letter"},
    ),
    Case(
        "sunburnt yesterday: cold and water only",
        {"sun": Answer(option="burnt", on=ago(1))},
        on("dehydration", *CHEEKS),
        never=ENERGY | OPEN | {"led", "enzyme"},
        some=frozenset({"mask"}),
    ),
    Case(
        "fever: everything waits",
        {"infection": Answer(option="yes", on=ago(1))},
        on("dehydration", *CHEEKS),
        never=ENERGY | OPEN | {"led", "mask", "touch"},
    ),
    Case(
        "peeled here last week: pulsed light keeps two weeks away",
        grades=on("pigment", *CHEEKS, grade=3),
        of={"history": {"peel": Before(on=ago(7))}},
        never=frozenset({"pulsed_light"}),
    ),
    Case(
        "filler that stays, over the cheeks: no heat there",
        {"filler": Answer(option="permanent", zones=("mid cheek", "upper cheek", "lower cheek"))},
        on("laxity", *CHEEKS),
        stands={"rf_bulk": "change"},
    ),
    Case(
        "little time: it fits",
        grades=on("laxity", *JAW) | on("dehydration", *CHEEKS),
        of={"wish": Wish(minutes=30)},
        some=frozenset({"finish"}),
    ),
    Case(
        "a changed mind about money: it fits",
        grades=on("laxity", *JAW, grade=3),
        of={"wish": Wish(money=60)},
        never=frozenset({"rf_bulk", "focused_lifting"}),
    ),
)


@pytest.mark.parametrize("case", CASES, ids=[case.name for case in CASES])
def test_what_a_senior_would_sign(case: Case) -> None:
    who = case.brief()
    found = proposals(who)
    in_any = {step.modality for one in found for step in one.plan.steps}
    assert case.some <= in_any
    assert not case.never & in_any
    assert {name: who.board[name].verdict for name in case.stands} == case.stands
    for one in found:
        assert one.computed.startable
        told = {left.title for left in one.left_out}
        assert not told & {span.title for span in one.computed.spans}, "what is in is not also left out"


def test_zones_that_are_closed_are_left_out_by_every_step_and_stroke() -> None:
    who = next(case for case in CASES if case.name.startswith("relaxant")).brief()
    plan = next(one for one in proposals(who) if any(i.modality == "microcurrent" for i in one.plan.steps))
    lift = next(step for step in plan.plan.stages if step.modality == "microcurrent")
    assert not {"forehead", "glabella"} & set(plan.computed.zones[lift.id])
    assert "forehead" not in {line.path for act in plan.computed.acts for line in act.lines}
    acne = brief(findings=Findings(grades=on("acne", *CHEEKS)), returning=True)
    for one in proposals(acne):
        for step in one.plan.stages:
            if step.modality in ABRASION | {"touch"}:
                assert "mid cheek" not in one.computed.zones[step.id]
