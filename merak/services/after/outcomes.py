"""What the studio as a whole has seen: which routine changed which condition by how much, with counts and intervals,
without names.
"""

from collections.abc import Iterable
from itertools import pairwise

from merak.core.after.outcomes import Effect, Seen, effects
from merak.core.knowledge import conditions
from merak.core.plan.fitting import title
from merak.records import clients
from merak.records.clients import Graded
from merak.services.context import Context


def outcomes(ctx: Context) -> tuple[Effect, ...]:
    """By routine and condition: the change of the mean grade from one visit to the next, after what was done at the
    first.
    """
    ctx.demand("use the bench")
    return effects(_seen(clients.graded(ctx.db)))


def _seen(visits: list[Graded]) -> Iterable[Seen]:
    for before, after in pairwise(visits):
        if before.client != after.client or not before.did:
            continue
        named = before.routine or " + ".join(sorted(title(name) for name in before.did))
        for condition, was in before.grades.items():
            zones = {zone for zone, grade in was.items() if grade} | {
                zone for zone, grade in after.grades.get(condition, {}).items() if grade
            }
            if condition in conditions() and zones and condition in after.grades:
                now = after.grades[condition]
                change = sum(now.get(zone, 0) - was.get(zone, 0) for zone in zones) / len(zones)
                yield Seen(str(before.client), named, conditions()[condition].title, change)


def table(ctx: Context) -> tuple[list[str], list[list[object]]]:
    """The same as a table; what is not shown is not taken out either."""
    rows: list[list[object]] = [
        [
            one.routine,
            one.condition,
            one.clients,
            one.visits,
            *(None if x is None else round(x, 3) for x in (one.mean, one.low, one.high)),
        ]
        for one in outcomes(ctx)
    ]
    return ["routine", "condition", "clients", "visits", "mean change of grade", "95 % from", "95 % to"], rows
