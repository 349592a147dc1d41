"""The treatment as a fold: any order of taps leads to a valid state, a replay equals the live run, repeats are
harmless.
"""

from uuid import UUID

import pytest
from hypothesis import given
from hypothesis import strategies as st

from builders.orders import LICENSED, LIFT, PINS, PULSES, TO_PULSES, WARM, at, ordered, run, tap
from merak.core.after.differences import differences
from merak.core.treatment import (
    KINDS,
    Order,
    RunState,
    Tap,
    TapData,
    act_facts,
    complete,
    fold,
    following,
    locked,
    next_place,
    pace,
    walked,
)

DATA = st.fixed_dictionaries(
    {},
    optional={
        "zone": st.sampled_from(["right chin", "left chin", ""]),
        "redness": st.integers(-1, 6),
        "swelling": st.integers(0, 4),
        "pain": st.integers(0, 10),
        "mark": st.booleans(),
        "licences": st.just(("fractional",)),
        "card": st.just("Burn"),
    },
).map(TapData.model_validate)
EVENTS = st.lists(
    st.builds(
        Tap,
        id=st.integers(0, 4000).map(lambda n: UUID(int=n)),
        kind=st.sampled_from(sorted(KINDS)),
        at=st.floats(0, 9000).map(at),
        value=st.none() | st.floats(-9, 60) | st.integers(0, 400).map(float),
        words=st.sampled_from(["", "lost", "plugged", "just felt"]),
        act=st.none() | st.integers(-1, 20),
        data=DATA,
        by=st.sampled_from(["Lin", "Adaeze"]),
    ),
    max_size=80,
)


@pytest.mark.parametrize("order", [LIFT, PINS, WARM], ids=["lift", "pins", "warm"])
@given(events=EVENTS)
def test_any_order_leads_to_a_valid_state(order: Order, events: list[Tap]) -> None:
    begun = [tap("start", 0, data=LICENSED), *events]
    state = fold(order, begun)
    valid(order, state)
    assert fold(order, [one for event in begun for one in (event, event)] + begun) == state, "repeats are harmless"
    live: RunState | None = None
    for n in range(0, len(begun), 7):
        live = fold(order, begun[n : n + 7], live)
    assert live == state, "a replay equals the live run"


def valid(order: Order, state: RunState) -> None:
    assert 0 <= state.act < len(order.acts) == len(state.runs)
    if state.over:
        assert all(one.since is None for one in state.runs)
    for n, (act, one) in enumerate(zip(order.acts, state.runs, strict=True)):
        assert one.worked_s >= 0 and one.since_clean >= 0
        assert one.begun is not None or not (one.strokes or one.since or one.spots or one.warmth)
        assert len(one.passes) <= act.passes
        assert one.tally == list(walked(act, one.walk).counts) or not one.tally
        assert one.level_shift == 0 or 1 <= max(line.level for line in act.lines) + one.level_shift <= act.level_most
        if one.since is not None and n != state.act:
            assert act.keeps or any(other.beside == n for other in order.acts), (
                "only what works by itself goes on elsewhere"
            )
        if act.spot and one.strokes:
            assert one.unlocked or any(spot.answer for spot in one.spots), "nothing more of it before the spot was read"
        facts = act_facts(order, state, at(9999))[n]
        assert facts.missed >= 0 and facts.doubled >= 0
        assert complete(act, one) or next_place(act, one) is not None or one.passes
    tempo = pace(order, state, at(9999))
    assert tempo.left_s >= 0 and 0 <= tempo.late_s <= tempo.left_s


def test_the_clock_leaves_pauses_out_but_what_is_on_the_skin_works_on() -> None:
    state = fold(LIFT, run(("start", 0), ("pause", 100), ("resume", 400), ("next", 460), ("count", 470)))
    assert state.act == 1 and state.runs[0].worked_s == 160 and state.worked_s(1, at(500)) == 40
    foam = next(n for n, act in enumerate(WARM.acts) if act.title == "Foam")
    state = fold(WARM, run(("start", 0), ("go", 10, float(foam)), ("pause", 40), ("resume", 100)))
    assert WARM.acts[foam].must_end and state.worked_s(foam, at(130)) == 120
    assert WARM.acts[foam].over == "Activator on now." and WARM.acts[foam + 1].over == "Neutralise now."


