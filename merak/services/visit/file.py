"""A visit's file: the appointment, what stands on each phase, what came before, and the brief that
a plan follows from.
"""

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import date, datetime
from functools import cached_property
from hashlib import sha256
from uuid import UUID
from zoneinfo import ZoneInfo

from pydantic import BaseModel

from merak.core.after.following import with_answers
from merak.core.after.incidents import left_on
from merak.core.body.marks import Mark
from merak.core.body.treatable import Narrowed
from merak.core.client import Findings, LastTime, Measures
from merak.core.knowledge import book, mark_kinds, number
from merak.core.knowledge.register import needs
from merak.core.modality.before import Before
from merak.core.modality.device import read_cards
from merak.core.plan.brief import Brief, brief_of
from merak.core.plan.draft import Draft
from merak.core.plan.facts import Facts, Machine, Wish
from merak.core.plan.fitting import set_to
from merak.core.plan.past import still_matters
from merak.core.plan.screening import Answers, Letter, Override
from merak.records import visits
from merak.records.bodies import PHASES, Body
from merak.records.bodies.house import House
from merak.records.bodies.visit import AskBody, CloseBody, ConsentBody, MarginsBody, OverridesBody, Stood
from merak.records.tables import Visit
from merak.records.visits import Around, EarlierVisit, VisitRecords, VisitSeen
from merak.services.context import Context, NotFound
from merak.services.permission import Action

needs(
    __name__,
    """
    mm: face.finger_breadth
    """,
    question=("since", "changes"),
)

STAGES = ("ask", "look", "plan", "treat", "close", "return")
SENIORS = ("senior", "owner")
#: Of last time's findings, what is confirmed and not measured anew.
LASTING = ("skin_type", "phototype", "sensitive", "tone", "grades", *Measures.model_fields)
#: Questions that are asked afresh at each visit.
FRESH = ("since", "changes")


