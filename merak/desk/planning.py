"""The plan at the desk: what is proposed, every change computed anew, undo and redo, what a senior allows."""

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property
from typing import Any
from uuid import UUID

from pydantic import Field, ValidationError

from merak.core.body.plate import GROUPS, PLATES, zone_names
from merak.core.body.treatable import BESIDE
from merak.core.dose.light import minutes_for
from merak.core.errors import BadInput, Refused
from merak.core.knowledge import about, methods, number, rule
from merak.core.modality import led
from merak.core.modality.catalogue import MODALITIES
from merak.core.modality.device import fits
from merak.core.modality.shared import stepped
from merak.core.plan.brief import plate_of
from merak.core.plan.fitting import may_run_beside, phase, title
from merak.core.plan.item import Item, begin, can_override, derived, read_settings
from merak.core.plan.proposals import Proposal, proposals
from merak.core.plan.screening import Board, Override, override, worded
from merak.core.plan.visit_plan import Plan, VisitPlan, between, in_force, visit_plan
from merak.core.working import Caution, Frozen
from merak.desk.desk import Desk, OutOfTurn
from merak.desk.fields import Shown, decimal, said, shown, texts
from merak.desk.file import VisitFile, open_file, turn
from merak.records import visits

#: How many steps back may be taken.
BACK = 60


class Touched(Frozen):
    """Who changed a step last, in which version, and what."""

    version: int
    by: str
    who: str
    what: str


class Draft(Frozen):
    """A version of a plan: the plan, what was typed and cannot be kept (by "item.field"), who touched what last, the way back and on."""

    plan: Plan = Plan()
    typed: dict[str, str] = Field(default_factory=dict)
    wrong: dict[str, str] = Field(default_factory=dict)
    touched: dict[str, Touched] = Field(default_factory=dict)
    what: str = ""
    who: str = ""
    past: tuple[int, ...] = ()
    future: tuple[int, ...] = ()


@dataclass
class Planned:
    """The plan page. `chosen` is the step whose settings are open."""

    file: VisitFile
    draft: Draft
    version: int
    computed: VisitPlan
    chosen: str = ""
    refusal: str = ""
    proposed: tuple[Proposal, ...] = ()
    #: What has to be drawn anew after a change, of what a change does not always touch.
    redraw: frozenset[str] = frozenset({"strip", "consent"})

    @property
    def plan(self) -> Plan:
        """The plan that stands."""
        return self.draft.plan

    @property
    def board(self) -> Board:
        """Where each modality stands."""
        return self.file.brief.board

    @cached_property
    def schools(self) -> dict[str, str]:
        """The schools in force."""
        return in_force(self.file.brief, self.plan)

    @cached_property
    def slips(self) -> dict[str, str]:
        """What stands beside each field, by "item.field": what cannot be read, or what a ceiling refuses, with its reason and source."""
        refused = {key: f"{one.words} {one.act} [{rule(one.rule).source}]" for key, one in self.computed.refused.items()}
        return refused | self.draft.wrong

    @property
    def settled(self) -> bool:
        """Whether the plan as it stands may be agreed to and started."""
        return self.computed.startable and not self.draft.wrong

    @cached_property
    def item(self) -> Item | None:
        """The step whose settings are open."""
        return next((one for one in self.plan.items if one.id == self.chosen), None)

    def fields(self, item: Item) -> tuple[Shown, ...]:
        """An item's settings as a form shows them: without what follows from the rest of the plan; twins beside what they are told by."""
        model = MODALITIES[item.modality].Settings
        given = set(derived(item.modality, (), (), self.file.brief, self.schools))
        try:
            values = texts(read_settings(item, {}), f"{item.id}.")
        except BadInput:
            values = {f"{item.id}.{key}": str(value) for key, value in item.settings.items()}
        values |= {key: text for key, text in self.draft.typed.items() if key.startswith(f"{item.id}.")}
        found = [one for one in shown(model, values, f"{item.id}.") if one.name.partition(".")[2] not in given]
        return tuple(twin for one in found for twin in (one, *self._twin(item, one)))

    def _twin(self, item: Item, one: Shown) -> tuple[Shown, ...]:
        """The current beside its level, the fluence beside its minutes: either may be typed."""
        pair = TWINS.get((item.modality, one.name.partition(".")[2]))
        if pair is None:
            return ()
        name, words, unit, digits = pair
        told = self.computed.numbers.get(f"{item.id}.{name}")
        value = "" if told is None or told.value is None else f"{told.value:.{digits}f}"
        key = f"{item.id}.{name}"
        return (Shown(key, words, unit, "number", (), self.draft.typed.get(key, value)),)

    def stops(self) -> list[tuple[str, str, Caution]]:
        """(item, "field" or "", why) of all that a senior could plan past in writing."""
        found = [(key.partition(".")[0], key.partition(".")[2], one) for key, one in self.computed.refused.items() if can_override(one)]
        return [one for one in found if one[0] in {item.id for item in self.plan.items} and one[2].rule != "device.scale"]


