"""The tables. Clinical content is kept as versions that are never overwritten; the run of a treatment as events."""

from datetime import date, datetime
from typing import Any
from uuid import UUID

from pydantic import TypeAdapter
from sqlalchemy import BigInteger, ForeignKey, Identity, Index, Text, UniqueConstraint, func, text
from sqlalchemy.dialects.postgresql import ARRAY, JSONB, TIMESTAMP
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column, relationship
from sqlalchemy.types import TypeDecorator
from uuid_utils.compat import uuid7

from merak.core.body.marks import Mark
from merak.core.knowledge.own import OwnRules
from merak.core.modality.device import Card
from merak.core.plan.routine import Routine
from merak.records.bodies.house import Habits, House, LetterBody, ReactionBody, RuleChange
from merak.records.bodies.task import TASKS, TaskAnswer, TaskBody
from merak.records.bodies.upgrades import Raw, upgraded, versioned


class Json(TypeDecorator[Any]):
    """A column that holds values of one model as JSON, in the versions of `phase` where it had several shapes."""

    impl = JSONB
    cache_ok = True

    def __init__(self, model: Any, phase: str = "") -> None:
        super().__init__()
        self.model, self.phase = model, phase
        self._adapter: TypeAdapter[Any] = TypeAdapter(model)

    def process_bind_param(self, value: Any, dialect: Any) -> Any:
        """As JSON."""
        if value is None:
            return None
        body = self._adapter.dump_python(value, mode="json")
        return versioned(self.phase, body) if self.phase else body

    def process_result_value(self, value: Any, dialect: Any) -> Any:
        """As the model. Raises ValidationError for what it is not."""
        if value is None:
            return None
        return self._adapter.validate_python(upgraded(self.phase, value) if self.phase else value)


class Base(DeclarativeBase):
    """Moments are UTC; ids are UUIDv7."""

    type_annotation_map = {  # noqa: RUF012
        datetime: TIMESTAMP(timezone=True),
        Raw: JSONB,
        Habits: Json(Habits),
        House: Json(House),
        LetterBody: Json(LetterBody),
        ReactionBody: Json(ReactionBody),
        Mark: Json(Mark),
        Routine: Json(Routine, "routine"),
        OwnRules: Json(OwnRules),
        tuple[RuleChange, ...]: Json(tuple[RuleChange, ...]),
    }


class Studio(Base):
    """The one studio of this installation: opening is {"0": ["09:00", "18:00"], …} by weekday from Monday; `house`
    holds its choices: methods, prices, currency.
    """

    __tablename__ = "studio"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str]
    time_zone: Mapped[str]
    opening: Mapped[dict[str, tuple[str, str]]] = mapped_column(JSONB)
    demo: Mapped[bool] = mapped_column(default=False)
    house: Mapped[House] = mapped_column(default=House, server_default="{}")


class SetUpCode(Base):
    """The one-time code of the set-up page, hashed; gone once it was used."""

    __tablename__ = "set_up_code"
    code_hash: Mapped[str] = mapped_column(primary_key=True)


class Person(Base):
    """Somebody who works here. `careful_hands` should not hold energy now (pregnant, implanted electronics); which, is
    not kept.

    Names and sign-in names are unique, whatever their case.
    """

    __tablename__ = "person"
    __table_args__ = (
        Index("person_name_once", func.lower(text("name")), unique=True),
        Index("person_login_once", func.lower(text("login")), unique=True),
    )
    id: Mapped[UUID] = mapped_column(primary_key=True, default=uuid7)
    name: Mapped[str]
    login: Mapped[str] = mapped_column(unique=True)
    password_hash: Mapped[str]
    role: Mapped[str]
    finger_mm: Mapped[float | None]
    active: Mapped[bool] = mapped_column(default=True)
    licences: Mapped[list[str]] = mapped_column(JSONB, default=list, server_default="[]")
    careful_hands: Mapped[bool] = mapped_column(default=False, server_default="false")


class SignedIn(Base):
    """A sign-in that has not ended. Only a hash of the cookie's token is kept."""

    __tablename__ = "signed_in"
    token_hash: Mapped[str] = mapped_column(primary_key=True)
    person_id: Mapped[UUID] = mapped_column(ForeignKey("person.id"))
    csrf: Mapped[str]
    begun_at: Mapped[datetime] = mapped_column(server_default=func.now())
    expires_at: Mapped[datetime]
    person: Mapped[Person] = relationship(lazy="joined", innerjoin=True)


