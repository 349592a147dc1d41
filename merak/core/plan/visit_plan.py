"""The plan as a value: computed anew from its inputs at every change; its steps are what the chair counts."""

from collections.abc import Iterable
from typing import Literal

from pydantic import Field, model_validator

from merak.core.acts import Act, Span
from merak.core.client import Side
from merak.core.errors import BadInput, Refused
from merak.core.knowledge import all_of, book, methods, number, rule, traits
from merak.core.knowledge.register import needs
from merak.core.modality.catalogue import MODALITIES
from merak.core.plan.brief import FEW, MANY, Brief
from merak.core.plan.fitting import Clash, Placed, chosen, clashes, may_run_beside, title
from merak.core.plan.order import chair_acts
from merak.core.plan.screening import housekeeping
from merak.core.plan.side import FirstSide, first_side
from merak.core.plan.step import Step, Worked, compute
from merak.core.remembered import remembered
from merak.core.working import Caution, Frozen, Quantity

needs(
    __name__,
    """
    s: plan.numb_clock
    days: event.never
    words: budget.load device.scale plan.order plan.price plan.slot plan.twice
    """,
)


class Plan(Frozen):
    """What is chosen: items in their order, the side when it is not the computed one, schools that differ from the
    studio's, the routine that it was fitted from.
    """

    steps: tuple[Step, ...] = Field((), max_length=40)
    side: Side | None = None
    methods: dict[str, str] = Field(default_factory=dict)
    kind: str = Field("", max_length=20)
    routine: str = Field("", max_length=120)

    @model_validator(mode="after")
    def _each_once(self) -> "Plan":
        if len({step.id for step in self.steps}) < len(self.steps):
            raise ValueError("two steps carry the same id")
        return self

    def of(self, step_id: str) -> Step:
        """An item by id. Raises BadInput when the plan has none."""
        found = next((one for one in self.steps if one.id == step_id), None)
        if found is None:
            raise BadInput({"step": "That step is no longer in the plan."})
        return found

    def with_step(self, step: Step) -> "Plan":
        """The plan with one item changed."""
        return self.model_copy(update={"steps": tuple(step if one.id == step.id else one for one in self.steps)})


class VisitPlan(Frozen):
    """A computed plan. Numbers are keyed "item.name" (and "visit.…"), `refused` "item.field"; `stopped` says by item
    why it cannot be.
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

    @property
    def startable(self) -> bool:
        """Whether nothing stands against it and something is planned."""
        clear = not self.refused and not self.stopped and not self.clashes
        return clear and any(one.modality not in housekeeping() for one in self.plan.steps)

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
    """The plan that follows from a choice. What cannot be is told by item in `stopped`, by field in `refused`, between
    items in `clashes`; a plan with any of it cannot be started. Without `chair` the steps of the treatment are left
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
    worked, stopped, refused = _all_worked(brief, plan, of)
    first = first_side(brief.facts.findings)
    side = plan.side or first.side
    spans = _spans(plan, worked, of, stopped)
    acts = chair_acts(brief, worked, spans, side, of, laid) if chair else ()
    numbers = {"side.difference": first.difference} | {
        f"{one.step.id}.{key}": found for one in worked.values() for key, found in one.dose.numbers.items()
    }
    numbers |= _totals(brief, worked, spans)
    against, allowed = _clashes(brief, plan, worked, of, numbers, spans)
    return VisitPlan(
        plan=plan,
        first=first,
        acts=acts,
        spans=spans,
        numbers=numbers,
        refused=refused,
        stopped=stopped,
        clashes=against,
        cautions={one.step.id: one.cautions for one in worked.values()},
        allowed=(
            *allowed,
            *(c for one in worked.values() for c in one.cautions if c.words.startswith("Past a ceiling")),
        ),
        zones={one.step.id: one.areas for one in worked.values()},
        slot_s=60 * brief.facts.slot,
    )


def _all_worked(
    brief: Brief, plan: Plan, of: dict[str, str]
) -> tuple[dict[str, Worked], dict[str, Caution], dict[str, Caution]]:
    worked: dict[str, Worked] = {}
    stopped: dict[str, Caution] = {}
    refused: dict[str, Caution] = {}
    names = tuple(one.modality for one in plan.steps)
    for n, step in enumerate(plan.steps):
        try:
            found = worked[step.id] = compute(brief, step, names[:n] + names[n + 1 :], names[n + 1 :], of)
        except Refused as stop:
            stopped[step.id] = Caution(weight="stop", words=stop.words, action="", rule=stop.rule or "plan.order")
            continue
        except BadInput as bad:
            for key, words in bad.fields.items():
                refused[key] = Caution(weight="stop", words=words, action="", rule="device.scale", field=key)
            continue
        for stop_ in found.stops:
            refused.setdefault(f"{step.id}.{stop_.field or 'settings'}", stop_)
    return worked, stopped, refused


def _guest_of(plan: Plan, step: Step, of: dict[str, str], stopped: dict[str, Caution]) -> Step | None:
    """The item in whose waiting time this one runs, when it may."""
    host = next((one for one in plan.steps if one.id == step.beside and one.id != step.id), None)
    if host is None or host.beside or host.id in stopped or not may_run_beside(host.modality, step.modality, of):
        return None
    return host


