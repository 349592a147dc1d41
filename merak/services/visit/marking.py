"""Findings marked on the client's plates, and margins narrowed: every change is a version, and the last can be taken
back.
"""

from dataclasses import dataclass
from datetime import date, datetime
from typing import Annotated, Any
from uuid import UUID

import numpy as np
from pydantic import BeforeValidator, Field, ValidationError
from uuid_utils.compat import uuid7

from merak.core.body.marks import Mark, checked
from merak.core.body.plate import PLATES, plate
from merak.core.body.sketch import Plate
from merak.core.body.treatable import Narrowed, narrow
from merak.core.errors import BadInput
from merak.records import marks
from merak.records.bodies.visit import MarginsBody
from merak.records.tables import MarkVersion
from merak.services.context import Context, NotFound, OutOfTurn
from merak.services.forms import Otherwise, TypedForm, day_of
from merak.services.visit.file import VisitFile, changing, open_file


def put(ctx: Context, visit_id: UUID, form: dict[str, str]) -> UUID:
    """A new mark, or a mark drawn or described anew (`mark` holds its id). Points come in mm of the client's own plate.

    Raises BadInput, by field, for a mark that cannot be one; nothing is kept then.
    """
    with changing(ctx, visit_id, "look") as file:
        face = _plate(file, form.get("plate", ""))
        mark = checked(_read(form, face, ctx.today), face)
        if form.get("mark"):
            _standing(ctx, file, mark.id)
        _write(ctx, file, mark)
    return mark.id


def move(ctx: Context, visit_id: UUID, mark_id: UUID, by_mm: tuple[float, float]) -> None:
    """A mark moved by so many mm on the client's own plate. Raises BadInput where it would leave the skin."""
    with changing(ctx, visit_id, "look") as file:
        mark = _standing(ctx, file, mark_id).body
        face = _plate(file, mark.plate)
        there = face.carry(np.array(mark.points)) + np.array(by_mm)
        moved = mark.model_copy(update={"points": _home(there, face)})
        _write(ctx, file, checked(moved, face))


def remove(ctx: Context, visit_id: UUID, mark_id: UUID) -> None:
    """Takes a mark off the plate; its history stays."""
    with changing(ctx, visit_id, "look") as file:
        _write(ctx, file, _standing(ctx, file, mark_id).body, removed=True)


def undo(ctx: Context, visit_id: UUID) -> str:
    """Takes back the last change that I made to a mark in this visit, and says which.

    Raises OutOfTurn when there is none, or when somebody changed the mark since.
    """
    with changing(ctx, visit_id, "look") as file:
        last = marks.last_done(ctx.db, visit_id, ctx.me.id)
        if last is None:
            raise OutOfTurn("Nothing to take back in this visit.")
        every = marks.versions(ctx.db, file.visit.client_id, last.mark_id)
        undone = {version.undoes for version in every}
        if any(
            version.version > last.version and version.undoes is None and version.id not in undone for version in every
        ):
            raise OutOfTurn("Somebody changed this mark since; take theirs up with them.")
        before = [
            version
            for version in every
            if version.version < last.version and version.undoes is None and version.id not in undone
        ]
        gone = not before or before[-1].removed
        _write(ctx, file, (before[-1] if before else last).body, removed=gone, undoes=last.id)
    return f"{last.body.words}: {'put back' if last.removed else 'as it was' if not gone else 'taken off again'}."


@dataclass
class MarkLine:
    """One line of a mark's history: its words, what was done, by whom, when (aware), with its note."""

    words: str
    did: str
    by: str
    at: datetime
    note: str


def history(ctx: Context, visit_id: UUID, mark_id: UUID) -> list[MarkLine]:
    """How a mark came to be what it is, the newest first. Raises NotFound for a mark of somebody else."""
    file = open_file(ctx, visit_id)
    found = marks.history(ctx.db, file.visit.client_id, mark_id)
    if not found:
        raise NotFound("There is no such mark.")
    told = []
    for version, by in found:
        did = (
            "taken back"
            if version.undoes
            else "removed"
            if version.removed
            else "drawn"
            if version.version == 1
            else "changed"
        )
        told.append(MarkLine(version.body.words, did, by, version.at, version.body.note))
    return told