#: (modality, setting) → (twin, words, unit, digits)
TWINS = {("microcurrent", "level"): ("current", "Current", "µA", 0), ("led", "minutes"): ("fluence", "Fluence", "J/cm²", 1)}


def planned(desk: Desk, visit_id: UUID, chosen: str = "", propose: bool = False) -> Planned:
    """The plan that stands; with proposals when they are asked for or nothing is planned yet."""
    return _page(open_file(desk, visit_id), chosen, propose)


def _page(
    file: VisitFile,
    chosen: str = "",
    propose: bool | None = False,
    refusal: str = "",
    draft: Draft | None = None,
    version: int = 0,
    chair: bool = True,
) -> Planned:
    """The page of a draft (the one that stands); with proposals when asked for, or when nothing is planned (never for None)."""
    if draft is None:
        draft, version = draft_of(file)
    page = Planned(file, draft, version, visit_plan(file.brief, draft.plan, chair), chosen, refusal)
    if propose or (propose is not None and not draft.plan.items):
        try:
            page.proposed = proposals(file.brief)
        except Refused as none:
            page.refusal = page.refusal or none.words
    return page


def draft_of(file: VisitFile) -> tuple[Draft, int]:
    """The plan's draft as it stands, and its version; an empty one before anything was planned."""
    if "plan" not in file.records:
        return Draft(), 0
    return Draft.model_validate(file.body("plan")), file.records["plan"].version


def edit(desk: Desk, visit_id: UUID, op: str, form: dict[str, str]) -> Planned:
    """One change of a plan. It is made on what stands now, whoever made that; a step that somebody else changed since this person looked
    (`version` in the form) is left as it is, and told. What is typed wrong is kept as typed.
    """
    if op not in OPS:
        raise BadInput({"op": "That cannot be done with a plan."})
    for _ in range(6):
        file = open_file(desk, visit_id, "plan")
        draft, version = draft_of(file)
        item_id = form.get("item", "")
        met = _changed_meanwhile(desk, draft, item_id, form) if op not in ("undo", "redo") else ""
        if met:
            return _page(file, item_id, refusal=met)
        try:
            new = OPS[op](desk, file, draft, form)
        except (Refused, BadInput) as no:
            return _page(file, item_id, propose=op == "take", refusal=no.words if isinstance(no, Refused) else " ".join(no.fields.values()))
        if (new.plan, new.typed, new.wrong) == (draft.plan, draft.typed, draft.wrong):
            return _page(file, item_id)
        if op not in ("undo", "redo"):
            way = (*draft.past, version)[-BACK:] if version else ()
            touched = {k: v for k, v in new.touched.items() if any(one.id == k for one in new.plan.items)}
            if item_id and any(one.id == item_id for one in new.plan.items):
                touched[item_id] = Touched(version=version + 1, by=str(desk.me.id), who=desk.me.name, what=new.what)
            new = new.model_copy(update={"past": way, "future": (), "touched": touched, "who": desk.me.name})
        body = new.model_dump(mode="json")
        try:
            with desk.saving("plan", visit_id, draft=True) as db:
                visits.add_next(db, visit_id, "plan", version + 1, body, desk.me.id, desk.now)
        except visits.Taken:
            continue
        chair = op != "set" or ".path." in form.get("changed", "")
        before, agreed = _page(file, propose=None, draft=draft, version=version, chair=chair), file.consented
        file.records["plan"] = visits.Standing(version + 1, body)
        page = _page(file, form.get("next", item_id), draft=new, version=version + 1, chair=chair)
        page.redraw = _touched(before, page, agreed)
        return page
    raise OutOfTurn("Somebody else is changing this plan just now. Once more, please.")


