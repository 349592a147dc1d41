"""Titration: what the skin said, and what is set next; the answers afterwards; how often a device stands out."""

from datetime import UTC, date, datetime, timedelta
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from builders.briefs import EVERY_LICENCE, brief
from builders.machines import SCALES
from builders.orders import fact
from merak.core.acts import Act, Part
from merak.core.after.answer import Look, SkinAnswer, fitting, where
from merak.core.after.differences import differences
from merak.core.after.energy import delivered_by
from merak.core.after.following import KINDS, FollowUp, alarms, asked, due_before, dues, read, with_answers
from merak.core.after.outcomes import Seen, effects, signals
from merak.core.errors import BadInput, Refused
from merak.core.modality.before import Before
from merak.core.modality.catalogue import MODALITIES
from merak.core.modality.shared import Subject, begun, incremented, more_energy
from merak.core.modality.titration import titrate
from merak.core.plan.screening import Letter
from merak.core.plan.stage import begin
from merak.core.treatment import order_of
from merak.core.treatment.facts import delivered
from merak.core.treatment.state import ActRun, RunState
from merak.core.working import Quantity

LISBON = ZoneInfo("Europe/Lisbon")
BEFORES = st.builds(
    Before,
    at=st.just(None),
    endpoint_seen=st.sampled_from(("seen", "not seen", "")),
    redness=st.integers(0, 4),
    swelling=st.integers(0, 4),
    settled_late=st.booleans(),
    stepped_up=st.booleans(),
    pain=st.integers(0, 10),
    mark=st.sampled_from(("", "a blister or burn")),
    improvement=st.none() | st.integers(-2, 2),
    graded=st.booleans(),
)
FOLLOWED = st.builds(
    FollowUp,
    redness=st.none() | st.integers(0, 4),
    swelling=st.none() | st.integers(0, 4),
    settled_h=st.none() | st.integers(0, 200),
    mark=st.none() | st.sampled_from(("none", "blister", "infection", "colour", "fever")),
    improvement=st.none() | st.integers(-2, 2),
)
#: The careful way round: nothing said afterwards may lead to more than silence would, but for a result that falls
#: short.
ORDER = ("stop", "down", "same", "up")


@pytest.mark.parametrize(
    ("last", "turn"),
    [
        (Before(endpoint_seen="seen", redness=1), "same"),
        (Before(endpoint_seen="seen", improvement=1), "same"),
        (Before(endpoint_seen="seen", improvement=0, graded=True), "up"),
        (Before(endpoint_seen="not seen"), "up"),
        (Before(endpoint_seen="not seen", stepped_up=True), "same"),
        (Before(endpoint_seen="not seen", stepped_up=True, graded=True), "up"),
        (Before(endpoint_seen="seen", improvement=-1, graded=True), "same"),
        (Before(endpoint_seen="not seen", redness=3), "down"),
        (Before(endpoint_seen="seen", swelling=3), "down"),
        (Before(endpoint_seen="seen", settled_late=True), "down"),
        (Before(endpoint_seen="seen", pain=7), "down"),
        (Before(endpoint_seen="seen", mark="a blister or burn"), "stop"),
        (Before(), "same"),
    ],
)
def test_what_the_skin_said_and_what_follows(last: Before, turn: str) -> None:
    assert titrate(last).turn == turn and titrate(last).words


@given(BEFORES, st.lists(FOLLOWED, max_size=3))
def test_up_only_where_everything_allows_it(last: Before, said: list[FollowUp]) -> None:
    whole = with_answers(last, "microcurrent", said)
    turn = titrate(whole).turn
    if whole.mark:
        assert turn == "stop"
    if turn == "up":
        assert max(whole.redness, whole.swelling) < 3 and not whole.settled_late and whole.pain < 7
        assert whole.graded or not whole.stepped_up, "never up twice without a grade between"
    if whole.improvement == last.improvement and whole.graded == last.graded:
        assert ORDER.index(turn) <= ORDER.index(titrate(last).turn), (
            "what is told afterwards only ever makes it gentler"
        )
    assert whole.redness >= last.redness and (not last.mark or whole.mark == last.mark)


TITRATED = sorted({*SCALES, "microcurrent", "peel", "enzyme", "oxygen_mask"})


