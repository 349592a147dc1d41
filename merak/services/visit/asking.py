"""The safety talk: answers, wishes, and where each modality stands."""

from dataclasses import dataclass
from datetime import date
from typing import Annotated
from uuid import UUID

from pydantic import Field

from merak.core.body.plate import zone_names
from merak.core.body.treatable import BESIDE
from merak.core.errors import BadInput
from merak.core.knowledge import Option, Question, aspects, conditions
from merak.core.plan.facts import Wish
from merak.core.plan.fitting import rank, title
from merak.core.plan.screening import (
    MOST_ANSWERS,
    Answer,
    Answers,
    Overridable,
    Reason,
    Standing,
    board,
    option_of,
    overridable,
    questions,
)
from merak.core.windows import wrong_day
from merak.records.bodies.visit import AskBody
from merak.services.clients import lettering
from merak.services.clients.lettering import KeptLetter, letters_of
from merak.services.context import Context
from merak.services.forms import Otherwise, Prefixed, TypedForm, day_of
from merak.services.visit.file import VisitFile, changing, open_file

#: Zones that a client may point to.
ZONES = tuple(zone for zone in zone_names("face") if zone not in BESIDE)


@dataclass(frozen=True)
class AnswerRow:
    """One answer as its form shows it: under which name, what is chosen of what, what is wrong with it."""

    key: str
    given: Answer | None
    option: Option | None
    options: tuple[Option, ...]
    wrong: str = ""


@dataclass
class AskPage:
    """The ask page: the questions for this client, today's answers, and the board that follows. `typed` are fields that
    cannot be kept.
    """

    file: VisitFile
    questions: tuple[Question, ...]
    wrong: dict[str, str]
    typed: dict[str, str]
    letters: tuple[KeptLetter, ...]

    @property
    def headings(self) -> dict[str, list[Question]]:
        """The questions under their headings."""
        found: dict[str, list[Question]] = {}
        for one in self.questions:
            found.setdefault(one.heading, []).append(one)
        return found

    @property
    def slipped(self) -> frozenset[str]:
        """The questions that something of is wrong."""
        return frozenset(key.partition("~")[0] for key in self.wrong)

    def rows(self, question: Question) -> list[AnswerRow]:
        """What stands to a question, a row each; one more where something may be added."""
        answer = self.file.answers.get(question.id)
        given: list[Answer | None] = list(answer.each) if answer else [None]
        chosen = {one.option for one in given if one}

        def left(own: Answer | None) -> tuple[Option, ...]:
            """What may be there besides: once each, but for what has a date or a place of its own."""
            mine = own.option if own else ""
            others = question.options[1:]
            return tuple(one for one in others if one.id == mine or one.id not in chosen or one.dated or one.zoned)

        more = question.many and answer is not None and answer.option != question.options[0].id
        if more and left(None) and len(given) < MOST_ANSWERS:
            given.append(None)
        return [
            AnswerRow(
                key=key,
                given=one,
                option=next((option for option in question.options if one and option.id == one.option), None),
                options=question.options if n == 0 else left(one),
                wrong=self.wrong.get(key, ""),
            )
            for n, (key, one) in enumerate(zip(keys_of(question), given, strict=False))
        ]

    @property
    def board(self) -> list[Standing]:
        """Where each modality stands that this studio offers, in the order of the work; aspects
        after what they are of.
        """
        brief = self.file.brief
        offered = sorted(brief.offered & brief.board.keys(), key=lambda name: (rank(name, brief.facts.methods), name))
        return [brief.board[name] for name in offered]

    def aspects(self, modality: str) -> list[tuple[str, Standing]]:
        """Aspects of a modality that stand worse than the modality itself, in words."""
        found = [(one.words, self.file.brief.board[name]) for name, one in aspects().items() if one.of == modality]
        return [(words, at) for words, at in found if any(r.stops for r in at.reasons)]

    @property
    def unconfirmed(self) -> int:
        """How many answers of last time wait to be confirmed."""
        return len([q for q in self.questions if q.id in self.file.carried and q.id not in self.file.answers])

    @property
    def unanswered(self) -> int:
        """How many questions have no answer today."""
        return len([q for q in self.questions if q.id not in self.file.answers])

    def may_lift(self, reason: Reason) -> Overridable:
        """Whether a senior may override a reason."""
        return overridable(reason, self.file.letters, self.file.today)

    @property
    def letters_asked(self) -> list[tuple[str, str]]:
        """(rule, words) of what a doctor's letter would speak to, and none was asked for."""
        return [
            (rule_id, answer)
            for rule_id, answer in lettering.wanted(self.file)
            if not lettering.is_there(self.file, rule_id, answer)
        ]


def named(modality: str) -> str:
    """A modality or aspect as it is called on screen."""
    return aspects()[modality].words if modality in aspects() else title(modality)


def asked(ctx: Context, visit_id: UUID) -> AskPage:
    """What stands."""
    return _page(open_file(ctx, visit_id))


def _page(file: VisitFile, wrong: dict[str, str] | None = None, typed: dict[str, str] | None = None) -> AskPage:
    return AskPage(
        file, questions(file.previous is not None, file.brief.offered), wrong or {}, typed or {}, letters_of(file)
    )