class Client(Base):
    """A client, as the front desk knows one. `habits` is what of their ways changes an aftercare sheet, as it was last
    told.

    `merged_into` is the record that a second one of the same person went into; nothing is kept under this one any more.
    """

    __tablename__ = "client"
    id: Mapped[UUID] = mapped_column(primary_key=True, default=uuid7)
    name: Mapped[str]
    born: Mapped[date]
    phone: Mapped[str] = mapped_column(default="")
    email: Mapped[str] = mapped_column(default="", server_default="")
    language: Mapped[str] = mapped_column(default="en", server_default="en")
    habits: Mapped[Habits] = mapped_column(default=Habits, server_default="{}")
    merged_into: Mapped[UUID | None] = mapped_column(ForeignKey("client.id"))
    created_at: Mapped[datetime] = mapped_column(server_default=func.now())
    created_by: Mapped[UUID | None] = mapped_column(ForeignKey("person.id"))


class Course(Base):
    """A course of sessions."""

    __tablename__ = "course"
    id: Mapped[UUID] = mapped_column(primary_key=True, default=uuid7)
    client_id: Mapped[UUID] = mapped_column(ForeignKey("client.id"), index=True)
    name: Mapped[str]
    sessions: Mapped[int]


class Visit(Base):
    """An appointment, and what became of it: booked, closed or cancelled. No two that are booked overlap for one
    therapist; those that did before that was held may (`may_overlap`).
    """

    __tablename__ = "visit"
    id: Mapped[UUID] = mapped_column(primary_key=True, default=uuid7)
    client_id: Mapped[UUID] = mapped_column(ForeignKey("client.id"), index=True)
    course_id: Mapped[UUID] = mapped_column(ForeignKey("course.id"))
    session_no: Mapped[int]
    therapist_id: Mapped[UUID] = mapped_column(ForeignKey("person.id"))
    starts_at: Mapped[datetime] = mapped_column(index=True)
    minutes: Mapped[int]
    status: Mapped[str] = mapped_column(default="booked")
    may_overlap: Mapped[bool] = mapped_column(default=False, server_default="false")
    created_at: Mapped[datetime] = mapped_column(server_default=func.now())
    created_by: Mapped[UUID | None] = mapped_column(ForeignKey("person.id"))
    client: Mapped[Client] = relationship(lazy="joined", innerjoin=True)
    course: Mapped[Course] = relationship(lazy="joined", innerjoin=True)
    therapist: Mapped[Person] = relationship(lazy="joined", innerjoin=True, foreign_keys=[therapist_id])


class Record(Base):
    """One version of one phase of a visit (ask, look, margins, plan, overrides, consent, order, answer, close, sheet,
    photos, photos_after, scales). The latest stands; none is changed.
    """

    __tablename__ = "record"
    __table_args__ = (UniqueConstraint("visit_id", "phase", "version"),)
    id: Mapped[UUID] = mapped_column(primary_key=True, default=uuid7)
    visit_id: Mapped[UUID] = mapped_column(ForeignKey("visit.id"))
    phase: Mapped[str]
    version: Mapped[int]
    body: Mapped[Raw]
    by: Mapped[UUID] = mapped_column(ForeignKey("person.id"))
    at: Mapped[datetime] = mapped_column(server_default=func.now())


class TreatEvent(Base):
    """One tap in a treatment. The id is the browser's, so that a repeated send is harmless; `seq` is the server's
    order.

    `clock` is how its moment was found: the page load, its steady clock (s), and, where it is marked, why and what time
    was told. It is empty for taps that the server made itself.
    """

    __tablename__ = "treat_event"
    __table_args__ = (Index("treat_event_of_visit", "visit_id", "seq"),)
    id: Mapped[UUID] = mapped_column(primary_key=True)
    seq: Mapped[int] = mapped_column(BigInteger, Identity())
    visit_id: Mapped[UUID] = mapped_column(ForeignKey("visit.id"))
    kind: Mapped[str]
    at: Mapped[datetime]
    value: Mapped[float | None]
    words: Mapped[str] = mapped_column(default="")
    act: Mapped[int | None]
    data: Mapped[Raw | None]
    clock: Mapped[Raw | None]
    by: Mapped[UUID] = mapped_column(ForeignKey("person.id"))
    received_at: Mapped[datetime] = mapped_column(server_default=func.now())