@given(st.sampled_from(TITRATED), BEFORES, st.floats(0, 1))
def test_a_start_is_never_past_a_ceiling_nor_a_fifth_above_last_time(modality: str, last: Before, share: float) -> None:
    module = MODALITIES[modality]
    open_to = {"returning": True, "licences": EVERY_LICENCE, "senior": True}
    card = brief(**open_to).card(modality) if module.CARD else None
    field = module.INCREMENT.field
    usual = float(getattr(begun(module, card, Subject(first_visit=False)).settings, field))
    had = last.model_copy(update={"at": round(usual * (0.6 + 0.4 * share), 2), "on": date(2026, 11, 1), "mark": ""})
    try:
        step = begin(brief(history={modality: had}, **open_to), modality, "s1", {})
    except (Refused, BadInput):
        return
    now, turn = float(getattr(step.settings, field)), titrate(had).turn
    more = more_energy(card, field, had.at or 0, now)
    if turn == "up" and not module.INCREMENT.down:
        assert more is None or more <= 1.2 + 1e-6
    if turn in ("down", "same") and not module.INCREMENT.down:
        foot = module.Settings.model_validate(step.settings)
        for _ in range(60):
            foot = incremented(module, foot, card, up=False)
        assert now <= max(had.at or 0, float(getattr(foot, field))) + 1e-9, "no more than last time"


def test_a_mark_stops_the_course_until_a_letter_that_came_since() -> None:
    marked = {"led": Before(at=10, on=date(2026, 11, 20), mark="a blister or burn")}
    stopped = brief(returning=True, history=marked)
    assert stopped.board["led"].verdict == "letter" and "blister" in stopped.board["led"].reasons[0].reason
    with pytest.raises(Refused):
        begin(stopped, "led", "s1", {})
    for received, verdict in ((date(2026, 11, 10), "letter"), (date(2026, 11, 21), "change")):
        letter = Letter(rule="titration.stop", received=received, until=date(2027, 11, 1))
        assert brief(returning=True, history=marked, letters=(letter,)).board["led"].verdict == verdict, (
            "an old letter speaks for nothing new"
        )


GOOD = {
    "redness": "1",
    "swelling": "0",
    "pain": "1",
    "settled_h": "1",
    "mark": "none",
    "kept": "yes",
    "improvement": "1",
    "satisfaction": "8",
    "call": "no",
}


@pytest.mark.parametrize("kind", KINDS)
def test_each_follow_up_reads_its_own_questions_and_says_what_is_missing(kind: str) -> None:
    form = GOOD | {"settled_h": "1" if kind == "day1" else "0"}
    said = read(kind, form)  # type: ignore[arg-type]
    assert said.mark == "none" and not alarms(said) and (said.pain is None) == (kind != "day1")
    fields = [one.field for one in asked(kind)]  # type: ignore[arg-type]
    with pytest.raises(BadInput) as missing:
        read(kind, {"note": "words"})  # type: ignore[arg-type]
    assert list(missing.value.fields) == fields
    with pytest.raises(BadInput):
        read(kind, form | {"mark": "<script>"})  # type: ignore[arg-type]


@pytest.mark.parametrize(
    ("answer", "rules"),
    [
        ({"redness": "3"}, ["follow.severe"]),
        ({"redness": "2"}, []),
        ({"pain": "5"}, ["follow.pain"]),
        ({"mark": "fever"}, ["titration.stop"]),
        ({"mark": "colour", "swelling": "4"}, ["titration.stop", "follow.severe"]),
    ],
)
def test_a_bad_answer_raises_the_senior(answer: dict[str, str], rules: list[str]) -> None:
    found = alarms(read("day1", GOOD | answer))
    assert [one.rule for one in found] == rules and all(one.weight == "stop" and one.action for one in found)


def test_follow_ups_are_due_at_ten_in_the_studio_across_the_clock_change() -> None:
    ended = datetime(
        2026, 10, 24, 22, 30, tzinfo=UTC
    )  # half past eleven at night in Lisbon; clocks go back in that night
    due = dues(ended, LISBON)
    assert due["day1"] == datetime(2026, 10, 25, 10, tzinfo=LISBON) and due["day7"] == datetime(
        2026, 10, 31, 10, tzinfo=LISBON
    )
    assert due_before(datetime(2026, 11, 3, 9, tzinfo=LISBON), LISBON) == datetime(2026, 11, 2, 10, tzinfo=LISBON)


