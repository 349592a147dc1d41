"""A visit's file: the appointment, what stands on each phase, what came before, and the brief that a plan follows from."""

import json
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from datetime import date, datetime
from functools import cached_property
from hashlib import sha256
from typing import Any
from uuid import UUID
from zoneinfo import ZoneInfo

from pydantic import TypeAdapter

from merak.core.after.following import FollowUp, with_answers
from merak.core.after.incidents import PastIncident, left_on
from merak.core.body.marks import Mark
from merak.core.body.treatable import Narrowed
from merak.core.client import Findings, LastTime, Measures
from merak.core.knowledge import book, mark_kinds, number
from merak.core.modality.before import Before
from merak.core.modality.device import read_cards
from merak.core.plan.brief import Brief, Machine, Wish
from merak.core.plan.screening import Answer, Answers, Letter, Override
from merak.core.plan.spots import SpotAnswer, SpotRead
from merak.records import visits
from merak.records.tables import Visit
from merak.records.visits import EarlierVisit, VisitRecords, VisitSeen
from merak.services.context import Context, NotFound
from merak.services.permission import Action

STAGES = ("ask", "look", "plan", "treat", "close", "return")
ANSWERS: TypeAdapter[Answers] = TypeAdapter(dict[str, Answer])
SENIORS = ("senior", "owner")
#: The phases that a plan follows from.
FOLLOWED = ("ask", "look", "margins", "overrides")
MOST_BRIEFS = 32
#: Briefs that were used lately, by everything that they were made from.
_briefs: dict[str, Brief] = {}


