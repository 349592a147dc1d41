"""A client's progress: every scale and instrument over time, energy against the skin's answer, photographs, colour."""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime
from io import BytesIO
from uuid import UUID

import numpy as np

from merak.core.after.colour import ColourChange, Patch, change, patch
from merak.core.after.energy import Delivered
from merak.core.bench.answer import Curve, Thread
from merak.core.body.align import Similarity, similarity
from merak.core.client.scales import SCALES, ScaleReadings
from merak.core.client.tone import tone_angle
from merak.core.errors import BadInput
from merak.core.knowledge import conditions
from merak.core.plan.fitting import title
from merak.records import clients
from merak.records.clients import ClosedVisit
from merak.records.tables import Client
from merak.services.clients.keeping import kept_file
from merak.services.context import Context, NotFound
from merak.services.forms import finite
from merak.services.visit.picturing import VIEWS

PhotoPair = tuple[float, float]
#: The radius of a place that is measured in a photograph, as a share of its width.
PLACE = 0.015


@dataclass(frozen=True)
class ProgressRow:
    """How one modality was given at one visit, and how the skin answered."""

    at: datetime
    visit: UUID
    modality: str
    name: str
    unit: str
    planned: float | None
    done: float | None
    share: float
    redness: int | None
    swelling: int | None
    settled_h: float | None


@dataclass
class Progress:
    """The page: curves over days since the first visit, energy against answer, photographs by view."""

    client: Client
    first: datetime | None
    curves: list[Curve]
    rows: list[ProgressRow]
    doses: list[Curve]
    views: dict[str, int]


def progress(ctx: Context, client_id: UUID) -> Progress:
    """Everything that was measured of a client. Raises NotFound, Denied."""
    client, steps = _steps(ctx, client_id)
    first = steps[0].at.astimezone(ctx.zone) if steps else None
    rows = [row for step in steps for row in _rows(ctx, step)]
    pictured = {
        view: sum(view in shots.root for step in steps for shots in (step.photos, step.photos_after)) for view in VIEWS
    }
    return Progress(
        client, first, [*_curves(steps)], rows, [*_doses(rows)], {view: n for view, n in pictured.items() if n}
    )


def _steps(ctx: Context, client_id: UUID) -> tuple[Client, list[ClosedVisit]]:
    ctx.demand("read notes")
    client = ctx.db.get(Client, client_id)
    if client is None:
        raise NotFound("There is no such client.")
    return client, clients.progress(ctx.db, client_id)


def measures(step: ClosedVisit) -> dict[tuple[str, str], float]:
    """Everything that was measured at or after a visit: (what, its unit) → value."""
    found: dict[tuple[str, str], float] = {}
    for name, zones in step.look.grades.items():
        graded = [grade for grade in zones.values() if grade]
        if name in conditions() and zones:
            found[conditions()[name].title, "worst grade, of 4"] = max(graded, default=0)
    for name, kept in step.scales.root.items():
        if kept.score is not None:
            unit = SCALES[name].score(kept.entry).score.unit
            found[SCALES[name].title if name != "readings" else "Water loss", unit] = kept.score
        if isinstance(kept.entry, ScaleReadings) and kept.entry.sebum is not None:
            found["Sebum", "µg/cm²"] = float(kept.entry.sebum)
    if step.look.hydration is not None:
        found["Hydration", "meter’s points"] = float(step.look.hydration)
    if tone := step.look.tone:
        found["Tone, L*", "0 to 100"] = tone[0]
        found["Tone, a* (redness)", "a*"] = tone[1]
        if tone[2] > 0:
            found["Skin tone angle", "°"] = tone_angle(tone[0], tone[2])
    close = step.close
    for worst, words, most in (
        (close.redness, "Redness at close", "of 4"),
        (close.swelling, "Swelling at close", "of 4"),
        (close.pain, "Pain at worst", "of 10"),
        (close.comfort, "Comfort", "of 10"),
    ):
        if worst is not None:
            found[words, most] = float(worst)
    for said in step.said:
        if said.improvement is not None:
            found["Improvement, as the client says", "−2 to 2"] = said.improvement
        if said.satisfaction is not None:
            found["Content", "of 10"] = said.satisfaction
    return found


