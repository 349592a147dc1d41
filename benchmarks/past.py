"""What a long history adds to a plan: two hundred visits, each of three works on the whole face."""

import statistics
import time
from datetime import timedelta

from builders.briefs import TODAY, plan_of
from builders.chair import somebody
from merak.core.after.exposures import given_by
from merak.core.modality.exposed import Exposed
from merak.core.plan.brief import Brief
from merak.core.plan.past import still_matters
from merak.core.plan.stage import compute
from merak.core.plan.visit_plan import Plan, in_force, visit_plan
from merak.records.visits import READ_BACK_DAYS

VISITS, ROUNDS = 200, 100
STEPS = ("cleanse", "wet_abrasion", "extract", "iontophoresis", "microcurrent", "ultrasound", "cold", "mask", "led")


def history() -> tuple[Exposed, ...]:
    """What two hundred visits gave, one every fourth day, as far back as a plan reads."""
    who = somebody(slot=480)
    plan = plan_of(who, "diamond", "led", "microcurrent")
    worked = [compute(who, stage, of=in_force(who, Plan())) for stage in plan.stages]
    return tuple(
        given
        for n in range(1, VISITS + 1)
        if 4 * n <= READ_BACK_DAYS
        for one in worked
        for given in given_by(
            one.modality, one.footing.counts, one.exposures, one.areas, 1, TODAY - timedelta(days=4 * n)
        )
    )


def past_ms() -> tuple[int, float, float]:
    """(lines read, ms of a plan without them, ms that they add): both worked out anew each time, in turn."""
    given = history()
    plan = plan_of(somebody(slot=480), *STEPS)
    facts, times = somebody(slot=480, history={}).facts, {"without": list[float](), "with": list[float]()}
    for n in range(ROUNDS):
        for name, record in (("without", ()), ("with", given)):
            begun = time.perf_counter()
            known = {"exposed": still_matters(record, TODAY), "prices": {"led": float(n)}}  # remembered from nobody
            visit_plan(Brief(facts.model_copy(update=known)), plan, chair=False)
            times[name].append((time.perf_counter() - begun) * 1000)
    more = (with_ - without for without, with_ in zip(times["without"], times["with"], strict=True))
    return len(given), statistics.median(times["without"]), statistics.median(more)
