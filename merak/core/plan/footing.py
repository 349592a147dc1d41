"""What a stage leaves skin in and asks of it, by its modality and how it is set."""

from collections.abc import Iterator, Mapping
from datetime import date
from typing import NamedTuple

from merak.core.knowledge import Degrees, about, book, on_skin, skin_states
from merak.core.modality.before import Before
from merak.core.modality.shared import Settings
from merak.core.plan.screening import Answers
from merak.core.plan.shelf import coat_of, holds_case


class Footing(NamedTuple):
    """The hazards that a stage leaves skin in, and those that it may be done on, each up to a degree; the merits that
    it asks for, gives and ends; what it counts as for how soon it may come again. What is not there is none.
    """

    leaves: Degrees
    bears: Degrees
    asks: Degrees
    gives: Degrees
    ends: Degrees
    counts: Degrees

    def hurt_by(self, left: Degrees) -> dict[str, int]:
        """What of it this is not done on."""
        return {state: degree for state, degree in left.items() if degree > self.bears.get(state, 0)}

    def hurts(self, later: "Footing", same_step: bool = False) -> dict[str, int]:
        """What this leaves that another is not done on, on the same skin; inside a step what holds there too."""
        found = later.hurt_by(self.leaves) if self.leaves else {}
        return {state: degree for state, degree in found.items() if skin_states()[state].inside} if same_step else found


def footing(modality: str, settings: Settings | None = None, product: str = "") -> Footing:
    """What a modality leaves and bears as it is set and with what it lays: nothing that is not sterile is borne on
    opened skin. What cannot be read of it counts as the worst.
    """
    entry = on_skin()[modality]
    leaves, bears, asks, counts = dict(entry.leaves), dict(entry.bears), dict(entry.asks), dict(entry.counts)
    for case in entry.cases:
        if holds_case(case, settings):
            leaves |= case.leaves
            bears |= case.bears
            asks |= case.asks
            counts |= case.counts
    laid = coat_of(modality, settings, product, opened=True)
    if not all(one.sterile for one in laid):
        bears["opened"] = 0
    elif laid:
        bears |= entry.sterile
    leaves, bears, asks, counts = (
        {name: degree for name, degree in of.items() if degree} for of in (leaves, bears, asks, counts)
    )
    return Footing(leaves, bears, asks, entry.gives, entry.ends, counts)


def asking(modality: str) -> Iterator[Degrees]:
    """What a modality may ask for, however it is set."""
    entry = on_skin()[modality]
    yield from (entry.asks, *(case.asks for case in entry.cases))


def worst_left(modality: str) -> Degrees:
    """The most that a modality leaves, however it was set."""
    entry = on_skin()[modality]
    found = dict(entry.leaves)
    for case in entry.cases:
        found |= {state: max(degree, found.get(state, 0)) for state, degree in case.leaves.items()}
    return found


def most_counted(modality: str) -> Degrees:
    """The most that a modality counts as, however it was set."""
    entry = on_skin()[modality]
    found = dict(entry.counts)
    for case in entry.cases:
        found |= {agent: max(degree, found.get(agent, 0)) for agent, degree in case.counts.items()}
    return found


def lasting(modality: str, before: Before, today: date) -> Degrees:
    """What work of an earlier visit still leaves skin in; a day that is not known says nothing here: that is asked."""
    if before.on is None:
        return {}
    return _lasting(worst_left(modality), before.on, today)


def _lasting(left: Degrees, on: date | None, today: date) -> Degrees:
    """What of this holds still, left on that day; all where nobody knows it."""
    hours = 24 * max((today - (on or today)).days - 1, 0)  # at the least: it may have been in the evening
    return {state: degree for state, degree in left.items() if hours < skin_states()[state].hours[degree - 1]}


class Left(NamedTuple):
    """What skin is still left in: by what, in words, when (None: nobody knows), where (none: all over)."""

    by: str
    on: date | None
    zones: tuple[str, ...]
    states: Degrees


def left_before(history: Mapping[str, Before], answers: Answers, today: date) -> tuple[Left, ...]:
    """What work of earlier visits, and what the client told of, still leaves skin in, where it does. Which skin an
    earlier visit worked on is not kept; an answer without a day counts as today's.
    """
    found = [Left(about()[name].title, before.on, (), lasting(name, before, today)) for name, before in history.items()]
    for question in book().question:
        if question.id in answers and (options := {one.id: one for one in question.options if one.leaves}):
            found += [
                Left(f"the answer to “{question.ask}”", one.on, one.zones, there)
                for one in answers[question.id].each
                if (there := _lasting(options[one.option].leaves, one.on, today) if one.option in options else {})
            ]
    return tuple(one for one in found if one.states)


def is_opened(others: frozenset[str], history: Mapping[str, Before], answers: Answers, today: date) -> bool:
    """Whether any of these works opens skin, or an earlier visit or what was told of left it open."""
    there = (*map(worst_left, others), *(one.states for one in left_before(history, answers, today)))
    return any("opened" in one for one in there)
