"""The plan: start values, every change recomputed, consent."""

from dataclasses import dataclass, field
from typing import Any
from uuid import UUID

from pydantic import ValidationError

from merak.core.body.strokes import PATHS
from merak.core.dose.light import fluence_j_cm2, minutes_for
from merak.core.errors import BadInput, Refused
from merak.core.knowledge import about, rule
from merak.core.modality.led import irradiance
from merak.core.plan.screening import Standing
from merak.core.plan.visit_plan import Brief, Choice, VisitPlan, start_choice, visit_plan
from merak.core.working import Quantity
from merak.desk.desk import Desk, OutOfTurn
from merak.desk.fields import decimal, said
from merak.desk.file import VisitFile, open_file, turn
from merak.records import visits

#: What the client agrees to, by version, so that the record says which words were read.
CONSENT = {
    "2026-11": (
        "The plan was read to me: what is done, with which settings, how it may feel, how long it takes. "
        "I have said what I know about my health. I know that results differ and none is promised, and that I can say stop at any moment."
    )
}
CONSENT_VERSION = "2026-11"


@dataclass
class Planned:
    """The plan page. `draft` is every field as text; `wrong` holds what cannot be read, by field."""

    file: VisitFile
    board: dict[str, Standing]
    plan: VisitPlan | None
    draft: dict[str, str]
    wrong: dict[str, str] = field(default_factory=dict)
    start: dict[str, Quantity] = field(default_factory=dict)
    refusal: str = ""

    @property
    def slips(self) -> dict[str, str]:
        """What stands beside each field: what cannot be read, or what a ceiling refuses, with its reason and source."""
        refused = self.plan.refused if self.plan else {}
        return {key: f"{said.words} {said.act} [{rule(said.rule).source}]" for key, said in refused.items()} | self.wrong

    @property
    def settled(self) -> bool:
        """Whether the plan as it stands may be agreed to and started."""
        return self.plan is not None and self.plan.startable and not self.wrong


def planned(desk: Desk, visit_id: UUID) -> Planned:
    """The plan that stands; before there is one, the start-up plan."""
    return _page(open_file(desk, visit_id))


def _page(file: VisitFile) -> Planned:
    first, start = start_choice(file.brief)
    kept = file.body("plan")
    draft = kept.get("draft")
    return _computed(file, _fields(first, file.brief) if draft is None else draft, start, kept.get("changed", ""))


def _computed(file: VisitFile, draft: dict[str, str], start: dict[str, Quantity], changed: str = "") -> Planned:
    """The page that follows from a draft."""
    board = file.brief.board
    for modality, standing in board.items():
        if not standing.plannable:  # an answer given since stops it: the board says so, and consent is void
            draft = {**draft, modality: ""}
    page = Planned(file, board, None, draft, start=start)
    try:
        draft = page.draft = _twinned(draft, file.brief, changed)
        page.plan = visit_plan(file.brief, choice_of(draft))
    except BadInput as bad:
        page.wrong = bad.fields
    except Refused as refused:
        page.refusal = str(refused)
    return page


def recompute(desk: Desk, visit_id: UUID, form: dict[str, str], changed: str) -> Planned:
    """Takes a changed field and computes everything anew; the draft is kept whatever it says.

    A modality that screening stops is taken out again, and `refusal` says so.
    """
    file = open_file(desk, visit_id, "plan")
    first, start = start_choice(file.brief)
    stopped = [modality for modality, at in file.brief.board.items() if form.get(modality) == "on" and not at.plannable]
    form = form | dict.fromkeys(stopped, "")
    paths = [path for path in PATHS if form.get(f"path.{path}") == "on"]
    draft = {key: value for key, value in form.items() if key.partition(".")[0] in ("microcurrent", "led", "side")}
    if "microcurrent.level" in draft:
        draft["microcurrent.paths"] = "|".join(paths)
    if any(
        form.get(modality) == "on" and f"{modality}.{key}" not in draft for modality, key in (("microcurrent", "level"), ("led", "minutes"))
    ):
        for key, value in _fields(first, file.brief).items():  # a treatment was switched on that had no settings yet
            draft.setdefault(key, value if "." in key else "")
    page = _computed(file, draft, start, changed)
    with desk.saving("plan", visit_id, draft=True) as db:
        # Which field was typed last leads its twin, on the next load too.
        visits.add_version(db, visit_id, "plan", {"draft": page.draft, "changed": changed}, desk.me.id, desk.now, draft=True)
    if stopped:
        page.refusal = " ".join(f"{modality} cannot be planned: {page.board[modality].verdict}." for modality in stopped)
    return page


