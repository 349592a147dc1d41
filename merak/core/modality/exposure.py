"""What a stage gives to the skin: which agent, how much of it, and up to which sum in one visit."""

from collections.abc import Iterable, Mapping
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


class Sum(NamedTuple):
    """What several stages give of one agent together, on a zone ("" for the whole client), against the least of their
    limits.
    """

    agent: str
    zone: str
    parts: tuple[tuple[str, Exposure], ...]

    @property
    def amount(self) -> float:
        """All of it, what is unknown at its worst."""
        return sum(one.counted for _, one in self.parts)

    @property
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
    """What stages give together, by agent and zone: (stage, zone → exposures there) each. What is kept for the whole
    client counts once for each stage, at its highest.
    """
    found: dict[tuple[str, str], dict[str, Exposure]] = {}
    for stage, zones in given:
        for zone, exposures in zones.items():
            for one in exposures:
                kept = found.setdefault((one.agent, zone if one.by == "zone" else ""), {})
                if stage not in kept or kept[stage].counted < one.counted:
                    kept[stage] = one
    return tuple(Sum(agent, zone, tuple(parts.items())) for (agent, zone), parts in found.items())