def test_two_tracks_the_cream_works_while_the_skin_is_cleansed() -> None:
    titles = [act.title for act in PINS.acts]
    assert titles[:3] == ["Numbing on", "Numbing cream works", "Cleanse"] and PINS.acts[2].beside == 1
    state = fold(PINS, run(("start", 0), ("next", 180), ("next", 200)))
    assert state.act == 2 and state.runs[1].since is not None, "cleansing, the cream's clock runs beside it"
    assert state.worked_s(1, at(500)) == 320
    state = fold(PINS, [tap("next", 440)], state)
    assert state.act == 1 and following(PINS, state) == 3, "then the cream again, until its time is up"
    assert state.worked_s(1, at(1980)) == 1800


def test_counts_belong_to_their_step_and_moment_whenever_they_arrive() -> None:
    live = fold(LIFT, run(("start", 0), ("next", 3), ("count", 4), ("pause", 6), ("count", 7)))
    assert live.runs[1].strokes == 1, "nothing is counted while it stands"
    late = tap("count", 5, act=1)
    assert fold(LIFT, [late], live).runs[1].strokes == 2, (
        "what was tapped before the pause counts when it arrives after it"
    )
    moved = fold(LIFT, run(("resume", 8), ("next", 9)), fold(LIFT, [], live).copy())
    other = fold(LIFT, [tap("resume", 8), tap("next", 9, act=1), tap("next", 9.2, act=1)], live)
    assert moved.act in (1, 2) and other.act == 2, "two devices that both go on take one step"
    assert fold(LIFT, [tap("count", 8.5, act=1)], other).runs[1].strokes == 2, "a stroke of the step before is its own"


def test_a_pass_shows_what_was_missed_and_doubled_and_undo_opens_it_again() -> None:
    n = PULSES
    free = [*TO_PULSES, ("unlock", 1)]
    state = fold(PINS, run(*free, ("count", 2), ("count", 3), ("count", 4, 5.0), ("count", 5, 5.0)))
    found = walked(PINS.acts[n], state.runs[n].walk)
    assert found.missed == (2, 3, 4) and found.doubled == (5,)
    assert next_place(PINS.acts[n], state.runs[n]) == 6
    closed = fold(PINS, [tap("pass", 6)], state)
    assert closed.runs[n].walk == [] and act_facts(PINS, closed, at(7))[n].doubled == 1
    assert fold(PINS, [tap("uncount", 8)], closed).runs[n].walk == [0, 1, 5], (
        "undo opens the pass and takes its last back"
    )


def test_sections_and_pulses_are_walked_in_order_and_the_tip_wants_wiping() -> None:
    n = PULSES
    many = len(PINS.acts[n].cells)
    state = fold(PINS, run(*TO_PULSES, ("unlock", 1), *[("count", 2 + k / 100) for k in range(many + 9)]))
    assert state.runs[n].walk == list(range(many)), "cell by cell; one tap too many is none"
    assert complete(PINS.acts[n], state.runs[n]) and state.runs[n].since_clean == many
    assert fold(PINS, [tap("clean", 99)], state).runs[n].since_clean == 0
    assert [PINS.acts[n].parts[cell.part].name for cell in PINS.acts[n].cells] == sorted(
        (PINS.acts[n].parts[cell.part].name for cell in PINS.acts[n].cells),
        key=[part.name for part in PINS.acts[n].parts].index,
    )


LOOKS = {"keep": {"redness": 2, "swelling": 1}, "down": {"redness": 3}, "up": {}, "stop": {"mark": True}}


