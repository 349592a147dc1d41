"""A client's plate as JSON: surveyed for a modality, and its marks."""

from datetime import date
from typing import Annotated, Literal
from uuid import UUID

from fastapi import APIRouter, Request
from pydantic import BaseModel, Field

from merak.auth import entered
from merak.core.knowledge import usual_work
from merak.core.working import Caution, Quantity
from merak.services.visit import marking, plating

router = APIRouter(prefix="/api/visits/{visit_id}", tags=["plate"])
Point = tuple[float, float]


class ZoneOut(BaseModel):
    """A zone's areas in cm²."""

    side: Literal["right", "left"]
    zone: str
    whole_cm2: float
    treatable_cm2: float
    bony: bool
    thin: bool


class SectionOut(BaseModel):
    """A section in working order: its footprints' centres (mm, in walking order), or the rows' points (mm)."""

    name: str
    small_tip: bool
    area_cm2: float
    footprints: list[Point] = []
    rows: list[list[Point]] = []


class LineOut(BaseModel):
    """A stroke between landmarks."""

    path: str
    points: list[Point]
    length_mm: float
    bony: bool


class MarkOut(BaseModel):
    """A mark; its points in mm of this client's plate."""

    id: UUID
    kind: str
    shape: Literal["spot", "line", "area"]
    points: list[Point]
    size_mm: float
    grade: int | None
    value: float | None
    on: date
    note: str


class PlateOut(BaseModel):
    """A plate surveyed: x mm from the midline (the client's right negative), y mm down; numbers with their workings."""

    plate: str
    work: str
    zones: list[ZoneOut]
    sections: list[SectionOut]
    lines: list[LineOut]
    numbers: dict[str, Quantity]
    cautions: list[Caution]
    marks: list[MarkOut]
    slips: dict[str, str]


class MarkIn(BaseModel):
    """A mark to draw, or, with the `mark` of an earlier one, to draw anew. Points in mm of this client's plate."""

    plate: str
    kind: str
    shape: str
    points: Annotated[list[Point], Field(max_length=1000)]
    size_mm: float = 4
    grade: int | None = None
    value: float | None = None
    on: date | None = None
    note: Annotated[str, Field(max_length=500)] = ""
    mark: UUID | None = None


class Kept(BaseModel):
    """The id under which a mark stands."""

    mark: UUID


@router.get("/plate")
def plate(request: Request, visit_id: UUID) -> PlateOut:
    """The plate as the query's fields ask for it (plate, work, manner, shape, across_mm, …), the rest as usual for the
    modality.

    Fields that cannot be read or used are told in `slips`, and taken as usual. 403 without the right.
    """
    with entered(request) as ctx:
        query = dict(request.query_params)
        page = plating.plated(ctx, visit_id, {"of": query.get("work", usual_work()), **query})
        ctx.note_reading(visit_id)
        return _told(page)


def _told(page: plating.Plated) -> PlateOut:
    survey = page.survey
    described = set(MarkOut.model_fields) - {"points"}
    sections = [
        SectionOut(
            name=laid.section.name,
            small_tip=laid.section.small_tip,
            area_cm2=laid.skin.area / 100,
            footprints=[(x, y) for x, y in laid.grid.centres] if laid.grid else [],
            rows=[[(x, y) for x, y in piece] for piece in laid.travel.pieces] if laid.travel else [],
        )
        for laid in survey.laid
    ]
    return PlateOut(
        plate=page.name,
        work=page.work,
        zones=[
            ZoneOut(
                side=z.key[0],
                zone=z.key[1],
                whole_cm2=z.whole_cm2,
                treatable_cm2=z.treatable_cm2,
                bony=z.bony,
                thin=z.thin,
            )
            for z in survey.zones
        ],
        sections=sections,
        lines=[
            LineOut(path=line.path, points=list(line.points), length_mm=line.length_mm, bony=line.bony)
            for line in survey.lines
        ],
        numbers=survey.numbers,
        cautions=list(survey.cautions),
        marks=[MarkOut(points=mark.there(survey.plate), **mark.model_dump(include=described)) for mark in page.marks],
        slips=page.wrong,
    )


@router.post("/marks", status_code=201)
def put_mark(request: Request, visit_id: UUID, sent: MarkIn) -> Kept:
    """Draws a mark. 422, by field, for one that cannot be, 403 without the right or the token, 409 once the visit is
    closed.
    """
    form = {key: str(value) for key, value in sent.model_dump(exclude={"points"}).items() if value is not None}
    form["points"] = " ".join(f"{x},{y}" for x, y in sent.points)
    with entered(request) as ctx:
        return Kept(mark=marking.put(ctx, visit_id, form))


@router.delete("/marks/{mark_id}", status_code=204)
def remove_mark(request: Request, visit_id: UUID, mark_id: UUID) -> None:
    """Takes a mark off; its history stays. 404 for a mark that this client has not, or no longer."""
    with entered(request) as ctx:
        marking.remove(ctx, visit_id, mark_id)
