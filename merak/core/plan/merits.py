"""What a stage asks of the skin and does not find: told with what happened to it, and mended by one work each."""

from collections.abc import Callable, Iterator, Mapping, Sequence
from typing import NamedTuple
from uuid import UUID

from merak.core.client import Arrival
from merak.core.knowledge import Degrees, skin_states, traits
from merak.core.plan.fitting import Clash, title
from merak.core.plan.footing import Footing, footing
from merak.core.plan.skin import InTime, told_clock, told_where
from merak.core.plan.stage import Stage, footing_of
from merak.core.plan.step import Step

#: What each way of arriving is worth.
ARRIVED: dict[Arrival, Degrees] = {"": {}, "made up": {}, "washed": {"clean": 1}}


class Lack(NamedTuple):
    """A merit that a stage asks for in this degree and does not find on some of its skin, and what became of it."""

    stage: InTime
    state: str
    degree: int
    skin: frozenset[str]
    history: str

    @property
    def mend(self) -> str:
        """The work that gives it."""
        return skin_states()[self.state].mends[self.degree - 1]


def lowered(held: Degrees, ends: Degrees) -> Degrees:
    """Merits once a work has ended what is above these degrees."""
    return {state: min(degree, ends.get(state, degree)) for state, degree in held.items()}


def raised(held: Degrees, gives: Degrees) -> Degrees:
    """Merits once a work has given these."""
    return held | {state: max(degree, held.get(state, 0)) for state, degree in gives.items()}


class Alike(NamedTuple):
    """Skin on which the same merits hold, and what ended each of those that no longer do."""

    zones: frozenset[str]
    held: Degrees
    ended: Mapping[str, InTime]


class Skin:
    """The merits of skin as it is worked: of zones that are alike together, of drawn parts in them."""

    def __init__(self, arrived: Arrival, zones: frozenset[str]) -> None:
        self.alike = [Alike(zones, ARRIVED[arrived], {})]
        self.parts: dict[str, dict[UUID, Degrees]] = {}

    def lacks(self, one: InTime, state: str, degree: int) -> frozenset[str]:
        """The zones of a stage where a merit does not hold: neither of the whole nor of each part that it keeps to."""
        without = frozenset[str]().union(*(of.zones & one.skin for of in self.alike if of.held.get(state, 0) < degree))
        own = one.stage.parts
        if not own:
            return without
        return frozenset(
            zone
            for zone in without
            if not all(self.parts.get(zone, {}).get(part, {}).get(state, 0) >= degree for part in own)
        )

    def worked(self, one: InTime) -> None:
        """What a stage ends, on the whole of each zone that it touches, then gives where it goes: to its parts alone
        where it keeps to parts, to nothing where it is only seen at the chair where it goes.
        """
        gives, ends = one.footing.gives, one.footing.ends
        if not gives and not ends:
            return
        own, seen = one.stage.parts, one.stage.how.where == "chair"

        def after(of: Alike) -> Alike:
            lost = {state: one for state, most in ends.items() if of.held.get(state, 0) > most}
            held = raised(lowered(of.held, ends), {} if own or seen else gives)
            return Alike(of.zones, held, {**of.ended, **lost})

        self._change(one.skin, after)
        for zone in one.skin if own else one.skin & self.parts.keys():
            parts = {part: lowered(there, ends) for part, there in self.parts.get(zone, {}).items()}
            self.parts[zone] = parts | {part: raised(parts.get(part, {}), gives) for part in own if not seen}

    def mend(self, zones: frozenset[str], state: str, degree: int) -> None:
        """Zones as they are once a merit was given to them."""
        self._change(zones, lambda of: of._replace(held={**of.held, state: degree}))

    def _change(self, zones: frozenset[str], to: Callable[[Alike], Alike]) -> None:
        """What is alike, with some zones changed: they part from the others where those are not."""
        found = []
        for of in self.alike:
            inside = of.zones & zones
            if inside:
                found.append(to(of._replace(zones=inside)))
            if inside != of.zones:
                found.append(of._replace(zones=of.zones - inside))
        self.alike = found

    def history(self, zone: str, state: str) -> str:
        """What ended a merit of a zone; else that nothing gave it."""
        by = next((of.ended.get(state) for of in self.alike if zone in of.zones), None)
        if by is None:
            return "nothing before it makes it so"
        return f"no longer since {title(by.stage.modality)} at {told_clock(by.begins)}"


def unmet(stages: Sequence[InTime], arrived: Arrival) -> Iterator[Lack]:
    """What the stages ask for and do not find, in the order in which they begin; what one lacks is told once, as if it
    were mended then.
    """
    skin = Skin(arrived, frozenset[str]().union(*(one.skin for one in stages)))
    for one in sorted(stages, key=lambda each: (each.begins, each.place)):
        for state, degree in one.footing.asks.items():
            if without := skin.lacks(one, state, degree):
                yield Lack(one, state, degree, without, skin.history(min(without), state))
                skin.mend(without, state, degree)
        skin.worked(one)


def needs_told(stages: Sequence[InTime], arrived: Arrival) -> Iterator[Clash]:
    """Needs that are not met, as they stand against a plan: each with its mend."""
    for lack in unmet(stages, arrived):
        kind, work = skin_states()[lack.state], title(lack.stage.stage.modality)
        on = "" if lack.skin == lack.stage.skin else f" on {told_where(lack.skin)}"
        asks = f"{work} asks for {kind.degrees[lack.degree - 1]} skin{on}"
        yield Clash(
            kind="need",
            rule=kind.id,
            steps=(lack.stage.step,),
            words=f"{asks}: {lack.history}. {kind.reason}",
            action=f"{title(lack.mend)} first.",
            absolute=True,  # mended, not planned past
            stage=lack.stage.stage.id,
            mend="" if traits()[lack.mend].waits else lack.mend,  # what waits is a step of its own
        )


def mended(step: Step, have: Degrees) -> tuple[tuple[int, str], ...]:
    """What a step alone needs before which of its stages, on skin that has these merits: (place, work) in the order in
    which they are put in.
    """
    found: list[tuple[int, str]] = []
    held = dict(have)

    def ask(n: int, of: Footing) -> None:
        for state, degree in of.asks.items():
            kind = skin_states()[state]
            if held.get(state, 0) < degree:
                work = kind.mends[degree - 1]
                mend = footing(work)
                ask(n, mend)
                found.append((n, work))
                after(mend)

    def after(of: Footing) -> None:
        held.update(raised(lowered(held, of.ends), of.gives))

    for n, stage in enumerate(step.stages):
        of = footing_of(stage)
        for _ in range(len(skin_states())):  # what one mend ends another gives back
            if all(held.get(state, 0) >= degree for state, degree in of.asks.items()):
                break
            ask(n, of)
        after(of)
    return tuple(found)


def with_mends(step: Step, have: Degrees, begin: Callable[[str, Stage], Stage]) -> Step:
    """A step with what it needs before its stages, on skin that has these merits; `begin` makes a work before a
    stage.
    """
    put = mended(step, have)
    stages = (
        one
        for n, stage in enumerate(step.stages)
        for one in (*(begin(work, stage) for at, work in put if at == n), stage)
    )
    return step.model_copy(update={"stages": tuple(stages)}) if put else step
