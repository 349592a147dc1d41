"""The chair at the edge of each rule: where one has been, how warm it got, how the time stands, whose tap counts."""

from typing import Any

import pytest

from builders.briefs import brief, planned
from builders.orders import T0, at, spot_rule, tap
from merak.core.acts import Act, HeatRule, Part, Share, StrokeLine
from merak.core.treatment import ActRun, Order, RunState, fold, next_place, order_of, pace, walked
from merak.core.treatment.facts import act_facts, cold, delivered
from merak.core.treatment.hands import gives
from merak.core.treatment.locks import locked
from merak.core.treatment.moments import EarlierTap, ToldMoment, moment
from merak.core.treatment.order import ordered
from merak.core.treatment.walk import complete, missed_in_all, setting
from merak.core.treatment.warmth import Warmth

HEAT = HeatRule(low_c=40, high_c=42, stop_c=43, rate_c_s=0.5, dwell_s=3, deeper_c=0, warn_min=2, stop_min=10)


def act(kind: str = "sections", parts: int = 3, **more: Any) -> Act:
    usual: dict[str, Any] = {
        "title": "Work",
        "instruction": "",
        "seconds": 100,
        "modality": "touch",
        "step": "s1",
        "stage": "s1",
    }
    places = tuple(Part(name=f"part {n}") for n in range(parts)) if kind == "sections" else ()
    return Act.model_validate({"kind": kind, "parts": places} | usual | more)


def lines(*levels: float) -> tuple[StrokeLine, ...]:
    return tuple(StrokeLine(path="middle", points=((0, 0), (9, 0)), repeats=1, level=level) for level in levels)


def ran(one: Act, *walk: int, passes: tuple[tuple[int, ...], ...] = (), **more: Any) -> ActRun:
    run = ActRun(walk=list(walk), passes=[list(each) for each in passes], begun=T0, **more)
    run.tally = [run.walk.count(n) for n in range(len(one.wanted))] if walk or passes else []
    return run


# Where one has been.


def test_a_place_is_missed_once_something_further_on_was_counted() -> None:
    three = act()
    assert walked(three, []).missed == () and walked(three, []).open == (0, 1, 2)
    assert walked(three, [2]).missed == (0, 1) and walked(three, [1]).missed == (0,)
    twice = act("strokes", lines=tuple(one.model_copy(update={"repeats": 2}) for one in lines(3, 3)))
    assert walked(twice, [0]).missed == (), "the furthest is under way, not missed"
    assert walked(twice, [0, 0, 0]).doubled == (0,) and walked(twice, [0, 0]).doubled == ()
    assert missed_in_all(three, ran(three, 2, passes=((0, 2),))) == (1 + 2, 0)
    assert missed_in_all(three, ran(three, 0, 0, passes=((1, 1, 1),))) == (2, 2)


def test_what_is_lit_next_and_when_all_is_counted() -> None:
    three = act(passes=2)
    assert next_place(three, ran(three)) == 0 and next_place(three, ran(three, 0)) == 1
    assert next_place(three, ran(three, 2)) == 0, "what was passed over comes after the rest"
    assert next_place(three, ran(three, 0, 1, 2)) is None and not complete(three, ran(three, 0, 1, 2))
    first = ((0, 1, 2),)
    assert complete(three, ran(three, 0, 1, 2, passes=first)) and not complete(three, ran(three, 0, 1, passes=first))
    assert complete(three, ran(three, passes=first * 2)) and next_place(three, ran(three, passes=first * 2)) is None
    assert complete(act("free"), ActRun()) and next_place(act("free"), ActRun()) is None, "nothing is counted"


def test_the_machine_is_set_by_the_lit_line_by_the_spot_or_by_the_plan() -> None:
    lift = act("strokes", lines=lines(3, 2), machine="m", dials=(("set to", 3.0, "level"),))
    assert setting(lift, ran(lift)) == 3 and setting(lift, ran(lift, 0)) == 2
    assert setting(lift, ran(lift, 0, 1)) == 3, "all counted: the highest"
    assert setting(lift, ran(lift, 0, level_shift=-1.5)) == 1, "never below one"
    assert setting(lift.model_copy(update={"machine": ""}), ran(lift)) is None
    pulses = act(machine="m", dials=(("set to", 5.0, "W"),))
    assert setting(pulses, ran(pulses)) == 5 and setting(pulses, ran(pulses, set_to=4.0)) == 4


