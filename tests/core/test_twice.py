"""The same thing twice in a visit is one dose to the skin: it cannot stand in two steps that share it."""

import pytest

from builders.briefs import EVERY_LICENCE, brief, plan_of
from merak.core.client import Findings
from merak.core.modality.catalogue import MODALITIES
from merak.core.plan.brief import Brief, workable
from merak.core.plan.visit_plan import Plan, visit_plan

WHO = brief(returning=True, licences=EVERY_LICENCE, senior=True, findings=Findings(phototype=2), slot=400)
#: What may be done as often as one likes.
FREE = {"cleanse", "tone", "dry", "soften", "extract", "mask", "finish", "touch"}


def twice(who: Brief, modality: str, first: tuple[str, ...] = (), second: tuple[str, ...] = ()) -> list[str]:
    (step,) = plan_of(who, modality).steps
    steps = (
        step.model_copy(update={"zones": first}),
        step.model_copy(update={"id": "s2", "zones": second}),
    )
    found = visit_plan(who, Plan(steps=steps))
    assert not any(one.rule == "plan.twice" and not one.absolute for one in found.clashes), "nobody plans past it"
    return [one.rule for one in found.clashes if one.rule == "plan.twice"]


@pytest.mark.parametrize("modality", sorted(name for name in MODALITIES if name != "physician_resurfacing"))
def test_the_same_skin_twice_is_refused_for_everything_that_adds_up(modality: str) -> None:
    assert twice(WHO, modality) == ([] if modality in FREE else ["plan.twice"])


@pytest.mark.parametrize("modality", ["led", "ultrasound", "rf_bulk", "peel", "nano"])
def test_other_skin_is_another_dose(modality: str) -> None:
    one, other, *_ = (zone for zone in workable(WHO, modality) if zone in ("chin", "mid cheek", "lower cheek"))
    assert twice(WHO, modality, (one,), (other,)) == []
    assert twice(WHO, modality, (one, other), (other,)) == ["plan.twice"]


def test_numbing_sums_over_the_body() -> None:
    assert twice(WHO, "numbing", ("chin",), ("mid cheek",)) == ["plan.twice"], "milligrams know no zone"