def _touched(before: Planned, after: Planned, agreed: bool) -> frozenset[str]:
    """Whether the strip and the consent look otherwise than before: a level that moves leaves both as they were."""
    strips = [
        (one.computed.spans, one.computed.clashes, one.computed.stopped, one.computed.allowed, {key.partition(".")[0] for key in one.slips})
        for one in (before, after)
    ]
    consents = [(one.settled, [item.modality for item in one.plan.items]) for one in (before, after)]
    found = {"strip"} if strips[0] != strips[1] else set()
    return frozenset(found | ({"consent"} if agreed or consents[0] != consents[1] else set()))


def _changed_meanwhile(desk: Desk, draft: Draft, item_id: str, form: dict[str, str]) -> str:
    """What another changed in this step after the version that this person was looking at; "" when nothing."""
    seen = form.get("version", "")
    touched = draft.touched.get(item_id)
    if not touched or not seen.isdigit() or touched.version <= int(seen) or touched.by == str(desk.me.id):
        return ""
    return f"{touched.who} changed this step meanwhile: {touched.what}. It stands as they left it; look, then change it again."


Op = Callable[[Desk, VisitFile, Draft, dict[str, str]], Draft]


def _with(draft: Draft, plan: Plan, what: str, **changes: Any) -> Draft:
    return draft.model_copy(update={"plan": plan, "what": what, **changes})


def _take(desk: Desk, file: VisitFile, draft: Draft, form: dict[str, str]) -> Draft:
    """A proposal becomes the plan."""
    kind = form.get("kind", "")
    found = next((one for one in proposals(file.brief) if one.kind == kind), None)
    if found is None:
        raise BadInput({"kind": "There is no such proposal now. Look at the proposals again."})
    return _with(draft, found.plan, f"took the {kind} proposal", typed={}, wrong={})


def _clear(desk: Desk, file: VisitFile, draft: Draft, form: dict[str, str]) -> Draft:
    return Draft(plan=Plan(methods=draft.plan.methods), what="began anew")


def _add(desk: Desk, file: VisitFile, draft: Draft, form: dict[str, str]) -> Draft:
    """A modality with its start values, at its place in the order. Raises Refused where screening or a machine stops it."""
    name = form.get("modality", "")
    if name not in MODALITIES:
        raise BadInput({"modality": "Which treatment?"})
    of = in_force(file.brief, draft.plan)
    item = begin(file.brief, name, draft.plan.new_id(), of)
    items = list(draft.plan.items)
    at = next((n for n, one in enumerate(items) if phase(one.modality, of) > phase(name, of)), len(items))
    items.insert(at, item)
    return _with(draft, draft.plan.model_copy(update={"items": tuple(items)}), f"added {title(name)}")


def _remove(desk: Desk, file: VisitFile, draft: Draft, form: dict[str, str]) -> Draft:
    item = draft.plan.of(form.get("item", ""))
    items = tuple(one.model_copy(update={"beside": ""}) if one.beside == item.id else one for one in draft.plan.items if one.id != item.id)
    keep = {key: text for key, text in draft.typed.items() if not key.startswith(f"{item.id}.")}
    wrong = {key: text for key, text in draft.wrong.items() if not key.startswith(f"{item.id}.")}
    return _with(draft, draft.plan.model_copy(update={"items": items}), f"removed {title(item.modality)}", typed=keep, wrong=wrong)


