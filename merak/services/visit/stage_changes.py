"""Changes of one stage of a step: what is set, where it goes, with which machine, how it is worked; once more, another
one, left out, moved; and the programme that all stages of its step come from.
"""

from collections.abc import Iterable
from contextlib import suppress
from itertools import chain
from math import floor
from typing import Any

from pydantic import ValidationError

from merak.core.body.plate import (
    GROUPS,
    PLATES,
    SIDES,
    bare,
    keys_of,
    keys_on,
    named,
    plate_with,
    where_words,
    zone_names,
)
from merak.core.body.treatable import BESIDE
from merak.core.errors import BadInput, Refused
from merak.core.knowledge import Manner, about
from merak.core.modality.catalogue import MODALITIES
from merak.core.modality.device import fits
from merak.core.modality.shared import incremented, on_scale
from merak.core.modality.ways import Twin
from merak.core.plan.brief import workable
from merak.core.plan.draft import Draft
from merak.core.plan.fitting import title
from merak.core.plan.mending import gone, put_right
from merak.core.plan.routine import fitted_steps
from merak.core.plan.stage import Beyond, Stage, begin, compute, lowered, moved, read_settings, resized, worked_areas
from merak.core.plan.step import PLAIN, begin_step, by_row, programme_of
from merak.core.plan.visit_plan import in_force, visit_plan
from merak.records import letters
from merak.records.tables import RoutineVersion
from merak.services.context import Context
from merak.services.forms import decimal, finite, said, shown
from merak.services.visit.change import EditForm, Op, changed, left_out, misfit, new_id, removed, said_change, without
from merak.services.visit.file import VisitFile


def _set(ctx: Context, file: VisitFile, draft: Draft, form: EditForm) -> Draft:
    """Fields of one stage, as typed. A twin leads when it is what changed; what cannot be read is kept as typed and
    told beside it.
    """
    stage = draft.plan.stage(form.about)
    prefix = f"{stage.id}."
    model = MODALITIES[stage.modality].Settings
    texts_ = {key.removeprefix(prefix): value for key, value in form.sent.items() if key.startswith(prefix)}
    field = form.changed.removeprefix(prefix)
    settings, wrong = stage.values, {}
    kinds = {one.name: one.kind for one in shown(model, {})}
    if kinds.get(field) == "yes":  # an empty box is not sent
        texts_.setdefault(field, "")
    for name, text in texts_.items():
        if name not in kinds or field not in ("", name):
            continue
        value: object = (
            text in ("on", "yes", "true")
            if kinds[name] == "yes"
            else decimal(text.strip())
            if kinds[name] == "number"
            else text
        )
        tried = settings | {name: value}
        problem = misfit(stage, tried, name) or _between_marks(file, stage, name, str(value))
        if problem:
            wrong[name] = problem
        else:
            settings = tried
    if field.startswith("path."):
        paths = [
            key.partition("path.")[2] for key, value in texts_.items() if key.startswith("path.") and value == "on"
        ]
        if paths:
            settings["paths"] = [*paths]
        else:
            wrong["paths"] = "At least one line."
    twin = MODALITIES[stage.modality].WAYS.twin
    if twin and twin.name == field:
        try:
            settings = _by_twin(file, stage, settings, twin, texts_.get(twin.name, ""))
        except BadInput as bad:
            wrong |= bad.fields
    new = stage.with_settings(settings)
    pair = {twin.field, twin.name} if twin else set()
    typed = {key: text for key, text in draft.typed.items() if not _same_field(key, prefix, texts_, field, pair)}
    told = {key: text for key, text in draft.wrong.items() if not _same_field(key, prefix, texts_, field, pair)}
    typed |= {prefix + name: texts_.get(name, "") for name in wrong}
    told |= {prefix + name: words for name, words in wrong.items()}
    what = said_change(stage, new)
    return changed(draft, draft.plan.with_stage(new), what, typed=typed, wrong=told)