class ExposureRow(Base):
    """What a client's skin was given of one agent, on some zones (none: everywhere): by a visit, written when it is
    closed or added to, or `elsewhere`, by whom. `on_day` is empty where nobody knows; what was written in error was
    `taken_back`.
    """

    __tablename__ = "exposure"
    __table_args__ = (Index("exposure_of_client", "client_id", "on_day"),)
    id: Mapped[UUID] = mapped_column(primary_key=True, default=uuid7)
    client_id: Mapped[UUID] = mapped_column(ForeignKey("client.id"))
    visit_id: Mapped[UUID | None] = mapped_column(ForeignKey("visit.id"), index=True)
    agent: Mapped[str]
    modality: Mapped[str] = mapped_column(default="")
    degree: Mapped[int | None]
    amount: Mapped[float | None]
    unit: Mapped[str] = mapped_column(default="")
    zones: Mapped[list[str]] = mapped_column(ARRAY(Text))
    on_day: Mapped[date | None]
    measured: Mapped[bool] = mapped_column(default=False)
    elsewhere: Mapped[str] = mapped_column(default="")
    by: Mapped[UUID | None] = mapped_column(ForeignKey("person.id"))
    at: Mapped[datetime] = mapped_column(server_default=func.now())
    taken_back: Mapped[datetime | None]


class Task(Base):
    """Something that is due: a test spot to be read, a client to be called or asked. `answer` is what came of it, once
    it is done.

    `link_hash` is the hash of the secret address under which the client answers; `done_by` is empty where the client
    did.
    """

    __tablename__ = "task"
    id: Mapped[UUID] = mapped_column(primary_key=True, default=uuid7)
    client_id: Mapped[UUID] = mapped_column(ForeignKey("client.id"), index=True)
    visit_id: Mapped[UUID] = mapped_column(ForeignKey("visit.id"), index=True)
    kind: Mapped[str]
    due_at: Mapped[datetime] = mapped_column(index=True)
    body: Mapped[Raw]
    answer: Mapped[Raw | None]
    by: Mapped[UUID] = mapped_column(ForeignKey("person.id"))
    at: Mapped[datetime] = mapped_column(server_default=func.now())
    done_by: Mapped[UUID | None] = mapped_column(ForeignKey("person.id"))
    done_at: Mapped[datetime | None]
    link_hash: Mapped[str | None] = mapped_column(unique=True)

    @property
    def about(self) -> TaskBody:
        """What it is about, as a value of its kind."""
        return TASKS[self.kind][0].model_validate(upgraded("task", self.body))

    @property
    def came(self) -> TaskAnswer | None:
        """What came of it; None while it is open."""
        return TASKS[self.kind][1].model_validate(self.answer) if self.answer else None

    def done(self, answer: TaskAnswer, by: UUID | None, at: datetime) -> None:
        """What came of it is kept."""
        self.answer, self.done_by, self.done_at = answer.model_dump(mode="json", exclude_none=True), by, at


class Message(Base):
    """A mail or text to a client, as the simulated outbox holds it: handed over at `send_at` unless it was recalled
    before.
    """

    __tablename__ = "message"
    id: Mapped[UUID] = mapped_column(primary_key=True, default=uuid7)
    client_id: Mapped[UUID] = mapped_column(ForeignKey("client.id"))
    visit_id: Mapped[UUID] = mapped_column(ForeignKey("visit.id"), index=True)
    task_id: Mapped[UUID | None] = mapped_column(ForeignKey("task.id"))
    channel: Mapped[str]
    address: Mapped[str]
    subject: Mapped[str]
    words: Mapped[str]
    attached: Mapped[str] = mapped_column(default="", server_default="")
    send_at: Mapped[datetime] = mapped_column(index=True)
    recalled: Mapped[bool] = mapped_column(default=False, server_default="false")
    by: Mapped[UUID] = mapped_column(ForeignKey("person.id"))
    at: Mapped[datetime] = mapped_column(server_default=func.now())


class ReactionVersion(Base):
    """One version of a line of the reactions register. The latest stands; none is changed."""

    __tablename__ = "reaction"
    __table_args__ = (UniqueConstraint("reaction_id", "version"),)
    id: Mapped[UUID] = mapped_column(primary_key=True, default=uuid7)
    reaction_id: Mapped[UUID]
    client_id: Mapped[UUID] = mapped_column(ForeignKey("client.id"), index=True)
    visit_id: Mapped[UUID] = mapped_column(ForeignKey("visit.id"), index=True)
    version: Mapped[int]
    body: Mapped[ReactionBody]
    by: Mapped[UUID] = mapped_column(ForeignKey("person.id"))
    at: Mapped[datetime] = mapped_column(server_default=func.now())


class Once(Base):
    """A form that was taken: who sent what, as a hash; sent once more it does nothing."""

    __tablename__ = "once"
    key: Mapped[str] = mapped_column(primary_key=True)
    at: Mapped[datetime] = mapped_column(server_default=func.now())