def take(desk: Desk, visit_id: UUID, values: dict[str, str]) -> Planned:
    """Takes values from the bench into a plan, each as if it had been typed. Raises OutOfTurn when their treatment is not in it."""
    with turn(desk, visit_id, "plan") as file:
        page = _page(file)
        missing = next((key.partition(".")[0] for key in values if page.draft.get(key.partition(".")[0]) != "on"), None)
        if missing:
            raise OutOfTurn(f"{about()[missing].title} is not in this plan. Choose it there first.")
        changed = next(iter(values))
        page = _computed(file, page.draft | values, page.start, changed)
        visits.add_version(desk.db, visit_id, "plan", {"draft": page.draft, "changed": changed}, desk.me.id, desk.now)
    return page


def start_over(desk: Desk, visit_id: UUID) -> Planned:
    """Back to the start-up plan."""
    with turn(desk, visit_id, "plan") as file:
        choice, start = start_choice(file.brief)
        page = _computed(file, _fields(choice, file.brief), start)
        visits.add_version(desk.db, visit_id, "plan", {"draft": page.draft}, desk.me.id, desk.now)
    return page


def _fields(choice: Choice, brief: Brief) -> dict[str, str]:
    """A choice as the form's fields."""
    draft: dict[str, str] = {"side": choice.side or ""}
    for modality in ("microcurrent", "led"):
        settings = getattr(choice, modality)
        draft[modality] = "on" if settings else ""
        for key, value in settings.model_dump().items() if settings else ():
            draft[f"{modality}.{key}"] = (
                "|".join(value) if isinstance(value, tuple) else f"{value:g}" if isinstance(value, float) else str(value)
            )
    return _twinned(draft, brief, "")


def _twinned(draft: dict[str, str], brief: Brief, changed: str) -> dict[str, str]:
    """The draft with level and current, minutes and fluence, made to agree; `changed` leads. Raises BadInput for what is no number."""
    draft = dict(draft)
    card = brief.microcurrent_card
    if draft.get("microcurrent") and card and card.calibration:
        if changed == "microcurrent.current":
            level = card.level_for(_number(draft, changed))
            if level is None:
                low, high = card.calibration[0][1], card.calibration[-1][1]
                raise BadInput({changed: f"The {card.name} was measured from {low:g} to {high:g} µA."})
            draft["microcurrent.level"] = f"{level:g}"
        else:
            current = card.current_ua(_number(draft, "microcurrent.level"))
            draft["microcurrent.current"] = "" if current is None else f"{current:.0f}"
    if draft.get("led") and brief.led_card:
        light = choice_of({**draft, "microcurrent": ""}, led_minutes="1" if changed == "led.fluence" else None).led
        bright = irradiance(light, brief.led_card).value if light else None
        duty = light.duty_percent / 100 if light else 1.0
        if bright and changed == "led.fluence":
            draft["led.minutes"] = f"{minutes_for(_number(draft, changed), bright, duty):.1f}"
        elif bright:
            draft["led.fluence"] = f"{fluence_j_cm2(bright, _number(draft, 'led.minutes'), duty):.1f}"
        else:
            draft["led.fluence"] = ""
    return draft


def _number(draft: dict[str, str], key: str) -> float:
    try:
        return float(draft.get(key, "").replace(",", "."))
    except ValueError:
        raise BadInput({key: f"“{draft.get(key, '')}” is not a number."}) from None


def choice_of(draft: dict[str, str], led_minutes: str | None = None) -> Choice:
    """The choice that a draft's fields mean. Raises BadInput, by field."""
    body: dict[str, Any] = {"side": draft.get("side") or None}
    for modality in ("microcurrent", "led"):
        if draft.get(modality) == "on":
            prefix = f"{modality}."
            values: dict[str, Any] = {k.removeprefix(prefix): decimal(v) for k, v in draft.items() if k.startswith(prefix)}
            values.pop("current", None), values.pop("fluence", None)
            if "paths" in values:
                values["paths"] = tuple(filter(None, values["paths"].split("|")))
            if modality == "led" and led_minutes is not None:
                values["minutes"] = led_minutes
            body[modality] = values
    try:
        return Choice.model_validate(body)
    except ValidationError as broken:
        raise BadInput({".".join(str(part) for part in e["loc"][:2]): said(dict(e)) for e in broken.errors()}) from broken


def consent(desk: Desk, visit_id: UUID, agreed: bool) -> Planned:
    """Keeps that the client agreed, or did not, to the plan as it stands. Raises OutOfTurn while the plan cannot be started."""
    with turn(desk, visit_id, "plan") as file:
        page = _page(file)
        if not page.settled:
            raise OutOfTurn(page.refusal or "The plan cannot be agreed to yet: something in it is refused or missing.")
        if "plan" not in file.records:
            visits.add_version(desk.db, visit_id, "plan", {"draft": page.draft}, desk.me.id, desk.now)
        body = {"agreed": agreed, "words": CONSENT_VERSION, "to": {**file.standing_versions, "plan": file.standing_versions["plan"] or 1}}
        visits.add_version(desk.db, visit_id, "consent", body, desk.me.id, desk.now)
    return planned(desk, visit_id)