def _marks(file: VisitFile, stage: Stage, name: str, value: float) -> tuple[float, float]:
    """The mark of the machine's scale at a value or next below it, and how far one lies from the next; the value itself
    and 0 where a setting has none.
    """
    card, increment = file.brief.card(stage.modality, stage.machine), MODALITIES[stage.modality].INCREMENT
    size = increment.size if increment.size else getattr(card, "step", None)
    if card is None or name not in ("at", "level") or name != increment.field or not size:
        return value, 0
    least = getattr(card, "least", 0.0)
    return on_scale(least + size * floor((value - least) / size + 1e-9)), size


def _between_marks(file: VisitFile, stage: Stage, name: str, text: str) -> str:
    """Why a setting cannot stand on its machine's scale, which has whole increments; "" where it can."""
    if name != MODALITIES[stage.modality].INCREMENT.field:
        return ""
    below, size = _marks(file, stage, name, float(text))
    if abs(float(text) - below) < 1e-9:
        return ""
    return f"The machine is set in steps of {size:g}: {below:g} or {below + size:g}."


def _same_field(key: str, prefix: str, sent: dict[str, str], field: str, pair: set[str]) -> bool:
    """Whether a field's old slip is answered by what was sent now; of a `pair` of twins either answers both."""
    name = key.removeprefix(prefix)
    return key.startswith(prefix) and (name == field or (not field and name in sent) or {name, field} == pair)


def _by_twin(file: VisitFile, stage: Stage, settings: dict[str, object], twin: Twin, text: str) -> dict[str, object]:
    """The setting that gives what was typed as its twin. Raises BadInput on the twin."""
    machine = file.brief.machine(stage.modality, stage.machine)
    try:
        value = finite(text)
    except ValueError:
        raise BadInput({twin.name: f"“{text}” is not a number that fits here."}) from None
    set_now = stage.with_settings(settings).settings
    exact = getattr(set_now.twin_for(value, machine.card if machine else None), twin.field)
    found, _ = _marks(file, stage, twin.field, exact)  # never more than was asked for
    problem = misfit(stage, settings | {twin.field: found}, twin.field)
    if problem:
        raise BadInput({twin.name: f"That would be {found:g} {twin.field}. {problem}"})
    return settings | {twin.field: found}


def _lengthen(ctx: Context, file: VisitFile, draft: Draft, form: EditForm) -> Draft:
    """A stage longer or shorter by one of its own: minutes where it has them, else repeats, passes or rounds."""
    stage = draft.plan.stage(form.about)
    up = form.by != "-1"
    model = MODALITIES[stage.modality].Settings
    name = next((one for one in LENGTHS if one in model.model_fields), "")
    if not name:
        raise BadInput({"step": f"{title(stage.modality)} takes as long as its settings make it."})
    value = getattr(read_settings(stage, {}), name)
    size = 1 if isinstance(value, int) or value >= 4 else 0.5
    tried = stage.values | {name: value + size if up else value - size}
    problem = misfit(stage, tried, name)
    if problem:
        raise BadInput({name: problem})
    new = stage.with_settings(tried)
    return changed(draft, draft.plan.with_stage(new), said_change(stage, new))


#: Settings that lengthen a stage, the first that a modality has.
LENGTHS = ("minutes", "timer_min", "activator_min", "hold_min", "repeats", "passes", "rounds", "strokes")


def _strength(ctx: Context, file: VisitFile, draft: Draft, form: EditForm) -> Draft:
    """An increment of the machine up or down."""
    stage = draft.plan.stage(form.about)
    machine = file.brief.machine(stage.modality, stage.machine)
    module = MODALITIES[stage.modality]
    settings = incremented(
        module,
        read_settings(stage, {}),
        machine.card if machine else None,
        up=form.by != "-1",
    )
    new = stage.with_settings(settings)
    return changed(draft, draft.plan.with_stage(new), said_change(stage, new))


