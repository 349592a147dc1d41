"""The skin along the clock: what each stage leaves it in, zone by zone, and what is not done on that."""

from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from datetime import date
from typing import NamedTuple

from merak.core.acts import Span
from merak.core.body.plate import keys_on, named, sided, where_words
from merak.core.knowledge import skin_states
from merak.core.modality.before import Before
from merak.core.plan.fitting import Clash, title
from merak.core.plan.footing import Footing, footing, left_before
from merak.core.plan.screening import Answers
from merak.core.plan.shelf import Coat, coat_of, names
from merak.core.plan.stage import Stage, footing_of
from merak.core.plan.step import Step, WorkedStep


def footings(step: Step) -> tuple[Footing, ...]:
    """What the stages of a step leave skin in and ask of it."""
    return tuple(footing_of(stage) for stage in step.stages)


def unfit_between(early: Iterable[Footing], late: Sequence[Footing]) -> str:
    """The state that one step leaves skin in and another is not done on, were they on the same skin; none."""
    return next((state for one in early for of in late for state in one.hurts(of)), "")


class InTime(NamedTuple):
    """A stage in time: its step, itself, what it leaves and asks, its skin side by side, from and until when (s), its
    place in the order, what it lays on.
    """

    step: str
    stage: Stage
    footing: Footing
    skin: frozenset[str]
    begins: int
    ends: int
    place: int
    coat: tuple[Coat, ...] = ()

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
            found.append(InTime(step.step.id, one.stage, one.footing, one.skin, at, until, len(found), one.coat))
            at = until
    return tuple(found)


#: A stage, and what of its skin is unfit for it.
Met = tuple[InTime, frozenset[str]]


def unfit_skin(
    stages: Sequence[InTime], history: Mapping[str, Before], answers: Answers, today: date
) -> tuple[Clash, ...]:
    """Each stage that would be done on skin which an earlier one of the visit, one beside it, an earlier visit, or what
    the client told of, left in a state that it does not bear.
    """
    return (*_of_today(stages), *_of_before(stages, history, answers, today))


def _of_today(stages: Sequence[InTime]) -> Iterator[Clash]:
    told: dict[tuple[str, str, str], tuple[InTime, InTime, int, dict[str, Met]]] = {}
    leaving = [one for one in stages if one.footing.leaves]
    for late in stages:
        for early in leaving:
            hurt = early.footing.hurts(late.footing, early.step == late.step)
            if not hurt or early is late or not early.comes_before(late) or not (shared := early.skin & late.skin):
                continue
            for state, degree in hurt.items():
                key = (state, f"{early.step} {early.stage.modality}", f"{late.step} {late.stage.modality}")
                first, last, most, where = told.setdefault(key, (early, late, degree, {}))
                before = where.get(late.stage.id, (late, frozenset()))[1]
                told[key] = (first, last, max(most, degree), where | {late.stage.id: (late, before | shared)})
    for (state, *_), (early, late, degree, where) in told.items():
        skin = frozenset[str]().union(*(there for _, there in where.values()))
        kind, whole = skin_states()[state], skin == late.skin
        on, off = ("its skin", "that skin") if whole else (told_where(skin),) * 2
        work, by = title(late.stage.modality), title(early.stage.modality)
        back = late.footing.hurts(early.footing, early.step == late.step)
        usual = footing(late.stage.modality, late.stage.settings)
        named = late.stage.how.product.strip() and not early.footing.hurts(late.footing._replace(bears=usual.bears))
        sterile = names(coat_of(late.stage.modality, late.stage.settings, "", opened=True)) if named else ""
        way = f"Leave {work} out, or keep it off {off}." if back else f"Put {work} before {by}, or off {off}."
        yield Clash(
            kind="state",
            rule=kind.id,
            steps=tuple(dict.fromkeys((late.step, early.step))),
            words=f"{work}: {on} {kind.degrees[degree - 1]} at {told_clock(early.ends)} by {by}. {kind.reason}",
            action=f"Lay {sterile}." if sterile else way,
            stage=late.stage.id,
            lay=sterile,
            off={} if sterile else remaining(where.values()),
        )


def remaining(unfit: Iterable[Met]) -> dict[str, tuple[str, ...]]:
    """By stage, the zones that it keeps once it is off that skin; nothing where it goes to parts, to what no plate
    draws, or would keep none.
    """
    left = [(one, keys_on(one.skin) - keys_on(skin)) for one, skin in unfit]
    able = all(keys and not one.stage.parts and not one.stage.beyond for one, keys in left)
    return {one.stage.id: named(keys) for one, keys in left} if able else {}


def _of_before(
    stages: Sequence[InTime], history: Mapping[str, Before], answers: Answers, today: date
) -> Iterator[Clash]:
    told: set[tuple[str, str, str]] = set()
    for left in left_before(history, answers, today):
        there = sided(left.zones)
        for late in (one for one in stages if not there or one.skin & there):
            for state, degree in late.footing.hurt_by(left.states).items():
                kind, work = skin_states()[state], title(late.stage.modality)
                if (key := (state, left.by, f"{late.step} {work}")) in told:
                    continue
                told.add(key)
                days = (today - left.on).days if left.on else 0
                since = f"{days} days ago" if days else "earlier today" if left.on else "nobody knows when"
                words = f"{work}: skin still {kind.degrees[degree - 1]} by {left.by}, {since}. {kind.reason}"
                holds = f"That holds {kind.hours[degree - 1]:g} hours"
                action = f"{holds}: another day." if left.on else f"{holds}: ask when, or another day."
                yield Clash(kind="earlier", rule=kind.id, steps=(late.step,), words=words, action=action)


def told_where(skin: Collection[str]) -> str:
    """Skin side by side, in a few words."""
    keys = keys_on(frozenset(skin))
    beyond = sorted(name for name in skin if not keys_on(frozenset((name,))))
    return where_words((*named(keys), *beyond))


def told_clock(seconds: int) -> str:
    """A moment of a visit, as hours and minutes from its beginning."""
    return f"{seconds // 3600}:{seconds // 60 % 60:02d}"