@pytest.mark.parametrize("verdict", LOOKS)
def test_a_spot_is_read_when_due_and_its_answer_is_carried(verdict: str) -> None:
    n = PULSES
    rule = PINS.acts[n].spot
    assert rule and rule.same_visit and rule.wait_s == 300
    state = fold(PINS, run(*TO_PULSES, ("count", 1), ("spot", 10, None, {"zone": "right jawline"})))
    assert locked(PINS, state, n) and state.runs[n].strokes == 0
    soon = fold(PINS, [tap("spot_read", 309, data=LOOKS[verdict])], state)
    assert soon.runs[n].spots[-1].answer is None, "too soon"
    read = fold(PINS, [tap("spot_read", 310, data=LOOKS[verdict])], state)
    answer = read.runs[n].spots[-1].answer
    assert answer and answer.verdict == (verdict if verdict != "up" or rule.up is not None else "keep")
    wanted = {"down": rule.down, "up": rule.up or rule.at}.get(verdict, rule.at)
    assert read.runs[n].set_to == wanted and act_facts(PINS, read, at(311))[n].set_to == wanted
    assert (locked(PINS, read, n) is None) == (answer.verdict == "keep")
    counted = fold(PINS, [tap("count", 320)], read).runs[n].strokes
    assert counted == (1 if answer.verdict == "keep" else 0)
    if verdict == "stop":
        assert read.runs[n].over
    elif answer.verdict in ("down", "up"):  # read again after each change, and never up twice
        again = fold(PINS, [tap("spot", 330), tap("spot_read", 640, data={"swelling": 0})], read)
        assert again.runs[n].spots[-1].answer.verdict == "keep" and locked(PINS, again, n) is None  # type: ignore[union-attr]


def test_a_licence_is_waited_for_and_handed_over() -> None:
    n = PULSES
    lin = fold(
        PINS, run(("start", 0, None, {"name": "Lin", "licences": []}), ("go", 1, float(n)), ("unlock", 2), ("count", 3))
    )
    lock = locked(PINS, lin, n)
    assert lock and lock.kind == "licence" and lin.runs[n].strokes == 0
    over = fold(PINS, [tap("take_over", 5, data=LICENSED, by="Adaeze"), tap("count", 6, by="Adaeze")], lin)
    assert (over.holder, over.runs[n].strokes, over.runs[n].hands) == ("Adaeze", 1, ["Lin", "Adaeze"])


def test_heat_words_pain_and_43_degrees_stop_it() -> None:
    zone = {"zone": WARM.acts[1].parts[0].name}
    warm = run(("start", 0), ("next", 1), ("count", 2), ("heat", 3, 3.0))
    assert fold(WARM, warm).status == "running", "at 3 the hand moves on"
    stood = fold(WARM, [tap("heat", 4, 3.5)], fold(WARM, warm))
    assert (stood.status, stood.why) == ("paused", "heat 3.5")
    four = fold(WARM, [tap("heat", 5, 4.0), tap("resume", 6), tap("next", 7)], fold(WARM, warm))
    assert (four.status, four.owed, four.act) == ("paused", "burn", 1), "an incident is written before anything goes on"
    written = fold(WARM, [tap("incident", 8, 2.0, data={"card": "Burn"}), tap("resume", 9)], four)
    assert (written.status, len(written.incidents)) == ("running", 1)
    assert fold(WARM, [tap("pain", 4, 7.0)], fold(WARM, warm)).status == "paused"
    hot = fold(WARM, run(("reading", 10, 41.0, zone), ("reading", 70, 43.0, zone)), fold(WARM, []).copy())
    assert not hot.runs[1].warmth, "nothing is read before it began"
    hot = fold(WARM, [tap("reading", 10, 41.0, data=zone), tap("reading", 70, 43.0, data=zone)], fold(WARM, warm))
    assert hot.runs[1].over.startswith("43.0 °C in") and hot.status == "paused"
    after = fold(WARM, [tap("resume", 80), tap("count", 81)], hot)
    assert after.runs[1].strokes == 1 and after.runs[1].since is None, "this step is over for today"


def test_a_raised_level_goes_along_to_the_other_side_but_never_past_the_ceiling() -> None:
    taps: list[Tap] = [
        ("start", 0),
        ("next", 1),
        *[("level", 2 + n, 0.5) for n in range(40)],
        ("next", 60),
        ("next", 70),
    ]
    state = fold(LIFT, run(*taps))
    assert LIFT.acts[1].level_most == 9, "9.5 would be 1045 µA"
    assert 3 + state.runs[1].level_shift == 9 and state.runs[3].level_shift == state.runs[1].level_shift


