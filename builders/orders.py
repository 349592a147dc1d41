"""Orders of treatments as they stand at the chair, and taps in them by the second."""

from collections.abc import Mapping
from datetime import UTC, datetime, timedelta
from itertools import count
from typing import Any
from uuid import UUID

from builders.briefs import EVERY_LICENCE, brief, plan_of, planned
from merak.core.acts import Act, Cell, Part
from merak.core.plan.visit_plan import visit_plan
from merak.core.spots import SpotRule
from merak.core.treatment import Order, Tap, order_of
from merak.core.treatment.facts import ActFacts

T0 = datetime(2026, 11, 25, 9, tzinfo=UTC)


LICENSED = {"name": "Adaeze", "licences": ["fractional", "pulsed light"]}


def ordered(*modalities: str, beside: tuple[int, int] | None = None, **settings: Any) -> Order:
    who = brief(licences=EVERY_LICENCE, senior=True)
    plan = plan_of(who, *modalities, **settings)
    if beside:
        guest, host = beside
        steps = [
            one.model_copy(update={"beside": plan.steps[host].id}) if n == guest else one
            for n, one in enumerate(plan.steps)
        ]
        plan = plan.model_copy(update={"steps": tuple(steps)})
    return order_of(visit_plan(who, plan, laid=True).acts)


LIFT = order_of(planned(brief(), "microcurrent", "led", "finish").acts)


PINS = ordered("numbing", "cleanse", "rf_fractional", "mask", beside=(1, 0))


WARM = ordered("rf_bulk", "oxygen_mask", at=3)


SQUARES = tuple(
    Part(name=name, plate=plate, outlines=(((x, 0), (x + 20, 0), (x + 20, 20), (x, 20)),))
    for name, plate, x in (("right cheek", "", -30), ("left cheek", "", 10), ("front", "neck", 0))
)
#: Points in parts, pulses without a place yet: what is marked when it is seen.
SEEN = order_of(
    (
        Act(kind="sections", title="Points", instruction="", seconds=60, parts=SQUARES, at_most=True),
        Act(
            kind="pulses",
            title="Vessels",
            instruction="",
            seconds=60,
            parts=SQUARES[:2],
            cells=(Cell(part=0, ring=()),) * 3,
            at_most=True,
        ),
    )
)


def at(second: float) -> datetime:
    return T0 + timedelta(seconds=second)


Given = tuple[str, float] | tuple[str, float, float | None] | tuple[str, float, float | None, Mapping[str, Any]]


def tap(kind: str, second: float, value: float | None = None, id: int | None = None, **more: Any) -> Tap:
    """One tap, so many seconds after the first, by a number of its own unless one is given."""
    number = next(_NUMBERS) if id is None else id
    return Tap.model_validate({"id": UUID(int=number), "kind": kind, "at": at(second), "value": value, **more})


_NUMBERS = count(10**6)


def run(*taps: Given, by: str = "Lin") -> list[Tap]:
    """(kind, second[, value[, data]]) as taps, numbered from 0."""
    more = [(*one, None, {})[2:4] if len(one) == 2 else (*one[2:], {})[:2] for one in taps]
    return [
        tap(str(one[0]), float(one[1]), value, n, words="words", data=data, by=by)
        for n, (one, (value, data)) in enumerate(zip(taps, more, strict=True))
    ]


PULSES = next(n for n, act in enumerate(PINS.acts) if act.kind == "pulses")


#: Taps that lead to the pulses.
TO_PULSES: list[Given] = [("start", 0, None, LICENSED), ("go", 0.5, float(PULSES))]


def spot_rule(**changes: Any) -> SpotRule:
    """The rule of a test spot at 5 W, with a step up and a step down; its words name the answer."""
    words = {one: f"spot: {one}" for one in ("first", "wait", "mark", "down", "kept", "once", "up")}
    base = {
        "wait_s": 300,
        "same_visit": True,
        "name": "Set to",
        "unit": "W",
        "at": 5,
        "up": 6,
        "down": 4,
        "rule": "rf_fractional.spot",
        "severe": 3,
        "pain_stop": 7,
        "words": words,
    }
    return SpotRule.model_validate(base | changes)


def fact(**changes: object) -> ActFacts:
    base = ActFacts(
        title="Light",
        planned_s=600,
        done_s=600,
        planned_strokes=0,
        done_strokes=0,
        level=None,
        said=(),
        reached=True,
        missed=0,
        doubled=0,
        hands=(),
        set_to=None,
        over="",
    )
    return base.model_copy(update=changes)
