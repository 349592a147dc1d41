"""How soon the same skin may have the same again, and another strong thing, written a second time: each from its last
closed day to its first open one.
"""

from datetime import date, timedelta

import pytest

from builders.briefs import TODAY, brief
from merak.core.body.plate import sided
from merak.core.client import Findings
from merak.core.knowledge import agents, on_skin
from merak.core.modality.catalogue import MODALITIES
from merak.core.modality.exposed import Exposed
from merak.core.plan.footing import footing, most_counted
from merak.core.plan.past import early, wait_after

pytestmark = pytest.mark.outside(
    "Common practice, the longer figure where schools differ; house defaults for other strong things",
    values="days between treatments of the same skin",
)

#: What each work counts as at its most: agent and degree.
COUNTS = {
    "micro_needling": {"needles": 1},
    "rf_fractional": {"pins": 1},
    "nano": {"nano": 1, "needles": 1},  # above 0.25 mm as needles
    "peel": {"acid": 2},
    "wet_abrasion": {"wet": 1, "acid": 2},  # a peel stage counts as a peel
    "pulsed_light": {"lamp": 2},
    "focused_lifting": {"lines": 1},
    "crystal": {"dry_abrasion": 1},
    "diamond": {"dry_abrasion": 1},
    "rf_bulk": {"bulk_heat": 1},
    "enzyme": {"enzyme": 1},
    "oxygen_mask": {"oxygen_foam": 1},
    "galvanic_softening": {"softening": 1},
    "muscle_stimulation": {"muscle_current": 1},
}
#: (agent, degree) → days for phototypes I to III, IV, V.
AGAIN = {
    ("needles", 1): (28, 28, 42),
    ("pins", 1): (28, 28, 42),
    ("nano", 1): (7, 7, 11),
    ("acid", 1): (7, 7, 11),
    ("acid", 2): (14, 14, 21),
    ("lamp", 1): (21, 28, 28),
    ("lamp", 2): (28, 28, 28),
    ("lines", 1): (90, 90, 90),
    ("dry_abrasion", 1): (7, 7, 11),
    ("wet", 1): (7, 7, 11),
    ("bulk_heat", 1): (7, 7, 7),
    ("enzyme", 1): (7, 7, 7),
    ("oxygen_foam", 1): (7, 7, 7),
    ("softening", 1): (7, 7, 7),
    ("muscle_current", 1): (2, 2, 2),
}
#: After each strong thing, days to another; 14 before the lamp after all that opens skin.
OTHERS = {"needles": 14, "pins": 14, "lines": 14, "lamp": 14, "nano": 7, "dry_abrasion": 7, "wet": 7, "acid": 7}
OTHERS |= {"bulk_heat": 2}
#: Days that a course leaves at least, where that is more than has to be.
COURSE = {"needles": 28, "pins": 28, "lines": 90, "acid": 14, "dry_abrasion": 14, "wet": 14}
OPENS = {"needles", "pins", "nano", "acid", "dry_abrasion", "wet"}
NEVER_SHORTER = {"needles", "pins", "lamp", "lines", "nano"}


def test_what_each_work_counts_as() -> None:
    assert {name: most_counted(name) for name in on_skin() if most_counted(name)} == COUNTS


def test_every_agent_and_degree_is_in_the_table() -> None:
    assert {(name, n + 1) for name, one in agents().items() for n in range(len(one.again))} == set(AGAIN)
    assert {name for name, one in agents().items() if one.others} == set(OTHERS)
    assert {name for name, one in agents().items() if one.opens} == OPENS
    assert {name: one.course for name, one in agents().items() if one.course} == COURSE


def closed(done: Exposed, agent: str, phototype: int | None) -> int:
    """For how many days an agent stays closed after what was done, counted day by day."""
    for days in range(200):
        wait = wait_after(done.model_copy(update={"on": TODAY - timedelta(days=days)}), agent, TODAY, phototype)
        if wait is None or wait.opens <= TODAY:
            return days
    raise AssertionError("it never opens")


@pytest.mark.parametrize(("agent", "degree"), AGAIN)
def test_the_same_again(agent: str, degree: int) -> None:
    done = Exposed(agent=agent, degree=degree)
    assert tuple(closed(done, agent, phototype) for phototype in (3, 4, 5)) == AGAIN[agent, degree]
    worst = max(days for (name, _), days in AGAIN.items() if name == agent for days in days)
    assert closed(Exposed(agent=agent), agent, None) == worst, "unknown counts as the worst"


