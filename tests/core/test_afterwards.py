"""After the treatment, at the edge of each rule: what differs, what is said of colour, when to return, what is kept."""

from datetime import UTC, date, datetime, time, timedelta
from math import cos, radians, sqrt
from typing import Any
from zoneinfo import ZoneInfo

import pytest

from builders.done import tags_when
from builders.orders import fact, spot_rule
from merak.core.acts import Act, StrokeLine
from merak.core.after.aftercare import (
    Moments,
    Personal,
    SheetLine,
    answered,
    family_of,
    lines,
    midnight,
    sheet,
    too_near,
    yielding,
)
from merak.core.after.answer import Look, SkinAnswer, fitting, where
from merak.core.after.colour import Patch, change, delta_00
from merak.core.after.course import free, gap, propose
from merak.core.after.differences import differences
from merak.core.after.energy import delivered_by
from merak.core.after.following import FollowUp, late, with_answers
from merak.core.after.home import kit
from merak.core.after.outcomes import Seen, effects, interval, signals
from merak.core.client import Findings
from merak.core.knowledge import book, topics
from merak.core.modality.before import Before
from merak.core.treatment import order_of
from merak.core.treatment.facts import ActFacts
from merak.core.working import Quantity

NOW = datetime(2026, 11, 25, 12, tzinfo=UTC)
LISBON = ZoneInfo("Europe/Lisbon")


# Planned beside done.


def lift(level: float = 3) -> Act:
    line = StrokeLine(path="middle", points=((0, 0), (10, 0)), repeats=3, bony=False, level=level)
    return Act(kind="strokes", title="Lift", instruction="", seconds=300, modality="microcurrent", lines=(line,))


def told(act: Act, done: ActFacts) -> str:
    return "; ".join(one.words for one in differences(order_of((act,)), [done]))


@pytest.mark.parametrize(
    ("done", "words"),
    [
        ({"level": 3, "highest": 3}, ""),
        ({"level": 2, "highest": 2, "changes": 1}, "level 2, not 3"),
        ({"level": 2, "highest": 4, "changes": 3}, "level 2, 4 at most, not 3, moved 3 times"),
        ({"level": 3, "highest": 4, "changes": 2}, "level 3, 4 at most, not 3, moved 2 times"),
        ({"level": 3, "highest": 2, "changes": 2}, ""),
        ({"level": 2, "highest": None, "changes": 1}, "level 2, not 3"),
        ({"level": 2, "done_strokes": 0, "planned_strokes": 0}, ""),
        ({"level": None}, ""),
        ({"missed": 2, "doubled": 1}, "2 missed; 1 twice"),
        ({"done_strokes": 2}, "only 2 of 3 counted"),
    ],
)
def test_a_level_that_was_moved_is_told_once_with_its_highest(done: dict[str, Any], words: str) -> None:
    usual = {"planned_strokes": 3, "done_strokes": 3, "planned_s": 300, "done_s": 300}
    assert told(lift(), fact(**(usual | done))) == words


def test_a_clock_differs_from_a_tenth_on_and_what_has_none_never() -> None:
    """House default: 20 % of ten minutes is two."""
    light = Act(kind="timed", title="Light", instruction="", seconds=600, modality="led")
    share = order_of((light,)).limits.differs / 100
    edge = 600 * share
    assert told(light, fact(done_s=600 - edge)) == "" == told(light, fact(done_s=600 + edge))
    assert told(light, fact(done_s=600 - edge - 2)).startswith("in ")
    assert told(light, fact(done_s=600 + edge + 2)).startswith("in ")
    assert told(light, fact(planned_s=0, done_s=30)) == "", "nothing was planned"
    wash = Act(kind="timed", title="Tone", instruction="", seconds=600, modality="tone")
    assert told(wash, fact(done_s=10)) == ""


def test_what_a_spot_changed_is_told() -> None:
    pulses = Act(kind="pulses", title="Pulses", instruction="", seconds=600, modality="rf_fractional", spot=spot_rule())
    assert told(pulses, fact(set_to=4.0)) == "set to 4, not 5, after its spot"
    assert told(pulses, fact(set_to=5.0)) == "" == told(pulses, fact(set_to=None))
    plain = pulses.model_copy(update={"spot": None})
    assert told(plain, fact(set_to=4.0)) == "", "no spot was planned"


