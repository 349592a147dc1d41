"""The plan as a value: computed anew from its inputs at every change; its steps are what the chair counts."""

from collections.abc import Iterable
from itertools import chain
from typing import Literal

from pydantic import Field, model_validator

from merak.core.acts import Act, Span
from merak.core.body.plate import sided
from merak.core.client import Side
from merak.core.errors import BadInput, Refused
from merak.core.knowledge import book, methods, number, rule, traits
from merak.core.knowledge.register import needs
from merak.core.modality.exposure import Sum
from merak.core.plan.again import better_later, too_soon
from merak.core.plan.along import cut
from merak.core.plan.brief import FEW, MANY, Brief
from merak.core.plan.clocks import overrun, own_time, two_currents
from merak.core.plan.coats import lit, products_told
from merak.core.plan.fitting import Clash, Methods, Placed, chosen, clashes, limit, may_run_beside
from merak.core.plan.footing import is_opened
from merak.core.plan.guards import unguarded
from merak.core.plan.merits import needs_told
from merak.core.plan.order import chair_acts
from merak.core.plan.screening import housekeeping
from merak.core.plan.shelf import coat_of
from merak.core.plan.side import FirstSide, first_side
from merak.core.plan.skin import timed, unfit_skin
from merak.core.plan.stage import Stage, moved, settled, worked_areas
from merak.core.plan.step import Step, WorkedStep, worked_step
from merak.core.plan.sums import sums_told, together, too_much
from merak.core.remembered import remembered
from merak.core.working import Caution, Frozen, Quantity

needs(
    __name__,
    """
    days: event.never
    %: plan.area_price
    words: budget.load device.scale plan.order plan.price plan.slot
    """,
    question=("allergy",),
)


#: So many steps has a plan at the most.
MOST_STEPS = 40


class Plan(Frozen):
    """What is chosen: steps in their order, the side when it is not the computed one, schools that differ from the
    studio's, the routine that it was fitted from.
    """

    steps: tuple[Step, ...] = Field((), max_length=MOST_STEPS)
    side: Side | None = None
    methods: dict[str, str] = Field(default_factory=dict)
    kind: str = Field("", max_length=20)
    routine: str = Field("", max_length=120)

    @model_validator(mode="after")
    def _each_once(self) -> "Plan":
        if len({step.id for step in self.steps}) < len(self.steps):
            raise ValueError("two steps carry the same id")
        if len({stage.id for stage in self.stages}) < len(self.stages):
            raise ValueError("two stages carry the same id")
        return self

    @property
    def stages(self) -> tuple[Stage, ...]:
        """The stages of all steps, in their order."""
        return tuple(stage for step in self.steps for stage in step.stages)

    @property
    def ids(self) -> frozenset[str]:
        """The ids of its steps and stages."""
        return frozenset((*(one.id for one in self.steps), *(one.id for one in self.stages)))

    def of(self, step_id: str) -> Step:
        """A step by its id or that of one of its stages. Raises BadInput when the plan has none."""
        found = next((one for one in self.steps if one.id == step_id), None)
        found = found or next((one for one in self.steps if any(stage.id == step_id for stage in one.stages)), None)
        if found is None:
            raise BadInput({"step": "That step is no longer in the plan."})
        return found

    def stage(self, stage_id: str) -> Stage:
        """A stage by its id, or the first of the step with this one. Raises BadInput when the plan has none."""
        named = (one for one in self.stages if one.id == stage_id)
        return next(named, None) or self.of(stage_id).stages[0]

    def with_step(self, step: Step) -> "Plan":
        """The plan with one step changed."""
        return self.model_copy(update={"steps": tuple(step if one.id == step.id else one for one in self.steps)})

    def with_stage(self, stage: Stage) -> "Plan":
        """The plan with one stage changed."""
        return self.with_step(self.of(stage.id).with_stage(stage))


class VisitPlan(Frozen):
    """A computed plan. Numbers are keyed "stage.name" (and "visit.…"), `refused` "stage.field"; `cautions`, `zones`,
    `times` (s), `coats` (what is laid, the newest last) are by stage; `stopped` says by stage why it cannot be.
    """

    plan: Plan
    first: FirstSide
    acts: tuple[Act, ...]
    spans: tuple[Span, ...]
    numbers: dict[str, Quantity]
    cautions: dict[str, tuple[Caution, ...]]
    refused: dict[str, Caution]
    stopped: dict[str, Caution]
    clashes: tuple[Clash, ...]
    allowed: tuple[Caution, ...]
    zones: dict[str, dict[str, float]]
    slot_s: float = 0
    times: dict[str, int] = Field(default_factory=dict)
    coats: dict[str, tuple[str, ...]] = Field(default_factory=dict)

    @property
    def startable(self) -> bool:
        """Whether nothing stands against it and something is planned."""
        clear = not self.refused and not self.stopped and not self.clashes
        return clear and any(one.modality not in housekeeping() for one in self.plan.stages)

    @property
    def seconds(self) -> int:
        """From the first step to the last."""
        return max((span.start_s + span.seconds for span in self.spans), default=0)


