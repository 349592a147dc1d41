"""Scales and the phototype questionnaire: entered, scored, kept with who and when."""

from dataclasses import dataclass, field
from typing import Any
from uuid import UUID

from merak.core.client.scales import SCALES, Scale, Scored
from merak.core.client.tone import ASKED, phototype_by, tone_of
from merak.core.errors import BadInput
from merak.core.whole import whole
from merak.core.working import Quantity
from merak.records.bodies.visit import ScaleBody, ScalesBody
from merak.services.context import Context, NotFound
from merak.services.fields import Shown, decimal, read, shown, texts
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


def _by_questions(form: dict[str, str]) -> dict[str, Any]:
    points = {one.id: told for one in ASKED if (told := whole(form.get(f"points.{one.id}"), 100)) is not None}
    try:
        return {"phototype": phototype_by(points)[0], "burning": points}
    except BadInput as bad:
        raise BadInput({f"points.{key}": words for key, words in bad.fields.items()}) from bad


def _by_tone(form: dict[str, str]) -> dict[str, Any]:
    tone = []
    for name in ("l", "a", "b"):
        try:
            tone.append(float(decimal(form.get(f"tone.{name}", "").strip())))
        except ValueError:
            raise BadInput({"tone": "L*, a* and b*, three numbers as the meter shows them."}) from None
    if not all(abs(value) <= 128 for value in tone):
        raise BadInput({"tone": "L*, a* and b* lie within 128."})
    measured = (tone[0], tone[1], tone[2])
    return {"phototype": tone_of(measured)[1], "tone": measured}