def test_why_it_was_left_stands_where_no_stop_says_it() -> None:
    light = Act(kind="timed", title="Light", instruction="", seconds=600, modality="led")
    (one,) = differences(order_of((light,)), [fact(done_s=60, left="client sneezed")])
    assert one.because == "left: client sneezed"
    (other,) = differences(order_of((light,)), [fact(done_s=60, left="client sneezed")], "pain")
    assert other.because == "stopped: pain"
    (missed,) = differences(order_of((lift(),)), [fact(missed=2, done_s=600)], "pain")
    assert missed.because == "", "what was missed before the stop has another reason"


def test_nothing_was_given_where_nothing_was_done() -> None:
    planned = {"fluence": Quantity(name="fluence", value=40, unit="J/cm²")}
    none, little = (delivered_by("pulsed_light", planned, {}, share) for share in (0.0, 0.01))
    assert none and none.done == 0 and little and little.done == 40, "a flash is a flash, even one"


# Colour.

GREY = Patch(rgb=(128.0, 128.0, 128.0), spread=1)
SKIN = Patch(rgb=(190.0, 150.0, 130.0), spread=2)


def grey(value: float, spread: float = 1) -> Patch:
    return Patch(rgb=(value, value, value), spread=spread)


@pytest.mark.parametrize(
    ("neutral", "rule"),
    [
        (grey(40), ""),
        (grey(39.9), "colour.neutral.dark"),
        (grey(245), ""),
        (grey(245.1), "colour.neutral.bright"),
        (grey(128, 6), ""),
        (grey(128, 6.1), "colour.neutral.even"),
    ],
)
def test_a_neutral_reference_at_the_edge_of_its_use(neutral: Patch, rule: str) -> None:
    """40 to 245 of 255, and no more than 6 apart inside its spot."""
    said = change(SKIN, SKIN, neutral, neutral)
    assert said.sayable == (not rule) and said.rules == ((rule,) if rule else ("colour.seen",))


def test_what_is_said_of_a_change() -> None:
    def said(red: float, green: float, blue: float) -> str:
        return change(SKIN, Patch(rgb=(red, green, blue), spread=2), GREY, GREY).words

    assert said(190, 150, 130) == "No change that could be told from lamp and camera."
    assert said(205, 140, 125).startswith("Redder") and said(175, 156, 133).startswith("Less red")
    assert "lighter" in said(215, 175, 155).lower() and "darker" in said(160, 122, 104).lower()
    assert said(190, 150, 112) in ("Of another hue.", "Less red.", "Redder."), "yellow alone has no word of its own"


def test_hues_that_stand_opposite_each_other() -> None:
    """At 180° apart the mean hue lies between them, as the formula is published (Sharma, Wu & Dalal 2005): for red and
    green of the same chroma it is 90°, whose T is 1 − 0.17 cos 60° + 0.24 cos 180° + 0.32 cos 276° − 0.2 cos 297°.
    """
    t = 1 - 0.17 * cos(radians(60)) + 0.24 * cos(radians(180)) + 0.32 * cos(radians(276)) - 0.2 * cos(radians(297))
    chroma = 2 * (1 + 0.5 * (1 - sqrt(2**7 / (2**7 + 25**7))))
    assert delta_00((50, 2, 0), (50, -2, 0)) == pytest.approx(2 * chroma / (1 + 0.015 * chroma * t), rel=1e-9)


# The return.

WEEK = {day: (time(9), time(18)) for day in range(5)}
MONDAY = datetime(2026, 11, 23, 9, tzinfo=LISBON)


def test_a_visit_may_begin_as_the_door_opens_and_end_as_it_closes() -> None:
    assert free(MONDAY, 60, WEEK, []) == "" == free(MONDAY.replace(hour=17), 60, WEEK, [])
    assert "open from" in free(MONDAY - timedelta(minutes=1), 60, WEEK, [])
    assert "open from" in free(MONDAY.replace(hour=17, minute=1), 60, WEEK, [])
    assert "open from" in free(MONDAY.replace(hour=17), 8 * 60, WEEK, []), "not over midnight either"