def test_the_skin_is_looked_at_twice_and_soothed_where_it_answered() -> None:
    at = datetime(2026, 11, 25, 18, tzinfo=UTC)
    first = Look(at=at, by="A")
    for _ in range(3):
        first = first.tapped("redness", "right upper cheek")
    first = first.tapped("swelling", "left chin")
    answer = SkinAnswer(looks={"1": first})
    assert answer.missing == ("2",) and answer.strongest == 3 and answer.asks_senior
    whole = SkinAnswer(
        looks={"1": first, "2": Look(at=at + timedelta(minutes=12), by="B").tapped("redness", "right upper cheek")}
    )
    assert not whole.missing and whole.worst("redness") == 3, "the worse of both looks counts"
    names = {one.id for one in fitting(whole, {"open_skin", "cold"})}
    assert "remedy.sterile_gel" in names and not names & {
        "remedy.soothing_gel",
        "remedy.cold_pack",
        "remedy.cool_cloth",
    }
    cloth = next(one for one in fitting(whole, ()) if one.id == "remedy.cool_cloth")
    assert where(whole, cloth) == ("right upper cheek",), "where it still is in the last look"
    assert first.tapped("redness", "right upper cheek").tapped("redness", "right upper cheek").zones["redness"] == {}, (
        "from 4 back to none"
    )


def test_what_differs_is_told_and_a_stop_explains_itself() -> None:
    light = Act(kind="timed", title="Light", instruction="", seconds=600, modality="led")
    wash = Act(kind="free", title="Cleanse", instruction="", seconds=240, modality="cleanse")
    same = [fact(), fact(title="Cleanse", planned_s=240, done_s=60)]
    assert differences(order_of((light, wash)), same) == (), "nobody explains how long cleansing took"
    short = differences(order_of((light, wash)), [fact(done_s=300), fact(title="Cleanse", reached=False)])
    assert [one.words for one in short] == ["in 5:00, not 10:00", "not begun"] and not short[0].because
    stopped = differences(order_of((light, wash)), [fact(done_s=300), fact(title="Cleanse", reached=False)], "pain")
    assert {one.because for one in stopped} == {"stopped: pain"}


def test_energy_is_told_as_planned_and_as_given() -> None:
    planned = {"fluence": Quantity(name="fluence", value=40, unit="J/cm²")}
    told = delivered_by("led", planned, planned, 0.5)
    assert told and (told.planned, told.done, told.unit) == (40, 20, "J/cm²"), "light adds up as it is given"
    held = delivered_by("pulsed_light", planned, {"fluence": Quantity(name="fluence", value=36, unit="J/cm²")}, 0.5)
    assert held and held.done == 36, "a flash is a flash"
    assert delivered_by("cleanse", planned, planned, 1) is None


def test_few_clients_are_not_shown_and_each_counts_once() -> None:
    rows = [Seen(f"c{n}", "lift", "Laxity", -1.0 if n % 2 else -0.5) for n in range(6)] + [
        Seen("c0", "lift", "Laxity", -0.5)
    ] * 40
    (shown,) = effects(rows)
    assert (shown.clients, shown.visits, shown.mean) == (6, 46, -0.75) and shown.low is not None and shown.low < -0.75
    (few,) = effects(rows[:4])
    assert (few.clients, few.mean, few.low) == (4, None, None)


def test_a_lot_that_keeps_causing_trouble_stands_out() -> None:
    uses = [("lot", "gel, lot A", f"a{n}") for n in range(12)] + [("lot", "gel, lot B", f"b{n}") for n in range(60)]
    bad = [f"a{n}" for n in range(5)] + ["b1", "b2"]
    found = {one.name: one for one in signals(uses, bad)}
    assert found["gel, lot A"].stands_out and not found["gel, lot B"].stands_out
    assert not any(one.stands_out for one in signals(uses, bad[:2])), "two may be chance"


def test_what_was_really_done_is_told_from_the_parts_that_give_something() -> None:
    gel = Act(kind="free", title="Gel", instruction="", seconds=60, modality="microcurrent", step="s1")
    lift = Act(
        kind="sections",
        title="Lift",
        instruction="",
        seconds=300,
        modality="microcurrent",
        step="s1",
        stage="s1",
        parts=(Part(name="a"), Part(name="b")),
    )
    acid = Act(kind="timed", title="Acid", instruction="", seconds=120, modality="peel", step="s2", stage="s2")
    at = datetime(2026, 11, 25, 18, tzinfo=UTC)

    def done(strokes: int, lifted_s: float, acid_s: float) -> tuple[str, ...]:
        state = RunState(
            runs=[ActRun(begun=at, worked_s=60), ActRun(begun=at, worked_s=lifted_s), ActRun(begun=at, worked_s=acid_s)]
        )
        state.runs[1].walk = [0] * strokes
        return delivered(order_of((gel, lift, acid)), state, at)

    assert done(0, 2, 1) == (), "gel alone is no lift, a slip of the finger no peel"
    assert done(1, 2, 6) == ("s1", "s2"), "acid works from the first seconds"
    assert done(0, 61, 0) == ("s1",), "nobody counted, but somebody worked"
