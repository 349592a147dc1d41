"""How a modality is worked, where that is the same whatever is set: what the client is asked, its test spot, whether
one half is shown against the other.
"""

from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cached_property
from typing import Literal, NamedTuple

from shapely.geometry.base import BaseGeometry

from merak.core.body.plate import Key
from merak.core.body.treatable import BESIDE, Treatable
from merak.core.knowledge import number, rule
from merak.core.knowledge.register import needs

needs(
    __name__,
    """
    s: chair.ask chair.ask.acid chair.ask.heat chair.ask.light
    """,
)

Asked = Literal["heat", "pain"]


class Inquiry(NamedTuple):
    """What the client is asked while something works on the skin, and the rule of how often; never without one."""

    rule: str = ""
    words: tuple[Asked, ...] = ()

    @property
    def every_s(self) -> int:
        """After how many seconds it is asked again; 0 where it never is."""
        return int(number(self.rule)) if self.rule else 0


NEVER_ASKED = Inquiry()
ASKED = Inquiry("chair.ask", ("pain",))
ASKED_WARM = Inquiry("chair.ask.heat", ("heat", "pain"))
ASKED_ACID = Inquiry("chair.ask.acid", ("pain",))
ASKED_STILL = Inquiry("chair.ask.light", ("pain",))


class SpotTest(NamedTuple):
    """The test spot that a modality begins with: the rule of how long it waits, another one's on dark skin; whether it
    is read in the same visit, on numbed skin; the unit of the setting that it speaks for, "" for the machine's scale.
    """

    rule: str
    dark: str = ""
    same_visit: bool = False
    unit: str = ""

    def waits(self, dark: bool) -> str:
        """The rule that says how long it waits."""
        return self.dark if dark and self.dark else self.rule

    def wait_s(self, dark: bool) -> int:
        """The seconds until it may be read."""
        found = rule(self.waits(dark))
        return round(number(found.id) * {"min": 60, "h": 3600}[found.unit])


@dataclass(frozen=True)
class Ground:
    """Where a step goes on a client's own plate: what may be treated there, what nothing passes through."""

    area: Treatable
    shut: frozenset[Key] = frozenset()

    @cached_property
    def worked(self) -> dict[Key, BaseGeometry]:
        """What is worked of each zone that is not shut."""
        return {key: shape for key, shape in self.area.zones.items() if key not in self.shut and key[1] not in BESIDE}


class Twin(NamedTuple):
    """What a setting is also told by, and may be typed instead of it: the number of the dose with this name."""

    field: str
    name: str
    words: str
    unit: str
    digits: int


@dataclass(frozen=True)
class Ways:
    """How a modality is worked. `halves`: one half is shown against the other. `tags` are those lines of aftercare that
    hang on how it was done, `adjusts` is what the rules of its adjustments begin with where that is not its name,
    `passes` the rule of how often each part is gone over where that is not set, `wipe` the rule of after how many
    pulses its tip is wiped. It `ended` at what was set, at what was last counted at, or after the minutes that were
    done. What gives nothing that adds up is done once to the same skin in a visit, unless it is `free`.
    `amounts` are the numbers of its dose that lie on the tray, with what they are amounts of ("" for its first
    consumable).
    """

    asks: Inquiry = ASKED
    spot: SpotTest | None = None
    halves: bool = False
    tags: frozenset[str] = frozenset()
    adjusts: str = ""
    passes: str = ""
    wipe: str = ""
    free: bool = False
    ended: Literal["set", "counted", "done"] = "set"
    twin: Twin | None = None
    amounts: Mapping[str, str] = field(default_factory=dict)

    @property
    def passes_usual(self) -> int:
        """How often each part is gone over where that is not set."""
        return int(number(self.passes)) if self.passes else 1

    @property
    def wiped_after(self) -> int:
        """After how many pulses the tip is wiped; 0 where it is not."""
        return int(number(self.wipe)) if self.wipe else 0
