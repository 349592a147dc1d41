"""One change of a plan as it is sent, and what all changes share."""

from collections.abc import Callable, Mapping
from typing import Annotated

from pydantic import Field, ValidationError
from uuid_utils.compat import uuid7

from merak.core.errors import BadInput
from merak.core.modality.catalogue import MODALITIES
from merak.core.plan.draft import Draft
from merak.core.plan.fitting import title
from merak.core.plan.stage import Stage
from merak.core.plan.step import MOST_STAGES, Step
from merak.core.plan.visit_plan import MOST_STEPS, Plan
from merak.services.context import Context
from merak.services.forms import Prefixed, TypedForm, Whole, said
from merak.services.visit.file import VisitFile


class EditForm(TypedForm):
    """One change of a plan as it is sent: what, to which step or stage of one, from which version of which page; `sent`
    holds every field as it was typed.
    """

    step: str = ""
    stage: str = ""
    kind: str = ""
    modality: str = ""
    programme: str = ""
    row: str = ""
    after: str = ""
    by: str = "1"
    host: str = ""
    machine: str = ""
    side: str = ""
    method: str = ""
    school: str = ""
    group: str = ""
    zones: Annotated[dict[str, str], Prefixed("zone.")] = Field(default_factory=dict)
    parts: Annotated[dict[str, str], Prefixed("part.")] = Field(default_factory=dict)
    changed: str = ""
    next: str | None = None
    version: Whole | None = None
    page: str = ""
    sent: Annotated[dict[str, str], Prefixed("")] = Field(default_factory=dict)

    @property
    def about(self) -> str:
        """The id of the stage that it is about; of the step where it names none, whose first stage carries it."""
        return self.stage or self.step


Op = Callable[[Context, VisitFile, Draft, EditForm], Draft]


def changed(draft: Draft, plan: Plan, what: str, **changes: object) -> Draft:
    """The draft with another plan, and what was done to it. Raises BadInput for more than a plan holds."""
    if len(plan.steps) > MOST_STEPS:
        raise BadInput({"step": f"A plan has {MOST_STEPS} steps at the most."})
    if any(len(step.stages) > MOST_STAGES for step in plan.steps):
        raise BadInput({"stage": f"A step has {MOST_STAGES} stages at the most."})
    return draft.model_copy(update={"plan": plan, "what": what, **changes})


def left_out(left: tuple[tuple[str, str], ...]) -> str:
    """What of a programme this client cannot have today, in words."""
    return f"; left out: {'; '.join(f'{name}: {why}' for name, why in left)}" if left else ""


def without(draft: Draft, stages: tuple[Stage, ...], plan: Plan, what: str) -> Draft:
    """A plan that some stages are gone from, with what was typed in them."""
    gone = {one.id for one in stages}
    kept = {
        name: {key: text for key, text in getattr(draft, name).items() if key.partition(".")[0] not in gone}
        for name in ("typed", "wrong")
    }
    return changed(draft, plan, what, **kept)


def removed(draft: Draft, step: Step) -> Draft:
    """The draft without a step; what ran beside it runs by itself."""
    steps = tuple(
        one.model_copy(update={"beside": ""}) if one.beside == step.id else one
        for one in draft.plan.steps
        if one.id != step.id
    )
    plan = draft.plan.model_copy(update={"steps": steps})
    return without(draft, step.stages, plan, f"removed {title(step.modality)}")


def misfit(stage: Stage, settings: Mapping[str, object], name: str) -> str:
    """Why a value cannot be one of this field; "" when it can."""
    try:
        MODALITIES[stage.modality].Settings.model_validate(settings)
    except ValidationError as broken:
        for error in broken.errors():
            if not error["loc"] or error["loc"][0] == name:
                return said(dict(error))
    return ""


def said_change(before: Stage, after: Stage) -> str:
    """What changed in a stage, in words."""
    fields, old = MODALITIES[before.modality].Settings.model_fields, before.values
    parts = []
    for key, value in after.values.items():
        if old.get(key) != value:
            words = (fields[key].title or key).lower()
            parts.append(f"{words} {short(old.get(key))} → {short(value)}")
    return f"{title(before.modality)}: {', '.join(parts)}" if parts else f"{title(before.modality)} as it was"


def short(value: object) -> str:
    """A setting's value in a word."""
    if isinstance(value, float):
        return f"{value:g}"
    return (
        f"{len(value)} lines"
        if isinstance(value, list)
        else "on"
        if value is True
        else "off"
        if value is False
        else str(value)
    )


def new_id() -> str:
    """An id that no step or stage ever had."""
    return str(uuid7())
