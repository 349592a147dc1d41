"""Scales and the phototype questionnaire: entered, scored, kept with who and when."""

from dataclasses import dataclass, field
from typing import Annotated, Any
from uuid import UUID

from pydantic import Field

from merak.core.client.scales import SCALES, Scale, Scored
from merak.core.client.tone import ASKED, phototype_by, tone_of
from merak.core.errors import BadInput
from merak.core.working import Quantity
from merak.records.bodies.visit import ScaleBody, ScalesBody
from merak.services.context import Context, NotFound
from merak.services.forms import Otherwise, Prefixed, Shown, TypedForm, Whole, read, shown, texts
from merak.services.visit.file import VisitFile, changing, open_file


@dataclass
class ScalesPage:
    """One scale as the page shows it: its fields, its score where it was entered, last time's score, what is wrong by
    field.
    """

    scale: Scale
    fields: tuple[Shown, ...]
    scored: Scored | None
    before: str
    wrong: dict[str, str] = field(default_factory=dict)


@dataclass
class Scales:
    """The page: every scale, the questionnaire's points, the tone as it was measured."""

    file: VisitFile
    sheets: list[ScalesPage]
    points: dict[str, int]
    sum: Quantity | None
    tone: tuple[str, int, Quantity] | None
    wrong: dict[str, str] = field(default_factory=dict)
    typed: dict[str, str] = field(default_factory=dict)


def scales(ctx: Context, visit_id: UUID) -> Scales:
    """What stands."""
    return _page(open_file(ctx, visit_id))


def _page(
    file: VisitFile,
    name: str = "",
    form: dict[str, str] | None = None,
    wrong: dict[str, str] | None = None,
    typed: dict[str, str] | None = None,
) -> Scales:
    kept = (file.body(ScalesBody) or ScalesBody()).root
    earlier = (file.before(ScalesBody) or ScalesBody()).root
    sheets = []
    for scale in SCALES.values():
        entry = kept[scale.id].entry if scale.id in kept else None
        values = form if form and scale.id == name and wrong else texts(entry or scale.entry(), f"{scale.id}.")
        before = earlier.get(scale.id)
        words = f"{before.score:g}, {before.band}" if before else ""
        fields = shown(scale.entry, values or {}, f"{scale.id}.")
        sheets.append(
            ScalesPage(
                scale, fields, scale.score(entry) if entry else None, words, wrong or {} if scale.id == name else {}
            )
        )
    points = file.findings.burning
    try:
        total = phototype_by(points)[1] if points else None
    except BadInput:
        total = None
    tone = tone_of(file.findings.tone) if file.findings.tone else None
    return Scales(file, sheets, points, total, tone, wrong or {}, typed or {})


def score(ctx: Context, visit_id: UUID, name: str, form: dict[str, str]) -> Scales:
    """Keeps a scale as it was entered, with its score. Raises NotFound for a scale that there is not; what is wrong
    comes back by field.
    """
    ctx.demand("look")
    if name not in SCALES:
        raise NotFound("There is no such scale.")
    scale = SCALES[name]
    try:
        entry = read(scale.entry, form, f"{name}.")
    except BadInput as bad:
        return _page(open_file(ctx, visit_id, "look"), name, form, bad.fields)
    found = scale.score(entry)
    with changing(ctx, visit_id, "look") as file:
        one = ScaleBody(entry=entry, score=found.score.value, band=found.band, by=ctx.me.name, at=ctx.now)
        others = (file.body(ScalesBody) or ScalesBody()).root
        file.keep(ctx, ScalesBody({**others, name: one}))
    return _page(open_file(ctx, visit_id))


def take_phototype(ctx: Context, visit_id: UUID, form: dict[str, str]) -> Scales:
    """The phototype `by` "questions" ("points.…") or by a measured tone ("tone.l", ".a", ".b"), into today's findings.

    What is wrong comes back by field, and nothing is changed.
    """
    try:
        changed = _by_questions(form) if form.get("by") == "questions" else _by_tone(form)
    except BadInput as bad:
        return _page(open_file(ctx, visit_id, "look"), wrong=bad.fields, typed=form)
    with changing(ctx, visit_id, "look") as file:
        file.keep(ctx, file.findings.model_copy(update=changed))
    return _page(open_file(ctx, visit_id))


Measured = Annotated[
    float | None,
    Otherwise("L*, a* and b*, three numbers within 128, as the meter shows them.", needed=True),
    Field(ge=-128, le=128),
]


class ToneForm(TypedForm):
    """A tone as a meter shows it."""

    l: Measured = Field(None, alias="tone.l")  # noqa: E741 (L*)
    a: Measured = Field(None, alias="tone.a")
    b: Measured = Field(None, alias="tone.b")


class PointsForm(TypedForm):
    """The questionnaire's points, by question."""

    points: Annotated[dict[str, Whole], Prefixed("points.")] = Field(default_factory=dict)


def _by_questions(form: dict[str, str]) -> dict[str, Any]:
    points = PointsForm.parse(form)[0].points
    try:
        return {
            "phototype": phototype_by({one.id: points[one.id] for one in ASKED if one.id in points})[0],
            "burning": points,
        }
    except BadInput as bad:
        raise BadInput({f"points.{key}": words for key, words in bad.fields.items()}) from bad


def _by_tone(form: dict[str, str]) -> dict[str, Any]:
    asked, wrong = ToneForm.parse(form)
    if wrong:
        raise BadInput({"tone": next(iter(wrong.values()))})
    measured = (asked.l or 0.0, asked.a or 0.0, asked.b or 0.0)
    return {"phototype": tone_of(measured)[1], "tone": measured}