# What was done.


def facts_of(one: Act, run: ActRun) -> Any:
    return act_facts(order_of((one,)), RunState(runs=[run]), at(1000))[0]


def test_short_is_what_was_begun_and_counted_less() -> None:
    three = act()
    assert facts_of(three, ran(three, 0)).short and not facts_of(three, ran(three, 0, 1, 2)).short
    assert not facts_of(three, ActRun()).short, "what was never begun is told as such"


def test_a_level_came_down_only_from_a_higher_one() -> None:
    lift = act("strokes", lines=lines(3))
    assert facts_of(lift, ran(lift, 0, level_most=4.0)).came_down_from == 4
    assert facts_of(lift, ran(lift, 0, level_most=3.0)).came_down_from is None
    assert facts_of(lift, ran(lift, 0)).came_down_from is None
    plain = act()
    assert facts_of(plain, ran(plain, 0, level_most=2.0)).came_down_from == 2, "with no level now"


def test_cold_is_a_worked_zone_below_its_band() -> None:
    warm = act(heat=HEAT)
    run = ran(warm, 0, 1, passes=((2,),))
    run.warmth = {"part 0": Warmth(40, T0, 40), "part 1": Warmth(39.9, T0, 39.9)}
    assert cold(warm, run) == ("part 1: 39.9 of 40 °C", "part 2: never read")
    assert cold(warm, ran(warm)) == () == cold(act(), ran(act(), 0))
    assert cold(act("timed", heat=HEAT), ActRun(walk=[0])) == ()


def given(one: Act, run: ActRun) -> bool:
    return delivered(order_of((one,)), RunState(runs=[run]), at(1000)) == ("s1",)


def test_what_counts_as_done() -> None:
    """Counted, or half of its time spent with nobody counting; a clock from its first ten seconds; else begun."""
    three, limits = act(), order_of((act(),)).limits
    assert given(three, ran(three, 0)) and not given(three, ran(three))
    edge = limits.uncounted / 100 * three.seconds
    assert given(three, ran(three, worked_s=edge)) and not given(three, ran(three, worked_s=edge - 1))
    assert not given(act(seconds=0), ran(act())), "no time was planned, none was spent"
    light = act("timed")
    assert given(light, ran(light, worked_s=limits.touched_s))
    assert not given(light, ran(light, worked_s=limits.touched_s - 1))
    hands = act("free")
    assert given(hands, ran(hands)) and not given(hands, ActRun())
    for not_one in ({"stage": ""}, {"modality": ""}):
        assert not given(act("free", **not_one), ran(hands))
    gel, run = act("free", title="Gel"), RunState(runs=[ran(hands), ActRun()])
    assert delivered(order_of((gel, act("timed"))), run, at(9)) == (), "gel alone is no treatment"


# How warm it got.


def test_a_reading_that_is_earlier_counts_for_the_peak_only() -> None:
    zone = Warmth(39, T0, 39)
    zone.read(41, at(-1), HEAT)
    assert (zone.last_c, zone.peak_c, zone.band_s, zone.readings) == (39, 41, 0, 2)
    zone.read(40.5, at(0), HEAT)
    assert zone.last_c == 40.5 and zone.band_s == 0, "at the same moment it is read anew"
    zone.read(41.5, at(10), HEAT)
    assert zone.band_s == 10 and zone.at == at(10)


@pytest.mark.parametrize(
    ("first", "then", "inside"),
    [(40, 40, 10), (42, 42, 10), (39.9, 39.9, 0), (42.1, 42.1, 0), (39, 41, 5), (41, 43, 5), (38, 39, 0), (39, 43, 5)],
)
def test_seconds_in_the_band(first: float, then: float, inside: float) -> None:
    """40 to 42 °C; between readings the skin goes straight from one to the next."""
    zone = Warmth(first, T0, first)
    zone.read(then, at(10), HEAT)
    assert zone.band_s == pytest.approx(inside)


