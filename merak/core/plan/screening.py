"""Each answer and each finding acts on each modality separately; the most careful verdict wins. Letters and a senior's
word lift some.
"""

from collections.abc import Iterable, Mapping
from datetime import date, datetime
from typing import Literal, get_args

from dateutil.relativedelta import relativedelta
from pydantic import Field

from merak.core.client import Findings, age_on
from merak.core.errors import BadInput, Refused
from merak.core.knowledge import Option, Question, Ruling, Verdict, about, all_of, aspects, book, number, rule
from merak.core.knowledge.current import by_book
from merak.core.knowledge.register import needs
from merak.core.working import Frozen

needs(
    __name__,
    """
    characters: screening.reason_length
    years: screening.age
    words: screening.override screening.phototype screening.unanswered titration.report titration.stop
    """,
    group=("SCREENED", "OPEN", "ENERGY", "HOUSEKEEPING", "BY_PHOTOTYPE"),
)

#: From the least to the most careful.
VERDICTS: tuple[Verdict, ...] = get_args(Verdict)
STOPPING: frozenset[Verdict] = frozenset({"wait", "letter", "no", "never"})
#: The rule about a phototype that nobody has looked at.
UNSEEN = "screening.phototype"


def housekeeping() -> frozenset[str]:
    """What every visit has, whatever is planned: not screened by itself."""
    return all_of(("HOUSEKEEPING",))


@by_book()
def subjects() -> tuple[str, ...]:
    """Everything that has a verdict: the modalities that a plan can hold, and the aspects of them."""
    kept = (name for name, words in about().items() if words.licence != "physician" and name not in housekeeping())
    return (*kept, *aspects())


#: So many answers to one question at most.
MOST_ANSWERS = 8


class Answer(Frozen):
    """One answer: the option's id, the date that a dated option asks for, the zones that a zoned one points to (none:
    all of it). Where a question has `many`, what is there besides stands in `also`, each with a date and zones of its
    own.
    """

    option: str
    on: date | None = None
    zones: tuple[str, ...] = ()
    also: tuple["Answer", ...] = Field((), max_length=MOST_ANSWERS - 1)

    @property
    def each(self) -> tuple["Answer", ...]:
        """All of it, one by one."""
        return (self.model_copy(update={"also": ()}), *self.also) if self.also else (self,)


Answers = dict[str, Answer]


class Letter(Frozen):
    """A doctor's letter about one question or finding (its rule) and the answer that it was asked for, valid to
    `until`. What it says is kept in `note`; an `answer` of "" is that of a letter from before letters named one.
    """

    rule: str
    answer: str = ""
    received: date
    until: date
    note: str = ""
    by: str = ""

    def speaks_to(self, reason: "Reason", today: date) -> bool:
        """Whether it is valid today and was asked for this: what a doctor wrote of a mole says nothing of cancer."""
        mine = self.rule == reason.rule and self.answer in ("", reason.answer)
        return mine and self.received <= today <= self.until


class Report(Frozen):
    """An incident of a modality that no senior has closed: what, on which day."""

    modality: str
    what: str
    on: date


class Override(Frozen):
    """A senior's written word for one visit: about one rule and one modality (or step), in the state that it was in
    (`words`).
    """

    rule: str
    modality: str
    words: str
    reason: str
    by: str
    at: datetime


class Reason(Frozen):
    """Why a modality stands as it does: the answer's words, its verdict, what to do, until when to wait, where it holds
    (none: all).

    `was` is the verdict before a letter or a senior lifted it to "change", `lifted` who did.
    """

    verdict: Verdict
    answer: str
    reason: str
    action: str
    rule: str
    until: date | None = None
    zones: tuple[str, ...] = ()
    senior: bool = False
    was: Verdict | None = None
    lifted: str = ""
    #: A date is missing that the wait counts from.
    undated: bool = False

    @property
    def stops(self) -> bool:
        """Whether it stops the modality, everywhere or in its zones."""
        return self.verdict in STOPPING


