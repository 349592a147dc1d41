"""A step of a plan: one kind of work done for named conditions, in one stage or several, and what it comes to."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from types import MappingProxyType
from typing import NamedTuple, Protocol

from pydantic import Field, field_validator, model_validator

from merak.core.body.plate import GROUPS, PLATES, bare, keys_of, keys_on, named, plate_with, sided
from merak.core.errors import BadInput, Refused
from merak.core.knowledge import Consider, Manner, Programme, Row, number, on_skin, programmes, traits
from merak.core.knowledge.register import needs
from merak.core.modality.catalogue import MODALITIES
from merak.core.modality.shared import Settings
from merak.core.plan.brief import MANY, Brief
from merak.core.plan.fitting import NO_METHODS, Methods, Placed, in_force, title
from merak.core.plan.halves import turns
from merak.core.plan.shelf import STAYS, Coat
from merak.core.plan.stage import Stage, Worked, begin, compute, turn_s, worked_areas
from merak.core.remembered import remembered
from merak.core.working import Frozen, Quantity

needs(
    __name__,
    """
    %: plan.area_price
    words: plan.closed_zones
    """,
)


#: So many stages has a step at the most.
MOST_STAGES = 20


class Step(Frozen):
    """One step of a plan: `modality` leads it, which names, prices and loads it once, whatever the number of its
    stages. `beside` is the step in whose waiting time it runs, `programme` what it began with. The first stage that a
    step begins with carries its id.
    """

    id: str = Field(pattern=r"^[a-z0-9-]{1,40}$")
    modality: str
    stages: tuple[Stage, ...] = Field(min_length=1, max_length=MOST_STAGES)
    beside: str = ""
    programme: str = Field("", max_length=120)

    @field_validator("modality")
    @classmethod
    def _known(cls, name: str) -> str:
        if name not in MODALITIES:
            raise ValueError(f"there is no modality “{name}”")
        return name

    @model_validator(mode="after")
    def _led(self) -> "Step":
        if all(one.modality != self.modality for one in self.stages):
            raise ValueError(f"none of its stages is {self.modality}")
        return self

    @property
    def lead(self) -> Stage:
        """The first stage of the work that leads."""
        return next(one for one in self.stages if one.modality == self.modality)

    @property
    def works(self) -> tuple[str, ...]:
        """The modalities of its stages, each once, in their order."""
        return tuple(dict.fromkeys(one.modality for one in self.stages))

    @property
    def zones(self) -> tuple[str, ...]:
        """The zones that its stages name; none where one of them goes everywhere."""
        if any(not one.zones for one in self.stages):
            return ()
        return tuple(dict.fromkeys(zone for one in self.stages for zone in one.zones))

    def with_stage(self, stage: Stage) -> "Step":
        """The step with one stage changed."""
        stages = tuple(stage if one.id == stage.id else one for one in self.stages)
        return self.model_copy(update={"stages": stages})

    def with_settings(self, settings: Settings | Mapping[str, object]) -> "Step":
        """The step with its lead set otherwise. Raises ValidationError."""
        return self.with_stage(self.lead.with_settings(settings))


def step_of(*stages: Stage, beside: str = "") -> Step:
    """Stages as one step that the first of them leads."""
    return Step(id=stages[0].id, modality=stages[0].modality, stages=stages, beside=beside)


@dataclass(frozen=True, eq=False)
class WorkedStep:
    """A step computed: its stages in their order, as far as they could be; load, price and numbers of the whole; what
    of the price each further area adds.
    """

    step: Step
    stages: tuple[Worked, ...]
    load: int
    price: float
    numbers: dict[str, Quantity] = field(default_factory=dict)
    added: dict[str, float] = field(default_factory=dict)

    @property
    def title(self) -> str:
        """What it is called."""
        return title(self.step.modality)

    @property
    def lead(self) -> Worked:
        """The first stage of the work that leads."""
        return next((one for one in self.stages if one.modality == self.step.modality), self.stages[0])

    @property
    def seconds(self) -> int:
        """All of its own time."""
        return sum(one.seconds for one in self.stages)

    @property
    def waits(self) -> bool:
        """Whether its last act leaves the hands free."""
        return self.stages[-1].waits

    @property
    def own_s(self) -> int:
        """The seconds of its last stage that are its own: what is done beside it begins with them."""
        return self.stages[-1].own_s

    @property
    def hands_s(self) -> int:
        """The seconds before them."""
        return self.seconds - self.own_s - self.after_s

    @property
    def after_s(self) -> int:
        """The seconds in which, after them, what works by itself is taken off."""
        return self.stages[-1].off_s if self.waits else 0

    @property
    def zones(self) -> frozenset[str]:
        """Every zone that one of its stages works on."""
        return frozenset(zone for one in self.stages for zone in one.areas)

    @cached_property
    def placed(self) -> tuple[Placed, ...]:
        """Each of its works with all zones that it is worked on, each side by itself."""
        return tuple(
            Placed(
                self.step.id,
                name,
                sided(zone for one in self.stages if one.modality == name for zone in one.areas),
            )
            for name in dict.fromkeys(one.modality for one in self.stages)
        )


def begin_step(
    brief: Brief,
    modality: str,
    step_id: str,
    of: Methods,
    consider: Consider | None = None,
    zones: tuple[str, ...] = (),
    programme: str = "",
) -> tuple[Step, tuple[tuple[str, str], ...]]:
    """A modality as a step with its start settings for this client: by a programme, that of the condition, or the usual
    one; and (work, why) of the stages that this client cannot have today. Raises as `begin` for the first of what leads
    it.
    """
    found = programme_of(modality, programme or (consider.programme if consider else ""))
    rows = rows_of(found, of, 1 + (modality in brief.known))
    stages: list[Stage] = []
    left: list[tuple[str, str]] = []
    for row in rows:
        stage_id = f"{step_id}-{len(stages) + 1}" if stages else step_id
        name = row.modality or modality
        try:
            stages.append(by_row(brief, row, name, stage_id, of, consider if name == modality else None, zones))
        except (Refused, BadInput) as stop:
            if name == modality and all(stage.modality != modality for stage in stages):
                raise  # without what it begins with it is another step
            left.append((title(name), str(stop)))
    named = found.id if found else ""
    return Step(id=step_id, modality=modality, stages=tuple(stages), programme=named), tuple(left)


#: What a step is called that began with no programme: one stage as the modality starts it.
PLAIN = "plain"


def programme_of(modality: str, named: str = "") -> Programme | None:
    """The programme of this id, the usual one where none is named; None where there is none."""
    there = programmes().get(modality, ())
    return next((one for one in there if one.id == named or (one.usual and not named)), None)


def rows_of(found: Programme | None, of: Methods, visit: int) -> tuple[Row, ...]:
    """The stages that a programme begins with on the first `visit` or a later one, by the schools in force."""
    if found is None:
        return (Row(),)
    due = (row for row in found.stages if not row.optional and row.visit <= visit)
    return tuple(row for row in due if not row.only or in_force(row.only, of))


def by_row(
    brief: Brief,
    row: Row,
    modality: str,
    stage_id: str,
    of: Methods,
    consider: Consider | None = None,
    zones: tuple[str, ...] = (),
) -> Stage:
    """A stage as a row of a programme names it, on what of its zones the step goes to. Raises as `begin`."""
    own = tuple(zone for name in row.zones for zone in GROUPS.get(name, (name,)))
    both = keys_on(frozenset(own)) & keys_on(frozenset(zones))
    where = named(both) if own and zones else own or zones
    if own and not where:
        raise Refused("Its zones are not among those of the step.", "plan.closed_zones")
    said = (consider.set if consider else {}) | row.set
    begun = begin(brief, modality, stage_id, of, Consider(modality=modality, evidence="weak", set=said), where)
    manner = Manner(**row.model_dump(include=set(Manner.model_fields)))
    return begun.model_copy(update={"manner": None if manner == Manner() else manner})


def compute_step(
    brief: Brief, step: Step, others: frozenset[str] = frozenset(), of: Methods = NO_METHODS
) -> WorkedStep:
    """What a step comes to, `others` being the works of the other steps. Raises Refused, BadInput where one of its
    stages does.
    """
    found, stopped = worked_step(brief, step, others, of)
    for stop in stopped:
        raise stop.error
    assert found, "a step has a stage"
    return found


class Stopped(NamedTuple):
    """Why a stage (its id) cannot be: by field what cannot be read, else in words, with the rule that says so."""

    stage: str
    words: str = ""
    rule: str = ""
    fields: Mapping[str, str] = MappingProxyType({})

    @property
    def error(self) -> Refused | BadInput:
        """As it is raised, anew each time: what is remembered is raised by many."""
        return BadInput(dict(self.fields)) if self.fields else Refused(self.words, self.rule)


class LaysOn(Protocol):
    """A stage as far as it lays something somewhere, planned or in time."""

    @property
    def stage(self) -> Stage:
        """Itself."""

    @property
    def skin(self) -> frozenset[str]:
        """Where it goes, side by side."""

    @property
    def coat(self) -> tuple[Coat, ...]:
        """What it lays."""


def lies_still(early: LaysOn, between: Iterable[LaysOn], skin: frozenset[str]) -> bool:
    """Whether what a stage laid lies on any of this skin still, once those between it and now were worked too."""
    shared = early.skin & skin
    lifted = any(on_skin()[one.stage.modality].lifts and shared <= one.skin for one in between)
    return bool(shared) and early.stage.how.off in STAYS and not lifted


def _is_covered(brief: Brief, stage: Stage, earlier: Sequence[Worked], beneath: frozenset[str]) -> bool:
    """Whether a mask or a sheet lies where a stage goes. Raises Refused where it goes nowhere."""
    covering = [n for n, one in enumerate(earlier) if any(each.covers for each in one.coat)]
    if not covering and not beneath:
        return False
    skin = sided(worked_areas(brief, stage))
    return bool(skin & beneath) or any(lies_still(earlier[n], earlier[n + 1 :], skin) for n in covering)


@remembered(MANY)
def worked_step(
    brief: Brief, step: Step, others: frozenset[str], of: Methods, beneath: frozenset[str] = frozenset()
) -> tuple[WorkedStep | None, tuple[Stopped, ...]]:
    """A step of those of its stages that can be computed (None where none can), and why the others cannot be; on skin
    `beneath` it a mask or a sheet of another step lies.
    """
    found: list[Worked] = []
    stopped: list[Stopped] = []
    names = tuple(one.modality for one in step.stages)
    done: set[tuple[str, str]] = set()
    for n, stage in enumerate(step.stages):
        again = (stage.modality, stage.machine) in done
        done.add((stage.modality, stage.machine))
        try:
            covered = _is_covered(brief, stage, found, beneath)
            found.append(compute(brief, stage, others.union(names[:n], names[n + 1 :]), of, again, covered))
        except Refused as stop:
            stopped.append(Stopped(stage.id, stop.words, stop.rule))
        except BadInput as bad:
            stopped.append(Stopped(stage.id, fields=bad.fields))
    return whole(brief, step, found) if found else None, tuple(stopped)


def whole(brief: Brief, step: Step, stages: Iterable[Worked]) -> WorkedStep:
    """A step of these stages: the price of its lead, and the load of the heaviest of its works, once; each with what
    stands against it because of the others.
    """
    worked, numbers = _together(_turned(tuple(stages)))
    trait, real = traits()[step.modality], [one for one in worked if not one.spot_only]
    led = [one for one in real if one.modality == step.modality]
    base = brief.price(step.modality)
    added = dict.fromkeys(_further_areas(led), round(base * number("plan.area_price") / 100, 2))
    added |= _extras(led) if base else {}
    further = len({*map(bare, step.zones)}) - 1
    extra = further if trait.zone_price and 0 < further < 3 else 0
    return WorkedStep(
        step=step,
        stages=worked,
        load=max((traits()[one.modality].load for one in real), default=0),
        price=base + extra * trait.zone_price + sum(added.values()) if led else 0,
        numbers=numbers,
        added=added if base else {},
    )


def _extras(stages: Iterable[Worked]) -> dict[str, float]:
    """What the products of paid extras cost, by name."""
    laid = (each for one in stages if one.stage.how.extra for each in one.coat)
    return {each.name: each.product.price for each in laid if each.product and each.product.price}


def _further_areas(stages: Iterable[Worked]) -> list[str]:
    """What is worked beside the first plate, in words: other plates, and areas that no plate draws."""
    names = dict.fromkeys(name for one in stages for name in one.areas)
    plates = {plate_with(bare(name)): None for name in names if keys_of(name)}
    areas = (name for name in names if not keys_of(name))
    return [*(PLATES[name].short.lower() for name in PLATES if name in plates), *areas][1:]


def _turned(stages: tuple[Worked, ...]) -> tuple[Worked, ...]:
    """The stages, each with the time in which one half is shown against the other after its first side."""
    shown = zip(stages, turns(stages), strict=True)
    wanted = ((one, turn_s() if turn else 0) for one, turn in shown)
    return tuple(one if one.turn_s == seconds else replace(one, turn_s=seconds) for one, seconds in wanted)


def _together(stages: tuple[Worked, ...]) -> tuple[tuple[Worked, ...], dict[str, Quantity]]:
    """The stages with what stands against them as a whole, work by work, and the numbers of the whole."""
    found = list(stages)
    numbers: dict[str, Quantity] = {}
    for name in dict.fromkeys(one.modality for one in stages):
        mine = [n for n, one in enumerate(stages) if one.modality == name and not one.spot_only]
        both = MODALITIES[name].Settings.together([stages[n].settings for n in mine]) if mine else None
        if both is None:
            continue
        numbers |= both.numbers
        for n, stop in both.stops:
            found[mine[n]] = replace(found[mine[n]], stops=(*found[mine[n]].stops, stop))
    return tuple(found), numbers