def _zones(ctx: Context, file: VisitFile, draft: Draft, form: EditForm) -> Draft:
    """Where a stage goes: zones ticked, or a named group; none means everywhere."""
    stage = draft.plan.stage(form.about)
    group = form.group
    if group in GROUPS:
        wanted = GROUPS[group]
    elif group == "everywhere":
        wanted = ()
    else:
        beside = BESIDE - {*about()[stage.modality].also}
        every = {(side, zone) for name in PLATES for zone in zone_names(name) if zone not in beside for side in SIDES}
        wanted = named({key for key in every if "on" in (form.zones.get(key[1]), form.zones.get(" ".join(key)))})
    if not wanted and group != "everywhere":
        wanted = tuple(one.name for one in stage.beyond)
    if not wanted and group != "everywhere":
        raise BadInput({"zones": "At least one zone, or everywhere."})
    new = moved(file.brief, stage, _as_said(file, stage, wanted))
    plan = gone(file.brief, draft.plan, stage, new)
    return changed(draft, plan, f"{title(stage.modality)}: {where_words(new.zones)}")


def _beyond(ctx: Context, file: VisitFile, draft: Draft, form: EditForm) -> Draft:
    """An area that no plate draws, with its size: added, changed, or taken away where no size is sent. What cannot be
    read is kept as typed, and told beside it.
    """
    stage = draft.plan.stage(form.about)
    name, size = form.sent.get("area", "").strip(), form.sent.get("cm2", "").strip()
    keys = {f"{stage.id}.beyond_area": name, f"{stage.id}.beyond_cm2": size}
    typed, wrong = ({key: text for key, text in of.items() if key not in keys} for of in (draft.typed, draft.wrong))
    beyond = tuple(one for one in stage.beyond if one.name != name)
    try:
        if size:
            read = decimal(size)
            beyond = (*beyond, Beyond.model_validate({"name": name, "cm2": size if read is None else read}))
        read_anew = Stage.model_validate(stage.model_dump() | {"beyond": beyond, "zones": _still(stage, beyond)})
        worked_areas(file.brief, read_anew)
        new = moved(file.brief, stage, read_anew.zones, read_anew.beyond)
    except ValidationError as broken:
        for error in broken.errors():
            field = "cm2" if "cm2" in error["loc"] else "area"
            wrong[f"{stage.id}.beyond_{field}"] = said(dict(error))
        return changed(draft, draft.plan, f"{title(stage.modality)}: {name}", typed=typed | keys, wrong=wrong)
    except Refused as stop:
        wrong[f"{stage.id}.beyond_area"] = stop.words
        return changed(draft, draft.plan, f"{title(stage.modality)}: {name}", typed=typed | keys, wrong=wrong)
    words = f"{title(stage.modality)}: {name}{f', {size} cm²' if size else ' left out'}"
    return changed(draft, draft.plan.with_stage(new), words, typed=typed, wrong=wrong)


def _parts(ctx: Context, file: VisitFile, draft: Draft, form: EditForm) -> Draft:
    """In which of the areas marked on the plates a stage goes, there alone; none for zones as they are."""
    stage = draft.plan.stage(form.about)
    asked = tuple(one for one in file.brief.facts.marks if form.parts.get(str(one.id)) == "on")
    new = stage.model_copy(update={"parts": tuple(one.id for one in asked)})
    if asked and not worked_areas(file.brief, new):
        raise BadInput({"parts": f"{title(stage.modality)} does not go there today."})
    words = ", ".join(one.words for one in asked) or "no drawn part"
    plan = gone(file.brief, draft.plan, stage, resized(file.brief, stage, new))
    return changed(draft, plan, f"{title(stage.modality)}: {words}")


def _still(stage: Stage, beyond: tuple[Beyond, ...]) -> tuple[str, ...]:
    """The zones of a stage without those beyond the plates that are gone."""
    names, gone = {one.name for one in beyond}, {one.name for one in stage.beyond}
    return tuple(zone for zone in stage.zones if zone in names or zone not in gone)


def _as_said(file: VisitFile, stage: Stage, wanted: Iterable[str]) -> tuple[str, ...]:
    """Zones as a stage says them: none for all that it may go to on its usual plate."""
    able = workable(file.brief, stage.modality)
    return () if set(wanted) == set(able) else tuple(wanted)