def test_a_visit_may_follow_another_without_a_minute_between() -> None:
    busy = [(MONDAY.replace(hour=11), MONDAY.replace(hour=12))]
    assert free(MONDAY.replace(hour=10), 60, WEEK, busy) == "" == free(MONDAY.replace(hour=12), 60, WEEK, busy)
    assert "Another visit" in free(MONDAY.replace(hour=10), 61, WEEK, busy)
    assert "Another visit" in free(MONDAY.replace(hour=11, minute=59), 60, WEEK, busy)


def test_the_gap_of_the_course_and_after_it() -> None:
    """Every three to five days while it lasts, then once in four to five weeks."""
    assert gap(3, 10)[:2] == (3, 5) and gap(9, 10)[:2] == (3, 5)
    assert gap(10, 10)[:2] == (28, 35) == gap(11, 10)[:2]


def test_an_incident_moves_the_return_and_says_so() -> None:
    usual, waits = (propose(MONDAY, 1, 10, 60, WEEK, [], "Europe/Lisbon", wait) for wait in (0, 7))
    assert usual and usual.at.date() == date(2026, 11, 26) and "within the course's gap" in usual.why
    assert waits and waits.at.date() == date(2026, 11, 30) and "there was an incident" in waits.why
    assert waits.earliest == waits.latest == date(2026, 11, 30)


# What clients say.


def test_late_is_what_takes_as_long_as_is_expected_at_the_most() -> None:
    """Fractional work 48 hours; what settles at once has three; what the book no longer knows too."""
    assert [late("rf_fractional", [FollowUp(settled_h=h)]) for h in (47, 48)] == [False, True]
    assert [late("led", [FollowUp(settled_h=h)]) for h in (2.9, 3)] == [False, True]
    assert [late("gone_from_the_book", [FollowUp(settled_h=h)]) for h in (2.9, 3)] == [False, True]
    assert not late("led", [FollowUp()]) and not late("led", [])


def test_what_was_said_afterwards_is_joined_to_how_it_ended() -> None:
    last = Before(redness=1, swelling=2, settled_late=True)
    assert with_answers(last, "led", []) is last
    once = with_answers(last, "led", [FollowUp(redness=3, swelling=1, settled_h=0)])
    assert (once.redness, once.swelling, once.settled_late, once.mark, once.graded) == (3, 2, True, "", False)
    slow = with_answers(Before(), "led", [FollowUp(settled_h=30, improvement=-1, mark="none"), FollowUp(mark="colour")])
    assert slow.settled_late and slow.graded and slow.mark == "a brown, white or grey mark"
    assert slow.improvement == -1
    kept = with_answers(Before(mark="a blister or burn", graded=True), "led", [FollowUp(mark="fever")])
    assert kept.mark == "a blister or burn" and kept.graded


# Outcomes.


def test_five_clients_are_a_result_and_four_are_none() -> None:
    for many, shown in ((4, False), (5, True)):
        (effect,) = effects([Seen(f"c{n}", "lift", "laxity", -1.0 - n) for n in range(many)])
        assert (effect.mean is not None) == shown and effect.clients == many