def test_stop_stands_everything_at_once_and_the_reason_ends_it() -> None:
    halted = fold(LIFT, run(("start", 0), ("next", 60), ("count", 70), ("halt", 90)))
    assert halted.status == "halted" and halted.worked_s(1, at(500)) == 30
    ended = fold(LIFT, [tap("stop", 120, words="pain"), tap("count", 130)], halted)
    facts = act_facts(LIFT, ended, at(9000))
    assert (ended.status, ended.reason) == ("stopped", "pain")
    assert (facts[1].done_strokes, facts[1].done_s, facts[1].reached, facts[2].reached) == (1, 30, True, False)
    assert fold(LIFT, [tap("resume", 100)], halted).status == "running"


@pytest.mark.parametrize("kind", ["finish", "stop", "halt", "resume"])
def test_nothing_ends_before_it_began(kind: str) -> None:
    assert fold(LIFT, run((kind, 0))).status == "ready"
    assert fold(LIFT, run(("start", 0), ("finish", 1))).status == "running"


def test_taps_of_earlier_versions_still_count() -> None:
    assert (
        fold(LIFT, run(("start", 0), ("next", 1), ("stroke", 2), ("stroke", 3), ("unstroke", 4))).runs[1].strokes == 1
    )


def test_what_goes_short_is_said_while_it_can_be_helped() -> None:
    wet = ordered("wet_abrasion", "finish").model_copy(update={"booked_s": 900.0})
    slow = fold(wet, run(("start", 0), ("next", 120), ("next", 400), ("next", 700)))
    tempo = pace(wet, slow, at(700))
    assert "infusing falls to" in tempo.words and tempo.late_s == pytest.approx(240 + 150 - 200)
    assert [wet.acts[n].title for n, _ in tempo.starved] == ["Infusion", "Finish"]
    assert pace(wet.model_copy(update={"booked_s": 9000.0}), slow, at(700)).starved == ()


def test_a_stop_ends_nothing_and_each_way_on_is_its_own() -> None:
    """Halted; then a reason, which is a word; then on, out of the act, or to the end; and the end is taken back with
    both times kept.
    """
    taps: list[Tap] = [("start", 0), ("next", 10), ("count", 20), ("halt", 30), ("why", 31)]
    halted = fold(LIFT, run(*taps))
    assert (
        halted.status == "halted" and halted.why == "words" and halted.runs[1].said == ["words"] and not halted.endings
    )
    assert fold(LIFT, run(*taps, ("resume", 60))).runs[1].seconds(at(70)) == 20 + 10, "what stood is no time"
    left = fold(LIFT, run(*taps, ("leave", 60)))
    assert left.status == "paused" and left.act == 2 and left.runs[1].left == "words" and left.runs[1].ended == at(60)
    assert left.runs[2].since is None and left.runs[2].begun == at(60), "the next act waits for a word"
    ended = fold(LIFT, run(*taps, ("stop", 60)))
    assert (
        ended.status == "stopped" and ended.over and [(one.at, one.back) for one in ended.endings] == [(at(60), None)]
    )
    back = fold(LIFT, run(*taps, ("stop", 60), ("reopen", 90)))
    assert back.status == "paused" and back.act == 1 and back.runs[1].ended is None
    assert [(one.at, one.reason, one.back) for one in back.endings] == [(at(60), "words", at(90))], (
        "both times are kept"
    )
    assert fold(LIFT, run(*taps, ("stop", 60), ("reopen", 90), ("resume", 95), ("count", 96))).runs[1].strokes == 2
    assert fold(LIFT, run(*taps, ("stop", 60), ("count", 70), ("next", 80), ("resume", 85))).status == "stopped", (
        "over is over until then"
    )


def test_what_lies_on_the_skin_works_on_while_an_ending_stands() -> None:
    host = next(n for n, act in enumerate(PINS.acts) if act.keeps)
    begun = run(("start", 0), ("go", 1, float(host)), ("stop", 101), ("reopen", 401))
    assert fold(PINS, begun).runs[host].seconds(at(401)) == 400, "cream counts the minutes that nobody watched"
    assert pace(PINS, fold(PINS, begun[:3]), at(5000)).used_s == 101, "time used stops with the treatment"


