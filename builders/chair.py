"""A stage for somebody who may have everything, as it is planned and as its acts at the chair are made."""

from datetime import timedelta
from typing import Any

from builders.briefs import EVERY_LICENCE, TODAY, brief
from merak.core.acts import Act
from merak.core.client import Findings
from merak.core.modality.before import Before
from merak.core.plan.brief import Brief
from merak.core.plan.order import own_acts
from merak.core.plan.stage import Worked, begin, compute
from merak.core.plan.step import WorkedStep, step_of, whole
from merak.core.plan.visit_plan import Plan, in_force

BEFORE = Before(on=TODAY - timedelta(days=60))


def somebody(**changes: Any) -> Brief:
    known: dict[str, Any] = {
        "licences": EVERY_LICENCE,
        "senior": True,
        "returning": True,
        "findings": Findings(phototype=3),
        "history": {"peel": BEFORE, "pulsed_light": BEFORE},
    }
    return brief(**(known | changes))


def worked(
    modality: str, who: Brief, zones: tuple[str, ...] = (), of: dict[str, str] | None = None, **settings: Any
) -> Worked:
    of = in_force(who, Plan()) | (of or {})
    step = begin(who, modality, "s1", of, zones=zones)
    return compute(who, step.with_settings(step.values | settings), frozenset(), of)


def as_step(who: Brief, one: Worked) -> WorkedStep:
    return whole(who, step_of(one.stage), [one])


def acts(modality: str, laid: bool = False, who: Brief | None = None, **more: Any) -> tuple[Act, ...]:
    who = who or somebody()
    of = in_force(who, Plan()) | more.get("of", {})
    return own_acts(who, as_step(who, worked(modality, who, **more)), "right", of, laid)