@dataclass
class VisitFile:
    """One visit as the phases need it."""

    visit: VisitSeen
    records: dict[str, VisitRecords]
    previous: EarlierVisit | None
    earlier: dict[str, VisitRecords]
    machines: tuple[Machine, ...]
    today: date
    marked: list[VisitRecords]
    house: dict[str, Any]
    letters_kept: list[dict[str, Any]]
    done_before: list[tuple[str, str, dict[str, Any], dict[str, Any], list[dict[str, Any]] | None]]
    spots_read: list[tuple[str, dict[str, Any], str]]

    def body(self, phase: str) -> dict[str, Any]:
        """What stands on a phase; empty when nothing does."""
        return self.records[phase].body if phase in self.records else {}

    @cached_property
    def answers(self) -> Answers:
        """Today's answers."""
        return still_asked(self.body("ask").get("answers", {}))

    @cached_property
    def carried(self) -> Answers:
        """The answers of last time, to be confirmed; what is asked afresh at each visit is not carried."""
        earlier = self.earlier["ask"].body.get("answers", {}) if "ask" in self.earlier else {}
        return {key: answer for key, answer in still_asked(earlier).items() if key not in ("since", "changes")}

    @cached_property
    def findings(self) -> Findings:
        """Today's findings; before anything was looked at, those of last time (skin, grades, tapes), to be confirmed: heights are new."""
        if "look" in self.records:
            return Findings.model_validate(self.body("look"))
        lasting = ("skin_type", "phototype", "sensitive", "tone", "grades", "laxity", "fine_lines", *Measures.model_fields)
        earlier = self.earlier["look"].body if "look" in self.earlier else {}
        return Findings.model_validate({key: earlier[key] for key in lasting if key in earlier})

    @cached_property
    def last(self) -> LastTime | None:
        """What the last closed visit left behind."""
        if self.previous is None:
            return None
        closed = self.earlier["close"].body if "close" in self.earlier else {}
        kept = {key: closed.get(key) for key in ("level", "led_minutes", "redness", "swelling", "pain")}
        wrong = tuple(one.words for one in incidents_in(closed))
        return LastTime(on=self.previous.starts_at.date(), note=closed.get("note", ""), incidents=wrong, **kept)

    @cached_property
    def marks(self) -> tuple[Mark, ...]:
        """What is marked on the client's plates."""
        return tuple(Mark.model_validate(standing.body) for standing in self.marked)

    @cached_property
    def narrowed(self) -> tuple[Narrowed, ...]:
        """The margins that a senior narrowed for this visit."""
        return tuple(Narrowed.model_validate(entry) for entry in self.body("margins").get("narrowed", ()))

    @cached_property
    def letters(self) -> tuple[Letter, ...]:
        """The doctors' letters that came in."""
        came = (one for one in self.letters_kept if one.get("received") and one.get("says", "yes") == "yes")
        return tuple(
            Letter.model_validate({key: one[key] for key in ("rule", "received", "until", "note", "by") if key in one}) for one in came
        )

    @cached_property
    def overrides(self) -> tuple[Override, ...]:
        """What seniors wrote for this visit."""
        return tuple(Override.model_validate(one) for one in self.body("overrides").get("overrides", ()))

    @cached_property
    def wish(self) -> Wish:
        """What the client wants, and within what."""
        return Wish.model_validate(self.body("ask").get("wish", {}))

    @cached_property
    def history(self) -> dict[str, Before]:
        """How each modality ended when it was last done, and what the client said of it afterwards."""
        found: dict[str, Before] = {}
        marks: dict[str, tuple[datetime, str]] = {}
        for when, modality, did, close, said in self.done_before:
            then = datetime.fromisoformat(when)
            told = [(datetime.fromisoformat(one["told"]), FollowUp.model_validate(one["said"])) for one in said or () if "said" in one]
            after, happened = left_on(incidents_in(close), modality)
            left = [(then, after or str(close.get("mark", ""))), *((max(at, then), answer.marked) for at, answer in told)]
            marks |= [(modality, one) for one in left if one[1]]
            grades = {key: close.get(key) or 0 for key in ("redness", "swelling", "pain")}
            ended = Before(
                on=date.fromisoformat(when[:10]), at=did.get("at"), stepped_up=bool(did.get("stepped_up")),
                endpoint_seen=close.get("endpoints", {}).get(modality, ""), incident=happened, **grades,
            )  # fmt: skip
            found[modality] = with_answers(ended, modality, [answer for _, answer in told])
            at, mark = marks.get(modality, (then, ""))
            # What was told once it had been done again since had its letter; what was told later, of whichever visit, has not.
            marked = {"mark": mark, "marked_on": at.date()} if mark and at >= then else {"mark": ""}
            found[modality] = found[modality].model_copy(update=marked)
        return found

    @cached_property
    def spots(self) -> dict[str, SpotRead]:
        """The test spots that were read, the last of each modality."""
        return {
            modality: SpotRead(answer=SpotAnswer.model_validate(answer["answer"]), on=date.fromisoformat(when[:10]))
            for modality, answer, when in self.spots_read
        }

    @cached_property
    def brief(self) -> Brief:
        """What a plan follows from; the same as long as nothing of it changed, with all that was worked out from it."""
        stood = tuple((phase, self.records[phase].version) for phase in FOLLOWED if phase in self.records)
        marks = tuple((at.body["id"], at.version) for at in self.marked)
        outside = (self.visit[:5], self.visit.client, self.visit.therapist, self.today, self.previous)
        key = repr(
            (outside, stood, marks, self.house, self.letters_kept, self.done_before, self.spots_read, [one.id for one in self.machines])
        )
        found = _briefs.pop(key, None) or self._brief()
        _briefs[key] = found  # the last used last
        if len(_briefs) > MOST_BRIEFS:
            with suppress(RuntimeError, StopIteration):  # another is at it
                _briefs.pop(next(iter(_briefs)), None)
        return found

    def _brief(self) -> Brief:
        by = self.visit.therapist
        return Brief(
            today=self.today,
            born=self.visit.client.born,
            returning=self.previous is not None,
            answers=self.answers,
            findings=self.findings,
            last=self.last,
            history=self.history,
            finger_mm=by.finger_mm or number("face.finger_breadth"),
            narrowed=self.narrowed,
            marks=self.marks,
            machines=self.machines,
            letters=self.letters,
            overrides=self.overrides,
            spots=self.spots,
            wish=self.wish,
            licences=frozenset(by.licences),
            senior=by.role in SENIORS,
            careful_hands=by.careful_hands,
            methods=self.house.get("methods", {}),
            prices=self.house.get("prices", {}),
            slot=self.visit.minutes,
        )

    @property
    def consented(self) -> bool:
        """Whether the client agreed to the plan as it now stands: an answer, a finding or a setting changed since makes it void."""
        consent = self.body("consent")
        agreed_to, stands = consent.get("to", {}), self.standing_versions
        if "order" in self.records:  # once begun, what is marked along the way changes no plan any more
            agreed_to, stands = ({k: v for k, v in of.items() if k != "marks"} for of in (agreed_to, stands))
        return bool(consent.get("agreed")) and agreed_to == stands

    @property
    def standing_versions(self) -> dict[str, Any]:
        """The versions that a plan follows from; 0 where nothing was written. Margins and marks only where they change it."""
        stands: dict[str, Any] = {phase: self.records[phase].version if phase in self.records else 0 for phase in ("ask", "look", "plan")}
        for phase in ("margins", "overrides"):
            if phase in self.records:
                stands[phase] = self.records[phase].version
        out = sorted(f"{at.body['id']} {at.version}" for at in self.marked if mark_kinds()[at.body["kind"]].keeps_out)
        return {**stands, "marks": out} if out else stands

    @property
    def shown(self) -> str:
        """What a screen that shows this file stands for, in a few signs: another once an answer, a finding or a setting has changed."""
        return sha256(json.dumps(self.standing_versions, sort_keys=True).encode()).hexdigest()[:16]

    def done(self, phase: str) -> bool:
        """Whether a phase has its word."""
        if phase == "treat":
            return "order" in self.records
        return phase in self.records if phase != "plan" else self.consented