class Simulated(Base):
    """A simulated instrument as it stands: as lasting as a real one, whatever becomes of the server."""

    __tablename__ = "simulated"
    id: Mapped[str] = mapped_column(primary_key=True)
    body: Mapped[Raw]


class MarkVersion(Base):
    """One version of a finding marked on a client's plate. The latest stands unless it is `removed`; none is changed.

    `undoes` is the version that this one took back.
    """

    __tablename__ = "mark"
    __table_args__ = (UniqueConstraint("mark_id", "version"),)
    id: Mapped[UUID] = mapped_column(primary_key=True, default=uuid7)
    seq: Mapped[int] = mapped_column(BigInteger, Identity())
    mark_id: Mapped[UUID]
    client_id: Mapped[UUID] = mapped_column(ForeignKey("client.id"), index=True)
    visit_id: Mapped[UUID] = mapped_column(ForeignKey("visit.id"), index=True)
    version: Mapped[int]
    body: Mapped[Mark]
    removed: Mapped[bool] = mapped_column(default=False)
    undoes: Mapped[UUID | None] = mapped_column(ForeignKey("mark.id"))
    by: Mapped[UUID] = mapped_column(ForeignKey("person.id"))
    at: Mapped[datetime] = mapped_column(server_default=func.now())


class LetterVersion(Base):
    """One version of a doctor's letter: asked for, received, corrected. The latest stands; none is changed."""

    __tablename__ = "letter"
    __table_args__ = (UniqueConstraint("letter_id", "version"),)
    id: Mapped[UUID] = mapped_column(primary_key=True, default=uuid7)
    letter_id: Mapped[UUID]
    client_id: Mapped[UUID] = mapped_column(ForeignKey("client.id"), index=True)
    version: Mapped[int]
    body: Mapped[LetterBody]
    file_id: Mapped[UUID | None] = mapped_column(ForeignKey("kept_file.id"))
    by: Mapped[UUID] = mapped_column(ForeignKey("person.id"))
    at: Mapped[datetime] = mapped_column(server_default=func.now())


class KeptFile(Base):
    """A file of a client: a letter, a photo, a signature. Its type was read from its content; what a photo tells of
    itself is stripped.
    """

    __tablename__ = "kept_file"
    id: Mapped[UUID] = mapped_column(primary_key=True, default=uuid7)
    client_id: Mapped[UUID] = mapped_column(ForeignKey("client.id"), index=True)
    kind: Mapped[str]
    content: Mapped[bytes]
    by: Mapped[UUID] = mapped_column(ForeignKey("person.id"))
    at: Mapped[datetime] = mapped_column(server_default=func.now())


class RoutineVersion(Base):
    """One version of a studio's own routine. The latest stands unless it is `removed`."""

    __tablename__ = "routine"
    __table_args__ = (UniqueConstraint("routine_id", "version"),)
    id: Mapped[UUID] = mapped_column(primary_key=True, default=uuid7)
    routine_id: Mapped[UUID]
    version: Mapped[int]
    body: Mapped[Routine]
    removed: Mapped[bool] = mapped_column(default=False)
    by: Mapped[UUID] = mapped_column(ForeignKey("person.id"))
    at: Mapped[datetime] = mapped_column(server_default=func.now())


class OwnRulesVersion(Base):
    """One version of the studio's own rule book, whole, with what was changed in it."""

    __tablename__ = "own_rules"
    version: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    rules: Mapped[OwnRules]
    changes: Mapped[tuple[RuleChange, ...]]
    by: Mapped[UUID] = mapped_column(ForeignKey("person.id"))
    at: Mapped[datetime] = mapped_column(server_default=func.now())


class Device(Base):
    """A machine of the studio, by its card."""

    __tablename__ = "device"
    id: Mapped[UUID] = mapped_column(primary_key=True, default=uuid7)
    modality: Mapped[str]
    card: Mapped[Card] = mapped_column(Json(Card))
    active: Mapped[bool] = mapped_column(default=True)


class Audit(Base):
    """Who did or read what, and when. No names of clients, no clinical words: ids only."""

    __tablename__ = "audit"
    id: Mapped[int] = mapped_column(BigInteger, Identity(), primary_key=True)
    at: Mapped[datetime] = mapped_column(server_default=func.now())
    person_id: Mapped[UUID | None] = mapped_column(ForeignKey("person.id"))
    action: Mapped[str]
    thing: Mapped[str] = mapped_column(default="")
