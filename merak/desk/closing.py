"""Closing: planned beside done, the skin's answer, the aftercare sheet."""

from dataclasses import dataclass
from datetime import datetime
from typing import Any
from uuid import UUID

from merak.core.after.aftercare import SheetLine, sheet, tags_done
from merak.core.errors import BadInput
from merak.core.knowledge import about
from merak.core.modality.catalogue import MODALITIES
from merak.core.plan.chair import Step
from merak.core.plan.screening import HOUSEKEEPING
from merak.core.session import StepFacts, StepRun, step_facts
from merak.desk.desk import Desk, OutOfTurn
from merak.desk.file import VisitFile, turn
from merak.desk.treating import Run, run_file
from merak.records import events, visits

#: Field → (words, most). Grades as the handbook of outcomes has them.
GRADES = {"redness": ("Redness", 4), "swelling": ("Swelling", 4), "pain": ("Pain at worst", 10), "comfort": ("Comfort", 10)}


@dataclass
class Closed:
    """The close page: what was to be and what was, what the form holds, the sheet."""

    file: VisitFile
    run: Run | None
    facts: list[StepFacts]
    form: dict[str, str]
    sheet: tuple[SheetLine, ...]
    ended: datetime
    next_at: datetime | None
    wrong: dict[str, str]


def closing(desk: Desk, visit_id: UUID, form: dict[str, str] | None = None, wrong: dict[str, str] | None = None) -> Closed:
    """What stands, the grades prefilled as typed or as kept."""
    file, run = run_file(desk, visit_id)
    kept = file.body("close")
    held = {key: str(kept[key]) for key in (*GRADES, "note", "explained") if key in kept} if form is None else form
    facts = step_facts(run.steps, run.state, desk.now) if run else []
    ended = datetime.fromisoformat(kept["ended"]) if "ended" in kept else _ended(desk, visit_id)
    following = visits.after(desk.db, file.visit)
    next_at = following.starts_at.astimezone(desk.zone) if following else None
    grades = {key: int(held[key]) if held.get(key, "").isdigit() else 0 for key in ("redness", "swelling")}
    worked = [tag for modality in _begun(run) for tag in about()[modality].tags]
    tags = tags_done(worked, grades["redness"], grades["swelling"])
    lines = sheet(tags, ended.astimezone(desk.zone), next_at)
    return Closed(file, run, facts, held, lines, ended.astimezone(desk.zone), next_at, wrong or {})


def _begun(run: Run | None) -> list[str]:
    """The modalities that were really begun: at least one stroke, or the light switched on."""
    if run is None:
        return []
    pairs = zip(run.steps, run.state.runs, strict=True)
    return list(dict.fromkeys(step.modality for step, done in pairs if step.modality and _worked(step, done)))


def _worked(step: Step, done: StepRun) -> bool:
    """Whether something of a step was really done: counted where it is counted, begun elsewhere. A spot alone is no treatment."""
    if step.spot is not None and not step.spot.same_visit:
        return False
    return bool(done.strokes) if step.wanted else done.begun is not None


def _ended(desk: Desk, visit_id: UUID) -> datetime:
    """The moment of the last tap; without any, now."""
    rows = events.events(desk.db, visit_id)
    return rows[-1].at if rows else desk.now


def close(desk: Desk, visit_id: UUID, form: dict[str, str]) -> Closed:
    """Closes the visit: the grades, the note, whether the sheet was explained. Raises BadInput by field, OutOfTurn in mid-treatment."""
    with turn(desk, visit_id, "close"):
        page = closing(desk, visit_id, form)
        _close(desk, visit_id, form, page)
    return closing(desk, visit_id)


def _close(desk: Desk, visit_id: UUID, form: dict[str, str], page: Closed) -> None:
    if page.run and page.run.state.phase in ("running", "paused", "halted"):
        raise OutOfTurn("The treatment is still running. Finish or stop it first.")
    body: dict[str, Any] = {"note": form.get("note", "").strip(), "ended": page.ended.isoformat()}
    wrong: dict[str, str] = {}
    for key, (words, most) in GRADES.items():
        raw = form.get(key, "")
        if raw.isdigit() and int(raw) <= most:
            body[key] = int(raw)
        elif page.run:
            wrong[key] = f"{words}: 0 to {most}."
    if form.get("explained") not in ("explained", "declined"):
        wrong["explained"] = "Was the sheet explained, or declined?"
    body["explained"] = form.get("explained")
    if not page.run and not body["note"]:
        wrong["note"] = "Nothing was treated: say why."
    if wrong:
        raise BadInput(wrong)
    body |= _done(page) | {"did": _did(desk, page)}
    visits.add_version(desk.db, visit_id, "close", body, desk.me.id, desk.now)
    lines = [line.model_dump(mode="json") for line in page.sheet]
    visits.add_version(desk.db, visit_id, "sheet", {"lines": lines}, desk.me.id, desk.now)
    visits.set_status(desk.db, visit_id, "closed")


def _did(desk: Desk, page: Closed) -> dict[str, Any]:
    """Each modality that was really begun, with where it was set and whether that was a step up from last time."""
    order = visits.order(desk.db, page.file.visit.id) if page.run else None
    begun_ = set(_begun(page.run)) - HOUSEKEEPING
    done = _done(page)
    ended = {"microcurrent": done.get("level"), "led": done.get("led_minutes")} | _set_to(page.run)
    found = {}
    for item in order.get("plan", {}).get("items", ()) if order else ():
        if item["modality"] in begun_:
            field, _, down = MODALITIES[item["modality"]].STEP
            at, before = ended.get(item["modality"]) or item["settings"].get(field), page.file.history.get(item["modality"])
            up = before is not None and before.at is not None and at is not None and (at < before.at if down else at > before.at)
            found[item["modality"]] = {"at": at, "stepped_up": up}
    return found


def _set_to(run: Run | None) -> dict[str, float]:
    """Where test spots took the settings, by modality."""
    pairs = zip(run.steps, run.state.runs, strict=True) if run else ()
    return {step.modality: one.set_to for step, one in pairs if one.set_to is not None}


def _done(page: Closed) -> dict[str, Any]:
    """What the next visit wants to know, from the events and not from the plan."""
    if page.run is None:
        return {"facts": []}
    levels = [fact.level for fact in page.facts if fact.level is not None and fact.done_strokes]
    light = [fact.done_s / 60 for step, fact in zip(page.run.steps, page.facts, strict=True) if step.modality == "led" and fact.reached]
    return {
        "facts": [fact._asdict() for fact in page.facts],
        "level": levels[-1] if levels else None,
        "led_minutes": round(sum(light), 1) if light else None,
        "stopped": page.run.state.reason if page.run.state.phase == "stopped" else "",
    }
