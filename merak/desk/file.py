"""A visit's file: the appointment, what stands on each stage, what came before, and the brief that a plan follows from."""

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import date
from functools import cached_property
from typing import Any
from uuid import UUID
from zoneinfo import ZoneInfo

from pydantic import TypeAdapter

from merak.core.body.marks import Mark
from merak.core.body.treatable import Narrowed
from merak.core.client import Findings, LastTime, Measures
from merak.core.knowledge import mark_kinds, number
from merak.core.modality.device import LedCard, MicrocurrentCard
from merak.core.plan.screening import Answer, Answers
from merak.core.plan.visit_plan import Brief
from merak.desk.desk import Desk, NotFound
from merak.desk.permission import Action
from merak.desk.practice import CARD
from merak.records import visits
from merak.records.tables import Visit
from merak.records.visits import Earlier, Standing, VisitSeen

STAGES = ("ask", "look", "plan", "treat", "close", "return")
ANSWERS: TypeAdapter[Answers] = TypeAdapter(dict[str, Answer])


@dataclass
class VisitFile:
    """One visit as the stages need it."""

    visit: VisitSeen
    records: dict[str, Standing]
    previous: Earlier | None
    earlier: dict[str, Standing]
    cards: dict[str, Any]
    today: date
    marked: list[Standing]

    def body(self, stage: str) -> dict[str, Any]:
        """What stands on a stage; empty when nothing does."""
        return self.records[stage].body if stage in self.records else {}

    @cached_property
    def answers(self) -> Answers:
        """Today's answers."""
        return ANSWERS.validate_python(self.body("ask").get("answers", {}))

    @cached_property
    def carried(self) -> Answers:
        """The answers of last time, to be confirmed; what is asked afresh at each visit is not carried."""
        earlier = self.earlier["ask"].body.get("answers", {}) if "ask" in self.earlier else {}
        return {key: answer for key, answer in ANSWERS.validate_python(earlier).items() if key not in ("since", "changes")}

    @cached_property
    def findings(self) -> Findings:
        """Today's findings; before anything was looked at, the lasting ones of last time (skin type, phototype, tapes)."""
        if "look" in self.records:
            return Findings.model_validate(self.body("look"))
        lasting = ("skin_type", "phototype", "sensitive", *Measures.model_fields)
        earlier = self.earlier["look"].body if "look" in self.earlier else {}
        return Findings.model_validate({key: earlier[key] for key in lasting if key in earlier})

    @cached_property
    def last(self) -> LastTime | None:
        """What the last closed visit left behind."""
        if self.previous is None:
            return None
        closed = self.earlier["close"].body if "close" in self.earlier else {}
        kept = {key: closed.get(key) for key in ("level", "led_minutes", "redness", "swelling", "pain")}
        return LastTime(on=self.previous.starts_at.date(), note=closed.get("note", ""), **kept)

    @cached_property
    def marks(self) -> tuple[Mark, ...]:
        """What is marked on the client's plates."""
        return tuple(Mark.model_validate(standing.body) for standing in self.marked)

    @cached_property
    def narrowed(self) -> tuple[Narrowed, ...]:
        """The margins that a senior narrowed for this visit."""
        return tuple(Narrowed.model_validate(entry) for entry in self.body("margins").get("narrowed", ()))

    @cached_property
    def brief(self) -> Brief:
        """What a plan follows from."""
        return Brief(
            today=self.today,
            born=self.visit.client.born,
            returning=self.previous is not None,
            answers=self.answers,
            findings=self.findings,
            last=self.last,
            finger_mm=self.visit.therapist.finger_mm or number("face.finger_breadth"),
            narrowed=self.narrowed,
            marks=self.marks,
            microcurrent_card=self.cards.get("microcurrent"),
            led_card=self.cards.get("led"),
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
        stands: dict[str, Any] = {stage: self.records[stage].version if stage in self.records else 0 for stage in ("ask", "look", "plan")}
        if "margins" in self.records:
            stands["margins"] = self.records["margins"].version
        out = sorted(f"{at.body['id']} {at.version}" for at in self.marked if mark_kinds()[at.body["kind"]].keeps_out)
        return {**stands, "marks": out} if out else stands

    def done(self, stage: str) -> bool:
        """Whether a stage has its word."""
        if stage == "treat":
            return "order" in self.records
        return stage in self.records if stage != "plan" else self.consented


def find_visit(desk: Desk, visit_id: UUID) -> Visit:
    """The visit. Raises NotFound."""
    visit = desk.db.get(Visit, visit_id)
    if visit is None:
        raise NotFound("There is no such visit.")
    return visit


#: The modalities that a plan can hold.
PLANNED = ("microcurrent", "led")


def open_file(desk: Desk, visit_id: UUID, action: Action = "read notes") -> VisitFile:
    """The file, for somebody who may do this with it. Raises NotFound, Denied, Sealed."""
    desk.demand("read notes")
    found = visits.around(desk.db, visit_id)
    if found is None:
        raise NotFound("There is no such visit.")
    desk.zone = ZoneInfo(found.time_zone)
    desk.demand(action, found.visit)
    cards: dict[str, MicrocurrentCard | LedCard] = {}
    for modality, card in found.cards:  # of several for one modality, the one added first
        if modality in PLANNED and modality not in cards:
            cards[modality] = CARD.validate_python(card)
    return VisitFile(found.visit, found.records, found.previous, found.earlier, cards, desk.today, found.marks)


@contextmanager
def turn(desk: Desk, visit_id: UUID, action: Action) -> Iterator[VisitFile]:
    """One's turn to write: two at once take turns, and the later reads what the earlier wrote. Raises as `open_file` does."""
    with desk.saving(action, visit_id) as db:
        visits.lock(db, visit_id)
        yield open_file(desk, visit_id, action)