class Standing(Frozen):
    """Where a modality stands today: the most careful verdict, its reasons from the most careful down, the questions
    still open, the zones that are closed to it with the reason.
    """

    modality: str
    verdict: Verdict
    reasons: tuple[Reason, ...]
    open: tuple[str, ...]
    closed: dict[str, Reason]

    @property
    def plannable(self) -> bool:
        """Whether today's answers let it into a plan."""
        return self.verdict not in STOPPING and not self.open

    @property
    def until(self) -> date | None:
        """The day from which waiting is over, when waiting is all that stops it."""
        waits = [r for r in self.reasons if r.verdict == "wait" and not r.zones]
        if self.verdict != "wait" or any(r.until is None for r in waits):
            return None
        return max((r.until for r in waits if r.until), default=None)

    @property
    def only_unseen(self) -> bool:
        """Whether all that stops it is that nobody has looked at the skin yet."""
        return self.verdict in STOPPING and {one.rule for one in self.reasons if one.stops} == {UNSEEN}

    @property
    def senior(self) -> bool:
        """Whether it asks for a senior."""
        return any(reason.senior for reason in self.reasons)


Board = dict[str, Standing]


@by_book()
def acted_on(question: Question) -> frozenset[str]:
    """The modalities and aspects that any answer to a question acts on."""
    return frozenset(name for option in question.options for ruling in option.rulings for name in all_of(ruling.on))


def questions(returning: bool, offered: Iterable[str] | None = None) -> tuple[Question, ...]:
    """What is asked of this client: "since last time" only of one who has been here, and only what matters to a
    modality that the studio offers (None: to any).
    """
    wanted = frozenset(subjects()) if offered is None else frozenset(offered)
    wanted |= {name for name, aspect in aspects().items() if aspect.of in wanted}
    return tuple(one for one in book().question if (returning or not one.since) and (acted_on(one) & wanted))


def option_of(question: Question, answer: Answer) -> Option:
    """The chosen option. Raises BadInput for one that the question does not have."""
    for option in question.options:
        if option.id == answer.option:
            return option
    raise BadInput({question.id: f"“{answer.option}” is no answer to “{question.ask}”"})


def board(
    answers: Answers,
    born: date,
    today: date,
    returning: bool,
    findings: Findings | None = None,
    letters: Iterable[Letter] = (),
    overrides: Iterable[Override] = (),
    offered: frozenset[str] | None = None,
    marked: Mapping[str, tuple[str, date]] | None = None,
    reports: Iterable[Report] = (),
) -> Board:
    """Modality or aspect → standing. Raises BadInput, by question, for answers that are not in the rule book or dates
    in the future.

    `marked` are modalities that left a mark, with what and when: they wait for a doctor's letter that came since.
    Those with an incident that is not closed wait for that, whatever anybody writes.
    """
    found: dict[str, list[Reason]] = {name: [] for name in subjects()}
    open_: dict[str, list[str]] = {name: [] for name in subjects()}
    for question in questions(returning, offered):
        answered = answers.get(question.id)
        if answered is None:
            for name in acted_on(question) & found.keys():
                open_[name].append(question.ask)
            continue
        if answered.also and not question.many:
            raise BadInput({question.id: f"One answer to “{question.ask}”"})
        for given in answered.each:
            option = option_of(question, given)
            if given.on and given.on > today:
                raise BadInput({question.id: f"{given.on:%-d %b %Y} lies in the future."})
            for ruling in option.rulings:
                reason = _reason(ruling, option.words, f"screening.{question.id}", given, today, bool(option.dated))
                for name in all_of(ruling.on) & found.keys() if reason else ():
                    found[name].append(reason)  # type: ignore[arg-type]
    for name, reason in _from_findings(findings or Findings(), today):
        found[name].append(reason)
    for name in found:
        if _whole(name) not in all_of(("SCREENED",)):
            found[name].append(_unjudged())
    if age_on(born, today) < number("screening.age"):
        for name in found:
            found[name].append(_minor(name))
    kept, said = tuple(letters), tuple(overrides)
    stand = {name: [_lifted(one, name, kept, said, today) for one in reasons] for name, reasons in found.items()}
    for name, (what, on) in (marked or {}).items():  # a letter from before it speaks for nothing that came since
        since = tuple(one for one in kept if one.received >= on)
        stand[name].append(_lifted(_after_mark(what, on), name, since, said, today))
    for report in reports:
        if report.modality in stand:
            stand[report.modality].append(_until_closed(report))
    return {name: _standing(name, reasons, tuple(open_[name])) for name, reasons in stand.items()}