def _move(desk: Desk, file: VisitFile, draft: Draft, form: dict[str, str]) -> Draft:
    """A step to another place: `after` which step it comes ("" first), or `by` how many places it moves. Out of another's waiting time
    it comes when it is moved; what runs beside it stays beside it.
    """
    item = draft.plan.of(form.get("item", ""))
    items = [one for one in draft.plan.items if one.id != item.id]
    if "after" in form:
        to = items.index(draft.plan.of(form["after"])) + 1 if form["after"] else 0
    elif form.get("by") in ("1", "-1"):
        main = [one for one in draft.plan.items if not one.beside or one.id == item.id]
        here = main.index(item) + int(form["by"])
        if not 0 <= here < len(main):
            return draft
        to = items.index(main[here]) + (1 if form["by"] == "1" else 0)
    else:
        raise BadInput({"after": "To which place?"})
    items.insert(to, item.model_copy(update={"beside": ""}) if "after" in form else item)
    return _with(draft, draft.plan.model_copy(update={"items": tuple(items)}), f"moved {title(item.modality)}")


def _set(desk: Desk, file: VisitFile, draft: Draft, form: dict[str, str]) -> Draft:
    """Fields of one step, as typed. A twin leads when it is what changed; what cannot be read is kept as typed and told beside it."""
    item = draft.plan.of(form.get("item", ""))
    prefix = f"{item.id}."
    model = MODALITIES[item.modality].Settings
    texts_ = {key.removeprefix(prefix): value for key, value in form.items() if key.startswith(prefix)}
    changed = form.get("changed", "").removeprefix(prefix)
    settings, wrong = dict(item.settings), {}
    kinds = {one.name: one.kind for one in shown(model, {})}
    if kinds.get(changed) == "yes":  # an empty box is not sent
        texts_.setdefault(changed, "")
    for name, text in texts_.items():
        if name not in kinds or changed not in ("", name):
            continue
        value: Any = text in ("on", "yes", "true") if kinds[name] == "yes" else decimal(text.strip()) if kinds[name] == "number" else text
        tried = settings | {name: value}
        problem = _misfit(item, tried, name)
        if problem:
            wrong[name] = problem
        else:
            settings = tried
    if changed.startswith("path."):
        paths = [key.partition("path.")[2] for key, value in texts_.items() if key.startswith("path.") and value == "on"]
        if paths:
            settings["paths"] = paths
        else:
            wrong["paths"] = "At least one line."
    twin = next((pair[0] for key, pair in TWINS.items() if key[0] == item.modality and pair[0] == changed), "")
    if twin:
        try:
            settings = _by_twin(file, item, settings, twin, texts_.get(twin, ""))
        except BadInput as bad:
            wrong |= bad.fields
    new = item.with_settings(settings)
    typed = {key: text for key, text in draft.typed.items() if not _same_field(key, prefix, texts_, changed)}
    told = {key: text for key, text in draft.wrong.items() if not _same_field(key, prefix, texts_, changed)}
    typed |= {prefix + name: texts_.get(name, "") for name in wrong}
    told |= {prefix + name: words for name, words in wrong.items()}
    what = _said_change(item, new)
    return _with(draft, draft.plan.with_item(new), what, typed=typed, wrong=told)


def _same_field(key: str, prefix: str, sent: dict[str, str], changed: str) -> bool:
    """Whether a field's old slip is answered by what was sent now."""
    name = key.removeprefix(prefix)
    twins = {("level", "current"), ("current", "level"), ("minutes", "fluence"), ("fluence", "minutes")}
    return key.startswith(prefix) and (name == changed or (not changed and name in sent) or (name, changed) in twins)