def _spans(plan: Plan, worked: dict[str, Worked], of: dict[str, str], stopped: dict[str, Caution]) -> tuple[Span, ...]:
    """The items in time. Guests run in their host's waiting time, one after the other; what they need beyond it
    lengthens it.
    """
    found: list[Span] = []
    at = 0
    hosts = {
        step.id: host.id for step in plan.steps if step.id in worked and (host := _guest_of(plan, step, of, stopped))
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
        end += max(one.own_s, beside - end)
        at = end
    return tuple(found)


def _span(one: Worked, track: Literal[0, 1], at: int) -> Span:
    return Span(
        step=one.step.id,
        title=one.title,
        modality=one.step.modality,
        track=track,
        start_s=at,
        seconds=one.seconds,
        hands_s=one.hands_s,
        waits=one.waits,
    )


def _totals(brief: Brief, worked: dict[str, Worked], spans: tuple[Span, ...]) -> dict[str, Quantity]:
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
    prices = tuple(Quantity(name=one.title, value=one.price, unit="", digits=2) for one in worked.values() if one.price)
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
    worked: dict[str, Worked],
    of: dict[str, str],
    numbers: dict[str, Quantity],
    spans: tuple[Span, ...],
) -> tuple[tuple[Clash, ...], tuple[Caution, ...]]:
    """What does not fit between steps, with the clock, the slot, the money, the event; and what of it a senior allowed
    in writing.
    """
    placed = tuple(Placed(i.id, i.modality, frozenset(worked[i.id].areas)) for i in plan.steps if i.id in worked)
    between_steps = _clashes_between(brief, placed, of)
    found = [*between_steps, *_twice(placed), *_limits(brief, plan, worked, numbers, spans)]
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


@remembered(FEW)
def _clashes_between(brief: Brief, placed: tuple[Placed, ...], of: dict[str, str]) -> tuple[Clash, ...]:
    done = {name: before.on for name, before in brief.facts.history.items() if before.on}
    return clashes(placed, brief.newcomer, of, done, brief.facts.today)


def _twice(placed: tuple[Placed, ...]) -> Iterable[Clash]:
    """What is done twice to the same skin adds up, and each step is judged by itself: it belongs into one."""
    for n, one in enumerate(placed):
        adds_up = MODALITIES[one.modality].WAYS.adds_up
        for other in placed[n + 1 :]:
            same = other.modality == one.modality and (adds_up == "body" or (adds_up == "zone" and one.meets(other)))
            if same:
                words = f"{title(one.modality)} twice. {rule('plan.twice').words}"
                action = "Make it one step, or take it off the zones of the other."
                yield _limit("plan.twice", (one.id, other.id), words, action, absolute=True)


def between(plan: Plan, clash: Clash) -> str:
    """The modalities that a clash is between, as an override names them."""
    return "/".join(sorted(one.modality for one in plan.steps if one.id in clash.steps))


def _limit(rule_id: str, steps: Iterable[str], words: str, action: str, absolute: bool = False) -> Clash:
    return Clash(kind="apart", rule=rule_id, steps=tuple(steps), words=words, action=action, absolute=absolute)


def _limits(
    brief: Brief, plan: Plan, worked: dict[str, Worked], numbers: dict[str, Quantity], spans: tuple[Span, ...]
) -> Iterable[Clash]:
    """What the whole visit may not pass: load, booked time, money, the days before an event, numbing's clock."""
    load, budget = numbers["visit.load"].known, brief.budget.known
    if load > budget:
        words = f"The steps load the skin with {load:g} points; it bears {budget:g} today. {rule('budget.load').reason}"
        yield _limit("budget.load", (), words, f"Leave out {load - budget:g} points.")
    minutes, slot = (
        numbers["visit.minutes"].known,
        min(brief.facts.slot, brief.facts.wish.minutes or brief.facts.slot),
    )
    if minutes > slot + 0.05:
        words = f"{minutes:.0f} minutes do not fit into {slot:.0f}."
        yield _limit("plan.slot", (), words, "Shorten, leave a step out, let one run beside another, or book longer.")
    price = numbers["visit.price"].known
    if brief.facts.wish.money is not None and price > brief.facts.wish.money + 0.004:
        yield _limit(
            "plan.price",
            (),
            f"{price:.2f} is more than the {brief.facts.wish.money:.2f} that were named.",
            "Leave something out, or ask.",
        )
    if brief.facts.wish.event:
        yield from _event(brief, worked)
    yield from _own_time(plan, worked, spans)


def _event(brief: Brief, worked: dict[str, Worked]) -> Iterable[Clash]:
    days = (brief.facts.wish.event - brief.facts.today).days if brief.facts.wish.event else 0
    for one in worked.values():
        if traits()[one.step.modality].strong and 0 <= days < number("event.never"):
            words = f"{one.title} {days} days before the event. {rule('event.never').words}"
            yield _limit("event.never", (one.step.id,), words, f"Leave {one.title} out, or do it after.")


def _own_time(plan: Plan, worked: dict[str, Worked], laid: tuple[Span, ...]) -> Iterable[Clash]:
    """What has to work first must have had its time before what waits for it begins; what is put beside it may lengthen
    but not shorten it.
    """
    spans = {span.step: span for span in laid}
    waiting = [pairing for pairing in book().pairing if pairing.by_clock]
    there = [step for step in plan.steps if step.id in spans]
    for step in there:
        minutes = worked[step.id].settings.ready_min
        if minutes is None:
            continue
        ready = spans[step.id].start_s + spans[step.id].hands_s + round(minutes * 60)
        waits = frozenset(name for one in waiting if step.modality in all_of(one.a) for name in all_of(one.b))
        for other in there:
            early = ready - spans[other.id].start_s
            if other.modality in waits and early > number("plan.numb_clock"):
                words = f"{title(other.modality)} begins {early / 60:.0f} min before the cream has had its time."
                action = f"Put {title(step.modality).lower()} earlier, or something beside it."
                yield _limit("plan.numb_clock", (step.id, other.id), words, action)
