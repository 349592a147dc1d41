"""A senior plans past something in writing, and takes the word back."""

from uuid import UUID

from merak.core.errors import BadInput, Refused
from merak.core.plan.screening import Override, override, worded
from merak.core.plan.stage import can_override
from merak.core.plan.visit_plan import between, visit_plan
from merak.records.bodies.visit import OverridesBody
from merak.services.context import Context
from merak.services.forms import TypedForm
from merak.services.visit.changes import draft_of
from merak.services.visit.file import VisitFile, changing


class AllowForm(TypedForm):
    """What a senior plans past: a "verdict" of a rule on a modality, or what stands in the plan under `key`; why."""

    what: str = ""
    modality: str = ""
    verdict: str = ""
    rule: str = ""
    key: str = ""
    reason: str = ""


def allow(ctx: Context, visit_id: UUID, form: dict[str, str]) -> None:
    """A senior plans past something in writing: a verdict, a ceiling that is not absolute, or two steps that do not
    fit.

    Raises Denied, Refused for what nobody may, BadInput on "reason".
    """
    with changing(ctx, visit_id, "override") as file:
        asked = AllowForm.read(form)
        word = _verdict_allowed(ctx, file, asked) if asked.what == "verdict" else _plan_allowed(ctx, file, asked)
        file.keep(ctx, OverridesBody(overrides=(*file.overrides, word)))


def _verdict_allowed(ctx: Context, file: VisitFile, asked: AllowForm) -> Override:
    if asked.modality not in file.brief.board:
        raise BadInput({"modality": "Which treatment?"})
    return override(
        asked.modality,
        asked.verdict,
        asked.rule,
        file.brief.board[asked.modality],
        file.letters,
        asked.reason,
        ctx.me.name,
        ctx.now.astimezone(ctx.zone),
        ctx.today,
    )


def _plan_allowed(ctx: Context, file: VisitFile, asked: AllowForm) -> Override:
    computed = visit_plan(file.brief, draft_of(file)[0].plan)
    reason, at = worded(asked.reason), ctx.now.astimezone(ctx.zone)
    stop = computed.refused.get(asked.key)
    if stop is not None:
        if not can_override(stop):
            raise Refused(f"Nobody plans past this. {stop.words}", stop.rule)
        name = computed.plan.stage(asked.key.partition(".")[0]).modality
        return Override(rule=stop.rule, modality=name, words=stop.words, reason=reason, by=ctx.me.name, at=at)
    clash = next((one for one in computed.clashes if f"{one.rule}|{'|'.join(one.steps)}" == asked.key), None)
    if clash is None:
        raise BadInput({"key": "Nothing like that stands in the plan now."})
    if clash.absolute:
        raise Refused(f"Nobody plans past this. {clash.words}", clash.rule)
    return Override(
        rule=clash.rule,
        modality=between(computed.plan, clash),
        words=clash.action,
        reason=reason,
        by=ctx.me.name,
        at=at,
    )


def withdraw(ctx: Context, visit_id: UUID, number: int) -> None:
    """Takes a senior's word back; that it was given stays on the record."""
    with changing(ctx, visit_id, "override") as file:
        kept = tuple(one for n, one in enumerate(file.overrides) if n != number)
        file.keep(ctx, OverridesBody(overrides=kept))
