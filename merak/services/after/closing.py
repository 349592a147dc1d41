"""Closing: planned beside done and why it differs, the skin's answer, products left on, the sheet; then the record is
sealed.
"""

from dataclasses import dataclass
from datetime import datetime, timedelta
from itertools import chain
from typing import Annotated, Any, Literal
from uuid import UUID

from pydantic import Field

from merak.core.after.aftercare import too_near
from merak.core.after.answer import LOOKS, SEEN_MARKS, STOPPING_MARKS, SkinAnswer
from merak.core.after.differences import WHY, Difference, differences
from merak.core.after.energy import Delivered, both_given, delivered_by
from merak.core.after.exposures import given_by, reached, unknown_of
from merak.core.after.incidents import PastIncident
from merak.core.errors import BadInput, MerakError
from merak.core.knowledge import about, rule, shelf
from merak.core.knowledge.register import needs
from merak.core.modality.catalogue import MODALITIES
from merak.core.modality.device import Card
from merak.core.modality.exposed import Exposed
from merak.core.modality.shared import Modality, stronger
from merak.core.plan.screening import housekeeping
from merak.core.plan.stage import Stage, Worked, compute
from merak.core.plan.tray import to_clean
from merak.core.plan.visit_plan import visit_plan
from merak.core.treatment import ActFacts, act_facts
from merak.core.treatment.facts import delivered
from merak.core.treatment.order import Ordered
from merak.core.working import Caution
from merak.records import taps as records
from merak.records import visits
from merak.records.bodies.visit import CloseBody, Given, PhotosAfterBody, UsedProduct
from merak.services.after import follow_ups, registering
from merak.services.after.answering import answer_of
from merak.services.after.sheets import Sheet, body_of, done_tags, joined, keep_habits
from merak.services.after.sheets import kept as kept_sheet
from merak.services.clients.exposures import rewrite
from merak.services.clients.keeping import keep_drawing
from merak.services.context import Context, OutOfTurn
from merak.services.forms import Otherwise, Prefixed, TenGrade, TypedForm, cut
from merak.services.treatment.treating import Run, run_file
from merak.services.visit.file import VisitFile, changing, forget

needs(
    __name__,
    """
    words: close.products
    """,
)

#: Field → (words, most).
GRADES = {"pain": ("Pain at worst", 10), "comfort": ("Comfort", 10)}
PRODUCTS = 8
LOTS_OF = timedelta(days=60)


@dataclass
class Closed:
    """The close page: what was to be and what was, why it differs, how the skin answered, what the form holds, the
    sheet.
    """

    file: VisitFile
    kept: CloseBody
    run: Run | None
    order: Ordered | None
    facts: list[ActFacts]
    differences: tuple[Difference, ...]
    answer: SkinAnswer
    done: frozenset[str]
    begun: tuple[str, ...]
    tags: tuple[str, ...]
    form: dict[str, str]
    products: list[tuple[str, str, bool]]
    tools: list[tuple[str, str, bool]]
    sheet: Sheet
    ended: datetime
    next_at: datetime | None
    wrong: dict[str, str]

    @property
    def near(self) -> Caution | None:
        """A word where something strong was done too near an event."""
        return too_near(self.tags, self.sheet.personal, self.ended)

    @property
    def pictured(self) -> int:
        """How many photographs were taken after the treatment."""
        return len((self.file.body(PhotosAfterBody) or PhotosAfterBody()).root)

    @property
    def judged(self) -> tuple[str, ...]:
        """The modalities whose endpoint is asked for: those that give an amount of something."""
        return tuple(name for name in self.begun if name in MODALITIES and MODALITIES[name].AMOUNT)


