"""Each answer acts on each modality separately; the most careful verdict wins."""

from datetime import date, timedelta
from typing import get_args

from merak.core.client import age_on
from merak.core.errors import BadInput, Refused
from merak.core.knowledge import Option, Question, Verdict, book, number, rule
from merak.core.working import Frozen

MODALITIES = ("microcurrent", "led")
#: From the least to the most careful.
VERDICTS: tuple[Verdict, ...] = get_args(Verdict)
STOPPING: frozenset[Verdict] = frozenset({"wait", "letter", "no", "never"})


class Answer(Frozen):
    """One answer: the option's id, and the date that a dated option asks for."""

    option: str
    on: date | None = None


Answers = dict[str, Answer]


class Reason(Frozen):
    """Why a modality stands as it does: the answer's words, its verdict, what to do, and until when to wait."""

    verdict: Verdict
    answer: str
    reason: str
    act: str
    rule: str
    until: date | None = None


class Standing(Frozen):
    """Where a modality stands today: the most careful verdict, its reasons from the most careful down, the questions still open."""

    modality: str
    verdict: Verdict
    reasons: tuple[Reason, ...]
    open: tuple[str, ...]

    @property
    def plannable(self) -> bool:
        """Whether today's answers let it into a plan."""
        return self.verdict not in STOPPING and not self.open

    @property
    def until(self) -> date | None:
        """The day from which waiting is over, when waiting is all that stops it."""
        return max((r.until for r in self.reasons if r.until), default=None) if self.verdict == "wait" else None


def questions(returning: bool) -> tuple[Question, ...]:
    """What is asked of this client: "since last time" only of one who has been here."""
    return tuple(question for question in book().question if returning or not question.since)


def option_of(question: Question, answer: Answer) -> Option:
    """The chosen option. Raises BadInput for one that the question does not have."""
    for option in question.options:
        if option.id == answer.option:
            return option
    raise BadInput({question.id: f"“{answer.option}” is no answer to “{question.ask}”"})


def _acts_on(question: Question, modality: str) -> bool:
    return any(getattr(option, modality) for option in question.options)


def board(answers: Answers, born: date, today: date, returning: bool) -> dict[str, Standing]:
    """Modality → standing. Raises BadInput, by question, for answers that are not in the rule book or dates in the future."""
    found: dict[str, list[Reason]] = {modality: [] for modality in MODALITIES}
    open_: dict[str, list[str]] = {modality: [] for modality in MODALITIES}
    for question in questions(returning):
        given = answers.get(question.id)
        for modality in MODALITIES:
            if given is None and _acts_on(question, modality):
                open_[modality].append(question.ask)
        if given is not None:
            option = option_of(question, given)
            if given.on and given.on > today:
                raise BadInput({question.id: f"{given.on:%-d %b %Y} lies in the future."})
            for modality in MODALITIES:
                reason = _reason(question, option, given.on, modality, today)
                if reason:
                    found[modality].append(reason)
    if age_on(born, today) < number("screening.age"):
        found["microcurrent"].append(_minor("no", "No energy under 18.", "Nothing with current; light with a guardian."))
        found["led"].append(_minor("change", "A minor does not consent alone.", "A guardian is present and signs."))
    return {modality: _standing(modality, found[modality], tuple(open_[modality])) for modality in MODALITIES}


def _reason(question: Question, option: Option, on: date | None, modality: str, today: date) -> Reason | None:
    ruling = getattr(option, modality)
    if ruling is None or ruling.verdict == "go":
        return None
    until = None
    if ruling.days is not None and on is not None:
        until = on + timedelta(days=ruling.days)
        if until <= today:
            return None  # the waiting is over
    act = ruling.act if ruling.verdict != "wait" or on else "When was it? Without a date the wait has no end."
    return Reason(verdict=ruling.verdict, answer=option.words, reason=ruling.reason, act=act, rule=f"screening.{question.id}", until=until)


def _minor(verdict: Verdict, reason: str, act: str) -> Reason:
    return Reason(verdict=verdict, answer="under 18", reason=reason, act=act, rule="screening.age")


def _standing(modality: str, reasons: list[Reason], open_: tuple[str, ...]) -> Standing:
    ranked = tuple(sorted(reasons, key=lambda r: -VERDICTS.index(r.verdict)))
    return Standing(modality=modality, verdict=ranked[0].verdict if ranked else "go", reasons=ranked, open=open_)


def demand(standing: Standing) -> None:
    """Raises Refused unless this modality may be planned today."""
    if standing.plannable:
        return
    if standing.verdict in STOPPING:
        first = standing.reasons[0]
        when = f" Not before {standing.until:%-d %B %Y}." if standing.until else ""
        raise Refused(f"{standing.verdict}: {first.reason}{when} {first.act}", first.rule)
    raise Refused(f"{len(standing.open)} questions are still open. {rule('screening.unanswered').reason}", "screening.unanswered")