#: What is told in one unit but is not of one kind → what it is called together.
TOGETHER = {"worst grade, of 4": "What was found", "of 4": "The skin’s answer", "of 10": "As the client felt"}


def _curves(steps: list[ClosedVisit]) -> Iterable[Curve]:
    """One picture for each unit: what is measured in the same unit lies together, what was measured once is a dot."""
    lines: dict[str, dict[str, list[PhotoPair]]] = {}
    for step in steps:
        day = (step.at - steps[0].at).days
        for (what, unit), value in measures(step).items():
            lines.setdefault(unit, {}).setdefault(what, []).append((day, value))
    for unit, threads in lines.items():
        shown = tuple(
            Thread(name=what, points=tuple(points), dots=len(points) == 1) for what, points in threads.items()
        )
        name = next(iter(threads)) if len(threads) == 1 else TOGETHER.get(unit, ", ".join(threads))
        yield Curve(title=name, x="days since the first visit", y=unit, threads=shown, span=_span(unit))


def _span(unit: str) -> tuple[float, float] | None:
    """The whole of a scale, so that a small change looks small; from zero for amounts."""
    most = unit.rpartition("of ")[2]
    if most.isdigit():
        return 0.0, float(most)
    return {"−2 to 2": (-2.0, 2.0), "°": None, "a*": None}.get(unit, (0.0, 0.0))


def _rows(ctx: Context, step: ClosedVisit) -> Iterable[ProgressRow]:
    settled = [said.settled_h for said in step.said if said.settled_h is not None]
    for modality, told in step.close.did.items():
        given = told.given or Delivered(name="set to", unit="", planned=told.figure, done=told.figure, share=1.0)
        yield ProgressRow(
            at=step.at.astimezone(ctx.zone),
            visit=step.visit,
            modality=title(modality),
            name=given.name,
            unit=given.unit,
            planned=given.planned,
            done=given.done,
            share=given.share,
            redness=step.close.redness,
            swelling=step.close.swelling,
            settled_h=max(settled, default=None),
        )


def _doses(rows: list[ProgressRow]) -> Iterable[Curve]:
    """Energy against the skin's answer, one picture a modality, where there are two visits or more."""
    by: dict[tuple[str, str, str], list[ProgressRow]] = {}
    for row in rows:
        by.setdefault((row.modality, row.name, row.unit), []).append(row)
    for (modality, name, unit), mine in by.items():
        answers = {
            words: tuple(
                (row.done, float(value))
                for row in mine
                if row.done is not None and (value := getattr(row, key)) is not None
            )
            for key, words in (("redness", "redness"), ("swelling", "swelling"))
        }
        if len(answers["redness"]) >= 2:
            dots = tuple(Thread(name=words, points=points, dots=True) for words, points in answers.items() if points)
            yield Curve(
                title=f"{modality}: {name} given, and the answer",
                x=f"{name}, {unit}".rstrip(", "),
                y="of 4",
                threads=dots,
                span=(0.0, 4.0),
            )


@dataclass(frozen=True)
class Shot:
    """One photograph of a view: when, before or after the treatment, its file and size, its landmarks."""

    file: str
    words: str
    visit: UUID
    width: int
    height: int
    landmarks: tuple[PhotoPair, ...]

    @property
    def address(self) -> str:
        """Where its file is."""
        return f"/visits/{self.visit}/files/{self.file}"


@dataclass
class Compared:
    """Two photographs of one view side by side, the earlier laid over the later where landmarks allow; what changed in
    a place.
    """

    client: Client
    view: str
    shots: list[Shot]
    one: Shot | None
    other: Shot | None
    laid: Similarity | None
    changed: ColourChange | None
    points: dict[str, PhotoPair]
    wrong: dict[str, str]