def narrow_margin(ctx: Context, visit_id: UUID, form: dict[str, str]) -> None:
    """A margin narrowed for this visit, by a senior, with a reason; an empty value puts the usual one back.

    Raises BadInput (value, reason), and Refused for a no-go area, whoever asks.
    """
    margin, typed = form.get("margin", ""), form.get("value", "").strip()
    with changing(ctx, visit_id, "narrow a margin") as file:
        others = tuple(entry for entry in file.narrowed if entry.margin != margin)
        kept = others if not typed else (*others, _narrowed(margin, typed, form.get("reason", "")))
        file.keep(ctx, MarginsBody(narrowed=kept))


class MarginForm(TypedForm):
    """A margin's breadth as it is typed."""

    value: Annotated[float | None, Otherwise("That is not a number.")] = None


def _narrowed(margin: str, typed: str, reason: str) -> Narrowed:
    asked = MarginForm.read({"value": typed})
    return narrow(margin, asked.value or 0.0, reason)


def _plate(file: VisitFile, name: str) -> Plate:
    if name not in PLATES:
        raise BadInput({"plate": "Which plate is it on?"})
    return plate(file.findings.measures, name)


def _points(typed: object) -> object:
    """Points as a form sends them, "x,y x,y …" in mm. Raises ValueError."""
    return [pair.split(",") for pair in typed.split()] if isinstance(typed, str) else typed


class MarkForm(TypedForm):
    """A mark as it is drawn and described; `points` in mm of the client's own plate."""

    kind: str = ""
    shape: str = ""
    size_mm: Annotated[float | None, Otherwise("That is not a number: millimetres.")] = None
    value: Annotated[float | None, Otherwise("That is not a number: a temperature.")] = None
    grade: Annotated[int | None, Otherwise("A grade is 0, 1, 2, 3 or 4.")] = None
    points: Annotated[
        tuple[tuple[float, float], ...],
        BeforeValidator(_points),
        Otherwise("That is not a drawing: points are “x,y x,y …” in mm."),
    ] = ()
    on: Annotated[date | None, day_of("past")] = None
    note: Annotated[str, Field(max_length=500), Otherwise("500 characters at most.")] = ""


def _read(form: dict[str, str], face: Plate, today: date) -> Mark:
    """The form's fields as a mark. Raises BadInput, by field."""
    asked = MarkForm.read(form, today=today)
    body = {key: value for key, value in dict(asked).items() if value is not None}
    body |= {"id": form.get("mark") or uuid7(), "plate": face.name, "on": asked.on or today}
    body["points"] = _home(np.array(asked.points), face) if asked.points else ()
    try:
        return Mark.model_validate(body)
    except ValidationError as broken:
        raise BadInput({str(e["loc"][0]): _said(str(e["loc"][0]), str(e["msg"])) for e in broken.errors()}) from broken


def _said(field: str, words: str) -> str:
    return {"shape": "Spot, line or area?"}.get(field, words)


def _home(there: Any, face: Plate) -> tuple[tuple[float, float], ...]:
    """Points of the client's plate in mm of the default build, to a hundredth."""
    return tuple((round(float(x), 2), round(float(y), 2)) for x, y in face.back(there))


def _standing(ctx: Context, file: VisitFile, mark_id: UUID) -> MarkVersion:
    """The version that stands. Raises NotFound for a mark that this client has not, or no longer."""
    every = marks.versions(ctx.db, file.visit.client_id, mark_id)
    if not every or every[-1].removed:
        raise NotFound("There is no such mark; it may have been removed.")
    return every[-1]


def _write(ctx: Context, file: VisitFile, mark: Mark, removed: bool = False, undoes: UUID | None = None) -> None:
    number = len(marks.versions(ctx.db, file.visit.client_id, mark.id)) + 1
    ctx.db.add(
        MarkVersion(
            mark_id=mark.id,
            client_id=file.visit.client_id,
            visit_id=file.visit.id,
            version=number,
            body=mark,
            removed=removed,
            undoes=undoes,
            by=ctx.me.id,
            at=ctx.now,
        )
    )
    ctx.db.flush()
    file.mark(number, mark, removed)