def test_a_zone_is_over_at_its_stop_or_at_its_dose() -> None:
    assert Warmth(43, T0, 43).over(HEAT) and not Warmth(42.9, T0, 42.9).over(HEAT)
    assert Warmth(41, T0, 41, deep43_min=10).over(HEAT) and not Warmth(41, T0, 41, deep43_min=9.99).over(HEAT)


# How the time stands.


def started(*runs: ActRun, now: int = 0, **more: Any) -> RunState:
    return RunState(status="running", act=now, runs=list(runs), started=T0, **more)


def test_what_goes_short_and_by_how_much() -> None:
    """Two of 100 s each, begun 100 s ago with nothing done: the second has no time left."""
    two = order_of((act(), act()))
    told = pace(two, started(ran(two.acts[0]), ActRun()), at(100))
    assert (told.used_s, told.left_s, told.late_s, told.starved) == (100, 200, 100, ((1, 100.0),))
    assert pace(two, started(ran(two.acts[0]), ActRun()), at(1)).starved == ((1, 1.0),), "from one second on"
    assert pace(two, started(ran(two.acts[0]), ActRun()), at(0.9)).starved == ()
    done = started(ran(two.acts[0], ended=at(90)), ActRun(), now=1)
    assert pace(two, done, at(100)).left_s == 100
    passed = started(ActRun(), ActRun(), now=1)
    assert pace(two, passed, at(0)).left_s == 100, "what was passed over is not gone back to"
    assert pace(two, started(ActRun(), ActRun()), at(0)).left_s == 200
    hot = started(ran(two.acts[0], over="43 °C"), ActRun())
    assert pace(two, hot, at(0)).left_s == 100, "what is over today needs no more time"


def test_a_guest_costs_nothing_until_it_is_longer_than_the_wait() -> None:
    host, guest = act("timed", keeps=True), act(seconds=60, beside=0)
    both = order_of((host, guest))
    assert pace(both, started(ran(host), ActRun()), at(0)).left_s == 100
    assert pace(both, started(ran(host, worked_s=80), ActRun()), at(80)).left_s == 60
    here = started(ran(host, worked_s=80), ActRun(), now=1)
    assert pace(both, here, at(80)).left_s == 60
    beyond = order_of((host, guest, act(seconds=30)))
    later = started(ran(host, ended=at(90)), ActRun(), ran(act()), now=2)
    assert pace(beyond, later, at(90)).left_s == 60 + 30, "a guest that was not begun is still to be done"


def test_what_is_over_uses_no_time_any_more() -> None:
    order = order_of((act("timed"),))
    state = fold(order, [tap("start", 0), tap("stop", 50)])
    told = pace(order, state, at(500))
    assert (told.used_s, told.late_s, told.starved) == (50, 0, ())
    taken_back = fold(order, [tap("reopen", 60)], state)
    assert pace(order, taken_back, at(100)).used_s == 100
    assert pace(order, RunState(runs=[ActRun()]), at(100)).used_s == 0, "not begun"


def test_infusing_keeps_its_share_of_the_wet_time() -> None:
    """At least half of the wet time (as ordered) is infusing; nothing is said before anything was cleaned."""
    share = 50
    least = Share(least=share, name="infusing", of="wet", beside="Cleaning", make_up="Infuse")
    clean, infuse = act("timed", portion="wet.clean"), act("timed", portion="wet.infuse", share=least)
    wet = order_of((clean, infuse))
    edge = 100 * (100 - share) / share
    for worked, told in ((0, False), (edge, False), (edge + 10, True)):
        words = pace(wet, started(ran(clean, worked_s=worked), ActRun()), T0).words
        assert bool(words) == told, worked
    assert "Infuse" in pace(wet, started(ran(clean, worked_s=edge + 60), ActRun()), T0).words
    alone = order_of((clean,))
    assert pace(alone, started(ran(clean, worked_s=500)), T0).words == "", "no infusion was planned"
    longer = started(ran(clean, worked_s=edge + 60), ran(infuse, worked_s=400))
    assert pace(wet, longer, T0).words == "", "it was infused for longer"


