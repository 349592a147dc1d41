"""A studio's own routine: what is done, how and in which order, without anybody's numbers; and its
fitting to a client.
"""

from typing import Any

from pydantic import Field

from merak.core.errors import BadInput, Refused
from merak.core.knowledge import Consider
from merak.core.knowledge.register import needs
from merak.core.modality.catalogue import MODALITIES
from merak.core.modality.shared import stronger
from merak.core.plan.brief import Brief, workable
from merak.core.plan.fitting import title
from merak.core.plan.step import Step, begin, lowered
from merak.core.plan.visit_plan import Plan, in_force
from merak.core.working import Frozen

needs(
    __name__,
    """
    words: plan.closed_zones
    """,
)


class RoutineStep(Frozen):
    """One step: the modality, where, the choices of a kind, what was set, and beside which step of
    the routine it runs.
    """

    modality: str
    zones: tuple[str, ...] = ()
    kinds: dict[str, str] = Field(default_factory=dict)
    settings: dict[str, float | bool] = Field(default_factory=dict)
    beside: int | None = None


class Routine(Frozen):
    """A routine: its name, the conditions and goals that it is for, its steps in order, its schools."""

    name: str = Field(min_length=1, max_length=80)
    conditions: tuple[str, ...] = ()
    goals: tuple[str, ...] = ()
    steps: tuple[RoutineStep, ...] = Field(min_length=1, max_length=40)
    methods: dict[str, str] = Field(default_factory=dict)


def routine_of(brief: Brief, plan: Plan, name: str) -> Routine:
    """A plan as a routine, with its settings as they stand; at the next client they hold as far as that client's own
    start value does.

    Raises BadInput on "name".
    """
    if not name.strip():
        raise BadInput({"name": "What is the routine called?"})
    places = {step.id: n for n, step in enumerate(plan.steps)}
    found = tuple(name for name, graded in brief.facts.findings.grades.items() if any(graded.values()))
    steps = tuple(
        RoutineStep(
            modality=step.modality,
            zones=step.zones,
            kinds=_kinds(step),
            settings=_amounts(step),
            beside=places.get(step.beside),
        )
        for step in plan.steps
    )
    return Routine(
        name=name.strip()[:80], conditions=found, goals=brief.facts.wish.goals, steps=steps, methods=plan.methods
    )


def _kinds(step: Step) -> dict[str, str]:
    """The settings that are choices between kinds (a colour, an acid, a polarity): words, not numbers."""
    model = MODALITIES[step.modality].Settings
    settings: Any = model.model_validate(step.settings)
    follows = {"skin", "school", "tip", "place"}
    return {
        name: value
        for name in model.model_fields
        if name not in follows and isinstance(value := getattr(settings, name), str) and value
    }


def _amounts(step: Step) -> dict[str, float | bool]:
    """The settings that are numbers or yes and no."""
    settings: Any = MODALITIES[step.modality].Settings.model_validate(step.settings)
    return {
        name: value
        for name in type(settings).model_fields
        if isinstance(value := getattr(settings, name), bool | int | float)
    }


def _as_kept(brief: Brief, step: Step, entry: RoutineStep, of: dict[str, str]) -> Step:
    """An item with what the routine keeps, its strength no more than this client's own start; as begun where a rule
    stands against it.
    """
    module = MODALITIES[step.modality]
    field = module.INCREMENT.field
    kept = {name: value for name, value in entry.settings.items() if name in step.settings}
    if field in kept and stronger(module, kept[field], step.settings[field], brief.card(step.modality, step.machine)):
        kept[field] = step.settings[field]
    try:
        return lowered(brief, step.with_settings(step.settings | kept), of)
    except (Refused, BadInput):
        return step


def fitted(brief: Brief, routine: Routine) -> tuple[Plan, tuple[tuple[str, str], ...]]:
    """A routine re-fitted: every step as it was kept, never stronger than this client's own start values, zones that
    are closed left out; and (step, why) of what this client cannot have today.
    """
    of = in_force(brief, Plan(methods=routine.methods))
    steps: list[Step] = []
    ids: dict[int, str] = {}
    left: list[tuple[str, str]] = []
    for n, entry in enumerate(routine.steps):
        try:
            able = workable(brief, entry.modality, entry.zones)
            zones = tuple(zone for zone in entry.zones if zone in able)
            if entry.zones and not zones:  # none would mean everywhere
                raise Refused(f"Its zones are closed today: {', '.join(entry.zones)}.", "plan.closed_zones")
            step = begin(
                brief,
                entry.modality,
                f"s{n + 1}",
                of,
                Consider(modality=entry.modality, evidence="weak", set=dict(entry.kinds)),
                zones,
            )
        except Refused as stop:
            left.append((title(entry.modality), stop.words))
            continue
        except BadInput as bad:
            left.append((title(entry.modality), " ".join(bad.fields.values())))
            continue
        step = _as_kept(brief, step, entry, of)
        ids[n] = step.id
        host = ids.get(entry.beside, "") if entry.beside is not None else ""
        steps.append(step.model_copy(update={"beside": host}))
    return Plan(steps=tuple(steps), methods=routine.methods, routine=routine.name), tuple(left)
