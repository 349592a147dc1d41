"""The plan as it is made: what is proposed, every change computed anew, undo and redo, what a senior allows."""

from dataclasses import dataclass
from functools import cached_property
from uuid import UUID

from merak.core.errors import BadInput, Refused
from merak.core.knowledge import about, number, rule
from merak.core.modality.catalogue import MODALITIES
from merak.core.modality.device import fits
from merak.core.plan.fitting import may_run_beside, rank, title
from merak.core.plan.proposals import Proposal, proposals
from merak.core.plan.screening import Board
from merak.core.plan.step import Step, can_override, derived, read_settings
from merak.core.plan.visit_plan import Plan, VisitPlan, in_force, visit_plan
from merak.core.whole import whole
from merak.core.working import Caution
from merak.records import visits
from merak.services.context import Context, OutOfTurn
from merak.services.fields import Shown, shown, texts
from merak.services.visit.changes import BACK, OPS, TWINS, Draft, Touched, draft_of
from merak.services.visit.file import VisitFile, changing, open_file


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
    def step(self) -> Step | None:
        """The step whose settings are open."""
        return next((one for one in self.plan.steps if one.id == self.chosen), None)

    def fields(self, step: Step) -> tuple[Shown, ...]:
        """An item's settings as a form shows them: without what follows from the rest of the plan; twins beside what they are told by."""
        model = MODALITIES[step.modality].Settings
        given = set(derived(step.modality, (), (), self.file.brief, self.schools))
        try:
            values = texts(read_settings(step, {}), f"{step.id}.")
        except BadInput:
            values = {f"{step.id}.{key}": str(value) for key, value in step.settings.items()}
        values |= {key: text for key, text in self.draft.typed.items() if key.startswith(f"{step.id}.")}
        found = [one for one in shown(model, values, f"{step.id}.") if one.name.partition(".")[2] not in given]
        return tuple(twin for one in found for twin in (one, *self._twin(step, one)))

    def _twin(self, step: Step, one: Shown) -> tuple[Shown, ...]:
        """The current beside its level, the fluence beside its minutes: either may be typed."""
        pair = TWINS.get((step.modality, one.name.partition(".")[2]))
        if pair is None:
            return ()
        name, words, unit, digits = pair
        told = self.computed.numbers.get(f"{step.id}.{name}")
        value = "" if told is None or told.value is None else f"{told.value:.{digits}f}"
        key = f"{step.id}.{name}"
        return (Shown(key, words, unit, "number", (), self.draft.typed.get(key, value)),)

    def stops(self) -> list[tuple[str, str, Caution]]:
        """(item, "field" or "", why) of all that a senior could plan past in writing."""
        found = [(key.partition(".")[0], key.partition(".")[2], one) for key, one in self.computed.refused.items() if can_override(one)]
        return [one for one in found if one[0] in {step.id for step in self.plan.steps} and one[2].rule != "device.scale"]


def planned(ctx: Context, visit_id: UUID, chosen: str = "", propose: bool = False) -> Planned:
    """The plan that stands; with proposals when they are asked for or nothing is planned yet."""
    return _page(open_file(ctx, visit_id), chosen, propose)


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
    if propose or (propose is not None and not draft.plan.steps):
        try:
            page.proposed = proposals(file.brief)
        except Refused as none:
            page.refusal = page.refusal or none.words
    return page


def edit(ctx: Context, visit_id: UUID, op: str, form: dict[str, str]) -> Planned:
    """One change of a plan. It is made on what stands now, whoever made that; a step that somebody else changed since this person looked
    (`version` in the form) is left as it is, and told. What is typed wrong is kept as typed.
    """
    if op not in OPS:
        raise BadInput({"op": "That cannot be done with a plan."})
    for _ in range(6):
        file = open_file(ctx, visit_id, "plan")
        draft, version = draft_of(file)
        step_id = form.get("step", "")
        met = _changed_meanwhile(ctx, draft, step_id, form) if op not in ("undo", "redo") else ""
        if met:
            return _page(file, step_id, refusal=met)
        try:
            new = OPS[op](ctx, file, draft, form)
        except (Refused, BadInput) as no:
            return _page(file, step_id, propose=op == "take", refusal=no.words if isinstance(no, Refused) else " ".join(no.fields.values()))
        if (new.plan, new.typed, new.wrong) == (draft.plan, draft.typed, draft.wrong):
            return _page(file, step_id)
        if op not in ("undo", "redo"):
            way = (*draft.past, version)[-BACK:] if version else ()
            touched = {k: v for k, v in new.touched.items() if any(one.id == k for one in new.plan.steps)}
            if step_id and any(one.id == step_id for one in new.plan.steps):
                touched[step_id] = Touched(version=version + 1, by=str(ctx.me.id), who=ctx.me.name, what=new.what)
            new = new.model_copy(update={"past": way, "future": (), "touched": touched, "who": ctx.me.name})
        body = new.model_dump(mode="json")
        try:
            with ctx.saving("plan", visit_id, draft=True) as db:
                visits.add_next(db, visit_id, "plan", version + 1, body, ctx.me.id, ctx.now)
        except visits.Taken:
            continue
        chair = op != "set" or ".path." in form.get("changed", "")
        before, agreed = _page(file, propose=None, draft=draft, version=version, chair=chair), file.consented
        file.records["plan"] = visits.VisitRecords(version + 1, body)
        page = _page(file, form.get("next", step_id), draft=new, version=version + 1, chair=chair)
        page.redraw = _touched(before, page, agreed)
        return page
    raise OutOfTurn("Somebody else is changing this plan just now. Once more, please.")