@pytest.mark.parametrize("agent", sorted(OTHERS))
def test_another_strong_thing(agent: str) -> None:
    for other in sorted(OTHERS.keys() - {agent}):
        expected = max(OTHERS[agent], 14 if other == "lamp" and agent in OPENS else 0)
        assert closed(Exposed(agent=agent, degree=1), other, 2) == expected, other
    for gentle in sorted({name for name, _ in AGAIN} - OTHERS.keys()):
        assert closed(Exposed(agent=agent, degree=1), gentle, 2) == closed(Exposed(agent=gentle), agent, 2) == 0


@pytest.mark.parametrize("agent", sorted({name for name, _ in AGAIN}))
def test_a_senior_may_let_it_be_a_fifth_sooner_and_not_everything(agent: str) -> None:
    days = AGAIN[agent, 1][0]
    done = Exposed(agent=agent, degree=1, on=TODAY)
    for ago in range(days):
        wait = wait_after(done, agent, TODAY + timedelta(days=ago), 3)
        assert wait and wait.shorter == (agent not in NEVER_SHORTER and ago >= 0.8 * days), ago
    unknown = wait_after(Exposed(agent=agent), agent, TODAY, 3)
    assert unknown and not unknown.shorter and unknown.opens > TODAY, "a day that nobody knows is today"


@pytest.mark.parametrize(
    ("work", "settings", "expected"),
    [
        ("nano", {"at": 1.0, "depth_mm": 0.25}, {"nano": 1}),
        ("nano", {"at": 1.0, "depth_mm": 0.3}, {"nano": 1, "needles": 1}),
        ("pulsed_light", {"target": "brown"}, {"lamp": 1}),
        ("pulsed_light", {"target": "red"}, {"lamp": 2}),
        ("peel", {"percent": 10.0}, {"acid": 1}),
        ("peel", {"percent": 11.0}, {"acid": 2}),
        ("wet_abrasion", {"kind": "acid"}, {"wet": 1}),
        ("wet_abrasion", {"kind": "peel", "percent": 7.5}, {"wet": 1, "acid": 1}),
        ("wet_abrasion", {"kind": "peel", "percent": 30.0}, {"wet": 1, "acid": 2}),
        ("wet_abrasion", {"kind": "infuse"}, {}),
        ("wet_abrasion", {"kind": "booster"}, {}),
    ],
)
def test_what_counts_hangs_on_how_it_was_set(work: str, settings: dict[str, object], expected: dict[str, int]) -> None:
    said = MODALITIES[work].Settings.model_construct(**settings)
    assert footing(work, said).counts == expected


@pytest.mark.parametrize(
    ("done", "on", "work", "zones", "opens"),
    [
        # needled on 12 November on the right cheek: those 28 days, and no other skin
        ("needles", date(2026, 11, 12), "micro_needling", ("right mid cheek",), date(2026, 12, 10)),
        ("needles", date(2026, 11, 12), "micro_needling", ("left mid cheek",), None),
        ("needles", date(2026, 11, 12), "micro_needling", ("mid cheek",), date(2026, 12, 10)),
        ("needles", date(2026, 11, 12), "micro_needling", ("forehead",), None),
        # a peel on the 20th: abrasion after a week, the lamp after two
        ("acid", date(2026, 11, 20), "crystal", ("right mid cheek",), date(2026, 11, 27)),
        ("acid", date(2026, 11, 20), "pulsed_light", ("right mid cheek",), date(2026, 12, 4)),
        ("acid", date(2026, 11, 20), "cold", ("right mid cheek",), None),
        # bulk heat the day before yesterday is over for others, not for itself
        ("bulk_heat", date(2026, 11, 23), "crystal", ("right mid cheek",), None),
        ("bulk_heat", date(2026, 11, 24), "crystal", ("right mid cheek",), date(2026, 11, 26)),
        ("bulk_heat", date(2026, 11, 23), "rf_bulk", ("right mid cheek",), date(2026, 11, 30)),
    ],
)
def test_by_zone_with_the_first_day(done: str, on: date, work: str, zones: tuple[str, ...], opens: date | None) -> None:
    past = (Exposed(agent=done, degree=1, zones=("right mid cheek",), on=on),)
    who = brief(findings=Findings(phototype=3), exposed=past)
    found = [one.wait.opens for one in early(footing(work), sided(zones), who.past, who.facts)]
    assert max(found, default=None) == opens
