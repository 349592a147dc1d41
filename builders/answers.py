"""Any answer to a question of the screening, for properties."""

from datetime import timedelta

from hypothesis import strategies as st

from builders.briefs import TODAY
from merak.core.knowledge import book
from merak.core.plan.screening import Answer


def an_answer(question_id: str) -> st.SearchStrategy[Answer]:
    options = next(q.options for q in book().question if q.id == question_id)
    days = st.none() | st.integers(0, 400).map(lambda n: TODAY - timedelta(days=n))
    return st.builds(Answer, option=st.sampled_from([option.id for option in options]), on=days)
