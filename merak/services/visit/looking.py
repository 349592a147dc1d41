"""The skin analysis: skin, grades on the plate, heights, tapes."""

from dataclasses import dataclass
from typing import Annotated, Any, Literal
from uuid import UUID

from pydantic import Field, ValidationError, create_model

from merak.core.body.marks import Mark
from merak.core.body.plate import PLATES, SIDES, plate, zone_names
from merak.core.body.tapes import ALL
from merak.core.body.treatable import BESIDE, Treatable
from merak.core.client import Arrival, Findings
from merak.core.errors import BadInput
from merak.core.knowledge import conditions, usual_work
from merak.core.plan.side import FirstSide, first_side
from merak.services.context import Context
from merak.services.forms import Otherwise, TypedForm, Whole
from merak.services.visit.file import VisitFile, changing, open_file

NUMBERS = {
    "brow_right_mm": "brow, right",
    "brow_left_mm": "brow, left",
    "cheek_right_mm": "cheekbone, right",
    "cheek_left_mm": "cheekbone, left",
    **{tape.field: tape.words for tape in ALL},
}
#: Where conditions are graded: on all of the face but the ear.
ZONES = frozenset(zone_names("face")) - BESIDE
GRADABLE = {name: one for name, one in conditions().items() if one.letter}
MOST = 4
#: As far as meters of capacitance reach.
MOST_HYDRATED = 120


@dataclass
class Looked:
    """The look page. `typed` holds fields as they were typed where they could not be kept."""

    file: VisitFile
    findings: Findings
    area: Treatable
    first: FirstSide
    wrong: dict[str, str]
    typed: dict[str, str]

    @property
    def marks(self) -> tuple[Mark, ...]:
        """What is marked on the face."""
        return tuple(mark for mark in self.file.marks if mark.plate == "face")


def looked(ctx: Context, visit_id: UUID) -> Looked:
    """What stands."""
    return _page(open_file(ctx, visit_id), {}, {})


def _page(file: VisitFile, wrong: dict[str, str], typed: dict[str, str]) -> Looked:
    findings = file.findings
    return Looked(file, findings, file.brief.area(usual_work()), first_side(findings), wrong, typed)


class SkinForm(TypedForm):
    """Skin as it is looked at; what is not sent stays as it was."""

    build: str | None = None
    skin_type: Literal["dry", "normal", "combination", "oily"] | None = None
    arrived: Arrival | None = None
    phototype: Annotated[Whole | None, Field(ge=1, le=6)] = None
    sensitive: Literal["yes", "no", ""] | None = None
    hydration: Annotated[
        Whole | None,
        Field(ge=0, le=MOST_HYDRATED),
        Otherwise(f"A whole number from 0 to {MOST_HYDRATED}, as the meter shows it."),
    ] = None


Millimetres = Annotated[float | None, Otherwise("“{typed}” is not a number of millimetres.")]
_HEIGHTS: dict[str, Any] = dict.fromkeys(NUMBERS, (Millimetres, None))
#: The same with heights and tapes.
FindingsForm = create_model("FindingsForm", __base__=SkinForm, **_HEIGHTS)


def save_findings(ctx: Context, visit_id: UUID, form: dict[str, str]) -> Looked:
    """Keeps what can be kept of the form's skin, heights and tapes; what is wrong comes back by field, as typed."""
    asked, wrong = FindingsForm.parse(form)
    said = asked.model_fields_set - wrong.keys()
    with changing(ctx, visit_id, "look") as file:
        body: dict[str, Any] = file.findings.model_dump(mode="json")
        if asked.build:  # before the tapes: their bounds follow from it
            _take_build(body, asked.build, wrong)
        for field in NUMBERS:
            if field in said:
                _take(body, field, getattr(asked, field), wrong)
        body |= {field: getattr(asked, field) for field in ("skin_type", "phototype") if getattr(asked, field)}
        if "arrived" in said:
            body["arrived"] = asked.arrived or ""
        if "hydration" in said:
            body["hydration"] = asked.hydration
        if "sensitive" in said:
            body["sensitive"] = {"yes": True, "no": False}.get(asked.sensitive or "")
        _keep(ctx, file, body)
    wrong = {field: words for field, words in wrong.items() if field in form and field not in UNTOLD}
    return _page(open_file(ctx, visit_id), wrong, {field: form[field] for field in wrong})


#: Chosen, not typed: what is none of the choices leaves all as it was.
UNTOLD = frozenset({"arrived", "skin_type", "phototype", "sensitive"})


def _take_build(body: dict[str, Any], build: str, wrong: dict[str, str]) -> None:
    """Another build, when there is such a one and the tapes that were measured can belong to it."""
    try:
        measures = Findings.model_validate({**body, "build": build}).measures
        for name in PLATES:
            plate(measures, name)
    except ValidationError:
        wrong["build"] = "Which build: women's mean or men's mean?"
    except BadInput as bad:
        wrong["build"] = f"The tapes measured do not go with it. {' '.join(bad.fields.values())}"
    else:
        body["build"] = build


def _take(body: dict[str, Any], field: str, millimetres: float | None, wrong: dict[str, str]) -> None:
    """One number into the body when it fits."""
    before, body[field] = body[field], millimetres
    try:
        measures = Findings.model_validate(body).measures
        for name, kind in PLATES.items():
            if any(tape.field == field for tape in kind.tapes):
                plate(measures, name)
    except BadInput as bad:  # a tape that does not go with the others is told where it was typed
        wrong[field] = bad.fields.get(field) or next(iter(bad.fields.values()))
    except ValidationError:
        wrong[field] = f"{millimetres:g} mm is out of reach: a height above the level line lies between 0 and 60 mm."
    if field in wrong:
        body[field] = before


def tap_zone(ctx: Context, visit_id: UUID, kind: str, zone: str) -> Looked:
    """A tap on a zone, "side zone": its grade goes up by one, and from 4 back to none. Raises
    BadInput off the plate.
    """
    side, _, name = zone.partition(" ")
    with changing(ctx, visit_id, "look") as file:
        if kind not in GRADABLE or side not in SIDES or name not in ZONES:
            raise BadInput({"zone": "That is not a zone where this is graded."})
        body: dict[str, Any] = file.findings.model_dump(mode="json")
        graded = body["grades"].get(kind, {})
        grade = graded.get(zone, 0) + 1
        body["grades"] = {**body["grades"], kind: {**graded, zone: grade if grade <= MOST else 0}}
        _keep(ctx, file, body)
    return looked(ctx, visit_id)


def _keep(ctx: Context, file: VisitFile, body: dict[str, Any]) -> None:
    """A new version when there is something new."""
    try:
        kept = Findings.model_validate(body)
    except ValidationError as broken:
        raise BadInput({str(error["loc"][0]): error["msg"] for error in broken.errors()}) from broken
    if kept != file.body(Findings):
        file.keep(ctx, kept)
