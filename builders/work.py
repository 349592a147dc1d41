"""What a person does, called as the pages call it: a visit booked, asked, planned, treated, looked at; on the test's
own database.
"""

from datetime import datetime, timedelta
from itertools import count
from typing import Any
from uuid import UUID
from zoneinfo import ZoneInfo

from sqlalchemy import func, select
from uuid_utils.compat import uuid7

from merak.core.plan.screening import questions
from merak.core.plan.visit_plan import Plan
from merak.core.treatment import Tap
from merak.records import people
from merak.records.people import Worker
from merak.records.tables import Record
from merak.services.after import answering
from merak.services.context import Context
from merak.services.treatment import treating
from merak.services.treatment.treating import Run
from merak.services.visit import asking, consenting, day, looking, planning

LISBON = ZoneInfo("Europe/Lisbon")


MONDAY = datetime(2031, 3, 3, 10, 0, tzinfo=LISBON)  # far from the demo's own days


NUMBER = iter(range(10_000))


def person(name: str, login: str, password: str, role: str, finger_mm: str = "") -> dict[str, str]:
    """A form for somebody who works here."""
    return {"name": name, "login": login, "password": password, "role": role, "finger_mm": finger_mm}


def later(ctx: Context, **ahead: float) -> Context:
    """The same person, some time later."""
    return Context(ctx.db, ctx.me, ctx.now + timedelta(**ahead))


def as_(ctx: Context, login: str) -> Context:
    found = people.by_login(ctx.db, login)
    assert found
    return Context(ctx.db, Worker(found.id, found.name, found.role), ctx.now)