def save_answers(ctx: Context, visit_id: UUID, form: dict[str, str]) -> AskPage:
    """Keeps the answers of the form, "question" → option, "question.on" → date and "question.zone.…" → on, and what the
    client wants, "wish.…"; what is wrong comes back by field.

    What the form does not speak of stays as it was; good answers are kept even when another is wrong, so that nothing
    typed is lost.
    """
    with changing(ctx, visit_id, "ask") as file:
        answers, wrong = _answered(ctx, file, form)
        wish = _wish(file, form, wrong)
        _keep(ctx, file, answers, wish)
    return _page(open_file(ctx, visit_id), wrong, {key: form[key] for key in wrong if key in form})


def _answered(ctx: Context, file: VisitFile, form: dict[str, str]) -> tuple[dict[str, Answer], dict[str, str]]:
    """(today's answers with those of the form, what is wrong by field)."""
    answers: dict[str, Answer] = dict(file.answers)
    wrong: dict[str, str] = {}
    for question in questions(file.previous is not None):
        keys = keys_of(question)
        if not any(key in form for key in keys):
            continue
        there = answers[question.id].each if question.id in answers else ()
        found: list[Answer] = []
        for n, key in enumerate(keys):
            if key not in form:  # what the form does not speak of stays
                found += there[n : n + 1]
            elif form[key]:
                try:
                    found.append(_answer(question, key, form, file, ctx.today))
                except BadInput as bad:
                    wrong[key] = next(iter(bad.fields.values()))
                    found += there[n : n + 1]
        if found:
            answers[question.id] = _together(question, found, form.get(question.id, ""))
    return answers, wrong


def keys_of(question: Question) -> tuple[str, ...]:
    """The names under which a form sends the answers to a question: its own, then a row for each further one."""
    rows = range(2, MOST_ANSWERS + 1) if question.many else ()
    return (question.id, *(f"{question.id}~{n}" for n in rows))


def _together(question: Question, found: list[Answer], first_said: str) -> Answer:
    """Several answers to a question as one, none of them twice; nothing where the first row says now that nothing is
    there, or nothing else does.
    """
    none = question.options[0].id
    there = list(dict.fromkeys(one for one in found if one.option != none))
    if first_said == none or not there:
        return found[0]
    return there[0].model_copy(update={"also": tuple(there[1:])})


def confirm_carried(ctx: Context, visit_id: UUID) -> AskPage:
    """The client says that last time's answers still hold: they become today's where today has none."""
    with changing(ctx, visit_id, "ask") as file:
        _keep(ctx, file, {**file.carried, **file.answers}, file.wish)
    return asked(ctx, visit_id)


def rest_is_none(ctx: Context, visit_id: UUID, heading: str, form: dict[str, str]) -> AskPage:
    """The form is kept, and every question under a heading that has no answer by then was asked, and nothing applies:
    the option that changes nothing.
    """
    with changing(ctx, visit_id, "ask") as file:
        answers, wrong = _answered(ctx, file, form)
        for question in questions(file.previous is not None, file.brief.offered):
            if question.heading == heading and question.id not in answers and question.id not in wrong:
                answers[question.id] = Answer(option=question.options[0].id)
        _keep(ctx, file, answers, _wish(file, form, wrong))
    return asked(ctx, visit_id)


class AnswerForm(TypedForm):
    """One answer as it is sent: the option, its date, its zones."""

    option: str = ""
    on: Annotated[date | None, Otherwise("“{typed}” is not a date.")] = None
    zones: Annotated[dict[str, str], Prefixed("zone.")] = Field(default_factory=dict)


class WishForm(TypedForm):
    """What the client wants: which goals, until when, within what."""

    goal: Annotated[dict[str, str], Prefixed("wish.goal.")] = Field(default_factory=dict)
    event: Annotated[date | None, day_of("event")] = Field(None, alias="wish.event")
    minutes: float | None = Field(None, ge=5, le=480, alias="wish.minutes")
    money: float | None = Field(None, ge=0, le=100_000, alias="wish.money")


def _answer(question: Question, row: str, form: dict[str, str], file: VisitFile, today: date) -> Answer:
    own = {key.removeprefix(f"{row}."): text for key, text in form.items() if key.startswith(f"{row}.")}
    option = option_of(question, Answer(option=form[row]))
    asked, wrong = AnswerForm.parse(own)
    if wrong and option.dated:
        raise BadInput({question.id: wrong["on"]})
    on = asked.on if option.dated else None
    if on and on < file.visit.client.born:
        raise BadInput({question.id: wrong_day("past", on, today, file.visit.client.born)})
    zones = tuple(zone for zone in ZONES if asked.zones.get(zone) == "on") if option.zoned else ()
    answer = Answer(option=option.id, on=on, zones=zones)
    board({question.id: answer}, file.visit.client.born, today, True)  # refuses what does not fit
    return answer


def _wish(file: VisitFile, form: dict[str, str], wrong: dict[str, str]) -> Wish:
    """What the client wants, as far as it can be read; an event that stood already may be past by now."""
    asked, slips = WishForm.parse(form, today=file.today)
    same_event = form.get("wish.event", "").strip() == str(file.wish.event)
    if same_event:
        slips.pop("wish.event", None)
    wrong |= slips
    body = dict(file.wish)
    for name in ("event", "minutes", "money"):
        key = f"wish.{name}"
        if key in form and key not in slips and not (same_event and name == "event"):
            body[name] = getattr(asked, name)
    if "wish.goals" in form:
        body["goals"] = tuple(name for name in conditions() if asked.goal.get(name) == "on")
    return Wish.model_validate(body)


def _keep(ctx: Context, file: VisitFile, answers: Answers, wish: Wish) -> None:
    """A new version when there is something new."""
    body = AskBody(answers=answers, wish=wish)
    if body != file.body(AskBody):
        file.keep(ctx, body)
