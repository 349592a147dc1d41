"""The aftercare sheet of a visit: joined from what was really done while it is open, as it was kept
once it is closed.
"""

from dataclasses import dataclass
from datetime import datetime
from typing import TypeVar
from uuid import UUID

from merak.core.after.aftercare import (
    INCIDENTS,
    Family,
    Moments,
    Personal,
    SheetLine,
    answered,
    family_of,
    sheet,
    tags_of,
)
from merak.core.after.home import Take, kit
from merak.core.body.plate import area_cm2
from merak.core.knowledge import emergencies, number
from merak.core.knowledge.register import needs
from merak.core.treatment.order import Ordered
from merak.exchange.language import LANGUAGES
from merak.records import tasks, visits
from merak.records.bodies.visit import SheetBody
from merak.records.tables import Client
from merak.services.context import Context
from merak.services.treatment.adverse import number_of
from merak.services.treatment.treating import Run
from merak.services.visit.file import VisitFile

needs(
    __name__,
    """
    phototype: phototype.dark
    """,
)

FAMILIES: tuple[Family, ...] = ("", "acne-prone", "pigment", "ageing", "sensitive")


@dataclass
class Sheet:
    """A sheet ready to be shown: its lines, what is taken home, words of the therapist's own, incidents, when and
    whose, the language.
    """

    client: str
    ended: datetime
    next_at: datetime | None
    lines: tuple[SheetLine, ...]
    kit: tuple[Take, ...]
    words: str
    incidents: tuple[str, ...]
    personal: Personal
    language: str
    large: bool
    number: str
    sealed: bool


def done_tags(run: Run | None, order: Ordered | None, done: tuple[str, ...]) -> tuple[str, ...]:
    """The tags of every stage that was really `done`, as it was set; a spot of a later reading counts as one."""
    if run is None or order is None:
        return ()
    settings = {stage.id: stage.as_it_was for stage in order.plan.stages}
    tags: dict[str, None] = {}
    for act, one in zip(run.acts, run.state.runs, strict=True):
        if act.only_spot and one.spots:
            tags |= dict.fromkeys(tags_of(act.modality, spot_only=True))
        elif act.stage in done:
            tags |= dict.fromkeys(tags_of(act.modality, settings.get(act.stage)))
    titles = {card.title: INCIDENTS.get(card.id, "") for card in emergencies()}
    tags |= dict.fromkeys(titles[one.card] for one in run.state.incidents if titles.get(one.card))
    return tuple(tags)


def personal_of(file: VisitFile, client: Client, form: dict[str, str] | None) -> Personal:
    """What of the client changes the sheet: as it was ticked, else as it was last told, else as it was found."""
    habits = client.habits
    last_told = family_of(file.findings) if habits.family is None else habits.family
    family = form.get("family") if form and "family" in form else last_told
    ticked = form is not None and "habits" in form
    area = sum(area_cm2(shape) for shape in file.brief.whole().plate.zones.values())
    return Personal(
        family=family if family in FAMILIES else "",
        shaves="shaves" in (form or {}) if ticked else habits.shaves,
        make_up="make_up" in (form or {}) if ticked else habits.make_up,
        event=file.wish.event if file.wish.event and file.wish.event > file.today else None,
        dark=(file.findings.phototype or 0) >= number("phototype.dark"),
        sensitive=bool(file.findings.sensitive),
        area_cm2=max(area, 1),
    )


def joined(
    ctx: Context,
    file: VisitFile,
    run: Run | None,
    tags: tuple[str, ...],
    grades: tuple[int, int],
    ended: datetime,
    next_at: datetime | None,
    form: dict[str, str] | None,
) -> Sheet:
    """The sheet that follows from what was done and how the skin answered (redness, swelling)."""
    client = _client(ctx, file.visit.client_id)
    of = personal_of(file, client, form)
    spots = [task.due_at for task in tasks.tasks_of(ctx.db, file.visit.id) if task.kind == "spot"]
    at = Moments(ended, next_at, max(spots).astimezone(ctx.zone) if spots else None)
    all_tags = (*tags, *answered(*grades))
    lines = sheet(all_tags, of, at)
    told = tuple(f"{one.card or 'Incident'}: {one.done}" for one in run.state.incidents if one.done) if run else ()
    return Sheet(
        file.visit.client.name,
        ended,
        next_at,
        lines,
        kit(all_tags, of, at, lines),
        (form or {}).get("words", "").strip(),
        told,
        of,
        client.language if client.language in LANGUAGES else "en",
        client.habits.large,
        number_of(ctx),
        False,
    )


def kept(ctx: Context, file: VisitFile, ended: datetime, next_at: datetime | None) -> Sheet:
    """The sheet as it was sealed with the visit."""
    body = visits.standing(ctx.db, file.visit.id, SheetBody) or SheetBody()
    client = _client(ctx, file.visit.client_id)
    return Sheet(
        client=file.visit.client.name,
        ended=ended,
        next_at=next_at,
        lines=tuple(_local(one, ctx) for one in body.lines),
        kit=tuple(_local(one, ctx) for one in body.kit),
        words=body.words,
        incidents=body.incidents,
        personal=body.personal,
        language=client.language if client.language in LANGUAGES else "en",
        large=client.habits.large,
        number=number_of(ctx),
        sealed=True,
    )


Spanned = TypeVar("Spanned", SheetLine, Take)


def _local(one: Spanned, ctx: Context) -> Spanned:
    return one.model_copy(update={"start": one.start.astimezone(ctx.zone), "until": one.until.astimezone(ctx.zone)})


def body_of(of: Sheet) -> SheetBody:
    """A sheet as it is sealed."""
    return SheetBody(lines=of.lines, kit=of.kit, words=of.words, incidents=of.incidents, personal=of.personal)


def keep_habits(ctx: Context, client_id: UUID, of: Personal, large: bool) -> None:
    """What was told of a client's ways, for the next sheet; inside the caller's transaction."""
    client = _client(ctx, client_id)
    changed = {"family": of.family, "shaves": of.shaves, "make_up": of.make_up, "large": large}
    client.habits = client.habits.model_copy(update=changed)


def _client(ctx: Context, client_id: UUID) -> Client:
    found = ctx.db.get(Client, client_id)
    if found is None:  # a visit's client is never taken away
        raise LookupError("a visit without its client")
    return found
