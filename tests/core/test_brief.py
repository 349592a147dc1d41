"""What a plan begins from: how much the skin bears, what the studio can do, whose first time it is."""

from datetime import date, timedelta

import pytest

from builders.briefs import MACHINES, TODAY, brief
from builders.machines import LIFT
from merak.core.client import Findings
from merak.core.modality.before import Before
from merak.core.plan.brief import Brief, offered_by, plates_of, workable
from merak.core.plan.screening import Answer
from merak.core.spots import SpotAnswer, SpotRead

DRY = {"dry_air": Answer(option="yes")}


@pytest.mark.parametrize(
    ("changes", "load"),
    [
        ({"returning": True}, 6),
        ({"returning": False}, 5),
        ({"returning": True, "findings": Findings(sensitive=True)}, 4),
        ({"returning": True, "answers": DRY}, 5),
        ({"returning": True, "findings": Findings(hydration=34)}, 5),
        ({"returning": True, "findings": Findings(hydration=35)}, 6),
        ({"returning": True, "findings": Findings(phototype=4)}, 6),
        ({"returning": True, "findings": Findings(phototype=5)}, 5),
        ({"returning": False, "findings": Findings(phototype=6, sensitive=True, hydration=10)}, 1),
    ],
)
def test_how_much_load_a_skin_bears(changes: dict[str, object], load: int) -> None:
    """6, less 1 for a newcomer, 2 where sensitive, 1 where dry, 1 from phototype V."""
    answers = changes.pop("answers", None)
    who = brief(answers, **changes)  # type: ignore[arg-type]
    assert who.budget.value == load and who.newcomer == (not changes["returning"])
    assert sum(line.value or 0 for line in who.budget.inputs) == load


@pytest.mark.parametrize(
    ("option", "tanned"), [("no", False), ("sun", False), ("tanned", True), ("burnt", True), ("burnt_healed", True)]
)
def test_a_tan_is_what_the_answer_says(option: str, tanned: bool) -> None:
    assert brief({"sun": Answer(option=option, on=TODAY)}).subject("led", 100).tanned == tanned


def test_a_question_that_was_not_asked_says_nothing_of_tan_or_dryness() -> None:
    facts = brief().facts
    unasked = {key: one for key, one in facts.answers.items() if key not in ("sun", "dry_air")}
    subject = Brief(facts.model_copy(update={"answers": unasked})).subject("led", 100)
    assert not subject.tanned and not subject.dehydrated


def test_a_studio_offers_what_it_has_machines_for_and_what_needs_none() -> None:
    everything = offered_by(one.card for one in MACHINES)
    assert {"numbing", "rf_fractional", "microcurrent", "peel", "touch"} <= everything
    assert "physician_resurfacing" not in everything
    little = offered_by([LIFT])
    assert "microcurrent" in little and {"peel", "enzyme", "touch", "mask"} <= little
    assert not little & {"led", "rf_bulk", "rf_fractional", "micro_needling", "pulsed_light", "cold"}
    assert "numbing" not in little, "nothing is numbed for"
    assert "numbing" in offered_by(one.card for one in MACHINES if one.card.modality == "rf_fractional")  # type: ignore[union-attr]


def test_the_plate_that_zones_lie_on() -> None:
    assert plates_of((), "led") == ("face",) and plates_of((), "muscle_stimulation") == ("thigh-front",)
    assert plates_of(("front of neck", "chin"), "led") == ("face", "neck"), "in their own order"
    assert plates_of(("nowhere",), "led") == () == plates_of(("knuckles",), "rf_bulk"), "on no plate of its"


def test_where_work_may_go_is_what_was_asked_for_less_what_is_closed() -> None:
    who = brief(returning=True)
    all_of_it = workable(who, "rf_bulk")
    assert not set(all_of_it) & {"upper lid", "under-eye", "lips"} and "mid cheek" in all_of_it
    assert workable(who, "rf_bulk", ("mid cheek", "lips")) == {"mid cheek": all_of_it["mid cheek"]}
    assert set(workable(who, "cleanse")) > set(all_of_it), "what is only washed keeps no margin"
    sore = brief({"infection": Answer(option="skin", zones=("mid cheek",))}, returning=True)
    assert "mid cheek" not in workable(sore, "rf_bulk") and set(workable(sore, "rf_bulk")) == set(all_of_it) - {
        "mid cheek"
    }


DAY = timedelta(days=1)


def read_on(day: date, verdict: str = "keep") -> dict[str, SpotRead]:
    answer = SpotAnswer.model_validate({"verdict": verdict, "set_to": 15, "words": "kept", "rule": "chair.spot.kept"})
    return {"pulsed_light": SpotRead(answer=answer, on=day)}


@pytest.mark.parametrize(
    ("before", "spots", "first"),
    [
        (None, {}, True),
        (Before(on=TODAY - 30 * DAY), {}, False),
        (None, read_on(TODAY - DAY), False),
        (None, read_on(TODAY - DAY, "stop"), True),
        (None, read_on(TODAY - 180 * DAY), False),
        (None, read_on(TODAY - 181 * DAY), True),
        (Before(on=TODAY - 30 * DAY, incident="Burn, grade 2"), {}, True),
        (Before(on=TODAY - 30 * DAY, incident="Burn, grade 2"), read_on(TODAY - 31 * DAY), True),
        (Before(on=TODAY - 30 * DAY, incident="Burn, grade 2"), read_on(TODAY - 30 * DAY), True),
        (Before(on=TODAY - 30 * DAY, incident="Burn, grade 2"), read_on(TODAY - 29 * DAY), False),
    ],
)
def test_a_spot_comes_first_until_one_that_was_read_since_speaks(
    before: Before | None, spots: dict[str, SpotRead], first: bool
) -> None:
    who = brief(history={"pulsed_light": before} if before else {}, spots=spots, returning=True)
    assert who.spot_first("pulsed_light") == first and not who.spot_first("led")


def test_a_mark_counts_from_the_day_of_the_visit_where_no_other_is_known() -> None:
    """Blisters of a visit whose mark has no day of its own: they hold back as from that visit."""
    left = Before(on=TODAY - timedelta(days=3), mark="remedy.burn")
    told = brief(returning=True, history={"rf_bulk": left}).board["rf_bulk"]
    dated = brief(returning=True, history={"rf_bulk": left.model_copy(update={"marked_on": left.on})}).board["rf_bulk"]
    free = brief(returning=True, history={"rf_bulk": Before(on=left.on)}).board["rf_bulk"]
    assert told == dated != free
