"""The safety talk: answers, and where each modality stands."""

from dataclasses import dataclass
from datetime import date
from uuid import UUID

from merak.core.errors import BadInput
from merak.core.knowledge import Question
from merak.core.plan.screening import Answer, Answers, Standing, board, option_of, questions
from merak.desk.desk import Desk
from merak.desk.file import VisitFile, open_file, turn
from merak.records import visits


@dataclass
class Asked:
    """The ask page: the questions for this client, today's answers, and the board that follows."""

    file: VisitFile
    questions: tuple[Question, ...]
    board: dict[str, Standing]
    wrong: dict[str, str]

    @property
    def unconfirmed(self) -> int:
        """How many answers of last time wait to be confirmed."""
        return len([q for q in self.questions if q.id in self.file.carried and q.id not in self.file.answers])


def asked(desk: Desk, visit_id: UUID) -> Asked:
    """What stands."""
    return _page(open_file(desk, visit_id))


def _page(file: VisitFile, wrong: dict[str, str] | None = None) -> Asked:
    returning = file.previous is not None
    return Asked(file, questions(returning), file.brief.board, wrong or {})


def save_answers(desk: Desk, visit_id: UUID, form: dict[str, str]) -> Asked:
    """Keeps the answers of the form, "question" → option and "question.on" → date; what is wrong comes back by question.

    What the form does not speak of stays as it was; good answers are kept even when another is wrong, so that nothing typed is lost.
    """
    wrong: dict[str, str] = {}
    with turn(desk, visit_id, "ask") as file:
        answers = dict(file.answers)
        for question in questions(file.previous is not None):
            if question.id in form:
                try:
                    answers[question.id] = _answer(question, form, file, desk.today)
                except BadInput as bad:
                    wrong |= bad.fields
        _keep(desk, file, answers)
    return _page(open_file(desk, visit_id), wrong)


def confirm_carried(desk: Desk, visit_id: UUID) -> Asked:
    """The client says that last time's answers still hold: they become today's where today has none."""
    with turn(desk, visit_id, "ask") as file:
        _keep(desk, file, {**file.carried, **file.answers})
    return asked(desk, visit_id)


def _answer(question: Question, form: dict[str, str], file: VisitFile, today: date) -> Answer:
    raw = form.get(f"{question.id}.on", "")
    option = option_of(question, Answer(option=form[question.id]))
    try:
        on = date.fromisoformat(raw) if raw and option.dated else None
    except ValueError:
        raise BadInput({question.id: f"“{raw}” is no date."}) from None
    answer = Answer(option=option.id, on=on)
    board({question.id: answer}, file.visit.client.born, today, True)  # refuses what does not fit
    return answer


def _keep(desk: Desk, file: VisitFile, answers: Answers) -> None:
    """A new version when there is something new."""
    body = {"answers": {key: answer.model_dump(mode="json") for key, answer in answers.items()}}
    if body != file.body("ask"):
        visits.add_version(desk.db, file.visit.id, "ask", body, desk.me.id, desk.now)