def in_force(brief: Brief, plan: Plan) -> dict[str, str]:
    """The schools in force: the plan's own over the studio's over the house's."""
    return _in_force(brief, plan.methods)


@remembered(MANY)
def _in_force(brief: Brief, own: dict[str, str]) -> dict[str, str]:
    return {name: chosen(brief.facts.methods | own, name) for name in methods()}


def visit_plan(brief: Brief, plan: Plan, chair: bool = True, laid: bool = False) -> VisitPlan:
    """The plan that follows from a choice. What cannot be is told by stage in `stopped`, by field in `refused`, between
    steps in `clashes`; a plan with any of it cannot be started. Without `chair` the steps of the treatment are left
    out, which nobody sees while a field is typed; with `laid` they stand on the client's plate, section by section.
    Raises BadInput for measures that no body has.
    """
    if laid:  # once in a visit's life, and long: not remembered
        return _visit_plan(brief, plan, chair, laid)
    return _known_plan(brief, plan, chair)


@remembered(FEW)
def _known_plan(brief: Brief, plan: Plan, chair: bool) -> VisitPlan:
    return _visit_plan(brief, plan, chair, laid=False)


def _visit_plan(brief: Brief, plan: Plan, chair: bool, laid: bool) -> VisitPlan:
    of = in_force(brief, plan)
    opened = is_opened(
        frozenset(one.modality for one in plan.stages), brief.facts.history, brief.facts.answers, brief.facts.today
    )
    steps, left_out = cut(brief, lit(_settled(brief, plan), opened))
    worked, stopped, refused = _all_worked(brief, steps, of)
    first = first_side(brief.facts.findings)
    side = plan.side or first.side
    spans = _spans(plan, worked, of)
    acts = chair_acts(brief, worked, spans, side, of, laid) if chair else ()
    stages = [stage for step in worked.values() for stage in step.stages]
    numbers = {"side.difference": first.difference} | {
        f"{one.stage.id}.{key}": found for one in stages for key, found in one.dose.numbers.items()
    }
    summed = together(worked, brief.facts.exposed, brief.facts.today)
    numbers |= _totals(brief, worked, spans) | sums_told(worked, summed)
    numbers |= {f"sums-{step.step.id}.{key}": one for step in worked.values() for key, one in step.numbers.items()}
    against, allowed = _clashes(brief, plan, worked, of, numbers, spans, summed)
    later = better_later(timed(worked.values(), spans), brief.facts, brief.past)
    return VisitPlan.model_construct(  # of values that are all there are: nothing of it was typed
        plan=plan,
        first=first,
        acts=acts,
        spans=spans,
        numbers=numbers,
        refused=refused,
        stopped=stopped,
        clashes=against,
        cautions={
            one.stage.id: (
                *((left_out[one.stage.id],) if one.stage.id in left_out else ()),
                *later.get(one.stage.id, ()),
                *one.cautions,
            )
            for one in stages
        },
        allowed=(
            *allowed,
            *(c for one in stages for c in one.cautions if c.words.startswith("Past a ceiling")),
        ),
        zones={one.stage.id: one.areas for one in stages},
        slot_s=60 * brief.facts.slot,
        times={one.stage.id: one.seconds for one in stages},
        coats={one.stage.id: tuple(coat.name for coat in one.coat) for one in stages},
    )


def _settled(brief: Brief, plan: Plan) -> tuple[Step, ...]:
    """The steps with every stage where it really goes: what follows the rest of the visit on all that it works."""
    where = settled(brief, plan.stages)
    if not where:
        return plan.steps
    return tuple(
        step.model_copy(
            update={
                "stages": tuple(moved(brief, one, where[one.id]) if where.get(one.id) else one for one in step.stages)
            }
        )
        for step in plan.steps
    )