def _reason(ruling: Ruling, words: str, rule_id: str, given: Answer, today: date, dated: bool) -> Reason | None:
    if ruling.verdict == "go":
        return None
    until = None
    if ruling.counts and given.on is not None:
        until = given.on + relativedelta(days=ruling.days or 0, months=ruling.months or 0)
        if until <= today:
            return None  # the waiting is over
    undated = ruling.counts and dated and given.on is None
    action = "When was it? Without a date the wait has no end." if undated else ruling.action
    zones = given.zones if ruling.zoned else ruling.zones
    return Reason(
        verdict=ruling.verdict,
        answer=words,
        reason=ruling.reason,
        action=action,
        rule=rule_id,
        until=until,
        zones=zones,
        senior=ruling.senior,
        undated=undated,
    )


def _from_findings(findings: Findings, today: date) -> Iterable[tuple[str, Reason]]:
    """What was seen acts like an answer: phototype, and what is graded by zone, where it is graded. What hangs on a
    phototype that nobody has looked at is held back.
    """
    if findings.phototype is None:
        yield from _unseen()
    for sign in book().sign:
        if sign.finding == "phototype":
            zones: tuple[str, ...] = ()
            if (findings.phototype or 0) < sign.least:
                continue
        else:
            graded = findings.grades.get(sign.finding, {})
            zones = tuple(sorted({key.partition(" ")[2] for key, grade in graded.items() if grade >= sign.least}))
            if not zones:
                continue
        for ruling in sign.rulings:
            reason = _reason(ruling, sign.words, sign.id, Answer(option="", zones=zones), today, False)
            for name in all_of(ruling.on) if reason else ():
                yield name, reason  # type: ignore[misc]


@by_book()
def _unseen() -> tuple[tuple[str, Reason], ...]:
    entry = rule(UNSEEN)

    def held(verdict: Verdict) -> Reason:
        return Reason(verdict=verdict, answer="not looked at", reason=entry.words, action=entry.reason, rule=entry.id)

    groups: tuple[tuple[Verdict, str], ...] = (("wait", "BY_PHOTOTYPE"), ("change", "OPEN"))
    return tuple((name, held(verdict)) for verdict, group in groups for name in sorted(all_of((group,))))


@by_book()
def _after_mark(what: str, on: date) -> Reason:
    """A course that stops because of what was left on the skin."""
    entry = rule("titration.stop")
    words = f"{entry.words} On {on:%-d %b %Y} it left {what}."
    return Reason(
        verdict="letter", answer=what, reason=words, action="Report it; ask for a doctor's letter.", rule=entry.id
    )


def _until_closed(report: Report) -> Reason:
    """An incident that no senior has closed."""
    entry = rule("titration.report")
    words = f"{entry.words} {report.what}, {report.on:%-d %b %Y}."
    return Reason(verdict="wait", answer=report.what, reason=words, action=entry.reason, rule=entry.id)


def _whole(name: str) -> str:
    """The modality that an aspect is of; a modality itself."""
    return aspects()[name].of if name in aspects() else name


@by_book()
def _unjudged() -> Reason:
    """What nobody has judged is closed to everybody, whatever is answered."""
    entry = next(group for group in book().group if group.id == "SCREENED")
    return Reason(verdict="never", answer="not judged", reason=entry.words, action=entry.reason, rule=entry.id)


def _minor(name: str) -> Reason:
    stops = _whole(name) in all_of(("ENERGY", "OPEN"))
    verdict: Verdict = "no" if stops else "change"
    under = f"under {number('screening.age'):g}"
    words = f"No energy, nothing that opens the skin {under}." if stops else "A minor does not consent alone."
    action = "Cleansing, masks, light with a guardian." if stops else "A guardian is present and signs."
    return Reason(verdict=verdict, answer=under, reason=words, action=action, rule="screening.age")


