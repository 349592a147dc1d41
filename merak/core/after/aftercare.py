"""The aftercare sheet, joined from all that was really done: every line with its date and time.

Joining is a maximum, topic by topic: the longest time and the highest step of the topic's ladder. So it does not matter
in which order things were done, nor whether one of them was done twice, and nothing on the sheet is shorter or laxer
than any of its parts.
"""

from collections.abc import Iterable
from datetime import UTC, date, datetime, time, timedelta, tzinfo
from typing import Literal, NamedTuple, get_args

from pydantic import Field

from merak.core.client import Findings
from merak.core.knowledge import Advice, AdviceWeight, about, book, caution, number, topics, traits
from merak.core.knowledge.register import needs
from merak.core.modality.catalogue import MODALITIES
from merak.core.modality.shared import Settings
from merak.core.working import Caution, Frozen

needs(
    __name__,
    """
    days: after.event after.open_ended
    of 4: follow.severe
    """,
    condition=("acne", "pigment", "laxity", "fine_lines"),
    emergency=("emergency.burn", "emergency.shock", "emergency.eye", "emergency.anaesthetic"),
)

#: The order in which a client reads: what to do, what to leave, what is normal, when to call, when not to wait for us.
WEIGHTS: tuple[AdviceWeight, ...] = ("do", "avoid", "normal", "call", "emergency")
Family = Literal["acne-prone", "pigment", "ageing", "sensitive", ""]
FAMILIES: frozenset[str] = frozenset(get_args(Family))
#: What a line of advice may ask of a client.
HOLDS = FAMILIES | {"shaves", "make-up", "event"}


class Personal(Frozen):
    """What of a client changes the sheet: the family that the skin belongs to, whether it is shaved or made up, an
    event that is coming, darker or sensitive skin, its area in cm². What is not known counts as if it were so.
    """

    family: Family = ""
    shaves: bool = True
    make_up: bool = True
    event: date | None = None
    dark: bool = False
    sensitive: bool = False
    area_cm2: float = Field(600, gt=0, le=20_000)

    @property
    def holds(self) -> frozenset[str]:
        """What holds for this client, as lines of advice ask for it."""
        return frozenset(
            name
            for name, so in (
                ("shaves", self.shaves),
                ("make-up", self.make_up),
                ("event", self.event is not None),
                (self.family, True),
            )
            if so
        )


def family_of(findings: Findings) -> Family:
    """The family that the skin belongs to, by what was found; the most delicate first."""
    if findings.sensitive:
        return "sensitive"
    if findings.worst("acne") >= 1:
        return "acne-prone"
    if findings.worst("pigment") >= 1:
        return "pigment"
    return "ageing" if max(findings.worst("laxity"), findings.worst("fine_lines")) >= 1 else ""


class Moments(NamedTuple):
    """When the visit ended, the next one begins (None: not booked) and a test spot is read (None: there is none), all
    aware.
    """

    ended: datetime
    next_visit: datetime | None = None
    reading: datetime | None = None


class SheetLine(Frozen):
    """One dated line: its topic and the step of its ladder, in words; `rules` are all the lines of advice that ask for
    it.
    """

    topic: str
    step: int
    weight: AdviceWeight
    sign: str
    words: str
    start: datetime
    until: datetime
    rules: tuple[str, ...]


def sheet(done: Iterable[str], of: Personal, at: Moments) -> tuple[SheetLine, ...]:
    """The lines for what was done (tags, see `tags_of`), for this client, from the end of the visit."""
    return in_order(yielding(join(lines(done, of, at))))


def lines(done: Iterable[str], of: Personal, at: Moments) -> tuple[SheetLine, ...]:
    """Every single line that is asked for, before they are joined."""
    tags = {"any", *done}
    if of.dark and tags & REDDENING:
        tags.add("dark")
    if of.sensitive:
        tags.add("sensitive")
    asked = (one for one in book().advice if tags & set(one.tags) and set(one.when) <= of.holds)
    return tuple(line for line in (_dated(one, of, at) for one in asked) if line.until > line.start)


#: After these, redness can leave marks in darker skin: what a modality says of itself, and what came of it.
REDDENING = frozenset({"reddening", "reacted", "burn"})


