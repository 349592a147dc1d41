"""The plate page: one of the client's plates, surveyed for one modality as it is laid."""

from dataclasses import dataclass, field
from functools import cached_property
from typing import Any
from uuid import UUID

from pydantic import ValidationError

from merak.core.acts import Act, StrokeLine
from merak.core.body.marks import Mark
from merak.core.body.plate import PLATES
from merak.core.body.strokes import ON_PLATE
from merak.core.errors import BadInput
from merak.core.knowledge import usual_work, works
from merak.core.plan.side import FirstSide, first_side
from merak.core.plan.survey import LINES, Laying, Survey, places, survey, usual
from merak.core.treatment import RunState
from merak.services.context import Context
from merak.services.treatment.treating import run_of
from merak.services.visit.file import VisitFile, open_file


@dataclass
class Plated:
    """The page. `draft` is every field as text; `wrong` holds what cannot be read or used, by field: there the survey
    is as usual.
    """

    file: VisitFile
    name: str
    work: str
    draft: dict[str, str]
    survey: Survey
    first: FirstSide
    wrong: dict[str, str] = field(default_factory=dict)
    run: tuple[tuple[Act, ...], RunState] | None = None

    @cached_property
    def marks(self) -> tuple[Mark, ...]:
        """What is marked on this plate."""
        return tuple(mark for mark in self.file.marks if mark.plate == self.name)

    @property
    def done(self) -> list[tuple[StrokeLine, int]]:
        """Each line of today's treatment with how often it was stroked so far."""
        if self.run is None or self.name != "face":
            return []
        found = []
        for act, ran in zip(self.run[0], self.run[1].runs, strict=True):
            left = ran.strokes
            for line in act.lines:
                found.append((line, min(line.repeats, left)))
                left = max(0, left - line.repeats)
        return found


def plated(ctx: Context, visit_id: UUID, query: dict[str, str]) -> Plated:
    """The plate as the page's fields ask for it; what they do not say is as usual for the modality."""
    file = open_file(ctx, visit_id)
    name = query.get("plate", "face") if query.get("plate") in PLATES else "face"
    work = query.get("work", "") if query.get("work") in works() else usual_work()
    first = first_side(file.findings)
    fresh = query.get("of") != work  # another modality was chosen: its own usual laying
    asked = {} if fresh else {key: query[key] for key in Laying.model_fields if key in query}
    standard = usual(work, name)
    if asked.get("style") == LINES and name not in ON_PLATE:
        asked.pop("style")
    if asked.get("where") not in places(name):  # another plate was opened
        asked.pop("where", None)
    laying, wrong = _laying(standard, asked)
    brief = file.brief

    def surveyed(how: Laying) -> Survey:
        of = brief.facts
        return survey(of.findings.measures, work, how, of.finger_mm, first.side, name, of.narrowed, of.marks)

    try:
        found = surveyed(laying)
    except BadInput as bad:
        wrong |= bad.fields
        try:
            found = surveyed(standard)
        except BadInput:  # not even the usual tip will do on so large a plate: its areas stand
            found = surveyed(standard.model_copy(update={"manner": "area"}))
    draft = {key: _text(value) for key, value in laying.model_dump().items()} | {
        key: asked[key] for key in wrong if key in asked
    }
    page = Plated(file, name, work, draft, found, first, wrong)
    if "order" in file.records:
        run = run_of(ctx, visit_id)
        page.run = run.acts, run.state
    return page


def _text(value: object) -> str:
    return f"{value:g}" if isinstance(value, float) else str(value)


def _laying(standard: Laying, asked: dict[str, str]) -> tuple[Laying, dict[str, str]]:
    """The laying that was asked for; a field that cannot be read or used is left as usual, and told."""
    wrong: dict[str, str] = {}
    body = standard.model_dump()
    for key, typed in asked.items():
        value: object = typed.strip().replace(",", ".") if isinstance(body[key], (int, float)) else typed
        try:
            Laying.model_validate({**standard.model_dump(), key: value})
        except ValidationError as broken:
            wrong[key] = _said(key, typed, dict(broken.errors()[0]))
        else:
            body[key] = value
    return Laying.model_validate(body), wrong


def _said(key: str, typed: str, error: dict[str, Any]) -> str:
    """What is wrong with one field, in plain words."""
    limits = error.get("ctx", {})
    if error["type"] in ("greater_than", "greater_than_equal") and key in ("across_mm", "down_mm"):
        return "A tip is wider than nothing: more than 0 mm."
    if error["type"] == "less_than_equal" and key == "overlap":
        return "60 % at most: beyond that the tip hardly moves on."
    if error["type"] in ("greater_than", "greater_than_equal"):
        return f"From {limits.get('ge', limits.get('gt')):g} up."
    if error["type"] == "less_than_equal":
        return f"{limits['le']:g} at most."
    return f"“{typed}” is not a number that fits here."
