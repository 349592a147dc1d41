"""What a person does, called as the pages call it: a visit booked, asked, planned, treated, looked at; on the test's own database."""

from datetime import datetime, timedelta
from itertools import count
from typing import Any
from uuid import UUID
from zoneinfo import ZoneInfo

from uuid_utils.compat import uuid7

from merak.core.plan.screening import questions
from merak.desk import answering, asking, consenting, day, looking, planning, treating
from merak.desk.desk import Desk
from merak.desk.treating import Run, Tap
from merak.records import people
from merak.records.people import Worker

LISBON = ZoneInfo("Europe/Lisbon")


MONDAY = datetime(2031, 3, 3, 10, 0, tzinfo=LISBON)  # far from the demo's own days


NUMBER = iter(range(10_000))


def later(desk: Desk, **ahead: float) -> Desk:
    """The same person, some time later."""
    return Desk(desk.db, desk.me, desk.now + timedelta(**ahead))


def as_(desk: Desk, login: str) -> Desk:
    found = people.by_login(desk.db, login)
    assert found
    return Desk(desk.db, Worker(found.id, found.name, found.role), desk.now)


def new_visit(desk: Desk, name: str = "", start: datetime | None = None, **form: str) -> UUID:
    """A booking of a client who is new unless named as the list names one, each at an hour of its own."""
    n = next(NUMBER)
    start = start or MONDAY + timedelta(days=n // 8, hours=n % 8)
    fields = {"name": name or f"Invented {n}", "born": "1985-04-02", "day": f"{start:%Y-%m-%d}", "time": f"{start:%H:%M}", "minutes": "50",
              "therapist": str(desk.me.id)}  # fmt: skip
    return day.add_visit(desk, fields | form)


def ask_nothing(desk: Desk, visit: UUID, **other: str) -> asking.Asked:
    returning_ = asking.asked(desk, visit).file.previous is not None
    return asking.save_answers(desk, visit, {q.id: q.options[0].id for q in questions(returning_)} | other)


def lift_and_light(desk: Desk, visit: UUID) -> planning.Planned:
    """A plan of cleansing, lift, light and sun protection, as far as today's answers allow it."""
    for modality in ("cleanse", "microcurrent", "led", "finish"):
        page = planning.edit(desk, visit, "add", {"modality": modality})
    return page


def step_of(page: planning.Planned, modality: str) -> str:
    return next(item.id for item in page.plan.items if item.modality == modality)


def typed(desk: Desk, visit: UUID, modality: str, name: str, value: str) -> planning.Planned:
    """A field of a step, as a browser would send it."""
    item = step_of(planning.planned(desk, visit), modality)
    return planning.edit(desk, visit, "set", {"item": item, f"{item}.{name}": value, "changed": f"{item}.{name}"})


def setting(page: planning.Planned, modality: str, name: str) -> str:
    item = page.plan.of(step_of(page, modality))
    return next(one.value for one in page.fields(item) if one.name == f"{item.id}.{name}")


AGREED = {"agreed": "yes", "signed": "paper"}


def treated(desk: Desk, visit: UUID, shift: float = 0.0) -> None:
    """Planned, agreed, begun and run to the end, with every stroke of the first side and the level moved by `shift`."""
    lift_and_light(desk, visit)
    consenting.consent(desk, visit, AGREED)
    treating.begin(desk, visit)
    steps = treating.run_of(desk, visit).steps
    taps = [treating.Tap(uuid7(), "start", desk.now)]
    for number, step in enumerate(steps):
        if step.side and shift:
            taps.append(treating.Tap(uuid7(), "level", desk.now, shift))
            shift = 0
        taps += [treating.Tap(uuid7(), "count", desk.now) for _ in range(step.strokes)]
        taps.append(treating.Tap(uuid7(), "next" if number + 1 < len(steps) else "finish", desk.now + timedelta(minutes=number)))
    treating.record(later(desk, minutes=30), visit, taps)


#: What the close form holds when all went well.
GRADED = {
    "pain": "0", "comfort": "9", "explained": "initials", "initials": "IM", "note": "", "why.all": "judged",
    **{f"endpoint.{name}": "seen" for name in ("microcurrent", "led", "wet_abrasion", "rf_fractional", "pulsed_light", "rf_bulk")},
}  # fmt: skip


def looked_twice(desk: Desk, visit: UUID, redness: int = 1) -> None:
    """Both looks at the skin: so red on a cheek, then nothing more."""
    answering.nothing(desk, visit, "1")
    for _ in range(redness):
        answering.tap(desk, visit, "1", "redness", "right upper cheek")
    answering.nothing(desk, visit, "2")


#: A day of its own for each of these long visits, far from what others book.
HOURS = (MONDAY + timedelta(days=500 + n, hours=1) for n in count())


def begun(desk: Desk, *modalities: str, by: str = "", minutes: int = 120, name: str = "", **zones: str) -> UUID:
    """A visit whose treatment has begun, its clock started."""
    visit = new_visit(desk, name=name, minutes=str(minutes), start=next(HOURS))
    ask_nothing(desk, visit)
    looking.save_findings(desk, visit, {"phototype": "2"})
    for modality in modalities:
        page = planning.edit(desk, visit, "add", {"modality": modality})
        if modality in zones:
            planning.edit(desk, visit, "zones", {"item": step_of(page, modality), f"zone.{zones[modality]}": "on"})
    consenting.consent(desk, visit, AGREED)
    who = as_(desk, by) if by else desk
    treating.begin(who, visit)
    tapped(who, visit, "start")
    return visit


def tapped(desk: Desk, visit: UUID, kind: str, value: float | None = None, words: str = "", step: int | None = None, **data: Any) -> Run:
    return treating.record(desk, visit, [Tap(uuid7(), kind, desk.now, value, words, step, data or None)])


def at(desk: Desk, visit: UUID, kind: str) -> int:
    """To the first step of a kind; its number."""
    steps = treating.run_of(desk, visit).steps
    n = next(n for n, step in enumerate(steps) if step.kind == kind)
    tapped(desk, visit, "go", float(n))
    return n