def _misfit(item: Item, settings: dict[str, Any], name: str) -> str:
    """Why a value cannot be one of this field; "" when it can."""
    try:
        MODALITIES[item.modality].Settings.model_validate(settings)
    except ValidationError as broken:
        for error in broken.errors():
            if not error["loc"] or error["loc"][0] == name:
                return said(dict(error))
    return ""


def _by_twin(file: VisitFile, item: Item, settings: dict[str, Any], twin: str, text: str) -> dict[str, Any]:
    """The setting that gives what was typed as its twin. Raises BadInput on the twin."""
    machine = file.brief.machine(item.modality, item.machine)
    card: Any = machine.card if machine else None
    try:
        value = float(decimal(text))
    except ValueError:
        raise BadInput({twin: f"“{text}” is not a number that fits here."}) from None
    if twin == "current":
        level = card.level_for(value)
        if level is None:
            if not card.calibration:
                raise BadInput({twin: f"The {card.name} has no calibration."})
            raise BadInput({twin: f"The {card.name} was measured from {card.calibration[0][1]:g} to {card.calibration[-1][1]:g} µA."})
        return settings | {"level": level}
    light = led.Settings.model_validate(settings)
    bright = led.irradiance(light, card).value
    if not bright:
        raise BadInput({twin: "The irradiance is not known here, so neither is the fluence."})
    minutes = round(minutes_for(value, bright, light.duty_percent / 100), 1)
    problem = _misfit(item, settings | {"minutes": minutes}, "minutes")
    if problem:
        raise BadInput({twin: f"That would be {minutes:g} minutes. {problem}"})
    return settings | {"minutes": minutes}


def _said_change(before: Item, after: Item) -> str:
    """What changed in a step, in words."""
    model = MODALITIES[before.modality].Settings
    old = model.model_validate(before.settings).model_dump(mode="json")
    parts = []
    for key, value in after.settings.items():
        if old.get(key) != value:
            words = (model.model_fields[key].title or key).lower()
            parts.append(f"{words} {_short(old.get(key))} → {_short(value)}")
    return f"{title(before.modality)}: {', '.join(parts)}" if parts else f"{title(before.modality)} as it was"


def _short(value: Any) -> str:
    if isinstance(value, float):
        return f"{value:g}"
    return f"{len(value)} lines" if isinstance(value, list) else "on" if value is True else "off" if value is False else str(value)


def _lengthen(desk: Desk, file: VisitFile, draft: Draft, form: dict[str, str]) -> Draft:
    """A step longer or shorter by one of its own steps: minutes where it has them, else repeats, passes or rounds."""
    item = draft.plan.of(form.get("item", ""))
    up = form.get("by", "1") != "-1"
    model = MODALITIES[item.modality].Settings
    name = next((one for one in LENGTHS if one in model.model_fields), "")
    if not name:
        raise BadInput({"item": f"{title(item.modality)} takes as long as its settings make it."})
    settings = model.model_validate(item.settings)
    value = getattr(settings, name)
    size = 1 if isinstance(value, int) or value >= 4 else 0.5
    tried = dict(item.settings) | {name: value + size if up else value - size}
    problem = _misfit(item, tried, name)
    if problem:
        raise BadInput({name: problem})
    new = item.with_settings(tried)
    return _with(draft, draft.plan.with_item(new), _said_change(item, new))


#: Settings that lengthen a step, the first that a modality has.
LENGTHS = ("minutes", "timer_min", "infuse_min", "activator_min", "hold_min", "repeats", "passes", "rounds", "strokes")


def _strength(desk: Desk, file: VisitFile, draft: Draft, form: dict[str, str]) -> Draft:
    """A step of the machine up or down."""
    item = draft.plan.of(form.get("item", ""))
    machine = file.brief.machine(item.modality, item.machine)
    module = MODALITIES[item.modality]
    settings = stepped(module, module.Settings.model_validate(item.settings), machine.card if machine else None, up=form.get("by") != "-1")
    new = item.with_settings(settings)
    return _with(draft, draft.plan.with_item(new), _said_change(item, new))