# Whose tap, and when.


@pytest.mark.parametrize(
    ("kind", "value", "words", "energy"),
    [
        ("count", None, "", True),
        ("spot_read", None, "", True),
        ("level", 0.5, "", True),
        ("level", 0, "", False),
        ("level", -0.5, "", False),
        ("level", None, "", False),
        ("machine", None, "plugged", True),
        ("machine", None, "hand", False),
        ("comfort", None, "plugged", False),
        ("pain", 7, "", False),
        ("uncount", None, "", False),
        ("halt", None, "", False),
    ],
)
def test_what_only_a_licence_lets(kind: str, value: float | None, words: str, energy: bool) -> None:
    assert gives(kind, value, words) == energy


def test_a_lock_names_who_does_not_hold_the_licence() -> None:
    order = order_of((act(licence="fractional"),))
    held = RunState(runs=[ActRun()], holder="Lin")
    assert (lock := locked(order, held, 0)) and "which Lin does not hold" in lock.words
    nobody = locked(order, RunState(runs=[ActRun()]), 0)
    assert nobody and "which nobody here does not hold" in nobody.words
    assert locked(order, RunState(runs=[ActRun()], licences=frozenset({"fractional"})), 0) is None


ARRIVED = at(1000)


@pytest.mark.parametrize(
    ("told", "last", "counts", "marked"),
    [
        # Rule chair.clock.tolerance: two seconds either way.
        (ToldMoment(at(-2)), None, at(-2), ""),
        (ToldMoment(at(-2.1)), None, ARRIVED, "before the treatment began"),
        (ToldMoment(at(1002)), None, ARRIVED, ""),
        (ToldMoment(at(1002.1)), None, ARRIVED, "after it arrived"),
        (ToldMoment(at(498)), EarlierTap(at(500)), at(498), ""),
        (ToldMoment(at(497.9)), EarlierTap(at(500)), ARRIVED, "before this device's last tap"),
        (ToldMoment(at(0), 98.0), EarlierTap(at(500), 100.0, 500.0), at(500), ""),
        (ToldMoment(at(0), 97.9), EarlierTap(at(500), 100.0, 500.0), ARRIVED, "before this device's last tap"),
        (ToldMoment(at(0), 602.0), EarlierTap(at(500), 100.0, 500.0), at(1002), ""),
        (ToldMoment(at(0), 602.1), EarlierTap(at(500), 100.0, 500.0), ARRIVED, "after it arrived"),
        (ToldMoment(at(0), 700.0), EarlierTap(at(500), 100.0, 598.0), at(1100), ""),
        (ToldMoment(at(0), 602.0), EarlierTap(at(500), 100.0), at(1002), ""),
        (ToldMoment(at(0), 602.1), EarlierTap(at(500), 100.0), ARRIVED, "after it arrived"),
        (ToldMoment(at(0), None, 30.0), None, at(970), ""),
        (ToldMoment(at(0), None, -3.0), None, ARRIVED, "after it arrived"),
        (ToldMoment(at(0), None, 1e300), None, ARRIVED, "before the treatment began"),
    ],
)
def test_a_moment_is_believed_give_or_take(told: ToldMoment, last: EarlierTap | None, counts: Any, marked: str) -> None:
    assert moment(told, T0, ARRIVED, last) == (counts, marked)


def test_what_is_booked_is_the_slot_or_the_acts_own_time() -> None:
    plan = planned(brief(), "led")
    assert ordered(plan).order.booked_s == plan.slot_s > 0
    unbooked = ordered(plan.model_copy(update={"slot_s": 0})).order
    assert unbooked.booked_s == sum(one.seconds for one in plan.acts)


# The fold, tap by tap.


def flow(order: Order, *taps: Any) -> RunState:
    return fold(order, [tap(*one[:3], **(one[3] if len(one) > 3 else {})) for one in taps])


FOUR = order_of((act("free", seconds=50), act(passes=2), act("timed", keeps=True), act(heat=HEAT)))