def closing(
    ctx: Context, visit_id: UUID, form: dict[str, str] | None = None, wrong: dict[str, str] | None = None
) -> Closed:
    """What stands, the fields as typed or as kept."""
    file, run = run_file(ctx, visit_id)
    kept = file.body(CloseBody)
    order = visits.order(ctx.db, visit_id) if run else None
    facts = act_facts(run.order, run.state, ctx.now) if run else []
    stopped = run.state.reason if run and run.state.status == "stopped" else ""
    differ = differences(run.order, facts, stopped) if run else ()
    ended = ((kept.ended if kept else None) or _ended(ctx, visit_id)).astimezone(ctx.zone)
    following = visits.after(ctx.db, file.visit)
    next_at = following.starts_at.astimezone(ctx.zone) if following else None
    done = delivered(run.order, run.state, ctx.now) if run else ()
    answer, tags = answer_of(file), done_tags(run, order, done)
    if file.visit.status == "closed":
        sheet = kept_sheet(ctx, file, ended, next_at)
    else:
        sheet = joined(ctx, file, run, tags, (answer.worst("redness"), answer.worst("swelling")), ended, next_at, form)
    held = _held(kept) if form is None else form
    return Closed(
        file,
        kept or CloseBody(),
        run,
        order,
        facts,
        differ,
        answer,
        frozenset(done),
        _begun(run, done),
        tags,
        held,
        _products(ctx, file, run, order, kept, form),
        _tools(file, run, order, kept, form),
        sheet,
        ended,
        next_at,
        wrong or {},
    )


def _held(kept: CloseBody | None) -> dict[str, str]:
    """The form's fields as they were kept."""
    if kept is None:
        return {}
    texts = {key: getattr(kept, key) for key in (*GRADES, "note", "explained", "initials", "words", "senior", "marked")}
    found = {key: str(value) for key, value in texts.items() if value is not None}
    found |= {f"why.{n}": why for n, why in kept.why.items()}
    return found | {f"endpoint.{name}": seen for name, seen in kept.endpoints.items()}


def _begun(run: Run | None, done: tuple[str, ...]) -> tuple[str, ...]:
    """The modalities that were really done, and those in which something went wrong; housekeeping left out."""
    names = [act.modality for act in run.acts if act.stage in done] if run else []
    names += [one.modality for one in incidents_of(run)]
    return tuple(name for name in dict.fromkeys(names) if name and name not in housekeeping())


def incidents_of(run: Run | None) -> list[PastIncident]:
    """What went wrong, as later visits need it; what was struck out is left out."""
    return [
        PastIncident(card=one.card, zone=one.zone, grade=one.grade, modality=run.acts[one.act].modality, done=one.done)
        for one in (run.state.incidents if run else ())
        if run and not one.struck
    ]


def _ended(ctx: Context, visit_id: UUID) -> datetime:
    """The moment of the last tap; without any, now."""
    rows = records.since(ctx.db, visit_id)
    return rows[-1].at if rows else ctx.now


def _products(
    ctx: Context,
    file: VisitFile,
    run: Run | None,
    order: Ordered | None,
    kept: CloseBody | None,
    form: dict[str, str] | None,
) -> list[tuple[str, str, bool]]:
    """(product, lot, left on) as typed or kept; before that, what the steps use that were begun, with the lots that
    were used last.
    """
    if form is not None:
        return [(form.get(f"product.{n}", ""), form.get(f"lot.{n}", ""), f"left.{n}" in form) for n in range(PRODUCTS)]
    if kept:
        return [(one.product, one.lot, one.left) for one in kept.products]
    begun = _stages_begun(run, order)
    coats = visit_plan(file.brief, order.plan, chair=False).coats if order else {}
    laid = {one: coats.get(one.id, ()) for one in begun}
    beside = (thing for one in begun for thing in about()[one.modality].consumables if thing.lower() not in shelf())
    used = dict.fromkeys((*chain(*laid.values()), *beside))
    for thing in LINEN:
        used.pop(thing, None)
    lots = visits.last_lots(ctx.db, ctx.now - LOTS_OF) if used else {}
    stays = {thing for one, things in laid.items() if about()[one.modality].stays for thing in things}
    left = {thing for thing in stays if thing.lower() not in shelf() or shelf()[thing.lower()].kind not in GOES_IN}
    rows = sorted(((thing, lots.get(thing, ""), thing in left) for thing in used), key=lambda row: not row[2])
    return [*rows[: PRODUCTS - 1], *[("", "", False)] * max(1, PRODUCTS - len(rows) - 4)][:PRODUCTS]


def _stages_begun(run: Run | None, order: Ordered | None) -> list[Stage]:
    """The stages of which at least one act was begun."""
    if not run or not order:
        return []
    reached = {act.stage for act, one in zip(run.acts, run.state.runs, strict=True) if one.begun is not None}
    return [stage for stage in order.plan.stages if stage.id in reached]


