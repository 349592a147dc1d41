"""The plan as it is made: what is proposed, every change computed anew, undo and redo, what a senior allows."""

from dataclasses import dataclass, replace
from functools import cached_property
from uuid import UUID

from merak.core.body.plate import bare, sided
from merak.core.errors import BadInput, Refused
from merak.core.knowledge import Manner, about, programmes, rule
from merak.core.knowledge.register import needs
from merak.core.modality.catalogue import MODALITIES
from merak.core.modality.device import fits
from merak.core.plan.by_class import CLASSES
from merak.core.plan.draft import Draft, Touched
from merak.core.plan.fitting import rank, title
from merak.core.plan.proposals import Proposal, proposals
from merak.core.plan.screening import Board
from merak.core.plan.shelf import coat_of, names, shelf_names
from merak.core.plan.stage import Stage, can_override, derived, read_settings
from merak.core.plan.step import PLAIN, Step, programme_of
from merak.core.plan.visit_plan import Plan, VisitPlan, beside_fits, in_force, visit_plan
from merak.core.working import Caution, Quantity
from merak.records import visits
from merak.services.context import Context, OutOfTurn
from merak.services.forms import Shown, shown, texts
from merak.services.visit.change import EditForm
from merak.services.visit.changes import BACK, OPS, WHOLE, draft_of, with_new_ids
from merak.services.visit.file import VisitFile, changing, forget, open_file
from merak.services.visit.stage_changes import own_programmes

needs(
    __name__,
    """
    words: device.scale
    """,
)


