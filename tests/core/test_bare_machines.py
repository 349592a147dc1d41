"""Machines that nobody measured, and routines: both are used, seen for what they are, and never
make anything stronger.
"""

from typing import Any

import pytest

from builders.briefs import EVERY_LICENCE, brief, plan_of, planned
from merak.core.client import Findings
from merak.core.errors import Refused
from merak.core.modality.device import MACHINES, CardTip, LedCard, MachineCard, MicrocurrentCard
from merak.core.plan.brief import Brief
from merak.core.plan.facts import Machine
from merak.core.plan.routine import fitted, routine_of
from merak.core.plan.visit_plan import visit_plan

TIP = CardTip(name="face", across_mm=10, down_mm=10, pins=25)
BARE = {
    "microcurrent": MicrocurrentCard(name="bare lifter", contact_cm2=1.5),
    "led": LedCard(name="bare panel"),
    **{
        kind: MachineCard.model_validate({"modality": kind, "name": f"bare {kind}", "tips": (TIP,)})
        for kind in MACHINES
    },
}


def studio(kind: str) -> Brief:
    machine = (Machine(id="b", card=BARE[kind]),)
    return brief(licences=EVERY_LICENCE, senior=True, machines=machine, slot=300, findings=Findings(phototype=2))


@pytest.mark.parametrize("kind", BARE)
def test_an_unmeasured_machine_is_planned_seen_as_such_and_lowered(kind: str) -> None:
    """It enters a plan with nothing against it, says which machine and what to do, is refused above half of its scale,
    and goes down.
    """
    who, field = studio(kind), "level" if kind == "microcurrent" else "at"
    plan = plan_of(who, kind)
    found = visit_plan(who, plan)
    assert not any(key.startswith("s1.") for key in found.refused), found.refused
    told = [one for one in found.cautions.get("s1", ()) if one.words.startswith("Dose unknown")]
    assert (
        told
        and "measured" in told[0].action
        and (f"bare {kind}" in told[0].words + told[0].action or kind in ("led", "microcurrent"))
    )
    if field not in plan.stages[0].settings:  # a panel has no scale, a roller no motor to set
        return
    low, high = (1.0, 10.0)
    refused = planned(who, kind, **{field: high}).refused.get(f"s1.{field}")
    assert refused and BARE[kind].name in refused.words and "measured" in refused.words + refused.action, (
        "the message names machine and remedy"
    )
    lowered = planned(who, kind, **{field: low}).refused.get(f"s1.{field}")
    assert lowered is None or lowered.rule not in ("device.unknown_share", "microcurrent.unknown_dose.level")


def test_a_routine_keeps_what_was_set() -> None:
    who = brief()
    plan = plan_of(who, "mask", minutes=11)
    routine = routine_of(who, plan, "Eleven minutes")
    again, left = fitted(who, routine)
    assert again.stages[0].settings.minutes == 11 and not left
    assert routine_of(who, again, "Eleven minutes").steps == routine.steps


def test_a_routine_is_never_stronger_than_the_next_client_bears() -> None:
    """Kept at level 5 for one who is used to it; a newcomer begins at 3, one who is sensitive at 2, and gentler stays
    gentler.
    """
    used, kept = brief(), 5.0
    routine = routine_of(used, plan_of(used, "microcurrent", level=kept, repeats=2), "Strong")
    for who, start in ((brief(), 3), (brief(findings=Findings(sensitive=True)), 2)):
        (step,) = fitted(who, routine)[0].stages
        assert (step.settings.level, step.settings.repeats) == (start, 2)
    gentle = routine_of(used, plan_of(used, "microcurrent", level=1.5), "Gentle")
    assert fitted(brief(), gentle)[0].stages[0].settings.level == 1.5


def test_a_routine_of_before_still_fits() -> None:
    body: dict[str, Any] = routine_of(brief(), plan_of(brief(), "microcurrent"), "Old").model_dump(mode="json")
    for entry in body["steps"]:
        entry["stages"][0].pop("settings")
    from merak.core.plan.routine import Routine

    assert fitted(brief(), Routine.model_validate(body))[0].stages[0].settings.level == 3


def test_without_a_machine_it_says_who_adds_one() -> None:
    with pytest.raises(Refused, match="the owner adds one under Practice"):
        plan_of(brief(machines=()), "microcurrent")
