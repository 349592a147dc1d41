"""What skin was given before, here or elsewhere, and how long it waits until it may have the same again, or another
strong thing.
"""

from collections.abc import Iterable, Iterator, Mapping, Sequence
from datetime import date, timedelta
from math import ceil
from typing import NamedTuple

from merak.core.body.plate import sided
from merak.core.knowledge import agents, number, on_skin
from merak.core.knowledge.current import by_book
from merak.core.knowledge.register import needs
from merak.core.modality.before import Before
from merak.core.modality.exposed import Exposed
from merak.core.plan.facts import Facts
from merak.core.plan.footing import Footing, most_counted

needs(
    __name__,
    """
    share: again.shorter
    times: again.dark
    phototype: phototype.dark phototype.very_dark
    """,
)


class Past(NamedTuple):
    """What skin was given before, and which, side by side (none: everywhere)."""

    done: Exposed
    skin: frozenset[str]


def still_matters(given: Iterable[Exposed], today: date) -> tuple[Exposed, ...]:
    """What of a record a plan of today may still be held against: what keeps skin closed, what says that work was not
    the worst that it may have been, and what is of the day.
    """
    by_agent, by_work = _matters(), _matters_of_work()

    def matters(one: Exposed) -> bool:
        ago = (today - one.on).days if one.on else 0
        return ago <= 0 or ago < by_agent.get(one.agent, 0) or ago < by_work.get(one.modality, 0)

    return tuple(filter(matters, given))


def _waits(one: Exposed, today: date) -> bool:
    return one.on is None or (today - one.on).days < _matters().get(one.agent, 0)


def given_before(facts: Facts) -> tuple[Past, ...]:
    """What the client's skin was given, as far as it is known and keeps skin closed: the record, and work of which it
    keeps no skin, as the worst that it may have been, everywhere.
    """
    known, closing = (*facts.exposed, *_unkept(facts.history, facts.exposed)), agents()
    return tuple(Past(one, sided(one.zones)) for one in known if one.agent in closing and _waits(one, facts.today))


@by_book()
def _matters() -> dict[str, int]:
    """Agent → the days after which nothing waits any more for what was given of it."""
    after_open = max(one.after_open for one in agents().values())
    return {
        name: ceil(max(*of.again, of.dark, of.others, of.course, after_open * of.opens) * number("again.dark"))
        for name, of in agents().items()
    }


@by_book()
def _matters_of_work() -> dict[str, int]:
    """The same by work, of the most that it counts as."""
    return {name: max((_matters()[one] for one in most_counted(name)), default=0) for name in on_skin()}


def _unkept(history: Mapping[str, Before], kept: Sequence[Exposed]) -> Iterator[Exposed]:
    there = {(one.modality, one.on) for one in kept}
    for modality, before in history.items():
        if before.on is None:
            continue
        near = (before.on + timedelta(days=days) for days in (-1, 0, 1))  # its day may be that of another time zone
        if there.isdisjoint((modality, day) for day in near):
            yield from (Exposed(agent=agent, modality=modality, on=before.on) for agent in most_counted(modality))


class Wait(NamedTuple):
    """From when skin is open again to an agent, and by which rule; the days asked for; whether a senior may let it be
    sooner today.
    """

    opens: date
    rule: str
    days: int
    shorter: bool = False


def wait_after(done: Exposed, agent: str, today: date, phototype: int | None) -> Wait | None:
    """How long an agent waits after what was done; None where it does not wait. What nobody knows counts as the worst:
    a degree as the highest, a day as today.
    """
    was, now, light = agents().get(done.agent), agents()[agent], phototype or 0
    if was is None:
        return None
    if was is now:
        days = was.again[-1 if done.degree is None else done.degree - 1]
        if was.dark and (phototype is None or light >= number("phototype.dark")):
            days = max(days, was.dark)
        if was.opens and (phototype is None or light >= number("phototype.very_dark")):
            days = ceil(days * number("again.dark"))
    elif was.others and now.others:
        days = max(was.others, now.after_open if was.opens else 0)
    else:
        return None
    ago = (today - done.on).days if done.on else 0
    fixed = not (was.shorter and now.shorter) or done.on is None
    shorter = not fixed and ago >= ceil(days * (1 - number("again.shorter")))
    return Wait((done.on or today) + timedelta(days=days), was.id, days, shorter)


class Early(NamedTuple):
    """What work comes too soon after, how long it waits, and on which of its skin."""

    done: Exposed
    wait: Wait
    skin: frozenset[str]

    @property
    def words(self) -> str:
        """The first day that is open."""
        return f"Open from {self.wait.opens:%-d %b %Y}"


def early(footing: Footing, skin: frozenset[str], before: Iterable[Past], facts: Facts) -> Iterator[Early]:
    """What work on this skin, side by side (none: everywhere), comes too soon after."""
    for done, there in before if footing.counts else ():
        shared = skin & there if skin and there else skin
        for agent in footing.counts if shared or not (skin and there) else ():
            wait = wait_after(done, agent, facts.today, facts.findings.phototype)
            if wait and facts.today < wait.opens:
                yield Early(done, wait, shared)


def told_before(done: Exposed, today: date) -> str:
    """What was done, when, and by whom where it was elsewhere."""
    name = agents()[done.agent].name
    named = f"{name[0].upper()}{name[1:]}" + (f" ({done.elsewhere})" if done.elsewhere else "")
    if done.on is None:
        return f"{named}, nobody knows when"
    ago = (today - done.on).days
    return f"{named} was {ago} day{'s' * (ago != 1)} ago, {done.on:%-d %b}" if ago else f"{named} was earlier today"