def incidents_in(close: dict[str, Any]) -> list[PastIncident]:
    """What went wrong in a closed visit, as its close kept it."""
    return [PastIncident.model_validate(one) for one in close.get("incidents", ())]


def still_asked(kept: dict[str, Any]) -> Answers:
    """Answers as they were kept, without those to questions or with options that are asked otherwise now: they have to be asked again."""
    options = {question.id: {option.id for option in question.options} for question in book().question}
    return {key: one for key, one in ANSWERS.validate_python(kept).items() if one.option in options.get(key, set())}


def find_visit(ctx: Context, visit_id: UUID) -> Visit:
    """The visit. Raises NotFound."""
    visit = ctx.db.get(Visit, visit_id)
    if visit is None:
        raise NotFound("There is no such visit.")
    return visit


def open_file(ctx: Context, visit_id: UUID, action: Action = "read notes") -> VisitFile:
    """The file, for somebody who may do this with it. Raises NotFound, Denied, Sealed."""
    ctx.demand("read notes")
    found = visits.around(ctx.db, visit_id)
    if found is None:
        raise NotFound("There is no such visit.")
    ctx.zone = ZoneInfo(found.time_zone)
    ctx.demand(action, found.visit)
    return VisitFile(
        found.visit, found.records, found.previous, found.earlier,
        tuple(Machine(id=key, card=card) for key, card in read_cards(found.cards)), ctx.today, found.marks,
        found.house, found.letters, found.done, found.spots,
    )  # fmt: skip


@contextmanager
def changing(ctx: Context, visit_id: UUID, action: Action) -> Iterator[VisitFile]:
    """One's turn to write: two at once take turns, and the later reads what the earlier wrote. Raises as `open_file` does."""
    with ctx.saving(action, visit_id) as db:
        visits.lock(db, visit_id)
        yield open_file(ctx, visit_id, action)
