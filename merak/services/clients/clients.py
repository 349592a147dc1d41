"""A client's page: how they are reached, and their visits with what was done and how the skin answered."""

from collections.abc import Iterable
from dataclasses import dataclass, field
from datetime import datetime
from uuid import UUID

from merak.core.client import age_on
from merak.core.client.names import plain
from merak.core.errors import BadInput
from merak.core.plan.fitting import set_to
from merak.exchange.language import LANGUAGES
from merak.records import clients
from merak.records.bodies.task import SaidAfter
from merak.records.clients import ClientSeen, VisitTold
from merak.records.tables import Client
from merak.services.context import Context, NotFound, OutOfTurn
from merak.services.forms import TypedForm
from merak.services.permission import may
from merak.simulators.carrier import carry

#: So many visits are shown at once, the newest first.
AT_ONCE = 25


@dataclass
class VisitLine:
    """One visit as the page shows it; what was done only to those who may read notes."""

    id: str
    at: datetime
    status: str
    course: str
    session: str
    therapist: str
    did: tuple[str, ...]
    answer: str
    said: str
    note: str


@dataclass
class ClientPage:
    """The page: the client, visits from number `skip` on, what was typed and is wrong."""

    client: ClientSeen
    age: int
    visits: list[VisitLine]
    skip: int
    more: bool
    form: dict[str, str]
    wrong: dict[str, str]
    #: Others who may be the same person: of the same name and birth date.
    doubles: list[Client] = field(default_factory=list)


def client_page(
    ctx: Context,
    client_id: UUID,
    skip: int = 0,
    form: dict[str, str] | None = None,
    wrong: dict[str, str] | None = None,
) -> ClientPage:
    """A client. Raises NotFound, Denied."""
    ctx.demand("see the day")
    found = clients.client(ctx.db, client_id, AT_ONCE + 1, max(0, skip))
    if found is None:
        raise NotFound("There is no such client.")
    clinical = may(ctx.me, "read notes")
    seen = [_seen(ctx, one, clinical) for one in found.visits[:AT_ONCE]]
    held = {
        "phone": found.phone,
        "email": found.email,
        "language": found.language,
        "large": "on" if found.habits.large else "",
    }
    more = len(found.visits) > AT_ONCE
    doubles = [one for one in clients.named(ctx.db, plain(found.name), found.born) if one.id != found.id]
    return ClientPage(
        found, age_on(found.born, ctx.today), seen, max(0, skip), more, form or held, wrong or {}, doubles
    )


def _seen(ctx: Context, one: VisitTold, clinical: bool) -> VisitLine:
    answers = [of.words for of in one.incidents or ()]
    answers += [] if one.redness is None else [f"redness {one.redness}, swelling {one.swelling}"]
    answers += [f"stopped: {one.stopped}"] if one.stopped else []
    return VisitLine(
        id=str(one.id),
        at=one.starts_at.astimezone(ctx.zone),
        status=one.status,
        course=one.course,
        session=f"{one.session_no} of {one.sessions}",
        therapist=one.therapist,
        did=tuple(set_to(name, told.figure) for name, told in (one.did or {}).items()) if clinical else (),
        answer="; ".join(answers) if clinical else "",
        said=_said(one.said or ()) if clinical else "",
        note=(one.note or "") if clinical else "",
    )


#: How a result is graded, from much worse to much better.
IMPROVED = {2: "much better", 1: "better", 0: "the same", -1: "worse", -2: "much worse"}


def _said(answers: Iterable[SaidAfter]) -> str:
    """What was said afterwards, in short."""
    words = []
    for said in (one.said for one in answers):
        if said:
            words += [f"left {said.marked}"] if said.marked else []
            words += [IMPROVED[said.improvement]] if said.improvement is not None else []
            words += [f"{said.satisfaction} of 10"] if said.satisfaction is not None else []
    return ", ".join(words)


def merge(ctx: Context, into: UUID, named: str) -> None:
    """Two records of one person become one: everything of the other's goes into this one's. A senior's act: it cannot
    be taken apart. Raises BadInput for what is no record's id, NotFound, Denied, OutOfTurn where they do not look like
    one person.
    """
    ctx.demand("override")
    try:
        other = UUID(named)
    except ValueError:
        raise BadInput({"other": "Which record?"}) from None
    page = client_page(ctx, into)
    if other not in {one.id for one in page.doubles}:
        raise OutOfTurn("Only records of the same name and birth date are put together.")
    with ctx.saving("put records together", f"{into} {other}") as db:
        clients.merge(db, into, other)


class ReachForm(TypedForm):
    """How a client is reached."""

    phone: str = ""
    email: str = ""
    language: str = "en"
    large: bool = False


def reach(ctx: Context, client_id: UUID, form: dict[str, str]) -> None:
    """How a client is reached: telephone, mail, language, large print. Raises BadInput by field, NotFound."""
    ctx.demand("book")
    asked, wrong = ReachForm.parse(form)
    if asked.email and not carry("mail", asked.email).ok:
        wrong["email"] = "That is no mail address."
    if asked.phone and not carry("text", asked.phone).ok:
        wrong["phone"] = "That is no telephone number."
    if asked.language not in LANGUAGES:
        wrong["language"] = "Which language?"
    if wrong:
        raise BadInput(wrong)
    with ctx.saving("reach a client", client_id) as db:
        client = db.get(Client, client_id)
        if client is None:
            raise NotFound("There is no such client.")
        client.phone, client.email, client.language = asked.phone, asked.email, asked.language
        client.habits = client.habits.model_copy(update={"large": asked.large})