def new_visit(ctx: Context, name: str = "", start: datetime | None = None, **form: str) -> UUID:
    """A booking of a client who is new unless named as the list names one, each at an hour of its own."""
    n = next(NUMBER)
    start = start or MONDAY + timedelta(days=n // 8, hours=n % 8)
    fields = {
        "name": name or f"Invented {n}",
        "born": "1985-04-02",
        "day": f"{start:%Y-%m-%d}",
        "time": f"{start:%H:%M}",
        "minutes": "50",
        "therapist": str(ctx.me.id),
    }
    return day.add_visit(ctx, fields | form)


def tap_of(
    kind: str,
    at: datetime,
    value: float | None = None,
    words: str = "",
    act: int | None = None,
    data: dict[str, Any] | None = None,
) -> Tap:
    """One tap of somebody's, with an id of its own."""
    made = {"id": uuid7(), "kind": kind, "at": at, "value": value, "words": words, "act": act, "data": data or {}}
    return Tap.model_validate(made)


def kept_before(ctx: Context, visit: UUID, phase: str, body: dict[str, Any]) -> None:
    """A record as an older program wrote it, after those that stand."""
    newest = select(func.coalesce(func.max(Record.version), 0)).where(Record.visit_id == visit, Record.phase == phase)
    version = (ctx.db.scalar(newest) or 0) + 1
    ctx.db.add(Record(visit_id=visit, phase=phase, version=version, body=body, by=ctx.me.id, at=ctx.now))
    ctx.db.flush()


def ask_nothing(ctx: Context, visit: UUID, **other: str) -> asking.AskPage:
    returning_ = asking.asked(ctx, visit).file.previous is not None
    return asking.save_answers(ctx, visit, {q.id: q.options[0].id for q in questions(returning_)} | other)


def lift_and_light(ctx: Context, visit: UUID) -> planning.Planned:
    """A plan of cleansing, lift, light and sun protection, as far as today's answers allow it."""
    for modality in ("cleanse", "microcurrent", "led", "finish"):
        page = planning.edit(ctx, visit, "add", {"modality": modality})
    return page


def step_of(page: planning.Planned, modality: str) -> str:
    return next(step.id for step in page.plan.steps if step.modality == modality)


def typed(ctx: Context, visit: UUID, modality: str, name: str, value: str) -> planning.Planned:
    """A field of a step, as a browser would send it."""
    step = step_of(planning.planned(ctx, visit), modality)
    return planning.edit(ctx, visit, "set", {"step": step, f"{step}.{name}": value, "changed": f"{step}.{name}"})


def setting(page: planning.Planned, modality: str, name: str) -> str:
    stage = page.plan.stage(step_of(page, modality))
    return next(one.value for one in page.fields(stage) if one.name == f"{stage.id}.{name}")


AGREED = {"agreed": "yes", "signed": "paper"}


def treated(ctx: Context, visit: UUID, shift: float = 0.0) -> None:
    """Planned, agreed, begun and run to the end, with every stroke of the first side and the level moved by `shift`."""
    lift_and_light(ctx, visit)
    consenting.consent(ctx, visit, AGREED)
    treating.begin(ctx, visit)
    acts = treating.run_of(ctx, visit).acts
    taps = [tap_of("start", ctx.now)]
    for number, act in enumerate(acts):
        if act.side and shift:
            taps.append(tap_of("level", ctx.now, shift))
            shift = 0
        taps += [tap_of("count", ctx.now) for _ in range(act.strokes)]
        taps.append(tap_of("next" if number + 1 < len(acts) else "finish", ctx.now + timedelta(minutes=number)))
    treating.record(later(ctx, minutes=30), visit, taps)


#: What the close form holds when all went well.
GRADED = {
    "pain": "0",
    "comfort": "9",
    "explained": "initials",
    "initials": "IM",
    "note": "",
    "why.all": "judged",
    **{
        f"endpoint.{name}": "seen"
        for name in ("microcurrent", "led", "wet_abrasion", "rf_fractional", "pulsed_light", "rf_bulk")
    },
}


def looked_twice(ctx: Context, visit: UUID, redness: int = 1) -> None:
    """Both looks at the skin: so red on a cheek, then nothing more."""
    answering.nothing(ctx, visit, "1")
    for _ in range(redness):
        answering.tap(ctx, visit, "1", "redness", "right upper cheek")
    answering.nothing(ctx, visit, "2")


#: A day of its own for each of these long visits, far from what others book.
HOURS = (MONDAY + timedelta(days=500 + n, hours=1) for n in count())


def put_right(ctx: Context, visit: UUID) -> None:
    """What the stages of a plan ask of the skin, put in before them."""
    while mends := [one for one in planning.planned(ctx, visit).computed.clashes if one.mend]:
        planning.edit(ctx, visit, "mend", {"stage": mends[0].stage})


def begun(ctx: Context, *modalities: str, by: str = "", minutes: int = 120, name: str = "", **zones: str) -> UUID:
    """A visit whose treatment has begun, its clock started."""
    visit = new_visit(ctx, name=name, minutes=str(minutes), start=next(HOURS))
    ask_nothing(ctx, visit)
    looking.save_findings(ctx, visit, {"phototype": "2", "arrived": "washed"})
    for modality in modalities:
        page = planning.edit(ctx, visit, "add", {"modality": modality})
        if modality in zones:
            planning.edit(ctx, visit, "zones", {"step": step_of(page, modality), f"zone.{zones[modality]}": "on"})
    put_right(ctx, visit)
    consenting.consent(ctx, visit, AGREED)
    who = as_(ctx, by) if by else ctx
    treating.begin(who, visit)
    tapped(who, visit, "start")
    return visit


def tapped(
    ctx: Context,
    visit: UUID,
    kind: str,
    value: float | None = None,
    words: str = "",
    act: int | None = None,
    **data: Any,
) -> Run:
    return treating.record(ctx, visit, [tap_of(kind, ctx.now, value, words, act, data or None)])


def at(ctx: Context, visit: UUID, kind: str) -> int:
    """To the first step of a kind; its number."""
    acts = treating.run_of(ctx, visit).acts
    n = next(n for n, act in enumerate(acts) if act.kind == kind)
    tapped(ctx, visit, "go", float(n))
    return n


def nameless(plan: Plan) -> Plan:
    """A plan whose steps are called by their places, to be compared with another."""
    ids = {one.id: f"s{n}" for n, one in enumerate(plan.steps)}
    steps = (
        one.model_copy(
            update={
                "id": ids[one.id],
                "beside": ids.get(one.beside, ""),
                "stages": tuple(stage.model_copy(update={"id": ids[one.id]}) for stage in one.stages),
            }
        )
        for one in plan.steps
    )
    return plan.model_copy(update={"steps": tuple(steps)})