def _machine(ctx: Context, file: VisitFile, draft: Draft, form: EditForm) -> Draft:
    """Another machine for a stage; settings begin anew, since a level means nothing across machines."""
    stage = draft.plan.stage(form.about)
    machine = next((one for one in file.machines if one.id == form.machine and fits(one.card, stage.modality)), None)
    if machine is None:
        raise BadInput({"machine": "There is no such machine for this."})
    rest = (one for one in file.machines if one.id != machine.id)
    brief = file.brief.but(machines=(machine, *rest))
    fresh = begin(brief, stage.modality, stage.id, in_force(file.brief, draft.plan), zones=stage.zones)
    new = stage.model_copy(update={"machine": machine.id, "settings": fresh.settings})
    return changed(draft, draft.plan.with_stage(new), f"{title(stage.modality)} with the {machine.card.name}")


def _zone(ctx: Context, file: VisitFile, draft: Draft, form: EditForm) -> Draft:
    """One zone more, or less, on both sides or on one, as it is tapped on the plate: everywhere is all that the stage
    may go to.
    """
    stage, zone = draft.plan.stage(form.about), form.group
    there = stage.zones or tuple(workable(file.brief, stage.modality))
    tapped, before = frozenset(keys_of(zone)), keys_on(frozenset(there))
    drawn = {one.plate for one in file.brief.facts.marks if one.id in stage.parts}
    if tapped and plate_with(bare(zone)) in drawn:
        raise BadInput({"zone": "Here it goes to its drawn parts alone: take those off first."})
    taken = bool(tapped) and tapped <= before
    if not taken and not workable(file.brief, stage.modality, (zone,) if zone else ("",)):
        raise BadInput({"zone": f"{title(stage.modality)} does not go to the {zone or 'skin beside the plate'} today."})
    areas = tuple(one for one in there if not keys_of(one))
    wanted = (*named(before - tapped if taken else before | tapped), *areas)
    if not wanted:
        raise BadInput({"zones": "At least one zone, or everywhere."})
    new = moved(file.brief, stage, _as_said(file, stage, wanted))
    words = f"{title(stage.modality)}: {zone} {'left out' if taken else 'added'}"
    return changed(draft, gone(file.brief, draft.plan, stage, new), words)


def _again(ctx: Context, file: VisitFile, draft: Draft, form: EditForm) -> Draft:
    """A stage once more, right behind it: to be set otherwise or to go elsewhere."""
    step, stage = draft.plan.of(form.about), draft.plan.stage(form.about)
    n = step.stages.index(stage) + 1
    copy = stage.model_copy(update={"id": new_id()})
    plan = draft.plan.with_step(step.model_copy(update={"stages": (*step.stages[:n], copy, *step.stages[n:])}))
    return changed(draft, plan, f"{title(stage.modality)} again")


def _programme(ctx: Context, file: VisitFile, draft: Draft, form: EditForm) -> Draft:
    """A step by another programme, the house's or the studio's own: its stages begin anew."""
    step, of = draft.plan.of(form.about), in_force(file.brief, draft.plan)
    own = next((one for one in own_programmes(ctx, step.modality) if str(one.routine_id) == form.programme), None)
    house = programme_of(step.modality, form.programme)
    if own:
        fitted, left = fitted_steps(file.brief, own.body.steps, of)
        if not fitted:
            raise BadInput({"programme": f"Nothing of it can be today.{left_out(left)}"})
        fresh = fitted[0]
    elif form.programme == PLAIN or house:
        fresh, left = begin_step(file.brief, step.modality, step.id, of, zones=step.zones, programme=form.programme)
    else:
        raise BadInput({"programme": "There is no such programme."})
    ids = {stage.id: step.id if n == 0 else new_id() for n, stage in enumerate(fresh.stages)}
    stages = tuple(stage.model_copy(update={"id": ids[stage.id]}) for stage in fresh.stages)
    parts = step.lead.parts  # a row that names no zones goes where the step went
    stages = tuple(
        one if one.zones else resized(file.brief, one, one.model_copy(update={"parts": parts})) for one in stages
    )
    new = step.model_copy(update={"stages": stages, "programme": form.programme})
    words = own.body.name if own else house.words if house else "one stage"
    return without(draft, step.stages, draft.plan.with_step(new), f"{title(step.modality)}: {words}{left_out(left)}")