def _zones(desk: Desk, file: VisitFile, draft: Draft, form: dict[str, str]) -> Draft:
    """Where a step goes: zones ticked, or a named group; none means everywhere."""
    item = draft.plan.of(form.get("item", ""))
    named = form.get("group", "")
    if named in GROUPS:
        wanted = GROUPS[named]
    elif named == "everywhere":
        wanted = ()
    else:
        every = [zone for name in PLATES for zone in zone_names(name) if zone not in BESIDE]
        wanted = tuple(zone for zone in dict.fromkeys(every) if form.get(f"zone.{zone}") == "on")
    plate = plate_of(wanted, item.modality)
    able = set(zone_names(plate)) - BESIDE
    wanted = tuple(zone for zone in wanted if zone in able)
    if set(wanted) == able:
        wanted = ()
    new = item.model_copy(update={"zones": wanted})
    where = ", ".join(wanted) if len(wanted) < 4 else f"{len(wanted)} zones"
    return _with(draft, draft.plan.with_item(new), f"{title(item.modality)}: {where or 'everywhere'}")


def _beside(desk: Desk, file: VisitFile, draft: Draft, form: dict[str, str]) -> Draft:
    """A step into the waiting time of another, or out of it. Raises Refused where that may not be."""
    item = draft.plan.of(form.get("item", ""))
    host_id = form.get("host", "")
    if not host_id:
        return _with(draft, draft.plan.with_item(item.model_copy(update={"beside": ""})), f"{title(item.modality)} by itself")
    host = draft.plan.of(host_id)
    if not may_run_beside(host.modality, item.modality, in_force(file.brief, draft.plan)) or host.beside:
        raise Refused(f"{title(item.modality)} does not run beside {title(host.modality)}.", "plan.order")
    if any(one.beside == item.id for one in draft.plan.items):
        raise Refused(f"Something runs beside {title(item.modality)} already.", "plan.order")
    return _with(
        draft, draft.plan.with_item(item.model_copy(update={"beside": host_id})), f"{title(item.modality)} beside {title(host.modality)}"
    )


def _machine(desk: Desk, file: VisitFile, draft: Draft, form: dict[str, str]) -> Draft:
    """Another machine for a step; settings begin anew, since a level means nothing across machines."""
    item = draft.plan.of(form.get("item", ""))
    machine = next((one for one in file.machines if one.id == form.get("machine") and fits(one.card, item.modality)), None)
    if machine is None:
        raise BadInput({"machine": "There is no such machine for this."})
    rest = (one for one in file.machines if one.id != machine.id)
    brief = file.brief.but(machines=(machine, *rest))
    fresh = begin(brief, item.modality, item.id, in_force(file.brief, draft.plan), zones=item.zones)
    new = fresh.model_copy(update={"beside": item.beside, "machine": machine.id})
    return _with(draft, draft.plan.with_item(new), f"{title(item.modality)} with the {machine.card.name}")


def _side(desk: Desk, file: VisitFile, draft: Draft, form: dict[str, str]) -> Draft:
    side = form.get("side", "")
    plan = Plan.model_validate(draft.plan.model_dump() | {"side": side if side in ("right", "left") else None})
    return _with(draft, plan, f"begin on {side or 'the higher side'}")


