"""Orders of treatments as they stand at the chair, and taps in them by the second."""

from collections.abc import Mapping
from datetime import UTC, datetime, timedelta
from typing import Any

from builders.briefs import EVERY_LICENCE, brief, plan_of, planned
from merak.core.plan.spots import SpotRule
from merak.core.plan.visit_plan import visit_plan
from merak.core.treatment import Event, Order, order_of
from merak.core.treatment.events import NOTHING

T0 = datetime(2026, 11, 25, 9, tzinfo=UTC)


LICENSED = {"name": "Adaeze", "licences": ["fractional", "pulsed light"]}


def ordered(*modalities: str, beside: tuple[int, int] | None = None, **settings: Any) -> Order:
    who = brief(licences=EVERY_LICENCE, senior=True)
    plan = plan_of(who, *modalities, **settings)
    if beside:
        guest, host = beside
        steps = [one.model_copy(update={"beside": plan.steps[host].id}) if n == guest else one for n, one in enumerate(plan.steps)]
        plan = plan.model_copy(update={"steps": tuple(steps)})
    return order_of(visit_plan(who, plan, laid=True).acts)


LIFT = order_of(planned(brief(), "microcurrent", "led", "finish").acts)


PINS = ordered("numbing", "cleanse", "rf_fractional", "mask", beside=(1, 0))


WARM = ordered("rf_bulk", "oxygen_mask", at=3)


def at(second: float) -> datetime:
    return T0 + timedelta(seconds=second)


Tap = tuple[str, float] | tuple[str, float, float | None] | tuple[str, float, float | None, Mapping[str, Any]]


def run(*taps: Tap, by: str = "Lin") -> list[Event]:
    """(kind, second[, value[, data]]) taps as events."""
    more = [(*tap, None, NOTHING)[2:4] if len(tap) == 2 else (*tap[2:], NOTHING)[:2] for tap in taps]
    return [
        Event(f"e{n}", str(tap[0]), at(float(tap[1])), value, "words", None, data, by)  # type: ignore[arg-type]
        for n, (tap, (value, data)) in enumerate(zip(taps, more, strict=True))
    ]


PULSES = next(n for n, act in enumerate(PINS.acts) if act.kind == "pulses")


#: Taps that lead to the pulses.
TO_PULSES: list[Tap] = [("start", 0, None, LICENSED), ("go", 0.5, float(PULSES))]


def spot_rule(**changes: Any) -> SpotRule:
    """The rule of a test spot at 5 W, with a step up and a step down; its words name the answer."""
    words = {one: f"spot: {one}" for one in ("first", "wait", "mark", "down", "kept", "once", "up")}
    base = {"wait_s": 300, "same_visit": True, "name": "Set to", "unit": "W", "at": 5, "up": 6, "down": 4, "rule": "rf_fractional.spot",
            "severe": 3, "pain_stop": 7, "words": words}  # fmt: skip
    return SpotRule.model_validate(base | changes)