def _dated(advice: Advice, of: Personal, at: Moments) -> SheetLine:
    start = at.ended + timedelta(hours=advice.from_h)
    until = at.ended + timedelta(hours=advice.until_h) if advice.until_h is not None else _open_end(advice, of, at)
    topic = topics()[advice.topic]
    return SheetLine(
        topic=topic.id,
        step=advice.step,
        weight=topic.weight,
        sign=topic.sign,
        words=advice.words,
        start=start,
        until=until,
        rules=(advice.id,),
    )


def _open_end(advice: Advice, of: Personal, at: Moments) -> datetime:
    """The end of what has no hours of its own: the reading of a spot, an event, else the next visit, or four weeks when
    none is booked.
    """
    if advice.until == "reading" and at.reading:
        return at.reading
    if advice.until == "event" and of.event:
        return midnight(of.event, at.ended.tzinfo)
    return max(at.next_visit or at.ended + timedelta(days=number("after.open_ended")), at.ended)


def midnight(day: date, zone: tzinfo | None) -> datetime:
    """The beginning of a day, aware."""
    return datetime.combine(day, time(), zone or UTC)


def join(asked: Iterable[SheetLine]) -> tuple[SheetLine, ...]:
    """Lines on one topic become one: from the earliest start to the latest end, at the highest step."""
    found: dict[str, SheetLine] = {}
    for line in asked:
        there = found.get(line.topic)
        found[line.topic] = line if there is None else _both(there, line)
    return tuple(found[topic] for topic in sorted(found))


def _both(a: SheetLine, b: SheetLine) -> SheetLine:
    higher = max(a, b, key=lambda line: line.step)
    rules = tuple(sorted({*a.rules, *b.rules}))
    return higher.model_copy(update={"start": min(a.start, b.start), "until": max(a.until, b.until), "rules": rules})


def yielding(joined: Iterable[SheetLine]) -> tuple[SheetLine, ...]:
    """What would contradict a stricter line begins when that ends: no sun protection, no cream on channels that are
    still open.
    """
    there = {line.topic: line for line in joined}
    found = []
    for line in there.values():
        stricter = there.get(topics()[line.topic].gives_way)
        begins = max(line.start, stricter.until) if stricter else line.start
        if begins < line.until:
            found.append(line.model_copy(update={"start": begins}))
    return tuple(found)


def in_order(of: Iterable[SheetLine]) -> tuple[SheetLine, ...]:
    """As a client reads them: by weight, then as the rule book has its topics."""
    place = {topic: n for n, topic in enumerate(topics())}
    return tuple(sorted(of, key=lambda line: (WEIGHTS.index(line.weight), place[line.topic])))


#: Emergency card → its tag.
INCIDENTS = {
    "emergency.burn": "burn",
    "emergency.shock": "shock",
    "emergency.eye": "eye",
    "emergency.anaesthetic": "anaesthetic",
}
#: Tags that follow from how a thing was done, whose skin it is and what came of it; all others stand with a modality.
DERIVED = frozenset({"any", "dark", "sensitive", "strong", "spot", "reacted"}).union(
    INCIDENTS.values(), *(module.WAYS.tags for module in MODALITIES.values())
)


def tags_of(modality: str, how: Settings | None = None, spot_only: bool = False) -> tuple[str, ...]:
    """The tags of a modality as it was really set, as it usually is where that is not known. A test spot alone is no
    treatment.
    """
    if spot_only:
        return ("spot",)
    if modality not in MODALITIES:  # it was done when there was one
        return ()
    how = how or MODALITIES[modality].Settings.model_construct()
    strong = modality in traits() and traits()[modality].strong
    return (*about()[modality].tags, *how.tags(), *("strong",) * strong)


def too_near(done: Iterable[str], of: Personal, ended: datetime) -> Caution | None:
    """A word where something strong was done within the weeks before an event."""
    if of.event is None or "strong" not in set(done):
        return None
    days = (of.event - ended.date()).days
    if not 0 <= days < number("after.event"):
        return None
    words = f"The client's event is in {days} days; it may still be seen."
    return caution("after.event", "change", words, "Tell them now, and offer gentle things only until then.")


def answered(redness: int, swelling: int) -> tuple[str, ...]:
    """The tag of a skin that answered with a grade of 3 or more."""
    return ("reacted",) if max(redness, swelling) >= number("follow.severe") else ()