def _tools(
    file: VisitFile, run: Run | None, order: Ordered | None, kept: CloseBody | None, form: dict[str, str] | None
) -> list[tuple[str, str, bool]]:
    """(id, name, cleaned) of the machines that touched skin, as ticked or kept."""
    tools = to_clean(file.brief, _stages_begun(run, order)).items()
    if form is not None:
        return [(key, name, f"cleaned.{key}" in form) for key, name in tools]
    return [(key, name, bool(kept and kept.cleaned.get(key))) for key, name in tools]


#: Kinds that are taken up and leave nothing on the skin.
GOES_IN = ("tonic", "mist")
#: Things without a lot.
LINEN = frozenset(
    {"towel", "swabs", "gauze", "gloves", "eye shields", "opaque eye shields", "band covers", "electrode sponge"}
)


def close(ctx: Context, visit_id: UUID, form: dict[str, str], base: str = "") -> None:
    """Closes and seals the visit; leaves follow-ups with their links (below `base`), and lines in the reactions
    register.

    Raises BadInput by field, OutOfTurn in mid-treatment.
    """
    with changing(ctx, visit_id, "close"):
        page = closing(ctx, visit_id, form)
        if page.run and page.run.state.status in ("running", "paused", "halted"):
            raise OutOfTurn("The treatment is still running. Finish or stop it first.")
        body = _read(ctx, page, form).model_copy(
            update={**_done(page), "did": _did(page), "exposures": _exposures(ctx, page)}
        )
        page.file.keep(ctx, body)
        page.file.keep(ctx, body_of(page.sheet))
        visits.set_status(ctx.db, visit_id, "closed")
        rewrite(ctx, page.file.visit)
        forget(ctx, visit_id)
        keep_habits(ctx, page.file.visit.client_id, page.sheet.personal, "large" in form)
        registering.from_close(ctx, page.file, page.run, page.answer, body)
        if page.begun:
            follow_ups.leave(ctx, visit_id, page.ended, page.next_at, base)


class CloseForm(TypedForm):
    """What is said at the close: grades, endpoints and reasons by act ("all" for every act that has none of its own),
    and how the sheet was explained.
    """

    note: Annotated[str, cut(2000)] = ""
    words: Annotated[str, cut(1000)] = ""
    pain: Annotated[TenGrade | None, Otherwise("Pain at worst: 0 to 10.")] = None
    comfort: Annotated[TenGrade | None, Otherwise("Comfort: 0 to 10.")] = None
    endpoints: Annotated[dict[str, str], Prefixed("endpoint.")] = Field(default_factory=dict)
    marked: str = ""
    senior: Annotated[str, cut(80)] = ""
    why: Annotated[dict[str, str], Prefixed("why.")] = Field(default_factory=dict)
    explained: Annotated[
        Literal["drawn", "initials", "declined"] | None,
        Otherwise("Initialled here, by letters, or declined?", needed=True),
    ] = None
    initials: Annotated[str, cut(6)] = ""
    signature: str = ""


def _read(ctx: Context, page: Closed, form: dict[str, str]) -> CloseBody:
    """The form as it is kept. Raises BadInput by field."""
    asked, wrong = CloseForm.parse(form)
    body = CloseBody(ended=page.ended, note=asked.note, words=asked.words, products=_products_used(page, wrong))
    body = body.model_copy(update={"cleaned": {key: ticked for key, _, ticked in page.tools}})
    if page.run:
        body = _with_answer(page, asked, body, wrong)
        body = _with_reasons(page, asked, body, wrong)
    elif not asked.note:
        wrong["note"] = "Nothing was treated: say why."
    if asked.explained == "initials" and not asked.initials:
        wrong["explained"] = "The client’s initials."
    if wrong:
        raise BadInput(wrong)
    signed = None
    if asked.explained == "drawn":
        signed = keep_drawing(
            ctx, page.file.visit.client_id, asked.signature, "explained", "There are no initials yet."
        )
    explained = {"explained": asked.explained, "initials": asked.initials, "signature": signed}
    return body.model_copy(update=explained)


