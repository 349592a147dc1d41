"""What a stage gives to the skin: which agent, how much of it, and up to which sum in one visit."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from functools import cached_property
from typing import Literal, NamedTuple

from merak.core.knowledge import number

#: Rounding in the last digits is not past a limit.
TOLERANCE = 1e-6


class Exposure(NamedTuple):
    """An agent and its amount in `unit` (None: unknown), on each zone that is worked or on the whole client (`by`); the
    sum in one visit that `rule` allows, which is `limit` for this skin.
    """

    agent: str
    amount: float | None
    unit: str
    rule: str
    limit: float
    by: Literal["zone", "body"] = "zone"

    @property
    def counted(self) -> float:
        """The amount as it is added up: what is not known counts as the worst that one stage may give."""
        return self.limit if self.amount is None else self.amount


def exposed(
    agent: str,
    amount: float | None,
    unit: str,
    rule_id: str,
    limit: float | None = None,
    by: Literal["zone", "body"] = "zone",
) -> Exposure:
    """An exposure whose limit is the rule's where this skin has none of its own."""
    return Exposure(agent, amount, unit, rule_id, number(rule_id) if limit is None else limit, by)


@dataclass(frozen=True)
class Sum:
    """What several stages give of one agent together, on each of some zones (none: to the whole client), against the
    least of their limits.
    """

    agent: str
    zones: tuple[str, ...]
    parts: tuple[tuple[str, Exposure], ...]

    @cached_property
    def amount(self) -> float:
        """All of it, what is unknown at its worst."""
        return sum(one.counted for _, one in self.parts)

    @cached_property
    def least(self) -> Exposure:
        """The part with the least limit."""
        return min((one for _, one in self.parts), key=lambda one: one.limit)

    @property
    def past(self) -> bool:
        """Whether it is more than is allowed."""
        return self.amount > self.least.limit * (1 + TOLERANCE)

    @property
    def words(self) -> str:
        """The sum and its limit."""
        terms = " + ".join("unknown" if one.amount is None else f"{one.amount:.3g}" for _, one in self.parts)
        unit = f" {self.least.unit}".rstrip()
        total = "" if any(one.amount is None for _, one in self.parts) else f" = {self.amount:.3g}"
        agent = f"{self.agent[0].upper()}{self.agent[1:]}"
        return f"{agent}: {terms}{total}{unit}; {self.least.limit:g}{unit} in one visit."


def sums(given: Iterable[tuple[str, Mapping[str, tuple[Exposure, ...]]]]) -> tuple[Sum, ...]:
    """What stages give together, by agent and zone: (stage, zone → exposures there) each; what one gives alone is no
    sum. Zones where the same stages give the same are told as one. What is kept for the whole client counts once for
    each stage, at its highest.
    """
    there: dict[str, list[tuple[str, tuple[Exposure, ...]]]] = {}
    for stage, zones in given:
        own: dict[int, tuple[str, tuple[Exposure, ...]]] = {}  # one object for all zones that get the same
        for zone, exposures in zones.items():
            there.setdefault(zone, []).append(own.setdefault(id(exposures), (stage, exposures)))
    alike: dict[tuple[int, ...], list[str]] = {}
    for zone, parts in there.items():
        alike.setdefault(tuple(map(id, parts)), []).append(zone)
    found: list[Sum] = []
    whole: dict[str, dict[str, Exposure]] = {}
    for zones_ in alike.values():
        here: dict[str, dict[str, Exposure]] = {}
        for stage, exposures in there[zones_[0]]:
            for one in exposures:
                kept = (here if one.by == "zone" else whole).setdefault(one.agent, {})
                if stage not in kept or kept[stage].counted < one.counted:
                    kept[stage] = one
        found += [Sum(agent, tuple(zones_), tuple(parts.items())) for agent, parts in here.items() if len(parts) > 1]
    return (*found, *(Sum(agent, (), tuple(parts.items())) for agent, parts in whole.items() if len(parts) > 1))
