"""The tray list of a plan: machines with their tips, products with amounts, protection, checks before the client is
there.
"""

from collections.abc import Iterable

from merak.core.knowledge import about, methods, shelf, traits
from merak.core.modality.catalogue import MODALITIES
from merak.core.plan.brief import Brief
from merak.core.plan.guards import asked_by
from merak.core.plan.shelf import touches
from merak.core.plan.stage import Stage
from merak.core.plan.visit_plan import VisitPlan, in_force
from merak.core.working import Frozen, Quantity

#: Every visit has these at hand.
ALWAYS = ("towels", "cotton", "thin gauze to lift, plush gauze to dry", "bowls of lukewarm water", "bin", "gloves")


class TrayLine(Frozen):
    """One line to be ticked: what, how much, for which steps."""

    what: str
    amount: str = ""
    for_: tuple[str, ...] = ()


class Tray(Frozen):
    """The list under its headings."""

    machines: tuple[TrayLine, ...]
    products: tuple[TrayLine, ...]
    protection: tuple[TrayLine, ...]
    checks: tuple[TrayLine, ...]


def tray_of(brief: Brief, plan: VisitPlan) -> Tray:
    """What has to lie ready for a plan; a thing that several steps need stands once."""
    of = in_force(brief, plan.plan)
    machines: dict[str, TrayLine] = {}
    products: dict[str, TrayLine] = {}
    protection: dict[str, TrayLine] = {}
    checks: dict[str, TrayLine] = {}
    for stage in plan.plan.stages:
        name = about()[stage.modality].title
        machine = brief.machine(stage.modality, stage.machine) if MODALITIES[stage.modality].CARD else None
        if machine:
            tips = getattr(machine.card, "tips", ())
            wanted = getattr(stage.settings, "tip", "")
            tip = next((one for one in tips if one.name == wanted), tips[0] if tips else None)
            words = "" if tip is None else f"{tip.name}{', single use, still sealed' if tip.single_use else ''}"
            there = machines.get(machine.card.name)
            _put(machines, machine.card.name, "" if there and words in there.amount else words, name)
        amounts = _amounts(plan, stage)
        laid = plan.coats.get(stage.id, ())
        mine = {one.name: one.text for key, one in plan.numbers.items() if key.startswith(f"{stage.id}.laid.")}
        for n, thing in enumerate(laid):
            own = amounts.get("", "") if n == len(laid) - 1 else ""
            _put(products, thing, stage.how.amount or mine.get(thing, own), name)
        for n, thing in enumerate(one for one in about()[stage.modality].consumables if one.lower() not in shelf()):
            _put(products, thing, amounts.get("", "") if n == 0 and not laid else "", name)
        for named, amount in amounts.items():
            if named:
                _put(products, named, amount, name)
        guarded = (thing for one in asked_by(stage.modality) for thing in one.tray)
        for protected in (*guarded, *traits()[stage.modality].protect):
            _put(protection, protected, "", name)
        for check in traits()[stage.modality].checks:
            _put(checks, f"{machine.card.name if machine else name}: {check}", "", name)
    for method in methods().values():
        school = next(one for one in method.schools if one.id == of[method.id])
        if any(stage.modality in school.on for stage in plan.plan.stages):
            for thing in school.tray:
                on_it = shelf().get(thing.lower())
                _put(products, on_it.name if on_it else thing, "", method.words)
    for thing in ALWAYS:
        _put(products, thing, "", "")
    return Tray(
        machines=tuple(machines.values()),
        products=tuple(products.values()),
        protection=tuple(protection.values()),
        checks=tuple(checks.values()),
    )


def to_clean(brief: Brief, stages: Iterable[Stage]) -> dict[str, str]:
    """The machines that touch skin in these stages, or what lies on it: the name of each by its id."""
    there = (
        brief.machine(one.modality, one.machine)
        for one in stages
        if MODALITIES[one.modality].CARD and touches(one.modality)
    )
    return {machine.id: machine.card.name for machine in there if machine}


def _amounts(plan: VisitPlan, stage: Stage) -> dict[str, str]:
    """What a stage uses up, by thing, as it is worked out or set; "" stands for what it lays last."""
    named = (MODALITIES[stage.modality].WAYS.amounts or {"product": ""}).items()
    found = {thing: plan.numbers.get(f"{stage.id}.{key}") or _set(stage, key) for key, thing in named}
    return {thing: used.text for thing, used in found.items() if used is not None and used.value is not None}


def _set(stage: Stage, name: str) -> Quantity | None:
    """An amount that is set; None where the modality has no such setting."""
    field, value = type(stage.settings).model_fields.get(name), getattr(stage.settings, name, None)
    if field is None or not isinstance(value, int | float):
        return None
    extra = field.json_schema_extra
    unit = str(extra.get("unit", "")) if isinstance(extra, dict) else ""
    return Quantity(name=name, value=value, unit=unit, digits=1)


def _put(lines: dict[str, TrayLine], what: str, amount: str, step: str) -> None:
    before = lines.get(what, TrayLine(what=what))
    steps = before.for_ if step in before.for_ or not step else (*before.for_, step)
    lines[what] = TrayLine(what=what, amount=" + ".join(filter(None, (before.amount, amount))), for_=steps)