def test_a_reading_at_the_ends_of_what_skin_can_be_is_taken() -> None:
    for celsius, taken in ((-10, True), (-10.1, False), (80, True), (80.1, False)):
        state = flow(FOUR, ("start", 0), ("go", 1, 3), ("reading", 2, celsius, {"data": {"zone": "part 0"}}))
        assert bool(state.runs[3].warmth) == taken, celsius
    hot = flow(FOUR, ("start", 0), ("go", 1, 3), ("reading", 2, 43))
    assert hot.runs[3].over == "43.0 °C in a zone" and hot.status == "paused"
    named = flow(FOUR, ("start", 0), ("go", 1, 3), ("reading", 2, 43, {"data": {"zone": "part 1"}}))
    assert named.runs[3].over == "43.0 °C in part 1"
    long = flow(FOUR, ("start", 0), ("go", 1, 3), ("reading", 2, 42.5), ("reading", 2 + 3600, 42.5))
    assert long.runs[3].over.endswith(" CEM43 min in a zone")


def test_words_of_heat_pain_and_grades_end_with_their_scale() -> None:
    for kind, least, most in (("heat", 0, 4), ("pain", 0, 10)):
        for value, heard in ((least, True), (most, True), (least - 0.5, False), (most + 0.5, False)):
            state = flow(FOUR, ("start", 0), ("go", 1, 3), (kind, 2, value))
            assert (getattr(state.runs[3], kind) == value) == heard, (kind, value)
        assert getattr(flow(FOUR, (kind, 2, 1)).runs[0], kind) is None, "nothing is felt before it begins"
    for grade, written in ((0, 0), (4, 4), (-1, 0), (5, 0), (None, 0)):
        assert flow(FOUR, ("start", 0), ("incident", 1, grade)).incidents[0].grade == written


def test_to_any_act_that_there_is() -> None:
    for value, to in ((0, 0), (3, 3), (4, 1), (-1, 1), (None, 1)):
        assert flow(FOUR, ("start", 0), ("next", 1), ("go", 2, value)).act == to, value
    assert flow(FOUR, ("start", 0), ("next", 1), ("back", 2)).act == 0
    assert flow(FOUR, ("start", 0), ("next", 1), ("back", 2, None, {"act": 0})).act == 1, "it was overtaken"
    assert flow(FOUR, ("start", 0), ("next", 1), ("back", 2, None, {"act": 1})).act == 0
    assert flow(FOUR, ("go", 2, 3)).act == 0, "not before it began"


def test_a_pass_is_closed_as_often_as_was_planned() -> None:
    counted = [("start", 0), ("next", 1), ("count", 2, 0), ("pass", 3), ("count", 4, 2), ("pass", 5), ("count", 6, 1)]
    state = flow(FOUR, *counted, ("pass", 7))
    assert state.runs[1].passes == [[0], [2]] and state.runs[1].walk == [], "nothing is counted beyond the last"
    for place, taken in ((0, True), (2, True), (3, False), (-1, False)):
        assert bool(flow(FOUR, ("start", 0), ("next", 1), ("count", 2, place)).runs[1].walk) == taken, place


def test_a_tap_of_the_very_moment_at_which_it_stood_still_counts() -> None:
    stands = [("start", 0), ("next", 1), ("pause", 5)]
    assert flow(FOUR, *stands, ("count", 5, 0)).runs[1].strokes == 1
    assert flow(FOUR, *stands, ("count", 5.1, 0)).runs[1].strokes == 0