def test_beyond_the_table_the_normal_holds() -> None:
    """31 values have 30 degrees of freedom, the last of the table: 2.042; 32 have the normal's 1.96."""
    for many, t in ((31, 2.042), (32, 1.959964)):
        values = [0.0, 1.0] * (many // 2) + [0.5] * (many % 2)
        middle, low, _ = interval(values)
        spread = (sum((one - middle) ** 2 for one in values) / (many - 1)) ** 0.5
        assert middle - low == pytest.approx(t * spread / many**0.5)


def test_three_reactions_are_spoken_of_and_only_beside_others_of_their_kind() -> None:
    uses = [("lot", "A", f"a{n}") for n in range(6)] + [("lot", "B", f"b{n}") for n in range(60)]
    uses += [("device", "A", f"b{n}") for n in range(60)]

    def stands_out(reacted: int) -> tuple[bool, str]:
        found = signals(uses, [f"a{n}" for n in range(reacted)])
        (one,) = [one for one in found if (one.kind, one.name) == ("lot", "A")]
        assert (found[0] == one) == (reacted > 0), "what stands out, and what reacted most, comes first"
        return one.stands_out, one.words

    assert stands_out(3) == (True, "Stands out: take it out of use until somebody has looked.")
    assert stands_out(2) == (False, "Fewer than 3 reactions: nothing can be said.")
    often = signals([*uses, ("lot", "C", "c")], [f"b{n}" for n in range(30)])
    (b,) = [one for one in often if (one.kind, one.name) == ("lot", "B")]
    assert b.stands_out and b.others == 0, "of six and one of other lots none reacted"
    (device,) = [one for one in often if one.kind == "device"]
    assert device.others is None and not device.stands_out, "the only one of its kind is beside nothing"
    assert device.words == "Not more often than the others."
    alike = signals(
        [("lot", name, f"{name}{n}") for name in "AB" for n in range(10)],
        [f"{name}{n}" for name in "AB" for n in range(3)],
    )
    assert {one.words for one in alike} == {"Not more often than the others."}


# The sheet.


@pytest.mark.parametrize(
    ("found", "family"),
    [
        ({}, ""),
        ({"grades": {"laxity": {"chin": 1}}}, "ageing"),
        ({"grades": {"fine_lines": {"forehead": 1}}}, "ageing"),
        ({"grades": {"laxity": {"chin": 1}, "pigment": {"chin": 1}}}, "pigment"),
        ({"grades": {"pigment": {"chin": 4}, "acne": {"chin": 1}}}, "acne-prone"),
        ({"grades": {"acne": {"chin": 4}}, "sensitive": True}, "sensitive"),
        ({"grades": {"acne": {"chin": 0}}, "sensitive": False}, ""),
    ],
)
def test_the_family_of_a_skin_is_the_most_delicate(found: dict[str, Any], family: str) -> None:
    assert family_of(Findings.model_validate(found)) == family


def topics_of(done: tuple[str, ...], of: Personal, at: Moments) -> dict[str, SheetLine]:
    return {line.topic: line for line in sheet(done, of, at)}


def test_what_holds_until_the_next_visit_ends_there_and_not_at_an_event() -> None:
    event = Personal(event=date(2026, 11, 28))
    booked = Moments(NOW, NOW + timedelta(days=40))
    endless = {one.id for one in book().advice if one.until_h is None and not one.until and "any" in one.tags}
    dated = {line.rules[0]: line.until for line in lines(("any",), event, booked)}
    assert endless and all(dated[one] == booked.next_visit for one in endless if one in dated)
    unbooked = {line.rules[0]: line.until for line in lines(("any",), event, Moments(NOW))}
    assert all(unbooked[one] == NOW + timedelta(days=28) for one in endless if one in unbooked)
    assert not [one for one in lines(("any",), event, Moments(NOW, NOW)) if one.rules[0] in endless], "no time, no line"
    (until_event,) = [
        one for one in lines(("strong",), event, booked) if one.until == midnight(date(2026, 11, 28), UTC)
    ]
    assert "event" in {one.until for one in book().advice if one.id == until_event.rules[0]}


def test_a_day_begins_in_its_zone_and_without_one_in_utc() -> None:
    assert midnight(date(2026, 7, 1), LISBON).utcoffset() == timedelta(hours=1)
    assert midnight(date(2026, 7, 1), None).utcoffset() == timedelta(0)


def test_what_asks_for_shaving_or_make_up_is_told_to_who_does_it() -> None:
    both, neither = (topics_of(("peel",), Personal(shaves=so, make_up=so), Moments(NOW)) for so in (True, False))
    asked = {one.topic for one in book().advice if one.when} - {one.topic for one in book().advice if not one.when}
    assert asked & set(both) and not asked & set(neither)
    # A line may ask for all that there is of a client.
    only = Personal(family="sensitive", shaves=False, make_up=True)
    assert only.holds == {"sensitive", "make-up"}


def test_what_gives_way_begins_when_the_stricter_ends_and_goes_where_nothing_is_left() -> None:
    def line(topic: str, hours: float, until: float) -> SheetLine:
        start, end = NOW + timedelta(hours=hours), NOW + timedelta(hours=until)
        return SheetLine(topic=topic, step=1, weight="do", sign="", words="", start=start, until=end, rules=(topic,))

    name = next(topic.id for topic in topics().values() if topic.gives_way == "closed")
    closed = line("closed", 0, 24)
    after = {one.topic: one for one in yielding([closed, line(name, 0, 48)])}
    assert after[name].start == closed.until and after["closed"] == closed
    assert [one.topic for one in yielding([closed, line(name, 0, 24)])] == ["closed"], "it would begin as it ends"
    assert [one.topic for one in yielding([line(name, 0, 24)])] == [name]


@pytest.mark.parametrize(("days", "near"), [(-1, False), (0, True), (20, True), (21, False)])
def test_an_event_within_three_weeks_of_something_strong(days: int, near: bool) -> None:
    of = Personal(event=NOW.date() + timedelta(days=days))
    assert (too_near(("strong", "peel"), of, NOW) is not None) == near
    assert too_near(("peel",), of, NOW) is None and too_near(("strong",), Personal(), NOW) is None


def test_a_skin_reacted_from_grade_three() -> None:
    assert [answered(red, swollen) for red, swollen in ((2, 2), (3, 0), (0, 3))] == [(), ("reacted",), ("reacted",)]


def test_tags_follow_from_how_a_thing_was_set() -> None:
    assert "strong_acid" in tags_when("peel", {"percent": 10.1}) and "strong_acid" not in tags_when(
        "peel", {"percent": 10}
    )
    assert "peel" in tags_when("wet_abrasion", {"kind": "peel"})
    assert "peel" not in tags_when("wet_abrasion", {"kind": "infuse"})
    assert "led.blue" in tags_when("led", {"colour": "blue"}) and "led.blue" not in tags_when("led", {"colour": "red"})
    assert "pulsed_light.vessels" in tags_when("pulsed_light", {"target": "vessels"})
    assert "pulsed_light.vessels" not in tags_when("pulsed_light", {"target": "brown"})
    assert "strong" in tags_when("crystal", {}) and "strong" not in tags_when("led", {})
    assert tags_when("peel", {}, True) == ("spot",) and tags_when("gone_from_the_book", {}) == ()


def test_only_what_is_sterile_goes_on_open_channels_and_nothing_of_it_where_none_are() -> None:
    sterile = {one.id for one in book().home if one.sterile}
    at = Moments(NOW)
    opened = ("needles",)
    with_channels = {one.id: one for one in kit(opened, Personal(), at, sheet(opened, Personal(), at))}
    without = {one.id for one in kit(opened, Personal(), at, ())}
    assert sterile & set(with_channels) and not sterile & without
    closed = next(line.until for line in sheet(opened, Personal(), at) if line.topic == "closed")
    assert all((one.until <= closed) if one.id in sterile else (one.start >= closed) for one in with_channels.values())


# What soothes.


def looked(**grades: int) -> SkinAnswer:
    zones: Any = {kind: {"right chin": grade} for kind, grade in grades.items()}
    return SkinAnswer(looks={"1": Look(at=NOW, by="A", zones=zones)})


def test_a_remedy_is_offered_from_its_grade_on_and_where_it_is_needed() -> None:
    for remedy in book().remedy:
        kind = remedy.seen[0]
        assert remedy in fitting(looked(**{kind: remedy.least}), ())
        assert remedy not in fitting(looked(**{kind: remedy.least - 1}), ())
        for never in remedy.not_after:
            assert remedy not in fitting(looked(**{kind: 4}), {never})
        assert where(looked(**{kind: remedy.least}), remedy) == ("right chin",)
        others = [one for one in ("redness", "swelling", "patches", "marks") if one not in remedy.seen]
        for other in others:
            assert where(looked(**{other: 4}), remedy) == ()
        assert where(SkinAnswer(), remedy) == ()