def _lifted(
    reason: Reason, modality: str, letters: tuple[Letter, ...], overrides: tuple[Override, ...], today: date
) -> Reason:
    """The reason as it stands with the letters and the senior's words that there are (rule screening.override)."""
    if reason.verdict not in ("wait", "letter", "no"):
        return reason
    letter = next((one for one in letters if one.speaks_to(reason, today)), None)
    senior = next(
        (
            one
            for one in overrides
            if one.rule == reason.rule and one.modality == modality and one.words == state_of(reason)
        ),
        None,
    )
    by = []
    if letter and reason.verdict in ("letter", "no"):
        by.append(f"doctor's letter of {letter.received:%-d %b %Y}, valid to {letter.until:%-d %b %Y}")
    if senior:
        by.append(f"{senior.by}, {senior.at:%-d %b %Y %H:%M}: “{senior.reason}”")
    enough = {"letter": bool(by), "wait": senior is not None, "no": letter is not None and senior is not None}[
        reason.verdict
    ]
    if not enough:
        return reason
    return reason.model_copy(
        update={
            "verdict": "change",
            "was": reason.verdict,
            "lifted": "; ".join(by),
            "action": "Keep to what was allowed.",
        }
    )


def _standing(modality: str, reasons: list[Reason], open_: tuple[str, ...]) -> Standing:
    """The most careful verdict that holds everywhere; what stops only somewhere closes those zones and is a change
    elsewhere.
    """
    ranked = tuple(sorted(reasons, key=lambda r: (bool(r.zones and r.stops), -VERDICTS.index(r.verdict))))
    whole = [reason.verdict for reason in ranked if not (reason.zones and reason.stops)]
    worst = max(whole, key=VERDICTS.index, default="go")
    if ranked and worst == "go":
        worst = "change"
    closed: dict[str, Reason] = {}
    for reason in ranked:
        for zone in reason.zones if reason.stops else ():
            if zone not in closed or VERDICTS.index(reason.verdict) > VERDICTS.index(closed[zone].verdict):
                closed[zone] = reason
    return Standing(modality=modality, verdict=worst, reasons=ranked, open=open_, closed=closed)


def state_of(reason: Reason) -> str:
    """What a senior's word is about: the verdict, and the answer that it was given for, with the day that it waits for
    and its places. To another answer, or to the same one somewhere else or later, it says nothing.
    """
    until = f", to {reason.until:%-d %b %Y}" if reason.until else ""
    return (
        f"{reason.was or reason.verdict}: {reason.answer}{until}{', in ' * bool(reason.zones)}{', '.join(reason.zones)}"
    )


Overridable = Literal["yes", "needs a letter", "never"]


def overridable(reason: Reason, letters: Iterable[Letter], today: date) -> Overridable:
    """Whether a senior may override a reason: wait and letter yes, no only with a letter on file, never never (rule
    screening.override).
    """
    if reason.verdict in ("wait", "letter"):
        return "yes"
    if reason.verdict == "no":
        return "yes" if any(one.speaks_to(reason, today) for one in letters) else "needs a letter"
    return "never"


def override(
    modality: str,
    verdict: str,
    rule_id: str,
    standing: Standing,
    letters: Iterable[Letter],
    why: str,
    by: str,
    at: datetime,
    today: date,
) -> Override:
    """A senior's override of one reason. Whether this person may is for the services to ask.

    Raises Refused for what nobody may override, BadInput for a missing reason.
    """
    reason = next((one for one in standing.reasons if one.rule == rule_id and one.verdict == verdict), None)
    if reason is None:
        raise Refused("Nothing like that stands against it.", "screening.override")
    can = overridable(reason, letters, today)
    if can == "never":
        raise Refused(f"{reason.verdict}: nobody overrides this. {reason.reason}", reason.rule)
    if can == "needs a letter":
        raise Refused(
            f"no: a senior and a doctor's letter are needed. There is no valid letter on file. {reason.reason}",
            reason.rule,
        )
    return Override(rule=rule_id, modality=modality, words=state_of(reason), reason=worded(why), by=by, at=at)


def worded(why: str) -> str:
    """A written reason. Raises BadInput when it says next to nothing."""
    if len(why.strip()) < number("screening.reason_length"):
        raise BadInput({"reason": f"A few words for the record: {rule('screening.reason_length').words}"})
    return why.strip()


def demand(standing: Standing) -> None:
    """Raises Refused unless this modality may be planned today."""
    if standing.plannable:
        return
    if standing.verdict in STOPPING:
        first = next(one for one in standing.reasons if one.verdict == standing.verdict)
        when = f" Not before {standing.until:%-d %B %Y}." if standing.until else ""
        raise Refused(f"{standing.verdict}: {first.reason}{when} {first.action}", first.rule)
    raise Refused(
        f"{len(standing.open)} questions are still open. {rule('screening.unanswered').reason}", "screening.unanswered"
    )