def _stage(ctx: Context, file: VisitFile, draft: Draft, form: EditForm) -> Draft:
    """One more stage behind the open one: a row of the step's programme, or something gentle in between."""
    step, stage = draft.plan.of(form.about), draft.plan.stage(form.about)
    found, of = programme_of(step.modality, step.programme), in_force(file.brief, draft.plan)
    if form.row.isdigit() and found and int(form.row) < len(found.stages):
        row = found.stages[int(form.row)]
        where = () if row.zones else stage.zones
        new = by_row(file.brief, row, row.modality or step.modality, new_id(), of, zones=where)
        new = new if row.zones else resized(file.brief, new, new.model_copy(update={"parts": stage.parts}))
    elif form.modality in MODALITIES and MODALITIES[form.modality].WAYS.free:
        new = begin(file.brief, form.modality, new_id(), of, zones=stage.zones)
        new = resized(file.brief, new, new.model_copy(update={"parts": stage.parts}))
    else:
        raise BadInput({"stage": "Which stage?"})
    n = step.stages.index(stage) + 1
    plan = draft.plan.with_step(step.model_copy(update={"stages": (*step.stages[:n], new, *step.stages[n:])}))
    return changed(draft, plan, f"{title(step.modality)}: {title(new.modality).lower()} added")


def _mend(ctx: Context, file: VisitFile, draft: Draft, form: EditForm) -> Draft:
    """All that a stage asks of the skin and does not find, put in before it."""
    stage = draft.plan.stage(form.about)
    plan, put = put_right(file.brief, draft.plan, stage.id, new_id)
    return changed(draft, plan, f"put {' and '.join(put)} before {title(stage.modality)}")


def _off(ctx: Context, file: VisitFile, draft: Draft, form: EditForm) -> Draft:
    """A work kept off the skin that something else in the plan leaves unfit for it."""
    stage = draft.plan.stage(form.about)
    clashes = visit_plan(file.brief, draft.plan, chair=False).clashes
    clash = next((one for one in clashes if one.off and one.stage == stage.id), None)
    if clash is None:
        raise BadInput({"stage": "It is off that skin."})
    plan = draft.plan
    for stage_id, zones in clash.off.items():
        there = plan.stage(stage_id)
        plan = gone(file.brief, plan, there, moved(file.brief, there, zones))
    return changed(draft, plan, f"{title(stage.modality)}: off that skin")


def _lay(ctx: Context, file: VisitFile, draft: Draft, form: EditForm) -> Draft:
    """A stage lays what it usually does, in place of what is named."""
    stage = draft.plan.stage(form.about)
    typed = {key: text for key, text in draft.typed.items() if key != f"{stage.id}.how.product"}
    new = stage.model_copy(update={"manner": stage.how.model_copy(update={"product": ""})})
    said = f"{title(stage.modality)}: another product"
    return changed(draft.model_copy(update={"typed": typed}), draft.plan.with_stage(new), said)


def _manner(ctx: Context, file: VisitFile, draft: Draft, form: EditForm) -> Draft:
    """How a stage is worked, as typed; what cannot be read is kept as typed and told beside it."""
    stage = draft.plan.stage(form.about)
    prefix = f"{stage.id}.how."
    sent = {key.removeprefix(prefix): text for key, text in form.sent.items() if key.startswith(prefix)}
    kinds = {one.name: one.kind for one in shown(Manner, {})}
    how, typed, wrong = stage.how, dict(draft.typed), dict(draft.wrong)
    for name, kind in kinds.items():
        text = sent.get(name, "").strip()
        value: Any = text == "on" if kind == "yes" else (decimal(text) or None) if kind == "number" else text
        if name == "ask_s":
            value = value or 0
        typed.pop(prefix + name, None)
        wrong.pop(prefix + name, None)
        try:
            how = Manner.model_validate(how.model_dump() | {name: value})
        except ValidationError as broken:
            typed[prefix + name], wrong[prefix + name] = text, said(dict(broken.errors()[0]))
    new = resized(file.brief, stage, stage.model_copy(update={"manner": how if how != Manner() else None}))
    what = f"{title(stage.modality)}: how it is worked"
    return changed(draft, draft.plan.with_stage(new), what, typed=typed, wrong=wrong)