def _method(desk: Desk, file: VisitFile, draft: Draft, form: dict[str, str]) -> Draft:
    """Another school for this plan; what it sets is set in the steps that it touches, what it adds is added.

    Raises Refused for a school that asks for a senior, from anyone else.
    """
    name, school_id = form.get("method", ""), form.get("school", "")
    method = methods().get(name)
    school = next((one for one in method.schools if one.id == school_id), None) if method else None
    if method is None or school is None:
        raise BadInput({"school": "There is no such school."})
    if school.senior and not (desk.me.role in ("senior", "owner") or file.house.get("methods", {}).get(name) == school_id):
        raise Refused(f"“{school.words}” is for a senior to choose. {rule('plan.senior').reason}", "plan.senior")
    plan = draft.plan.model_copy(update={"methods": draft.plan.methods | {name: school_id}})
    for item in plan.items:
        if item.modality in school.set:
            plan = plan.with_item(item.with_settings(item.settings | school.set[item.modality]))
    of = in_force(file.brief, plan)
    if school.phase or any(one.phase for one in method.schools):
        plan = plan.model_copy(update={"items": tuple(sorted(plan.items, key=lambda one: phase(one.modality, of)))})
    for extra in school.adds:
        if plan.items and any(one.modality in school.on for one in plan.items) and all(one.modality != extra for one in plan.items):
            added = _add(desk, file, draft.model_copy(update={"plan": plan}), {"modality": extra})
            plan = added.plan
    return _with(draft, plan, f"{method.words}: {school.words}")


def _undo(desk: Desk, file: VisitFile, draft: Draft, form: dict[str, str]) -> Draft:
    if not draft.past:
        return draft
    return _back(desk, file, draft, draft.past[-1], draft.past[:-1], (file.records["plan"].version, *draft.future), "took back: ")


def _redo(desk: Desk, file: VisitFile, draft: Draft, form: dict[str, str]) -> Draft:
    if not draft.future:
        return draft
    return _back(desk, file, draft, draft.future[0], (*draft.past, file.records["plan"].version), draft.future[1:], "again: ")


def _back(desk: Desk, file: VisitFile, draft: Draft, version: int, past: tuple[int, ...], future: tuple[int, ...], words: str) -> Draft:
    """An earlier version's plan as the newest: nothing on the record is thrown away."""
    body = visits.version_of(desk.db, file.visit.id, "plan", version)
    earlier = Draft.model_validate(body) if body else Draft()
    what = draft.what if words.startswith("took") else earlier.what
    for known in ("took back: ", "again: "):
        what = what.removeprefix(known)
    now = file.records["plan"].version + 1
    marked = {one.id: Touched(version=now, by=str(desk.me.id), who=desk.me.name, what=words + what) for one in earlier.plan.items}
    return earlier.model_copy(update={"past": past, "future": future[:BACK], "what": words + what, "who": desk.me.name, "touched": marked})


OPS: dict[str, Op] = {
    "take": _take, "clear": _clear, "add": _add, "remove": _remove, "move": _move, "set": _set, "lengthen": _lengthen,
    "strength": _strength,
    "zones": _zones, "beside": _beside, "machine": _machine, "side": _side, "method": _method, "undo": _undo, "redo": _redo,
}  # fmt: skip


def put(desk: Desk, visit_id: UUID, plan: Plan, what: str) -> Planned:
    """A whole plan in place of what stands (a routine fitted, a calculation's result), as a change that can be undone."""
    with turn(desk, visit_id, "plan") as file:
        draft, version = draft_of(file)
        way = (*draft.past, version)[-BACK:] if version else ()
        new = Draft(plan=plan, what=what, who=desk.me.name, past=way)
        visits.add_version(desk.db, visit_id, "plan", new.model_dump(mode="json"), desk.me.id, desk.now)
    return planned(desk, visit_id)


def take_values(desk: Desk, visit_id: UUID, modality: str, values: dict[str, str]) -> Planned:
    """Values from the bench into the step of a modality, each as if it had been typed. Raises OutOfTurn when it is not in the plan."""
    draft, _ = draft_of(open_file(desk, visit_id, "plan"))
    item = next((one for one in draft.plan.items if one.modality == modality), None)
    if item is None:
        raise OutOfTurn(f"{about()[modality].title} is not in this plan. Choose it there first.")
    page = planned(desk, visit_id)
    for key, value in values.items():
        page = edit(desk, visit_id, "set", {"item": item.id, f"{item.id}.{key}": value, "changed": key})
    return page