@dataclass
class Planned:
    """The plan page. `chosen` is the stage whose settings are open, "" where none are."""

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
        """What stands beside each field, by "stage.field": what cannot be read, or what a ceiling refuses, with its
        reason and source.
        """
        refused = {
            key: f"{one.words} {one.action} [{rule(one.rule).source}]" for key, one in self.computed.refused.items()
        }
        return refused | self.draft.wrong

    @property
    def untroubled(self) -> bool:
        """Whether nothing stands against any one step, and nothing of it is to be minded."""
        minded = any(one.weight != "know" for told in self.computed.cautions.values() for one in told)
        return not self.computed.refused and not minded

    def numbers_of(self, whose: str) -> list[tuple[str, Quantity]]:
        """The numbers of a stage, or what those of a step come to together ("sums-" and its id), by their keys."""
        return [(key, found) for key, found in self.computed.numbers.items() if key.startswith(f"{whose}.")]

    @property
    def against(self) -> list[Caution]:
        """What stands against the open stage."""
        return [stop for key, stop in self.computed.refused.items() if key.startswith(f"{self.chosen}.")]

    @property
    def to_mind(self) -> list[tuple[str, Caution]]:
        """What to mind in the plan, each once: the works that it is about, in words, and what it is."""
        works: dict[Caution, dict[str, None]] = {}
        for stage in self.plan.stages:
            for one in self.computed.cautions.get(stage.id, ()):
                if one.weight != "know":
                    works.setdefault(one, {})[title(stage.modality)] = None
        return [(", ".join(names), one) for one, names in works.items()]

    def mine(self, person: UUID) -> tuple[bool, bool]:
        """Whether somebody has something to take back, and to do again."""
        return bool(self.draft.changes.get(str(person))), bool(self.draft.undone.get(str(person)))

    @property
    def settled(self) -> bool:
        """Whether the plan as it stands may be agreed to and started."""
        return self.computed.startable and not self.draft.wrong

    @cached_property
    def step(self) -> Step | None:
        """The step that is open."""
        return self.plan.of(self.chosen) if self.chosen else None

    @cached_property
    def stage(self) -> Stage | None:
        """The stage of it whose settings are open."""
        return self.plan.stage(self.chosen) if self.chosen else None

    @property
    def elsewhere(self) -> frozenset[str]:
        """The zones that other stages of the open step work on, each side by itself."""
        others = [one.id for one in self.step.stages if one.id != self.chosen] if self.step else []
        return sided(zone for one in others for zone in self.computed.zones.get(one, ()))

    def fields(self, stage: Stage) -> tuple[Shown, ...]:
        """A stage's settings as a form shows them: without what follows from the rest of the plan; twins beside what
        they are told by.
        """
        model = MODALITIES[stage.modality].Settings
        given = set(derived(stage.modality, frozenset(), self.file.brief, self.schools))
        try:
            values = texts(read_settings(stage, {}), f"{stage.id}.")
        except BadInput:
            values = {f"{stage.id}.{key}": str(value) for key, value in stage.values.items()}
        values |= {key: text for key, text in self.draft.typed.items() if key.startswith(f"{stage.id}.")}
        found = [one for one in shown(model, values, f"{stage.id}.") if one.name.partition(".")[2] not in given]
        return tuple(twin for one in found for twin in (one, *self._twin(stage, one)))

    def manner(self, stage: Stage) -> tuple[Shown, ...]:
        """How a stage is worked, as a form shows it."""
        prefix = f"{stage.id}.how."
        fields = shown(Manner, texts(stage.how, prefix) | self.draft.typed, prefix)
        usual = ", then ".join(self.computed.coats.get(stage.id, ()))
        if stage.how.product.strip():  # what stands there is named
            usual = names(coat_of(stage.modality, stage.settings, "", opened=False))
        return tuple(
            replace(one, options=shelf_names(), usual=usual) if one.name == f"{prefix}product" else one
            for one in fields
        )

    def _twin(self, stage: Stage, one: Shown) -> tuple[Shown, ...]:
        """The current beside its level, the fluence beside its minutes: either may be typed."""
        twin = MODALITIES[stage.modality].WAYS.twin
        if twin is None or twin.field != one.name.partition(".")[2]:
            return ()
        key = f"{stage.id}.{twin.name}"
        told = self.computed.numbers.get(key)
        value = "" if told is None or told.value is None else f"{told.value:.{twin.digits}f}"
        return (Shown(key, twin.words, twin.unit, "number", (), self.draft.typed.get(key, value)),)

    def stops(self) -> list[tuple[str, str, Caution]]:
        """(stage, "field" or "", why) of all that a senior could plan past in writing."""
        found = [
            (key.partition(".")[0], key.partition(".")[2], one)
            for key, one in self.computed.refused.items()
            if can_override(one)
        ]
        return [
            one for one in found if one[0] in {stage.id for stage in self.plan.stages} and one[2].rule != "device.scale"
        ]


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
    """The page of a draft (the one that stands); with proposals when asked for, or when nothing is planned (never for
    None).
    """
    if draft is None:
        draft, version = draft_of(file)
    chosen = draft.plan.stage(chosen).id if chosen in draft.plan.ids else ""
    page = Planned(file, draft, version, visit_plan(file.brief, draft.plan, chair), chosen, refusal)
    if propose or (propose is not None and not draft.plan.steps):
        try:
            page.proposed = proposals(file.brief)
        except Refused as none:
            page.refusal = page.refusal or none.words
    return page


def edit(ctx: Context, visit_id: UUID, op: str, form: dict[str, str]) -> Planned:
    """One change of a plan. It is made on what stands now, whoever made that; what somebody else, or another page of
    one's own (`page`), changed since this page was drawn (`version`) is left as it is, and told. What is typed wrong is
    kept as typed.
    """
    if op not in OPS:
        raise BadInput({"op": "That cannot be done with a plan."})
    asked = EditForm.parse(form)[0]
    for _ in range(6):
        file = open_file(ctx, visit_id, "plan")
        draft, version = draft_of(file)
        step_id = asked.about
        met = _changed_meanwhile(ctx, draft, op, asked)
        if met:
            return _page(file, step_id, refusal=met)
        try:
            new = OPS[op](ctx, file, draft, asked)
        except (Refused, BadInput) as no:
            return _page(
                file,
                step_id,
                propose=op == "take",
                refusal=no.words if isinstance(no, Refused) else " ".join(no.fields.values()),
            )
        if (new.plan, new.typed, new.wrong) == (draft.plan, draft.typed, draft.wrong):
            return _page(file, step_id)
        new = _kept(ctx, draft, new, version, op, asked.page)
        try:
            with ctx.saving("plan", visit_id, draft=True) as db:
                written = visits.add_next(db, visit_id, version + 1, new, ctx.me.id, ctx.now)
        except visits.Taken:
            forget(ctx, visit_id)
            continue
        chair = op != "set" or ".path." in asked.changed
        before, agreed = _page(file, propose=None, draft=draft, version=version, chair=chair), file.consented
        file.records["plan"] = written
        page = _page(file, _open_then(draft, new, op, asked), draft=new, version=version + 1, chair=chair)
        page.redraw = _redrawn(before, page, agreed)
        return page
    raise OutOfTurn("Somebody else is changing this plan just now. Once more, please.")


