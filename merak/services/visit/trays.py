"""The tray list, for whoever makes the room ready."""

from dataclasses import dataclass
from uuid import UUID

from merak.core.plan.tray import Tray, tray_of
from merak.core.plan.visit_plan import VisitPlan, visit_plan
from merak.records import visits
from merak.services.context import Context, NotFound
from merak.services.visit.changes import draft_of
from merak.services.visit.file import VisitFile, open_file


@dataclass
class TrayPage:
    """The list, and whether it is of the plan that was ordered."""

    file: VisitFile
    tray: Tray
    plan: VisitPlan
    ordered: bool


def tray(ctx: Context, visit_id: UUID) -> TrayPage:
    """The list of the plan as it was ordered; before that, as it stands. Raises NotFound without a plan."""
    file = open_file(ctx, visit_id)
    order = visits.order(ctx.db, visit_id) if "order" in file.records else None
    plan = order if order and order.plan.steps else visit_plan(file.brief, draft_of(file)[0].plan)
    if not plan.plan.steps:
        raise NotFound("There is no plan yet, so nothing to lay out.")
    return TrayPage(file, tray_of(file.brief, plan), plan, order is not None)
