"""The aftercare sheet, joined from all that was really done: every line with its date and time."""

from collections.abc import Iterable
from datetime import datetime, timedelta

from merak.core.knowledge import Advice, book, number
from merak.core.working import Frozen

#: The order in which a client reads: what to do, what to leave, what is normal, when to call.
WEIGHTS = ("do", "avoid", "normal", "call")


class SheetLine(Frozen):
    """One dated line."""

    words: str
    weight: str
    start: datetime
    until: datetime
    rule: str


def sheet(done: Iterable[str], ended: datetime, next_visit: datetime | None) -> tuple[SheetLine, ...]:
    """The lines for what was done (tags of the modalities, "reacted"), from the end of the visit (aware).

    Of lines on the same topic the longest time wins, then the stricter wording.
    """
    tags = {"any", *done}
    by_topic: dict[str, list[Advice]] = {}
    for advice in book().advice:
        if tags & set(advice.tags):
            by_topic.setdefault(advice.topic, []).append(advice)
    lines = [_joined(same, ended, next_visit) for same in by_topic.values()]
    return tuple(sorted(lines, key=lambda line: (WEIGHTS.index(line.weight), line.start)))


def _joined(same: list[Advice], ended: datetime, next_visit: datetime | None) -> SheetLine:
    """The strictest wording over the longest time of lines on one topic."""
    strictest = min(same, key=lambda advice: advice.rank)
    endless = any(advice.until_h is None for advice in same)
    hours = max(advice.until_h or 0 for advice in same)
    until = (next_visit or ended + timedelta(days=number("after.open_ended"))) if endless else ended + timedelta(hours=hours)
    start = ended + timedelta(hours=min(advice.from_h for advice in same))
    return SheetLine(words=strictest.words, weight=strictest.weight, start=start, until=until, rule=strictest.id)


def tags_done(modalities_done: Iterable[str], redness: int, swelling: int) -> tuple[str, ...]:
    """Tags for a sheet: each modality that was really begun, and "reacted" for a grade of 3 or more."""
    return (*modalities_done, *(("reacted",) if max(redness, swelling) >= 3 else ()))