def _split(ctx: Context, file: VisitFile, draft: Draft, form: EditForm) -> Draft:
    """The zones of one class of skin into a stage of their own, set as that class asks."""
    step, stage, of = draft.plan.of(form.about), draft.plan.stage(form.about), in_force(file.brief, draft.plan)
    worked = compute(file.brief, stage, of=of)
    there = next((one for one in worked.classes if one.skin == form.kind), None)
    rest = tuple(zone for zone in worked.areas if there and zone not in there.zones)
    if there is None or not rest or stage.parts:  # a part is drawn as it is meant
        raise BadInput({"stage": "There is nothing to split off."})
    apart = moved(file.brief, stage.model_copy(update={"id": new_id()}).with_settings(there.settings), there.zones)
    with suppress(Refused):
        apart = lowered(file.brief, apart, of)
    stages = ((moved(file.brief, stage, rest), apart) if one.id == stage.id else (one,) for one in step.stages)
    plan = draft.plan.with_step(step.model_copy(update={"stages": tuple(chain(*stages))}))
    return changed(draft, plan, f"{title(stage.modality)}: {there.words} by itself")


def _leave(ctx: Context, file: VisitFile, draft: Draft, form: EditForm) -> Draft:
    """A stage out of its step; the last of what leads it takes the step with it."""
    step, stage = draft.plan.of(form.about), draft.plan.stage(form.about)
    stages = tuple(one for one in step.stages if one.id != stage.id)
    if all(one.modality != step.modality for one in stages):
        return removed(draft, step)
    plan = draft.plan.with_step(step.model_copy(update={"stages": stages}))
    return without(draft, (stage,), plan, f"left a stage of {title(step.modality)} out")


def _shift(ctx: Context, file: VisitFile, draft: Draft, form: EditForm) -> Draft:
    """A stage to another place in its step: `after` which stage ("" first), or `by` how many places."""
    step, stage = draft.plan.of(form.about), draft.plan.stage(form.about)
    rest = [one for one in step.stages if one.id != stage.id]
    if "after" in form.sent:
        places = [n for n, one in enumerate(rest) if one.id == form.after]
        if form.after and not places:
            raise BadInput({"after": "To which place in its step?"})
        to = places[0] + 1 if form.after else 0
    elif form.by in ("1", "-1") and "by" in form.sent:
        to = min(max(step.stages.index(stage) + int(form.by), 0), len(rest))
    else:
        raise BadInput({"after": "To which place?"})
    rest.insert(to, stage)
    plan = draft.plan.with_step(step.model_copy(update={"stages": tuple(rest)}))
    return changed(draft, plan, f"moved a stage of {title(step.modality)}")


def own_programmes(ctx: Context, modality: str) -> list[RoutineVersion]:
    """The studio's own programmes of a modality."""
    return [one for one in letters.routines(ctx.db) if one.body.programme and one.body.steps[0].modality == modality]


STAGE_OPS: dict[str, Op] = {
    "set": _set,
    "lengthen": _lengthen,
    "strength": _strength,
    "zones": _zones,
    "zone": _zone,
    "beyond": _beyond,
    "parts": _parts,
    "machine": _machine,
    "again": _again,
    "programme": _programme,
    "stage": _stage,
    "mend": _mend,
    "lay": _lay,
    "off": _off,
    "manner": _manner,
    "split": _split,
    "leave": _leave,
    "shift": _shift,
}