def _touched(before: Planned, after: Planned, agreed: bool) -> frozenset[str]:
    """Whether the strip and the consent look otherwise than before: a level that moves leaves both as they were."""
    strips = [
        (one.computed.spans, one.computed.clashes, one.computed.stopped, one.computed.allowed, {key.partition(".")[0] for key in one.slips})
        for one in (before, after)
    ]
    consents = [(one.settled, [step.modality for step in one.plan.steps]) for one in (before, after)]
    found = {"strip"} if strips[0] != strips[1] else set()
    return frozenset(found | ({"consent"} if agreed or consents[0] != consents[1] else set()))


def _changed_meanwhile(ctx: Context, draft: Draft, step_id: str, form: dict[str, str]) -> str:
    """What another changed in this step after the version that this person was looking at; "" when nothing."""
    seen = whole(form.get("version"), 10**9)
    touched = draft.touched.get(step_id)
    if not touched or seen is None or touched.version <= seen or touched.by == str(ctx.me.id):
        return ""
    return f"{touched.who} changed this step meanwhile: {touched.what}. It stands as they left it; look, then change it again."


def put(ctx: Context, visit_id: UUID, plan: Plan, what: str) -> Planned:
    """A whole plan in place of what stands (a routine fitted, a calculation's result), as a change that can be undone."""
    with changing(ctx, visit_id, "plan") as file:
        draft, version = draft_of(file)
        way = (*draft.past, version)[-BACK:] if version else ()
        new = Draft(plan=plan, what=what, did=what, who=ctx.me.name, past=way)
        visits.add_version(ctx.db, visit_id, "plan", new.model_dump(mode="json"), ctx.me.id, ctx.now)
    return planned(ctx, visit_id)


def take_values(ctx: Context, visit_id: UUID, modality: str, values: dict[str, str]) -> Planned:
    """Values from the bench into the step of a modality, each as if it had been typed. Raises OutOfTurn when it is not in the plan."""
    draft, _ = draft_of(open_file(ctx, visit_id, "plan"))
    step = next((one for one in draft.plan.steps if one.modality == modality), None)
    if step is None:
        raise OutOfTurn(f"{about()[modality].title} is not in this plan. Choose it there first.")
    page = planned(ctx, visit_id)
    for key, value in values.items():
        page = edit(ctx, visit_id, "set", {"step": step.id, f"{step.id}.{key}": value, "changed": key})
    return page


def addable(page: Planned) -> list[tuple[str, str]]:
    """What could be added: what the studio offers, by name, in the order of the work."""
    brief = page.file.brief
    able = sorted(brief.offered, key=lambda name: (rank(name, page.schools), name))
    return [(name, title(name)) for name in able]


def hosts(page: Planned, step: Step) -> list[tuple[str, str]]:
    """The steps in whose waiting time this one could run."""
    return [
        (one.id, title(one.modality))
        for one in page.plan.steps
        if one.id != step.id and not one.beside and may_run_beside(one.modality, step.modality, page.schools)
    ]


def machines_for(page: Planned, step: Step) -> list[tuple[str, str]]:
    """The machines that could do a step."""
    return [(one.id, one.card.name) for one in page.file.machines if fits(one.card, step.modality)]


def needed_licences(plan: Plan) -> set[str]:
    """The licences that a plan asks of whoever starts it."""
    found = {about()[one.modality].licence for one in plan.steps}
    deep = any(one.modality == "micro_needling" for one in plan.steps)
    return (found - {"", "senior", "physician", "micro depth"}) | ({"micro depth"} if deep and _beyond(plan) else set())


def _beyond(plan: Plan) -> bool:
    return any(
        one.modality == "micro_needling" and float(one.settings.get("depth_mm", 0)) > number("micro_needling.unlicensed")
        for one in plan.steps
    )
