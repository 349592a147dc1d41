"""The skin along the clock: what each stage leaves it in, zone by zone, and what is not done on that."""

from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from datetime import date
from typing import NamedTuple

from merak.core.acts import Span
from merak.core.body.plate import keys_on, named, sided, where_words
from merak.core.knowledge import Degrees, SkinCase, number, on_skin, skin_states
from merak.core.modality.before import Before
from merak.core.modality.shared import Settings
from merak.core.plan.fitting import Clash, title
from merak.core.plan.stage import Stage
from merak.core.plan.step import Step, WorkedStep


class Footing(NamedTuple):
    """The hazards that a stage leaves skin in, and those that it may be done on, each up to a degree; the merits that
    it asks for, gives and ends. What is not there is none.
    """

    leaves: Degrees
    bears: Degrees
    asks: Degrees
    gives: Degrees
    ends: Degrees

    def hurt_by(self, left: Degrees) -> dict[str, int]:
        """What of it this is not done on."""
        return {state: degree for state, degree in left.items() if degree > self.bears.get(state, 0)}


def footing(modality: str, settings: Settings | None = None) -> Footing:
    """What a modality leaves and bears as it is set; what cannot be read of it counts as the worst."""
    entry = on_skin()[modality]
    leaves, bears, asks = dict(entry.leaves), dict(entry.bears), dict(entry.asks)
    for case in entry.cases:
        if _holds(case, settings):
            leaves |= case.leaves
            bears |= case.bears
            asks |= case.asks
    leaves, bears, asks = ({state: degree for state, degree in of.items() if degree} for of in (leaves, bears, asks))
    return Footing(leaves, bears, asks, entry.gives, entry.ends)


def _holds(case: SkinCase, settings: Settings | None) -> bool:
    said = all(getattr(settings, name, None) == value for name, value in case.set.items())
    return said and all(_above(getattr(settings, name, None), rule) for name, rule in case.above.items())


def _above(value: object, rule: str) -> bool:
    return not isinstance(value, int | float) or value > number(rule) + 1e-9


def worst_left(modality: str) -> Degrees:
    """The most that a modality leaves, however it was set."""
    entry = on_skin()[modality]
    found = dict(entry.leaves)
    for case in entry.cases:
        found |= {state: max(degree, found.get(state, 0)) for state, degree in case.leaves.items()}
    return found


def between_stages(one: Stage, other: Stage, same_step: bool) -> dict[str, int]:
    """What the first leaves that the second is not done on, on the same skin; inside a step what holds there too."""
    found = footing(other.modality, other.settings).hurt_by(footing(one.modality, one.settings).leaves)
    return {state: degree for state, degree in found.items() if not same_step or skin_states()[state].inside}


def between_steps(one: Step, other: Step) -> str:
    """The state that a step leaves skin in and the other is not done on, were they on the same skin; none."""
    there = (between_stages(early, late, False) for early in one.stages for late in other.stages)
    return next((state for found in there for state in found), "")


class InTime(NamedTuple):
    """A stage in time: its step, itself, its skin side by side, from and until when (s), its place in the order."""

    step: str
    stage: Stage
    skin: frozenset[str]
    begins: int
    ends: int
    place: int

    def comes_before(self, other: "InTime") -> bool:
        """Whether it is done before the other, or while that is done."""
        beside = self.begins < other.ends and other.begins < self.ends
        return beside or (self.begins, self.place) < (other.begins, other.place)


def timed(steps: Iterable[WorkedStep], spans: Sequence[Span]) -> tuple[InTime, ...]:
    """The stages of the steps, each from when to when."""
    starts = {span.step: span.start_s for span in spans}
    found: list[InTime] = []
    for step in steps:
        at = starts.get(step.step.id, 0)
        for one in step.stages:
            until = at + one.seconds
            found.append(InTime(step.step.id, one.stage, sided(one.areas), at, until, len(found)))
            at = until
    return tuple(found)


def unfit_skin(stages: Sequence[InTime], history: Mapping[str, Before], today: date) -> tuple[Clash, ...]:
    """Each stage that would be done on skin which an earlier one of the visit, one beside it, or an earlier visit left
    in a state that it does not bear.
    """
    return (*_of_today(stages), *_of_before(stages, history, today))


def _of_today(stages: Sequence[InTime]) -> Iterator[Clash]:
    told: dict[tuple[str, str, str], tuple[InTime, InTime, int, set[str]]] = {}
    for late in stages:
        for early in stages:
            shared = early.skin & late.skin
            if early is late or not shared or not early.comes_before(late):
                continue
            for state, degree in between_stages(early.stage, late.stage, early.step == late.step).items():
                key = (state, f"{early.step} {early.stage.modality}", f"{late.step} {late.stage.modality}")
                first, last, most, where = told.setdefault(key, (early, late, degree, set()))
                told[key] = (first, last, max(most, degree), where | shared)
    for (state, *_), (early, late, degree, skin) in told.items():
        kind, whole = skin_states()[state], skin == late.skin
        on, off = ("its skin", "that skin") if whole else (told_where(skin),) * 2
        work, by = title(late.stage.modality), title(early.stage.modality)
        back = between_stages(late.stage, early.stage, early.step == late.step)
        way = f"Leave {work} out, or keep it off {off}." if back else f"Put {work} before {by}, or off {off}."
        yield Clash(
            kind="state",
            rule=kind.id,
            steps=tuple(dict.fromkeys((late.step, early.step))),
            words=f"{work}: {on} {kind.degrees[degree - 1]} at {told_clock(early.ends)} by {by}. {kind.reason}",
            action=way,
        )


def _of_before(stages: Sequence[InTime], history: Mapping[str, Before], today: date) -> Iterator[Clash]:
    told: set[tuple[str, str, str]] = set()
    for late in stages:
        bears = footing(late.stage.modality, late.stage.settings)
        for name, before in history.items():
            for state, degree in bears.hurt_by(lasting(name, before, today)).items():
                kind, work = skin_states()[state], title(late.stage.modality)
                if before.on is None or (key := (state, name, f"{late.step} {work}")) in told:
                    continue
                told.add(key)
                ago = f"{(today - before.on).days} days ago" if before.on < today else "earlier today"
                words = f"{work}: skin still {kind.degrees[degree - 1]} by {title(name)}, {ago}. {kind.reason}"
                action = f"That holds {kind.hours[degree - 1]:g} hours: another day."
                yield Clash(kind="earlier", rule=kind.id, steps=(late.step,), words=words, action=action)


def lasting(modality: str, before: Before, today: date) -> Degrees:
    """What work of an earlier visit still leaves skin in; a day that is not known says nothing here: that is asked."""
    if before.on is None:
        return {}
    hours = 24 * max((today - before.on).days - 1, 0)  # at the least: it may have been in the evening
    left = worst_left(modality)
    return {state: degree for state, degree in left.items() if hours < skin_states()[state].hours[degree - 1]}


def told_where(skin: Collection[str]) -> str:
    """Skin side by side, in a few words."""
    keys = keys_on(frozenset(skin))
    beyond = sorted(name for name in skin if not keys_on(frozenset((name,))))
    return where_words((*named(keys), *beyond))


def told_clock(seconds: int) -> str:
    """A moment of a visit, as hours and minutes from its beginning."""
    return f"{seconds // 3600}:{seconds // 60 % 60:02d}"