def test_what_is_said_where() -> None:
    state = flow(FOUR, ("start", 0), ("next", 1), ("comfort", 2, None, {"words": "warm", "act": 0}))
    assert state.runs[0].said == ["warm"]
    ahead = flow(FOUR, ("start", 0), ("comfort", 2, None, {"words": "warm", "act": 3}))
    assert ahead.runs[0].said == ["warm"] and ahead.runs[3].said == [], "an act that was not begun felt nothing"
    assert flow(FOUR, ("start", 0), ("stop", 1), ("comfort", 2, None, {"words": "warm"})).runs[0].said == []
    assert flow(FOUR, ("comfort", 2, None, {"words": "warm"})).runs[0].said == []
    assert flow(FOUR, ("start", 0), ("halt", 1), ("comfort", 2, None, {"words": "warm"})).runs[0].said == []
    lift = order_of((act("strokes", lines=lines(3), level_most=5),))
    quiet, aloud = (flow(lift, ("start", 0), ("level", 1, 1, {"words": words})) for words in ("", "more, please"))
    assert quiet.runs[0].said == [] and aloud.runs[0].said == ["more, please"] and aloud.runs[0].level_shift == 1
    assert flow(lift, ("start", 0), ("level", 1, 9)).runs[0].level_shift == 2, "no further than its ceiling"


def test_stop_stands_what_hands_hold_and_leaves_what_works_by_itself() -> None:
    state = flow(FOUR, ("start", 0), ("go", 1, 2), ("go", 10, 3), ("halt", 20))
    assert state.status == "halted" and state.runs[2].since is not None and state.runs[3].since is None
    assert state.worked_s(2, at(50)) == 49 and state.worked_s(3, at(50)) == 10
    said = fold(FOUR, [tap("why", 21, words="  pain ")], state)
    assert said.why == "pain" and said.runs[3].said == ["pain"]
    assert fold(FOUR, [tap("why", 21, words="  ")], state).runs[3].said == []
    going = fold(FOUR, [tap("resume", 22)], state)
    assert fold(FOUR, [tap("why", 23, words="late")], going).why == "", "why it stood, while it stands"


def test_stop_stands_a_host_whose_guest_is_under_way() -> None:
    """A machine that waits while something else is done gives on until it is stopped."""
    order = order_of((act("timed", keeps=False), act("free", beside=0)))
    state = flow(order, ("start", 0), ("next", 10), ("halt", 20))
    assert state.act == 1 and state.runs[0].since is None and state.worked_s(0, at(50)) == 20
    kept = order_of((act("timed", keeps=True), act("free", beside=0)))
    assert flow(kept, ("start", 0), ("next", 10), ("halt", 20)).runs[0].since is not None


def test_a_spot_goes_up_once_and_only_where_none_went_up() -> None:
    pulses = order_of((act("pulses", spot=spot_rule()),))

    def read(*looks: dict[str, int]) -> list[str]:
        taps: list[Any] = [("start", 0)]
        for n, look in enumerate(looks):
            taps += [("spot", 1000 * n + 1), ("spot_read", 1000 * n + 900, None, {"data": look})]
        answers = [spot.answer for spot in flow(pulses, *taps).runs[0].spots]
        return [f"{one.verdict} {one.set_to:g}" for one in answers if one]

    nothing, mild, severe = {"redness": 0}, {"redness": 1}, {"redness": 3}
    assert read(nothing) == ["up 6"] and read(mild, nothing) == ["keep 5", "up 6"]
    assert read(nothing, severe, nothing) == ["up 6", "down 5", "keep 5"], "not up again"
    assert read(severe, nothing) == ["down 4", "keep 4"]


def test_an_act_that_was_left_and_is_gone_on_with_has_not_ended() -> None:
    last = flow(FOUR, ("start", 0), ("go", 1, 3), ("leave", 5, None, {"words": "too warm"}))
    assert last.runs[3].left == "too warm" and last.runs[3].ended == at(5) and last.status == "paused"
    back = fold(FOUR, [tap("resume", 9)], last)
    assert back.runs[3].left == "" and back.runs[3].ended is None and back.runs[3].since == at(9)
    for ignored in ({"act": 1}, {"act": 0}):
        assert flow(FOUR, ("start", 0), ("go", 1, 3), ("leave", 5, None, ignored)).runs[3].left == ""
    burnt = flow(FOUR, ("start", 0), ("heat", 1, 4), ("leave", 5))
    assert burnt.runs[0].left == "" and burnt.owed == "burn", "first it is written down"
    assert flow(FOUR, ("leave", 5)).runs[0].left == ""