def _all_worked(
    brief: Brief, steps: tuple[Step, ...], of: dict[str, str]
) -> tuple[dict[str, WorkedStep], dict[str, Caution], dict[str, Caution]]:
    """The steps of which at least one stage can be computed; why a stage cannot be, what stands against its fields."""
    found: dict[str, WorkedStep] = {}
    stopped: dict[str, Caution] = {}
    refused: dict[str, Caution] = {}
    names = [[stage.modality for stage in step.stages] for step in steps]
    for n, step in enumerate(steps):
        beneath = next((_covered(brief, one) for one in steps if one.id == step.beside), frozenset())
        worked, cannot = worked_step(brief, step, frozenset(chain(*names[:n], *names[n + 1 :])), of, beneath)
        for one in cannot:
            for key, words in one.fields.items():
                refused[key] = Caution(weight="stop", words=words, action="", rule="device.scale", field=key)
            if not one.fields:
                stopped[one.stage] = Caution(weight="stop", words=one.words, action="", rule=one.rule or "plan.order")
        if worked is None:
            continue
        found[step.id] = worked
        for done in worked.stages:
            for stop in done.stops:
                refused.setdefault(f"{done.stage.id}.{stop.field or 'settings'}", stop)
    return found, stopped, refused


def _covered(brief: Brief, host: Step) -> frozenset[str]:
    """The skin that a step's mask or sheet lies on while something runs beside it."""
    last = host.stages[-1]
    if not any(one.covers for one in coat_of(last.modality, last.settings, last.how.product, opened=False)):
        return frozenset()
    try:
        return sided(worked_areas(brief, last))
    except Refused:
        return frozenset()


def beside_fits(host: Step, guest: Step, of: Methods) -> bool:
    """Whether a step may run in the waiting time of another: all of its works beside the host's last."""
    return all(may_run_beside(host.stages[-1].modality, name, of) for name in guest.works)


def _guest_of(plan: Plan, step: Step, of: dict[str, str], worked: dict[str, WorkedStep]) -> Step | None:
    """The step in whose waiting time this one runs, when it may."""
    host = next((one for one in plan.steps if one.id == step.beside and one.id != step.id), None)
    if host is None or host.beside or host.id not in worked or not beside_fits(host, step, of):
        return None
    return host


def _spans(plan: Plan, worked: dict[str, WorkedStep], of: dict[str, str]) -> tuple[Span, ...]:
    """The steps in time. Guests run in their host's waiting time, one after the other; what they need beyond it
    lengthens it.
    """
    found: list[Span] = []
    at = 0
    hosts = {
        step.id: host.id for step in plan.steps if step.id in worked and (host := _guest_of(plan, step, of, worked))
    }
    for step in plan.steps:
        if step.id not in worked or step.id in hosts:
            continue
        one = worked[step.id]
        found.append(_span(one, 0, at))
        end = beside = at + one.hands_s
        for guest in plan.steps:
            if hosts.get(guest.id) == step.id:
                found.append(_span(worked[guest.id], 1, beside))
                beside += worked[guest.id].seconds
        end += max(one.own_s, beside - end) + one.after_s
        at = end
    return tuple(found)


def _span(one: WorkedStep, track: Literal[0, 1], at: int) -> Span:
    return Span(
        step=one.step.id,
        title=one.title,
        modality=one.step.modality,
        track=track,
        start_s=at,
        seconds=one.seconds,
        hands_s=one.hands_s,
        waits=one.waits,
        stages_s=tuple(stage.seconds for stage in one.stages),
    )


def _totals(brief: Brief, worked: dict[str, WorkedStep], spans: tuple[Span, ...]) -> dict[str, Quantity]:
    parts = tuple(Quantity(name=span.title, value=span.seconds / 60, unit="min", digits=1) for span in spans)
    total = max((span.start_s + span.seconds for span in spans), default=0) / 60
    saved = sum(part.known for part in parts) - total
    minutes = Quantity(
        name="minutes in the room",
        value=total,
        unit="min",
        digits=0,
        formula="all steps" + (f", less {saved:.0f} min that run beside others" if saved > 0.05 else ""),
        inputs=parts,
        rules=("plan.slot",),
    )
    prices = tuple(
        Quantity(name=name, value=asked, unit="", digits=2, rules=rules)
        for one in worked.values()
        for name, asked, rules in (
            (one.title, one.price - sum(one.added.values()), ()),
            *((f"{one.title}: {area}", more, ("plan.area_price",)) for area, more in one.added.items()),
        )
        if asked
    )
    price = Quantity(
        name="price",
        value=sum(part.known for part in prices),
        digits=2,
        formula="the studio's prices, added up",
        inputs=prices,
        rules=("plan.price",),
    )
    loads = tuple(Quantity(name=one.title, value=one.load, unit="points") for one in worked.values() if one.load)
    load = Quantity(
        name="load on the skin",
        value=sum(part.known for part in loads),
        unit=f"of {brief.budget.value:g}",
        formula="loads of all steps",
        inputs=(*loads, brief.budget),
        rules=("budget.load",),
    )
    return {"visit.minutes": minutes, "visit.price": price, "visit.load": load}


