"""What fits with what, written a second time: every pair of modalities in one visit, in both orders, on the same skin.

Common practice and house defaults as gathered in the handbook (what fits with what, and in which order).
"""

from itertools import combinations, permutations, product

import pytest

from merak.core.knowledge import all_of, aspects
from merak.core.plan.fitting import Placed, clashes, may_run_beside
from merak.core.plan.screening import housekeeping, subjects

EVERY = sorted({*subjects(), *housekeeping()} - set(aspects()))
ABRADING = {"wet_abrasion", "crystal", "diamond", "peel"}
LAMP_AND_DEEP_HEAT = {"rf_bulk", "focused_lifting", "rf_fractional", "pulsed_light"}
STRONG = {"crystal", "diamond", "peel", "rf_fractional", "focused_lifting", "micro_needling", "pulsed_light"}
#: What stands between two stages goes with everything.
WETS = {"wash", "wipe", "towel", "alcohol", "antisepsis", "saline", "mist"}
BETWEEN = WETS | {"gloves", "mirror", "photograph", "try_out", "call_senior", "clean_tool"}
CALM = {"cleanse", "tone", "dry", "cold", "mask", "led", "touch", "finish", *BETWEEN}
#: The client's own word is the stop signal: never on numbed skin. Tingling lips would hide an alarm.
NEVER_NUMB = {"rf_bulk", "focused_lifting", "galvanic_softening", "iontophoresis", "oxygen_mask"}


def told(*steps: str | Placed, newcomer: bool = False, **rest: object) -> set[str]:
    placed = [one if isinstance(one, Placed) else Placed(f"s{n}", one) for n, one in enumerate(steps)]
    return {clash.kind for clash in clashes(placed, newcomer, {}, **rest)}  # type: ignore[arg-type]


def apart(one: str, other: str) -> bool:
    """Whether the two never meet in a visit, by the handbook."""
    pair = {one, other}

    def between(these: set[str], those: set[str]) -> bool:
        return (one in these and other in those) or (other in these and one in those)

    return (
        between(
            ABRADING | {"extract", "nano"}, LAMP_AND_DEEP_HEAT - {"rf_bulk"}
        )  # bulk heat hangs on the skin it meets
        or pair <= ABRADING  # one abrading exfoliation a visit
        or pair <= STRONG  # one strong thing
        or pair <= LAMP_AND_DEEP_HEAT | {"micro_needling"}  # one energy that goes deep
        or ("pulsed_light" in pair and not pair - {"pulsed_light"} <= CALM)
        or between({"numbing"}, NEVER_NUMB)
        or between({"micro_needling"}, {"peel"})  # a physician's
    )


@pytest.mark.outside(
    "the handbook on what fits with what", values="each pair of modalities, both ways", tolerance="exact"
)
@pytest.mark.parametrize(("one", "other"), list(combinations(EVERY, 2)), ids=lambda name: name)
def test_who_never_meet_in_a_visit(one: str, other: str) -> None:
    for first, second in ((one, other), (other, one)):
        found = told(first, second) & {"apart", "one", "alone"}
        assert bool(found) == apart(one, other), (first, second, found)


#: Cleanse → tone → soften → abrade or peel → extract → infuse → lift → mask → finish.
CHAIN = (
    ("tone", "finish"),
    ("wet_abrasion", "extract"),
    ("enzyme", "extract"),
    ("peel", "iontophoresis"),
    ("wet_abrasion", "oxygen_jet"),
    ("iontophoresis", "microcurrent"),
    ("oxygen_airbrush", "microcurrent"),
    ("microcurrent", "mask"),
    ("extract", "mask"),
    ("led", "finish"),
    ("mask", "finish"),
)


@pytest.mark.parametrize(("early", "late"), CHAIN, ids=lambda name: name)
def test_the_order_of_the_room(early: str, late: str) -> None:
    assert "before" not in told(early, late)
    assert "before" in told(late, early)


def test_the_whole_line_stands_and_any_exchange_along_the_chain_is_told() -> None:
    line = ["cleanse", "tone", "soften", "wet_abrasion", "extract", "oxygen_jet", "mask", "led", "finish"]
    assert told(*line) == set()
    heat = ["cleanse", "rf_bulk", "microcurrent", "ultrasound", "cold", "led", "finish"]
    assert told(*heat) == set()
    for early, late in CHAIN:
        if early in line and late in line:
            moved = [name for name in line if name != early]
            moved.insert(moved.index(late) + 1, early)
            assert "before" in told(*moved), (early, late)


#: What never ends without sun protection, or shade: whatever exfoliates, opens, heats or lights, and a cleanse.
SHADED = {
    *ABRADING, "enzyme", "spatula", "nano", "micro_needling", "rf_fractional", "rf_bulk", "focused_lifting",
    "pulsed_light",
    "cleanse", "galvanic_softening",  # it takes the oil, and leaves lye
}  # fmt: skip


@pytest.mark.parametrize("name", EVERY)
def test_what_ends_in_sun_protection_or_shade(name: str) -> None:
    without, closed = told(name), told(name, "finish")
    assert ("needs" in without) == (name in SHADED) and "needs" not in closed


def test_a_newcomer_gets_one_strong_thing_and_never_needles_and_peel_together() -> None:
    for one, other in permutations(sorted(STRONG), 2):
        assert "one" in told(one, other, newcomer=True)
    assert "apart" in told("nano", "peel", newcomer=True)
    assert all("one" not in told(name, newcomer=True) for name in STRONG)


BETWEEN = (
    *("wash", "wipe", "towel", "alcohol", "antisepsis", "saline", "mist"),
    *("gloves", "mirror", "photograph", "try_out", "call_senior", "clean_tool"),
)
BESIDE = {
    ("mask", "led"),
    ("mask", "cold"),
    *product(("numbing",), ("cleanse", "tone", "touch")),
    ("mask", "mask"),
    *product(("mask", "enzyme", "numbing", "led"), ("photograph", "gloves", "clean_tool", "call_senior")),
    *product(
        ("muscle_stimulation",),
        ("cleanse", "tone", "touch", "enzyme", "microcurrent", "led", "mask", "cold", *BETWEEN),
    ),
    *product(
        ("ear_clips",),
        ("cleanse", "tone", "dry", "touch", "enzyme", "microcurrent", "led", "mask", "cold", *BETWEEN),
    ),
}


def test_what_may_run_in_the_waiting_time_of_another() -> None:
    assert {pair for pair in product(EVERY, EVERY) if may_run_beside(*pair, {})} == BESIDE
    assert may_run_beside("numbing", "led", {"numbing": "light"}), "the school that lights the cream"
    assert may_run_beside("enzyme", "cold", {"cold": "enzyme"})
    assert not may_run_beside("enzyme", "cold", {"cold": "mask"})


def test_every_proposal_begins_and_ends_alike() -> None:
    assert all_of(("FRAME",)) == {"cleanse", "tone", "finish"}