@dataclass
class VisitFile:
    """One visit as the phases need it: the appointment and what it stands in, the studio's machines, and the day."""

    around: Around
    machines: tuple[Machine, ...]
    today: date

    @property
    def visit(self) -> VisitSeen:
        """The appointment."""
        return self.around.visit

    @property
    def previous(self) -> EarlierVisit | None:
        """The client's last closed visit before."""
        return self.around.previous

    @property
    def house(self) -> House:
        """The studio's choices."""
        return self.around.house

    @property
    def records(self) -> VisitRecords:
        """What stands on the phases."""
        return self.around.records

    def keep(self, ctx: Context, body: BaseModel) -> None:
        """A new version of the phase that this is the body of, which stands from now on. The caller has the turn
        (`changing`).
        """
        self.records[PHASES[type(body)]] = visits.add_version(ctx.db, self.visit.id, body, ctx.me.id, ctx.now)
        self.follow_anew()

    def mark(self, version: int, mark: Mark, removed: bool) -> None:
        """A mark stands otherwise from now on, or no longer."""
        others = [one for one in self.around.marks if one[1].id != mark.id]
        self.around = self.around._replace(
            marks=others if removed else sorted([*others, (version, mark)], key=lambda one: str(one[1].id))
        )
        self.follow_anew()

    def follow_anew(self) -> None:
        """What followed from what stood before is worked out again when it is asked for."""
        for name in [name for name in vars(self) if isinstance(getattr(type(self), name, None), cached_property)]:
            del vars(self)[name]

    def body(self, model: type[Body]) -> Body | None:
        """What stands on the phase that a model is the body of; None when nothing does."""
        return self.around.records.body(model)

    def before(self, model: type[Body]) -> Body | None:
        """The same, of the last closed visit."""
        return self.around.earlier.body(model)

    def version(self, model: type[BaseModel]) -> int:
        """The version that stands; 0 when none does."""
        return self.around.records.version(model)

    @property
    def asked(self) -> AskBody:
        """The safety talk as it stands."""
        return self.body(AskBody) or AskBody()

    @cached_property
    def answers(self) -> Answers:
        """Today's answers."""
        return still_asked(self.asked.answers)

    @cached_property
    def carried(self) -> Answers:
        """The answers of last time, to be confirmed; what is asked afresh at each visit is not carried."""
        earlier = still_asked((self.before(AskBody) or AskBody()).answers)
        return {key: answer for key, answer in earlier.items() if key not in FRESH}

    @cached_property
    def findings(self) -> Findings:
        """Today's findings; before anything was looked at, those of last time (skin, grades, tapes), to be confirmed:
        heights are new.
        """
        looked, earlier = self.body(Findings), self.before(Findings)
        if looked or earlier is None:
            return looked or Findings()
        return Findings(**{key: getattr(earlier, key) for key in LASTING})

    @cached_property
    def last(self) -> LastTime | None:
        """What the last closed visit left behind."""
        if self.previous is None:
            return None
        closed = self.before(CloseBody) or CloseBody()
        return LastTime(
            on=self.previous.starts_at.date(),
            ended=tuple(set_to(name, told.figure) for name, told in closed.did.items()),
            redness=closed.redness,
            swelling=closed.swelling,
            pain=closed.pain,
            note=closed.note,
            incidents=tuple(one.words for one in closed.incidents),
        )

    @cached_property
    def marks(self) -> tuple[Mark, ...]:
        """What is marked on the client's plates."""
        return tuple(mark for _, mark in self.around.marks)

    @property
    def narrowed(self) -> tuple[Narrowed, ...]:
        """The margins that a senior narrowed for this visit."""
        return (self.body(MarginsBody) or MarginsBody()).narrowed

    @cached_property
    def letters(self) -> tuple[Letter, ...]:
        """The doctors' letters that came in and allow something."""
        return tuple(
            Letter(
                rule=one.rule,
                answer=one.answer,
                received=one.received,
                until=one.until,
                note=one.note,
                by=one.by,
            )
            for one in self.around.letters
            if one.received and one.until and one.says in ("yes", "")
        )

    @property
    def overrides(self) -> tuple[Override, ...]:
        """What seniors wrote for this visit."""
        return (self.body(OverridesBody) or OverridesBody()).overrides

    @property
    def wish(self) -> Wish:
        """What the client wants, and within what."""
        return self.asked.wish

    @cached_property
    def history(self) -> dict[str, Before]:
        """How each modality ended when it was last done, and what the client said of it afterwards."""
        found: dict[str, Before] = {}
        marks: dict[str, tuple[datetime, str]] = {}
        for done in self.around.done:
            told = [(one.told or done.at, one.said) for one in done.said if one.said]
            after, happened = left_on(done.close.incidents, done.modality)
            left = [(done.at, after or done.close.mark), *((max(at, done.at), said.marked) for at, said in told)]
            marks |= [(done.modality, one) for one in left if one[1]]
            ended = Before(
                on=done.at.date(),
                at=done.did.figure,
                stepped_up=done.did.stepped_up,
                endpoint_seen=done.close.endpoints.get(done.modality, ""),
                incident=happened,
                redness=done.close.redness or 0,
                swelling=done.close.swelling or 0,
                pain=done.close.pain or 0,
            )
            at, mark = marks.get(done.modality, (done.at, ""))
            # What was told once it had been done again since had its letter; what was told later, of whichever visit,
            # has not.
            marked = {"mark": mark, "marked_on": at.date()} if mark and at >= done.at else {"mark": ""}
            ended = with_answers(ended, done.modality, [said for _, said in told])
            found[done.modality] = ended.model_copy(update=marked)
        return found

    @cached_property
    def facts(self) -> Facts:
        """What is known when a plan is made."""
        by = self.visit.therapist
        return Facts(
            today=self.today,
            born=self.visit.client.born,
            returning=self.previous is not None,
            answers=self.answers,
            findings=self.findings,
            history=self.history,
            reports=self.around.reports,
            exposed=still_matters(self.around.exposed, self.today),
            finger_mm=by.finger_mm or number("face.finger_breadth"),
            narrowed=self.narrowed,
            marks=self.marks,
            machines=self.machines,
            letters=self.letters,
            overrides=self.overrides,
            spots=self.around.spots,
            wish=self.wish,
            licences=frozenset(by.licences),
            senior=by.role in SENIORS,
            careful_hands=by.careful_hands,
            methods=self.house.methods,
            prices=self.house.prices,
            slot=self.visit.minutes,
        )

    @cached_property
    def brief(self) -> Brief:
        """What follows from the facts, with all that was worked out from the same ones lately."""
        return brief_of(self.facts)

    @property
    def consent(self) -> ConsentBody:
        """What was said to the plan last, whether it still stands or not."""
        return self.body(ConsentBody) or ConsentBody()

    @property
    def consented(self) -> bool:
        """Whether the client agreed to the plan as it now stands: an answer, a finding or a setting changed since makes
        it void.
        """
        agreed_to, stands = self.consent.to, self.standing_versions
        if "order" in self.records:  # once begun, what is marked along the way changes no plan any more
            agreed_to, stands = (of.model_copy(update={"marks": ()}) for of in (agreed_to, stands))
        return self.consent.agreed and agreed_to == stands

    @property
    def standing_versions(self) -> Stood:
        """The versions that a plan follows from. Margins and marks only where they change it."""
        out = sorted(f"{mark.id} {version}" for version, mark in self.around.marks if mark_kinds()[mark.kind].keeps_out)
        return Stood(
            ask=self.version(AskBody),
            look=self.version(Findings),
            plan=self.version(Draft),
            margins=self.version(MarginsBody),
            overrides=self.version(OverridesBody),
            marks=tuple(out),
        )

    @property
    def shown(self) -> str:
        """What a screen that shows this file stands for, in a few signs: another once an answer, a finding or a setting
        has changed.
        """
        return sha256(self.standing_versions.model_dump_json().encode()).hexdigest()[:16]

    def done(self, phase: str) -> bool:
        """Whether a phase has its word."""
        if phase == "treat":
            return "order" in self.records
        return phase in self.records if phase != "plan" else self.consented