def test_it_is_finished_from_its_last_act_and_with_nothing_owed() -> None:
    end = [("start", 0), ("go", 1, 3)]
    assert flow(FOUR, *end, ("finish", 5)).status == "finished"
    assert flow(FOUR, *end, ("pause", 4), ("finish", 5)).status == "finished"
    assert flow(FOUR, *end, ("halt", 4), ("finish", 5)).status == "halted"
    assert flow(FOUR, ("start", 0), ("finish", 5)).status == "running", "more is to come"
    assert flow(FOUR, *end, ("heat", 4, 4), ("finish", 5)).status == "paused"


def test_an_ending_that_is_taken_back_stands_where_it_stood() -> None:
    ended = [("start", 0), ("go", 1, 2), ("go", 10, 3), ("pause", 20), ("finish", 30)]
    state = flow(FOUR, *ended, ("reopen", 60))
    assert state.status == "paused" and state.runs[2].ended is None and state.worked_s(2, at(60)) == 59
    assert state.runs[3].ended is None and state.runs[3].since is None, "it stood when it was ended"
    left = flow(FOUR, ("start", 0), ("go", 1, 3), ("leave", 5), ("stop", 9), ("reopen", 60))
    assert left.runs[3].ended == at(5), "what was left before stays left"
    at_once = flow(FOUR, ("start", 0), ("go", 1, 3), ("leave", 9), ("finish", 9), ("reopen", 60))
    assert at_once.runs[3].ended is None, "left and finished in one"
    assert flow(FOUR, ("start", 0), ("reopen", 60)).status == "running"


def test_another_machine_is_not_connected_yet() -> None:
    acts = tuple(act("free", machine=name, title=name) for name in ("a", "a", "", "b"))
    order = order_of(acts)
    connected = [("start", 0), ("machine", 1, None, {"words": "plugged"})]
    for to, machine in ((1, "plugged"), (2, "plugged"), (3, "")):
        assert flow(order, *connected, ("go", 2, to)).machine == machine, to
    assert flow(order, ("machine", 1, None, {"words": "plugged"})).machine == "", "not before it begins"
    assert flow(order, ("start", 0), ("machine", 1, None, {"words": "odd"})).machine == ""
    lost = flow(order, *connected, ("machine", 3, None, {"words": "lost"}))
    assert lost.machine == "lost" and flow(order, *connected, ("machine", 3)).machine == ""


def test_who_has_it_in_hand() -> None:
    named = flow(FOUR, ("start", 0, None, {"data": {"name": "Adaeze"}, "by": "Lin"}))
    assert named.holder == "Adaeze" and flow(FOUR, ("start", 0, None, {"by": "Lin"})).holder == "Lin"
    wiped = flow(FOUR, ("clean", 0), ("start", 1), ("clean", 2))
    assert wiped.runs[0].cleans == 1 and flow(FOUR, ("start", 0), ("clean", 1, None, {"act": 3})).runs[3].cleans == 0


def test_nothing_but_what_went_wrong_is_heard_once_it_is_over() -> None:
    over = [("start", 0), ("stop", 5)]
    assert flow(FOUR, *over, ("next", 6)).act == 0 and flow(FOUR, *over, ("incident", 6, 2)).incidents
    assert flow(FOUR, *over, ("reopen", 6)).status == "paused"


def test_between_guests_and_host() -> None:
    """A host, two guests in its wait, and what comes after."""
    host, first, second, after = act("timed", keeps=True), act("free", beside=0), act("free", beside=0), act("free")
    order = order_of((host, first, second, after))
    walk = [("start", 0)]
    for n, to in enumerate((1, 2, 0, 3), 1):
        walk.append(("next", n))
        assert flow(order, *walk).act == to
    straight = flow(order, ("start", 0), ("go", 1, 2), ("next", 2))
    assert straight.act == 0, "a guest that was passed over is offered from the host again"
    assert fold(order, [tap("next", 3)], straight).act == 1
    gone = flow(order, ("start", 0), ("next", 1), ("next", 2), ("next", 3), ("next", 4), ("go", 5, 1), ("next", 6))
    assert gone.act == 3, "the host has ended"