def test_the_licence_is_the_tappers_not_the_holders() -> None:
    """The senior holds it; what the assistant counts, places or reads does nothing and says so; what anybody may tap is
    heard.
    """
    lin, adaeze = {"licences": []}, {"licences": ["fractional"]}
    base: list[Tap] = [*TO_PULSES, ("unlock", 1, None, {"name": "Adaeze"})]
    for kind, value in (("count", None), ("pass", None), ("spot", None), ("spot_read", None)):
        tried = fold(PINS, run(*base, (kind, 5, value, {**lin, "zone": "right jawline"})))
        assert (
            tried.unheard
            == f"Lin holds no licence for fractional: “{kind.replace('_', ' ')}” was kept and not counted."
        )
        assert not tried.runs[PULSES].strokes and not tried.runs[PULSES].spots
    heard = fold(
        PINS,
        run(*base, ("pain", 5, 6.0, lin), ("clean", 6, None, lin), ("pause", 7, None, lin), ("halt", 8, None, lin)),
    )
    assert (
        heard.status == "halted"
        and heard.runs[PULSES].pain == 6
        and heard.runs[PULSES].cleans == 1
        and not heard.unheard
    )
    assert fold(PINS, run(*base, ("count", 5, None, adaeze))).runs[PULSES].strokes == 1
    assert fold(PINS, run(*base, ("count", 5))).runs[PULSES].strokes == 1, (
        "a record of before does not say: there the holder's counts"
    )


def test_an_incident_is_struck_out_and_not_erased() -> None:
    wrote = run(("start", 0), ("incident", 5, 2.0, {"card": "Burn", "done": "cooled"}))
    strike = tap("strike", 9, words="wrong client", data={"incident": str(UUID(int=1))}, by="Lin")
    state = fold(LIFT, [*wrote, strike, strike.model_copy(update={"id": UUID(int=77), "words": "again"})])
    assert [(one.done, one.struck) for one in state.incidents] == [("cooled", "Lin: wrong client")]
    after = fold(
        LIFT, [*run(("start", 0), ("stop", 5)), tap("incident", 99, 3.0, data={"card": "Burn", "done": "seen later"})]
    )
    assert after.status == "stopped" and after.incidents[0].grade == 3, "what went wrong is often seen afterwards"


def test_the_close_is_told_what_was_really_set() -> None:
    taps: list[Tap] = [
        ("start", 0),
        ("next", 1),
        ("count", 2),
        *[("level", 3, 0.5)] * 4,
        ("count", 4),
        *[("level", 5, -0.5)] * 3,
        ("count", 6),
    ]
    fact = act_facts(LIFT, fold(LIFT, run(*taps)), at(60))[1]
    planned_level = LIFT.acts[1].lines[0].level
    assert (fact.level, fact.highest, fact.changes) == (planned_level + 0.5, planned_level + 2, 7)
    said = next(one.words for one in differences(LIFT, act_facts(LIFT, fold(LIFT, run(*taps)), at(60))) if one.act == 1)
    assert f"level {planned_level + 0.5:g}, {planned_level + 2:g} at most, not {planned_level:g}, moved 7 times" in said


def test_a_warm_zone_that_never_reached_its_band_asks_why() -> None:
    n = next(n for n, act in enumerate(WARM.acts) if act.heat)
    first, second = (part.name for part in WARM.acts[n].parts[:2])
    taps: list[Tap] = [
        ("start", 0),
        ("go", 1, float(n)),
        ("reading", 2, 38.2, {"zone": first}),
        ("count", 3, 0.0),
        ("count", 4, 1.0),
    ]
    facts = act_facts(WARM, fold(WARM, run(*taps)), at(60))
    assert facts[n].cold == (f"{first}: 38.2 of 40 °C", f"{second}: never read"), (
        "40 to 42 °C is the band (handbook page 3)"
    )
    asked = next(one for one in differences(WARM, facts) if one.act == n)
    assert "never in its band" in asked.words and not asked.because
    warm = act_facts(
        WARM,
        fold(WARM, run(*taps, ("reading", 9, 40.5, {"zone": first}), ("reading", 9, 41, {"zone": second}))),
        at(60),
    )
    assert warm[n].cold == ()