def _with_answer(page: Closed, asked: CloseForm, body: CloseBody, wrong: dict[str, str]) -> CloseBody:
    """The body with how the skin answered, and how it felt."""
    answer = page.answer
    if answer.missing:
        looks = " and ".join(LOOKS[one] for one in answer.missing)
        wrong["answer"] = f"Look once more {looks}: tap what is seen, or “nothing seen”."
    for key, (words, most) in GRADES.items():
        if getattr(asked, key) is None:
            wrong.setdefault(key, f"{words}: 0 to {most}.")
    endpoints = {name: asked.endpoints.get(name, "") for name in page.judged}
    wrong |= {
        f"endpoint.{name}": "Was it seen?" for name, seen in endpoints.items() if seen not in ("seen", "not seen")
    }
    marked = asked.marked if answer.worst("marks") else ""
    if answer.worst("marks") and marked not in SEEN_MARKS:
        wrong["marked"] = "What kind of mark?"
    if answer.asks_senior and not asked.senior:
        wrong["senior"] = "Grade 3 or more: which senior looked, or was asked?"
    return body.model_copy(
        update={
            "redness": answer.worst("redness"),
            "swelling": answer.worst("swelling"),
            "pain": asked.pain,
            "comfort": asked.comfort,
            "endpoints": endpoints,
            "marked": marked,
            "mark": SEEN_MARKS[marked] if marked in STOPPING_MARKS else "",
            "senior": asked.senior,
        }
    )


def _with_reasons(page: Closed, asked: CloseForm, body: CloseBody, wrong: dict[str, str]) -> CloseBody:
    """The body with what was done otherwise, and why."""
    reasons = {}
    for one in page.differences:
        why = one.because or asked.why.get(f"{one.act}", "") or asked.why.get("all", "")
        if not one.because and why not in WHY:
            wrong[f"why.{one.act}"] = "Why?"
        elif why == "other" and not asked.note:
            wrong["note"] = "Why it was done otherwise."
        reasons[f"{one.act}"] = why
    return body.model_copy(update={"why": reasons, "differences": page.differences})


def _products_used(page: Closed, wrong: dict[str, str]) -> tuple[UsedProduct, ...]:
    found = []
    for n, (product, lot, left) in enumerate(page.products):
        if product.strip():
            found.append(UsedProduct(product=product.strip()[:80], lot=lot.strip()[:40], left=left))
            if left and not lot.strip():
                wrong[f"lot.{n}"] = f"Its lot, or “none”. {rule('close.products').reason}"
        elif lot.strip():
            wrong[f"product.{n}"] = "Which product?"
    return tuple(found)


def _did(page: Closed) -> dict[str, Given]:
    """Each modality that was really begun: where it was set, whether that was a step up, on which machine, how much of
    it was given. A stage that was never done, or that is set otherwise than the work is, says nothing of where.
    """
    found: dict[str, Given] = {}
    names = {one.id: one.card.name for one in page.file.machines}
    stages = page.order.plan.stages if page.order else ()
    done = {stage.modality for stage in stages if stage.id in page.done}
    for stage in stages:
        if stage.modality not in page.begun:
            continue
        module, before = MODALITIES[stage.modality], page.file.history.get(stage.modality)
        tells = stage.as_it_was.comparable and (stage.id in page.done or stage.modality not in done)
        at = (_ended_at(page, stage) or stage.at) if tells else None
        was, card = before.at if before else None, page.file.brief.card(stage.modality, stage.machine)
        one = Given(
            at=at,
            stepped_up=at is not None and was is not None and stronger(module, at, was, card),
            device=stage.machine,
            machine=names.get(stage.machine, ""),
            given=_given(page, stage, at),
        )
        earlier = found.get(stage.modality)
        found[stage.modality] = one if earlier is None else _with_both(module, earlier, one, card)
    return found


def _with_both(module: Modality, one: Given, other: Given, card: Card | None) -> Given:
    """Two stages of one work as one: the gentler of the settings, which the next visit begins from; what was given in
    both.
    """
    was, now = one.figure, other.figure
    gentler = other if was is None or (now is not None and stronger(module, was, now, card)) else one
    return gentler.model_copy(update={"given": both_given(module.AMOUNT, one.given, other.given)})


