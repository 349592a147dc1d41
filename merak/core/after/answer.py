"""The skin's answer, looked for twice, by zone; what soothes it; who ordered and did that."""

from collections.abc import Iterable
from datetime import datetime
from typing import Literal

from pydantic import Field

from merak.core.after.following import MARKS as TOLD
from merak.core.knowledge import Remedy, book, number
from merak.core.knowledge.register import needs
from merak.core.working import Frozen

needs(
    __name__,
    """
    of 4: close.senior_look
    """,
)

SeenKind = Literal["redness", "swelling", "patches", "marks"]
SEEN: dict[SeenKind, str] = {
    "redness": "Redness",
    "swelling": "Swelling",
    "patches": "Red or dry patches",
    "marks": "Marks",
}
#: What may stand against a remedy today.
STANDING = ("open_skin",)
#: Look → when it is made.
LOOKS = {"1": "after the treatment", "2": "after the mask, before they go"}
MOST = 4
#: What a mark that was seen is; after some the course stops (rule titration.stop). Those that clients tell of are
#: called as they are there.
SEEN_MARKS = {"bruise": "a bruise", "blister": TOLD["blister"], "colour": TOLD["colour"], "other": "another mark"}
STOPPING_MARKS = frozenset({"blister", "colour"})


class Look(Frozen):
    """One look: when, by whom, grades 0 to 4 by kind and "side zone"."""

    at: datetime
    by: str
    zones: dict[SeenKind, dict[str, int]] = Field(default_factory=dict)

    def worst(self, kind: SeenKind) -> int:
        """The highest grade of a kind."""
        return max(self.zones.get(kind, {}).values(), default=0)

    def tapped(self, kind: SeenKind, zone: str) -> "Look":
        """The same with a zone's grade one up, from the highest back to none."""
        graded = self.zones.get(kind, {})
        grade = (graded.get(zone, 0) + 1) % (MOST + 1)
        left = {name: of for name, of in graded.items() if name != zone}
        return self.model_copy(update={"zones": {**self.zones, kind: left | ({zone: grade} if grade else {})}})


class Word(Frozen):
    """Who said or did it, and when."""

    by: str
    at: datetime


class Soothed(Frozen):
    """A remedy: asked for, ordered by a senior, done."""

    remedy: str
    zones: tuple[str, ...] = ()
    asked: Word | None = None
    ordered: Word | None = None
    done: Word | None = None


class SkinAnswer(Frozen):
    """What was seen in both looks, and what was done about it."""

    looks: dict[str, Look] = Field(default_factory=dict)
    remedies: tuple[Soothed, ...] = ()

    def worst(self, kind: SeenKind) -> int:
        """The highest grade of a kind in any look."""
        return max((look.worst(kind) for look in self.looks.values()), default=0)

    @property
    def strongest(self) -> int:
        """The highest grade of redness or swelling."""
        return max(self.worst("redness"), self.worst("swelling"))

    @property
    def missing(self) -> tuple[str, ...]:
        """The looks that were not made yet."""
        return tuple(one for one in LOOKS if one not in self.looks)

    @property
    def asks_senior(self) -> bool:
        """Whether a senior looks before the client leaves (rule close.senior_look)."""
        return max((self.worst(kind) for kind in SEEN), default=0) >= number("close.senior_look")


def fitting(answer: SkinAnswer, never: Iterable[str]) -> tuple[Remedy, ...]:
    """The remedies for what was seen; `never` is what stands against some: "open_skin", modalities that are stopped."""
    against = set(never)
    return tuple(
        one
        for one in book().remedy
        if not against & {one.screened_as, *one.not_after}
        and any(answer.worst(kind) >= one.least for kind in SEEN if kind in one.seen)
    )


def where(answer: SkinAnswer, remedy: Remedy) -> tuple[str, ...]:
    """The zones that a remedy is for, as they stand in the last look."""
    last = answer.looks[max(answer.looks)] if answer.looks else None
    zones = (
        zone
        for kind in SEEN
        if last and kind in remedy.seen
        for zone, grade in last.zones.get(kind, {}).items()
        if grade >= remedy.least
    )
    return tuple(dict.fromkeys(zones))