def _clashes(
    brief: Brief,
    plan: Plan,
    worked: dict[str, WorkedStep],
    of: dict[str, str],
    numbers: dict[str, Quantity],
    spans: tuple[Span, ...],
    summed: tuple[Sum, ...],
) -> tuple[tuple[Clash, ...], tuple[Caution, ...]]:
    """What does not fit between steps, with the clock, the slot, the money, the event; and what of it a senior allowed
    in writing.
    """
    placed = tuple(one for step in plan.steps if step.id in worked for one in worked[step.id].placed)
    between_steps = _clashes_between(brief, placed, of)
    stages = timed(worked.values(), spans)
    on_skin = unfit_skin(stages, brief.facts.history, brief.facts.answers, brief.facts.today)
    found = [
        *between_steps,
        *on_skin,
        *too_soon(stages, brief.facts, brief.past),
        *needs_told(stages, brief.facts.findings.arrived),
        *products_told(stages, _allergies(brief)),
        *unguarded(stages),
        *too_much(worked, summed),
        *_limits(brief, plan, worked, numbers, spans),
    ]
    kept, allowed = [], []
    for clash in found:
        name = between(plan, clash)
        word = next(
            (
                o
                for o in brief.facts.overrides
                if o.rule == clash.rule and o.modality == name and o.words == clash.action
            ),
            None,
        )
        if word and not clash.absolute:
            action = f"Allowed by {word.by}, {word.at:%-d %b %Y %H:%M}: “{word.reason}”."
            allowed.append(Caution(weight="change", words=clash.words, action=action, rule=clash.rule))
        else:
            kept.append(clash)
    return tuple(kept), tuple(allowed)


def _allergies(brief: Brief) -> dict[str, str]:
    """What the client is allergic to: answers of that question, each with its words."""
    asked = next(one for one in book().question if one.id == "allergy")
    words = {one.id: one.words for one in asked.options}
    answer = brief.facts.answers.get(asked.id)
    return {one.option: words[one.option] for one in (answer.each if answer else ()) if one.option in words}


@remembered(FEW)
def _clashes_between(brief: Brief, placed: tuple[Placed, ...], of: dict[str, str]) -> tuple[Clash, ...]:
    return clashes(placed, brief.newcomer, of)


def between(plan: Plan, clash: Clash) -> str:
    """The modalities that a clash is between, as an override names them."""
    return "/".join(sorted({name for one in plan.steps if one.id in clash.steps for name in one.works}))


def _limits(
    brief: Brief, plan: Plan, worked: dict[str, WorkedStep], numbers: dict[str, Quantity], spans: tuple[Span, ...]
) -> Iterable[Clash]:
    """What the whole visit may not pass: load, booked time, money, the days before an event, numbing's clock."""
    load, budget = numbers["visit.load"].known, brief.budget.known
    if load > budget:
        words = f"The steps load the skin with {load:g} points; it bears {budget:g} today. {rule('budget.load').reason}"
        yield limit("budget.load", (), words, f"Leave out {load - budget:g} points.")
    minutes, slot = (
        numbers["visit.minutes"].known,
        min(brief.facts.slot, brief.facts.wish.minutes or brief.facts.slot),
    )
    if minutes > slot + 0.05:
        words = f"{minutes:.0f} minutes do not fit into {slot:.0f}."
        yield limit("plan.slot", (), words, "Shorten, leave a step out, let one run beside another, or book longer.")
    price = numbers["visit.price"].known
    if brief.facts.wish.money is not None and price > brief.facts.wish.money + 0.004:
        yield limit(
            "plan.price",
            (),
            f"{price:.2f} is more than the {brief.facts.wish.money:.2f} that were named.",
            "Leave something out, or ask.",
        )
    if brief.facts.wish.event:
        yield from _event(brief, worked)
    yield from own_time(worked, spans)
    yield from overrun(worked, spans)
    yield from two_currents(worked, spans)


def _event(brief: Brief, worked: dict[str, WorkedStep]) -> Iterable[Clash]:
    days = (brief.facts.wish.event - brief.facts.today).days if brief.facts.wish.event else 0
    for one in worked.values():
        if any(traits()[name].strong for name in one.step.works) and 0 <= days < number("event.never"):
            words = f"{one.title} {days} days before the event. {rule('event.never').words}"
            yield limit("event.never", (one.step.id,), words, f"Leave {one.title} out, or do it after.")