def _open_then(old: Draft, new: Draft, op: str, form: EditForm) -> str:
    """What is open after a change: what the page asks for, a new stage, what was open, what its step has left."""
    if form.next is not None:
        return form.next
    if op in ("again", "stage"):
        return next(iter(new.plan.ids - old.plan.ids))
    gone = form.about in old.plan.ids - new.plan.ids
    return old.plan.of(form.about).id if gone else form.about


def _kept(ctx: Context, old: Draft, new: Draft, version: int, op: str, page: str) -> Draft:
    """A changed draft as it is kept: who touched what, and the way back."""
    me = str(ctx.me.id)
    mark = Touched(version=version + 1, by=me, who=ctx.me.name, what=new.what, page=page)
    was, now = (_by_id(draft.plan) for draft in (old, new))
    fields = {key.partition(".")[0] for key, _ in old.typed.items() ^ new.typed.items()}
    touched = {key: one for key, one in old.touched.items() if key in now or key == WHOLE}
    touched |= {key: mark for key in now if was.get(key) != now[key] or key in fields}
    before, after = ([one.id for one in draft.plan.steps] for draft in (old, new))
    common = {*before} & {*after}
    moved = [key for key in before if key in common] != [key for key in after if key in common]
    if moved or any(getattr(old.plan, name) != getattr(new.plan, name) for name in ("side", "methods")):
        touched[WHOLE] = mark
    changes, undone = new.changes, new.undone
    if op not in ("undo", "redo"):
        changes = {**changes, me: (*changes.get(me, ()), version + 1)[-BACK:]}
        undone = {**undone, me: ()}
    return new.model_copy(update={"touched": touched, "changes": changes, "undone": undone, "who": ctx.me.name})


def _by_id(plan: Plan) -> dict[str, tuple[object, Stage | None]]:
    """What of a plan is touched by itself: each stage, and each step without what its stages say."""
    shells = {one.id: (one.modality, one.beside, tuple(stage.id for stage in one.stages)) for one in plan.steps}
    stages = {one.id: one for one in plan.stages}
    return {key: (shells.get(key), stages.get(key)) for key in (*shells, *stages)}


def _redrawn(before: Planned, after: Planned, agreed: bool) -> frozenset[str]:
    """Whether the strip and the consent look otherwise than before: a level that moves leaves both as they were."""
    strips = [
        (
            one.computed.spans,
            one.computed.clashes,
            one.computed.stopped,
            one.computed.allowed,
            {key.partition(".")[0] for key in one.slips},
        )
        for one in (before, after)
    ]
    consents = [(one.settled, [stage.modality for stage in one.plan.stages]) for one in (before, after)]
    found = {"strip"} if strips[0] != strips[1] else set()
    return frozenset(found | ({"consent"} if agreed or consents[0] != consents[1] else set()))


def _changed_meanwhile(ctx: Context, draft: Draft, op: str, form: EditForm) -> str:
    """What of that which this is about was changed after the version that this page shows, by another or from another
    page; "" when nothing. Going back looks at that by itself.
    """
    seen = form.version
    if seen is None or op in ("undo", "redo"):
        return ""
    about_ = (
        draft.touched.keys() if op in ("take", "clear") else (WHOLE,) if op in ("side", "method") else (form.about,)
    )
    for key in about_:
        one = draft.touched.get(key)
        mine = one is not None and one.by == str(ctx.me.id)
        if one is None or one.version <= seen or (mine and one.page == form.page):
            continue
        who = "You changed this in another window" if mine else f"{one.who} changed this {_called(draft, key)}"
        return f"{who} meanwhile: {one.what}. It stands as it was left; look, then change it again."
    return ""


