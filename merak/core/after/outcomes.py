"""What changed by how much, over clients, with counts and intervals; and which device or lot stands out by its
reactions.
"""

from collections.abc import Iterable, Sequence
from math import sqrt
from statistics import mean, stdev
from typing import NamedTuple

from merak.core.knowledge import number
from merak.core.knowledge.register import needs
from merak.core.working import Frozen

needs(
    __name__,
    """
    %: outcomes.interval signal.interval
    clients: outcomes.least
    reactions: signal.least
    """,
)

#: Student's t, two-sided 95 %, for 1 to 30 degrees of freedom (published tables, from memory; checked against SciPy);
#: beyond, the normal.
T_95 = (
    12.706,
    4.303,
    3.182,
    2.776,
    2.571,
    2.447,
    2.365,
    2.306,
    2.262,
    2.228,
    2.201,
    2.179,
    2.160,
    2.145,
    2.131,
    2.120,
    2.110,
    2.101,
    2.093,
    2.086,
    2.080,
    2.074,
    2.069,
    2.064,
    2.060,
    2.056,
    2.052,
    2.048,
    2.045,
    2.042,
)
Z_95 = 1.959964


class Seen(NamedTuple):
    """One change that was seen: whose (any key), after what, of which condition, by how many grades (below 0: less of
    it).
    """

    client: str
    routine: str
    condition: str
    change: float


class Effect(Frozen):
    """What one routine did to one condition: clients, visits, the mean change of a client, and its 95 % interval.

    `mean` is None where too few clients were seen for it to be shown.
    """

    routine: str
    condition: str
    clients: int
    visits: int
    mean: float | None
    low: float | None = None
    high: float | None = None
    rules: tuple[str, ...] = ("outcomes.least", "outcomes.interval")


def effects(seen: Iterable[Seen]) -> tuple[Effect, ...]:
    """By routine and condition, the most clients first: each client counts once, with the mean of their own changes."""
    grouped: dict[tuple[str, str], dict[str, list[float]]] = {}
    for one in seen:
        grouped.setdefault((one.routine, one.condition), {}).setdefault(one.client, []).append(one.change)
    found = []
    for (routine, condition), by_client in grouped.items():
        means = [mean(changes) for changes in by_client.values()]
        visits = sum(len(changes) for changes in by_client.values())
        told = interval(means) if len(means) >= number("outcomes.least") else (None, None, None)
        found.append(
            Effect(
                routine=routine,
                condition=condition,
                clients=len(means),
                visits=visits,
                mean=told[0],
                low=told[1],
                high=told[2],
            )
        )
    return tuple(sorted(found, key=lambda one: (-one.clients, one.routine, one.condition)))


def interval(values: Sequence[float]) -> tuple[float, float, float]:
    """(mean, low, high) of at least two values: Student's t, 95 %."""
    middle = mean(values)
    t = T_95[len(values) - 2] if len(values) - 2 < len(T_95) else Z_95
    reach = t * stdev(values) / sqrt(len(values))
    return middle, middle - reach, middle + reach


def wilson(events: int, of: int) -> tuple[float, float]:
    """The 95 % interval of a share, 0 to 1 (Wilson 1927); (0, 1) of nothing."""
    if of == 0:
        return 0.0, 1.0
    p, zz = events / of, Z_95**2
    middle = (p + zz / (2 * of)) / (1 + zz / of)
    reach = Z_95 * sqrt(p * (1 - p) / of + zz / (4 * of**2)) / (1 + zz / of)
    return max(0.0, middle - reach), min(1.0, middle + reach)


class Signal(Frozen):
    """How often a device or lot was used and how often the skin reacted; the share's interval, the share of all others,
    whether it stands out.
    """

    kind: str
    name: str
    uses: int
    reactions: int
    low: float
    high: float
    others: float | None
    stands_out: bool
    rules: tuple[str, ...] = ("signal.interval", "signal.least")

    @property
    def words(self) -> str:
        """What is known of it."""
        if self.stands_out:
            return "Stands out: take it out of use until somebody has looked."
        few = int(number("signal.least"))
        return (
            f"Fewer than {few} reactions: nothing can be said."
            if self.reactions < few
            else "Not more often than the others."
        )


def signals(uses: Iterable[tuple[str, str, str]], reacted: Iterable[str]) -> tuple[Signal, ...]:
    """Devices and lots by how often visits with them ended in a reaction, those that stand out first.

    `uses` are (kind, name, visit) of what was used, `reacted` the visits with a reaction.
    """
    bad = set(reacted)
    visits: dict[tuple[str, str], set[str]] = {}
    for kind, name, visit in uses:
        visits.setdefault((kind, name), set()).add(visit)
    found = []
    for (kind, name), mine in visits.items():
        among = (
            set().union(*(those for (other, called), those in visits.items() if other == kind and called != name))
            - mine
        )
        hits = len(mine & bad)
        low, high = wilson(hits, len(mine))
        others = len(among & bad) / len(among) if among else None
        out = hits >= number("signal.least") and others is not None and low > others
        found.append(
            Signal(
                kind=kind, name=name, uses=len(mine), reactions=hits, low=low, high=high, others=others, stands_out=out
            )
        )
    return tuple(sorted(found, key=lambda one: (not one.stands_out, -one.reactions, -one.uses, one.name)))