def addable(page: Planned) -> list[tuple[str, str]]:
    """What could be added: what the studio offers, by name, in the order of the work."""
    brief = page.file.brief
    able = sorted(brief.offered, key=lambda name: (phase(name, page.schools), name))
    return [(name, title(name)) for name in able]


def hosts(page: Planned, item: Item) -> list[tuple[str, str]]:
    """The steps in whose waiting time this one could run."""
    return [
        (one.id, title(one.modality))
        for one in page.plan.items
        if one.id != item.id and not one.beside and may_run_beside(one.modality, item.modality, page.schools)
    ]


def machines_for(page: Planned, item: Item) -> list[tuple[str, str]]:
    """The machines that could do a step."""
    return [(one.id, one.card.name) for one in page.file.machines if fits(one.card, item.modality)]


def allow(desk: Desk, visit_id: UUID, form: dict[str, str]) -> None:
    """A senior plans past something in writing: a verdict, a ceiling that is not absolute, or two steps that do not fit.

    Raises Denied, Refused for what nobody may, BadInput on "reason".
    """
    with turn(desk, visit_id, "override") as file:
        what = form.get("what", "")
        word = _verdict_allowed(desk, file, form) if what == "verdict" else _plan_allowed(desk, file, form)
        kept = [one.model_dump(mode="json") for one in (*file.overrides, word)]
        visits.add_version(desk.db, visit_id, "overrides", {"overrides": kept}, desk.me.id, desk.now)


def _verdict_allowed(desk: Desk, file: VisitFile, form: dict[str, str]) -> Override:
    name = form.get("modality", "")
    if name not in file.brief.board:
        raise BadInput({"modality": "Which treatment?"})
    return override(
        name, form.get("verdict", ""), form.get("rule", ""), file.brief.board[name], file.letters, form.get("reason", ""), desk.me.name,
        desk.now.astimezone(desk.zone), desk.today,
    )  # fmt: skip


def _plan_allowed(desk: Desk, file: VisitFile, form: dict[str, str]) -> Override:
    computed = visit_plan(file.brief, draft_of(file)[0].plan)
    reason, at = worded(form.get("reason", "")), desk.now.astimezone(desk.zone)
    stop = computed.refused.get(form.get("key", ""))
    if stop is not None:
        if not can_override(stop):
            raise Refused(f"Nobody plans past this. {stop.words}", stop.rule)
        item = computed.plan.of(form["key"].partition(".")[0])
        return Override(rule=stop.rule, modality=item.modality, words=stop.words, reason=reason, by=desk.me.name, at=at)
    clash = next((one for one in computed.clashes if f"{one.rule}|{'|'.join(one.steps)}" == form.get("key")), None)
    if clash is None:
        raise BadInput({"key": "Nothing like that stands in the plan now."})
    if clash.absolute:
        raise Refused(f"Nobody plans past this. {clash.words}", clash.rule)
    return Override(rule=clash.rule, modality=between(computed.plan, clash), words=clash.act, reason=reason, by=desk.me.name, at=at)


def withdraw(desk: Desk, visit_id: UUID, number: int) -> None:
    """Takes a senior's word back; that it was given stays on the record."""
    with turn(desk, visit_id, "override") as file:
        kept = [one.model_dump(mode="json") for n, one in enumerate(file.overrides) if n != number]
        visits.add_version(desk.db, visit_id, "overrides", {"overrides": kept}, desk.me.id, desk.now)


def needed_licences(plan: Plan) -> set[str]:
    """The licences that a plan asks of whoever starts it."""
    found = {about()[one.modality].licence for one in plan.items}
    deep = any(one.modality == "micro_needling" for one in plan.items)
    return (found - {"", "senior", "physician", "micro depth"}) | ({"micro depth"} if deep and _beyond(plan) else set())


def _beyond(plan: Plan) -> bool:
    return any(
        one.modality == "micro_needling" and float(one.settings.get("depth_mm", 0)) > number("micro_needling.unlicensed")
        for one in plan.items
    )