def _called(draft: Draft, key: str) -> str:
    """What somebody else changed, in a word."""
    several = any(one.id == key for step in draft.plan.steps if len(step.stages) > 1 for one in step.stages)
    return "plan" if key == WHOLE else "stage" if several else "step"


def put(ctx: Context, visit_id: UUID, plan: Plan, what: str) -> Planned:
    """A whole plan in place of what stands (a routine fitted, a calculation's result), as a change that can be taken
    back.
    """
    with changing(ctx, visit_id, "plan") as file:
        draft, version = draft_of(file)
        new = draft.model_copy(update={"plan": with_new_ids(plan), "typed": {}, "wrong": {}, "what": what})
        file.keep(ctx, _kept(ctx, draft, new, version, "take", ""))
    return planned(ctx, visit_id)


def take_values(ctx: Context, visit_id: UUID, modality: str, values: dict[str, str]) -> Planned:
    """Values from the bench into the step of a modality, each as if it had been typed. Raises OutOfTurn when it is not
    in the plan.
    """
    draft, _ = draft_of(open_file(ctx, visit_id, "plan"))
    stage = next((one for one in draft.plan.stages if one.modality == modality), None)
    if stage is None:
        raise OutOfTurn(f"{about()[modality].title} is not in this plan. Choose it there first.")
    page = planned(ctx, visit_id)
    for key, value in values.items():
        page = edit(ctx, visit_id, "set", {"stage": stage.id, f"{stage.id}.{key}": value, "changed": key})
    return page


def addable(page: Planned, between: bool = False) -> list[tuple[str, str]]:
    """What could be added: what the studio offers, by name, in the order of the work; `between` two steps what is
    gentle.
    """
    able = [name for name in page.file.brief.offered if not between or MODALITIES[name].WAYS.free]
    return [(name, title(name)) for name in sorted(able, key=lambda name: (rank(name, page.schools), name))]


def hosts(page: Planned, step: Step) -> list[tuple[str, str]]:
    """The steps in whose waiting time this one could run."""
    return [
        (one.id, title(one.modality))
        for one in page.plan.steps
        if one.id != step.id and not one.beside and beside_fits(one, step, page.schools)
    ]


def machines_for(page: Planned, stage: Stage) -> list[tuple[str, str]]:
    """The machines that could do a stage."""
    return [(one.id, one.card.name) for one in page.file.machines if fits(one.card, stage.modality)]


def programmes_for(ctx: Context, step: Step) -> list[tuple[str, str]]:
    """What a step may begin with anew: the house's programmes and the studio's own, or one stage."""
    house = [(one.id, one.words) for one in programmes().get(step.modality, ())]
    own = [(str(one.routine_id), f"{one.body.name} (own)") for one in own_programmes(ctx, step.modality)]
    return [(PLAIN, "one stage"), *house, *own]


def more_for(step: Step) -> list[tuple[str, str, str]]:
    """(field, value, words) of each stage that a step may have more: what its programme offers, what is gentle."""
    found = programme_of(step.modality, step.programme)
    rows = [
        ("row", str(n), (row.product or title(row.modality or step.modality)).partition(",")[0])
        for n, row in enumerate(found.stages if found else ())
        if row.optional
    ]
    free = sorted(name for name, module in MODALITIES.items() if module.WAYS.free)
    return [*rows, *(("modality", name, title(name)) for name in free)]


def splits_for(page: Planned, stage: Stage) -> list[tuple[str, str]]:
    """The classes of skin that could be a stage of their own: (class, in words)."""
    zones = set() if stage.parts else {*map(bare, page.computed.zones.get(stage.id, ()))}
    return [(skin, words) for skin, (those, words) in CLASSES.items() if zones & those and zones - those]


def needed_licences(plan: Plan) -> set[str]:
    """The licences that a plan asks of whoever starts it: those of its modalities, and of what is set."""
    named = {about()[one.modality].licence for one in plan.stages} - {"", "physician", "micro depth"}
    return named | ({one.as_it_was.licence for one in plan.stages} - {""})