def _ended_at(page: Closed, stage: Stage) -> float | None:
    """Where a stage really ended, by the taps: where a spot took it, at what was counted last, or after the minutes
    that were done; None where it is as it was set.
    """
    pairs = zip(page.run.acts, page.run.state.runs, page.facts, strict=True) if page.run else ()
    mine = [(act, run, fact) for act, run, fact in pairs if act.stage == stage.id]
    if spots := [run.set_to for _, run, _ in mine if run.set_to is not None]:
        return spots[-1]
    ways = MODALITIES[stage.modality].WAYS
    if ways.ended == "counted":
        return next((fact.level for _, _, fact in reversed(mine) if fact.level is not None and fact.done_strokes), None)
    if ways.ended == "done":
        return round(sum(fact.done_s for act, _, fact in mine if fact.reached and act.modality) / 60, 1) or None
    return None


def _given(page: Closed, stage: Stage, at: float | None) -> Delivered | None:
    """How much was planned, and given by the setting that it really ended with; minutes that were done are in the share
    already.
    """
    prefix, numbers = f"{stage.id}.", page.order.numbers if page.order else {}
    planned = {key.removeprefix(prefix): told for key, told in numbers.items() if key.startswith(prefix)}
    ended = _ended_otherwise(stage, at)
    really = _worked(page, ended) if ended else None
    return delivered_by(stage.modality, planned, really.dose.numbers if really else planned, _share(page, stage.id))


def _ended_otherwise(stage: Stage, at: float | None) -> Stage | None:
    """A stage as it was set at the last; None where that is as it was planned, or only its minutes differ."""
    module = MODALITIES[stage.modality]
    if at is None or at == stage.at or module.WAYS.ended == "done":
        return None
    return stage.with_settings(stage.values | {module.INCREMENT.field: at})


def _worked(page: Closed, stage: Stage) -> Worked | None:
    """What a stage came to; None where that cannot be computed."""
    try:
        return compute(page.file.brief, stage)
    except (MerakError, ValueError):
        return None


def _exposures(ctx: Context, page: Closed) -> tuple[Exposed, ...]:
    """What the skin was given, stage by stage: by the settings that each ended with, as much of it as was done, where
    it was. What cannot be computed any more is unknown.
    """
    if page.order is None or page.run is None:
        return ()
    on = page.file.visit.starts_at.astimezone(ctx.zone).date()
    found: list[Exposed] = []
    for stage in (one for one in page.order.plan.stages if one.id in page.done):
        if stage.modality in housekeeping():
            continue
        pairs = zip(page.run.acts, page.run.state.runs, strict=True)
        mine = [(act, run) for act, run in pairs if act.stage == stage.id and act.modality and not act.only_spot]
        zones = reached(mine, page.order.zones.get(stage.id, {}))
        ended = _ended_otherwise(stage, _ended_at(page, stage))
        really = _worked(page, ended or stage)
        worked = really or _worked(page, stage)
        if worked is None:
            found += unknown_of(stage.modality, zones, on)
            continue
        counted = any(act.wanted for act, _ in mine)
        share = max(_share(page, stage.id), 1) if counted else _share(page, stage.id)
        given = given_by(stage.modality, worked.footing.counts, worked.exposures, zones, share, on)
        found += given if really else (one.model_copy(update={"amount": None, "degree": None}) for one in given)
    return tuple(found)


def _share(page: Closed, stage_id: str) -> float:
    """How much of a stage was done: of its counted parts, else of those on a clock. Gel and mirror give nothing."""
    planned = done = 0.0
    pairs = zip(page.run.acts, page.facts, strict=True) if page.run else ()
    mine = [(act, fact) for act, fact in pairs if act.stage == stage_id and not act.only_spot]
    counted = any(fact.planned_strokes for _, fact in mine)
    for act, fact in mine:
        if bool(fact.planned_strokes) if counted else act.must_end:
            planned += fact.planned_s
            part = (
                fact.done_strokes / fact.planned_strokes
                if fact.planned_strokes
                else fact.done_s / (fact.planned_s or 1)
            )
            done += fact.planned_s * part
    return round(done / planned, 3) if planned else 1.0


def _done(page: Closed) -> dict[str, Any]:
    """What the next visit wants to know, from the events and not from the plan."""
    if page.run is None:
        return {}
    return {
        "facts": tuple(page.facts),
        "stopped": page.run.state.reason if page.run.state.status == "stopped" else "",
        "endings": tuple(page.run.state.endings),
        "incidents": tuple(incidents_of(page.run)),
        "routine": page.order.plan.routine if page.order else "",
    }
