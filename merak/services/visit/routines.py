"""The studio's own routines: kept from a plan, fitted anew to each client."""

from dataclasses import dataclass
from uuid import UUID

from uuid_utils.compat import uuid7

from merak.core.knowledge import conditions
from merak.core.plan.brief import Brief
from merak.core.plan.routine import Routine, fitted, programme_kept, routine_of
from merak.records import letters
from merak.records.tables import RoutineVersion
from merak.services.context import Context, NotFound
from merak.services.visit.changes import draft_of
from merak.services.visit.file import open_file
from merak.services.visit.planning import Planned, put


@dataclass(frozen=True)
class KeptRoutine:
    """A routine as it stands."""

    id: str
    name: str
    routine: Routine

    @property
    def meant_for(self) -> str:
        """The conditions and goals that it was kept for, in words."""
        named = dict.fromkeys((*self.routine.goals, *self.routine.conditions))
        return ", ".join(conditions()[name].title.lower() for name in named if name in conditions())


def kept(ctx: Context) -> list[KeptRoutine]:
    """The studio's routines."""
    ctx.demand("use the bench")
    found = letters.routines(ctx.db)
    return [KeptRoutine(str(one.routine_id), one.body.name, one.body) for one in found]


def suggested(ctx: Context, brief: Brief) -> list[KeptRoutine]:
    """The studio's routines, those first that were kept for most of what this client has and wants."""
    wanted = {name for name, graded in brief.facts.findings.grades.items() if any(graded.values())} | set(
        brief.facts.wish.goals
    )
    whole = [one for one in kept(ctx) if not one.routine.programme]
    return sorted(whole, key=lambda one: -len(wanted & {*one.routine.conditions, *one.routine.goals}))


def keep(ctx: Context, visit_id: UUID, name: str, step: str = "") -> None:
    """A plan is kept as a routine, or one `step` of it as a programme; one of the same name gets a later version.

    Raises BadInput on "name", NotFound without a plan.
    """
    ctx.demand("keep routines")
    file = open_file(ctx, visit_id)
    plan = draft_of(file)[0].plan
    if not plan.steps:
        raise NotFound("There is no plan yet to keep.")
    one = plan.of(step) if step else None
    routine = programme_kept(file.brief, plan, one, name) if one else routine_of(file.brief, plan, name)
    same = next((one for one in letters.routines(ctx.db) if one.body.name == routine.name), None)
    with ctx.saving("keep a routine") as db:
        db.add(
            RoutineVersion(
                routine_id=same.routine_id if same else uuid7(),
                version=same.version + 1 if same else 1,
                body=routine,
                removed=False,
                by=ctx.me.id,
                at=ctx.now,
            )
        )


def drop(ctx: Context, routine_id: str) -> None:
    """A routine that is no longer offered; plans that were made by it stay as they are. Raises NotFound."""
    ctx.demand("keep routines")
    found = next((one for one in letters.routines(ctx.db) if str(one.routine_id) == routine_id), None)
    if found is None:
        raise NotFound("There is no such routine.")
    with ctx.saving("drop a routine") as db:
        db.add(
            RoutineVersion(
                routine_id=found.routine_id,
                version=found.version + 1,
                body=found.body,
                removed=True,
                by=ctx.me.id,
                at=ctx.now,
            )
        )


def fit(ctx: Context, visit_id: UUID, routine_id: str) -> Planned:
    """A routine fitted to this client becomes the plan; what this client cannot have today is left out, and said.
    Raises NotFound.
    """
    ctx.demand("plan")
    found = next((one for one in kept(ctx) if one.id == routine_id), None)
    if found is None:
        raise NotFound("There is no such routine.")
    plan, left = fitted(open_file(ctx, visit_id, "plan").brief, found.routine)
    without = f"; left out: {', '.join(f'{name} ({why})' for name, why in left)}" if left else ""
    return put(ctx, visit_id, plan, f"fitted the routine {found.name}{without}")
