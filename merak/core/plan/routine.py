"""A studio's own routine: what is done, how and in which order, without anybody's numbers; and its
fitting to a client.
"""

from collections.abc import Sequence

from pydantic import Field

from merak.core.errors import BadInput, Refused
from merak.core.knowledge import Consider, Manner
from merak.core.knowledge.register import needs
from merak.core.modality.catalogue import MODALITIES
from merak.core.modality.shared import stronger
from merak.core.plan.brief import Brief, workable
from merak.core.plan.fitting import title
from merak.core.plan.stage import Beyond, Stage, begin, lowered
from merak.core.plan.step import MOST_STAGES, Step
from merak.core.plan.visit_plan import MOST_STEPS, Plan, in_force
from merak.core.working import Frozen

needs(
    __name__,
    """
    words: plan.closed_zones
    """,
)


class RoutineStage(Frozen):
    """One stage: the modality, where, the choices of a kind, what was set."""

    modality: str
    zones: tuple[str, ...] = ()
    beyond: tuple[Beyond, ...] = ()
    kinds: dict[str, str] = Field(default_factory=dict)
    settings: dict[str, float | bool] = Field(default_factory=dict)
    manner: Manner | None = None


class RoutineStep(Frozen):
    """One step: the modality that leads it, its stages, and beside which step of the routine it runs."""

    modality: str
    stages: tuple[RoutineStage, ...] = Field(min_length=1, max_length=MOST_STAGES)
    beside: int | None = None


class Routine(Frozen):
    """A routine: its name, the conditions and goals that it is for, its steps in order, its schools. A `programme` is
    one of one step, to be taken as such.
    """

    name: str = Field(min_length=1, max_length=80)
    conditions: tuple[str, ...] = ()
    goals: tuple[str, ...] = ()
    steps: tuple[RoutineStep, ...] = Field(min_length=1, max_length=MOST_STEPS)
    methods: dict[str, str] = Field(default_factory=dict)
    programme: bool = False


def programme_kept(brief: Brief, plan: Plan, step: Step, name: str) -> Routine:
    """One step of a plan as the studio's own programme. Raises BadInput on "name"."""
    alone = Plan(steps=(step.model_copy(update={"beside": ""}),), methods=plan.methods)
    return routine_of(brief, alone, name).model_copy(update={"programme": True})


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
            stages=tuple(
                RoutineStage(
                    modality=stage.modality,
                    zones=_zones_kept(brief, stage),
                    beyond=stage.beyond,
                    kinds=_kinds(stage),
                    settings=_amounts(stage),
                    manner=stage.manner,
                )
                for stage in step.stages
            ),
            beside=places.get(step.beside),
        )
        for step in plan.steps
    )
    return Routine(
        name=name.strip()[:80], conditions=found, goals=brief.facts.wish.goals, steps=steps, methods=plan.methods
    )


def _zones_kept(brief: Brief, stage: Stage) -> tuple[str, ...]:
    """The zones of a stage, of drawn parts those that they touch: a part is one client's own, and none would mean
    everywhere.
    """
    return tuple(workable(brief, stage.modality, stage.zones, stage.parts)) if stage.parts else stage.zones


def _kinds(stage: Stage) -> dict[str, str]:
    """The settings that are choices between kinds (a colour, an acid, a polarity): words, not numbers."""
    follows = {"skin", "school", "tip", "place"}
    return {name: value for name, value in stage.settings if name not in follows and isinstance(value, str) and value}


def _amounts(stage: Stage) -> dict[str, float | bool]:
    """The settings that are numbers or yes and no."""
    return {name: value for name, value in stage.settings if isinstance(value, bool | int | float)}


def _as_kept(brief: Brief, stage: Stage, entry: RoutineStage, of: dict[str, str]) -> Stage:
    """A stage with what the routine keeps, its strength no more than this client's own start; as begun where a rule
    stands against it.
    """
    module = MODALITIES[stage.modality]
    field, start = module.INCREMENT.field, stage.values
    kept = {name: value for name, value in entry.settings.items() if name in start}
    most, card = stage.at, brief.card(stage.modality, stage.machine)
    if field in kept and most is not None and stronger(module, kept[field], most, card):
        kept[field] = most
    try:
        return lowered(brief, stage.with_settings(start | kept), of)
    except (Refused, BadInput):
        return stage


def _fitted(brief: Brief, entry: RoutineStage, stage_id: str, of: dict[str, str]) -> Stage:
    """A stage begun for this client, as it was kept. Raises Refused, BadInput for what this client cannot have."""
    able = {*workable(brief, entry.modality, entry.zones), *(area.name for area in entry.beyond)}
    zones = tuple(zone for zone in entry.zones if zone in able)
    if entry.zones and not zones:  # none would mean everywhere
        raise Refused(f"Its zones are closed today: {', '.join(entry.zones)}.", "plan.closed_zones")
    kinds = Consider(modality=entry.modality, evidence="weak", set=dict(entry.kinds))
    stage = _as_kept(brief, begin(brief, entry.modality, stage_id, of, kinds, zones), entry, of)
    return stage.model_copy(update={"manner": entry.manner, "beyond": entry.beyond})


def fitted(brief: Brief, routine: Routine) -> tuple[Plan, tuple[tuple[str, str], ...]]:
    """A routine re-fitted: every stage as it was kept, never stronger than this client's own start values, zones that
    are closed left out; and (work, why) of what this client cannot have today.
    """
    steps, left = fitted_steps(brief, routine.steps, in_force(brief, Plan(methods=routine.methods)))
    return Plan(steps=steps, methods=routine.methods, routine=routine.name), left


def fitted_steps(
    brief: Brief, entries: Sequence[RoutineStep], of: dict[str, str]
) -> tuple[tuple[Step, ...], tuple[tuple[str, str], ...]]:
    """Steps of a routine for this client, by the schools in force."""
    steps: list[Step] = []
    ids: dict[int, str] = {}
    left: list[tuple[str, str]] = []
    for n, entry in enumerate(entries):
        stages = []
        for m, one in enumerate(entry.stages):
            try:
                stages.append(_fitted(brief, one, f"s{n + 1}-{m + 1}" if m else f"s{n + 1}", of))
            except Refused as stop:
                left.append((title(one.modality), stop.words))
            except BadInput as bad:
                left.append((title(one.modality), " ".join(bad.fields.values())))
        if all(one.modality != entry.modality for one in stages):  # what led it is not there
            continue
        ids[n] = f"s{n + 1}"
        host = ids.get(entry.beside, "") if entry.beside is not None else ""
        steps.append(Step(id=ids[n], modality=entry.modality, stages=tuple(stages), beside=host))
    return tuple(steps), tuple(left)