def compared(
    ctx: Context, client_id: UUID, view: str, one: str = "", other: str = "", points: dict[str, str] | None = None
) -> Compared:
    """Photographs of a view, the first and the last unless others are named by their files.

    `points` are "x,y" in pixels: "neutral_one", "neutral_other" (the reference in each) and "place" (in the later):
    with all three the change of colour is measured. What is wrong comes back by field.
    """
    client, steps = _steps(ctx, client_id)
    view = view if view in VIEWS else "front"
    shots = [shot for step in steps for shot in _shots(ctx, step, view)]
    first = next((shot for shot in shots if shot.file == one), shots[0] if shots else None)
    last = next((shot for shot in shots if shot.file == other), shots[-1] if len(shots) > 1 else None)
    page = Compared(client, view, shots, first, last, None, None, {}, {})
    if first is None or last is None or first.file == last.file:
        return page
    try:
        page.laid = similarity(first.landmarks, last.landmarks) if first.landmarks and last.landmarks else None
        page.points = {key: _point(text) for key, text in (points or {}).items() if text}
        if {"neutral_one", "neutral_other", "place"} <= page.points.keys():
            page.changed = _changed(ctx, page, first, last)
    except BadInput as bad:
        page.wrong = bad.fields
    return page


def _shots(ctx: Context, step: ClosedVisit, view: str) -> Iterable[Shot]:
    day = step.at.astimezone(ctx.zone)
    for shots, when in ((step.photos.root, ""), (step.photos_after.root, ", after")):
        if view in shots:
            one = shots[view]
            yield Shot(str(one.file), f"{day:%a %-d %b %Y}{when}", step.visit, one.width, one.height, one.landmarks)


def _point(text: str) -> PhotoPair:
    try:
        x, y = map(finite, text.split(","))
    except ValueError:
        raise BadInput({"points": "Those points cannot be read. Click them again."}) from None
    return x, y


def _changed(ctx: Context, page: Compared, one: Shot, other: Shot) -> ColourChange:
    """What changed in the place that was pointed at, found again in the earlier photograph by its landmarks."""
    if page.laid is None:
        return ColourChange(
            sayable=False, words="Cannot say. The same landmarks have to be clicked in both photographs."
        )
    there = _undone(page.laid, page.points["place"])
    was, neutral_was = (_patch(ctx, page.client.id, one, at) for at in (there, page.points["neutral_one"]))
    now, neutral_now = (
        _patch(ctx, page.client.id, other, at) for at in (page.points["place"], page.points["neutral_other"])
    )
    if was is None or now is None:
        return ColourChange(sayable=False, words="Cannot say. The place lies outside one of the photographs.")
    return change(was, now, neutral_was, neutral_now)


def _undone(laid: Similarity, point: PhotoPair) -> PhotoPair:
    """Where a point of the later photograph lies in the earlier one."""
    x, y, size = point[0] - laid.e, point[1] - laid.f, laid.a**2 + laid.b**2
    return (laid.a * x + laid.b * y) / size, (laid.a * y - laid.b * x) / size


def _patch(ctx: Context, client_id: UUID, shot: Shot, at: PhotoPair) -> Patch | None:
    """The pixels around a point; None outside the photograph."""
    from PIL import Image  # heavy: only when colours are measured

    reach = max(3.0, PLACE * shot.width)
    box = (round(at[0] - reach), round(at[1] - reach), round(at[0] + reach), round(at[1] + reach))
    if box[0] < 0 or box[1] < 0 or box[2] > shot.width or box[3] > shot.height:
        return None
    with Image.open(BytesIO(kept_file(ctx, client_id, UUID(shot.file)).content)) as picture:
        pixels = np.asarray(picture.convert("RGB").crop(box), dtype=float).reshape(-1, 3)
    return patch(pixels)


def table(ctx: Context, client_id: UUID) -> tuple[list[str], list[list[object]]]:
    """Everything of a client's progress as a table: one measure a line. The audit keeps that it was taken out."""
    _, steps = _steps(ctx, client_id)
    lines: list[list[object]] = []
    for step in steps:
        day = f"{step.at.astimezone(ctx.zone):%Y-%m-%d}"
        lines += [[day, what, value, unit] for (what, unit), value in measures(step).items()]
        lines += [[day, f"{row.modality}: {row.name} given", row.done, row.unit] for row in _rows(ctx, step)]
    with ctx.saving("export progress", client_id):
        pass
    return ["day", "measure", "value", "unit"], lines