def still_asked(kept: Answers) -> Answers:
    """Answers as they were kept, without those to questions or with options that are asked otherwise now: they have to
    be asked again.
    """
    options = {question.id: {option.id for option in question.options} for question in book().question}
    return {key: one for key, one in kept.items() if {each.option for each in one.each} <= options.get(key, set())}


def find_visit(ctx: Context, visit_id: UUID) -> Visit:
    """The visit. Raises NotFound."""
    visit = ctx.db.get(Visit, visit_id)
    if visit is None:
        raise NotFound("There is no such visit.")
    return visit


def open_file(ctx: Context, visit_id: UUID, action: Action = "read notes") -> VisitFile:
    """The file, for somebody who may do this with it; opened once a request. Raises NotFound, Denied, Sealed."""
    ctx.demand("read notes")
    known = (ctx.files or {}).get(visit_id)
    file: VisitFile = known if known is not None else _opened(ctx, visit_id)
    ctx.demand(action, file.visit)
    return file


def _opened(ctx: Context, visit_id: UUID) -> VisitFile:
    found = visits.around(ctx.db, visit_id)
    if found is None:
        raise NotFound("There is no such visit.")
    ctx.zone = ZoneInfo(found.time_zone)
    machines = tuple(Machine(id=key, card=card) for key, card in read_cards(found.cards))
    file = VisitFile(found, machines, ctx.today)
    if ctx.files is not None:
        ctx.files[visit_id] = file
    return file


def forget(ctx: Context, visit_id: UUID) -> None:
    """What this request knows of a visit is not so any more: it is opened anew when it is asked for."""
    (ctx.files or {}).pop(visit_id, None)


@contextmanager
def changing(ctx: Context, visit_id: UUID, action: Action) -> Iterator[VisitFile]:
    """One's turn to write: two at once take turns, and the later reads what the earlier wrote. Raises as `open_file`
    does.
    """
    with ctx.saving(action, visit_id) as db:
        visits.lock(db, visit_id)
        forget(ctx, visit_id)  # what was read before one's turn may be old
        try:
            yield open_file(ctx, visit_id, action)
        except BaseException:
            forget(ctx, visit_id)
            raise
