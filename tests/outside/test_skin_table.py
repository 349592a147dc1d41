"""The skin along the clock, written a second time: which work is forbidden on what other work left, and for how long.

The handbook's table of states speaks of what is forbidden; the rule book says what each modality bears. Common practice
and house defaults as gathered there.
"""

from datetime import timedelta
from itertools import product

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from builders.briefs import TODAY
from builders.chair import somebody, worked
from merak.core.knowledge import on_skin, skin_states
from merak.core.modality.before import Before
from merak.core.plan.footing import footing, lasting, worst_left
from merak.core.plan.stage import Stage
from merak.core.plan.step import step_of
from merak.core.plan.visit_plan import Plan, visit_plan

WHO = somebody()
CURRENT = {"microcurrent", "galvanic_softening", "iontophoresis", "muscle_stimulation", "ear_clips"}
HEAT = {"rf_bulk", "focused_lifting", "rf_fractional", "soften"}
ABRADING = {"wet_abrasion", "crystal", "diamond", "peel", "enzyme", "spatula"}
GOES_IN = {"nano", "micro_needling", "numbing"}
LAMP = {"pulsed_light"}
CALM = {"led", "cold", "finish", "saline", "gloves", "mirror", "photograph", "call_senior", "clean_tool"}
EVERY = set(on_skin()) - {"physician_resurfacing"}

#: What each leaves, set as it begins: its state and degree.
LEAVES = {
    "enzyme": {"thinned": 1},
    "spatula": {"thinned": 1},
    "wet_abrasion": {"thinned": 2},
    "peel": {"thinned": 3},  # 15 % is a strong acid
    "crystal": {"thinned": 3},
    "diamond": {"thinned": 3},
    "extract": {"extracted": 1},
    "nano": {"opened": 1},
    "micro_needling": {"opened": 2},
    "rf_fractional": {"opened": 2, "heated": 2},
    "numbing": {"numb": 1},
    "soften": {"heated": 1},
    "rf_bulk": {"heated": 2},
    "focused_lifting": {"heated": 2},
    "pulsed_light": {"lit": 1},
    "cold": {"calmed": 1},
    "oxygen_airbrush": {"calmed": 1},
    "oxygen_mask": {"calmed": 1},
}
#: What is forbidden on skin in a state, from a degree up.
FORBIDDEN = {
    ("thinned", 1): {"rf_fractional", "focused_lifting", *LAMP},
    ("thinned", 2): {*CURRENT, "rf_bulk", "soften", "micro_needling", "numbing", "alcohol"},
    ("thinned", 3): {"nano", "spatula"},
    ("extracted", 1): {*CURRENT, *HEAT, *LAMP, *GOES_IN, "peel", "alcohol"},
    ("opened", 1): EVERY - {*CALM, "mask", "antisepsis", "nano", "micro_needling", "rf_fractional"},
    ("opened", 2): EVERY - {*CALM, "mask", "micro_needling", "rf_fractional"},
    ("numb", 1): {
        *CURRENT, "rf_bulk", "focused_lifting", "soften", "oxygen_mask", "cold", "ultrasound", "peel", *LAMP
    },
    ("heated", 2): {*ABRADING, *GOES_IN, "extract", "soften", *LAMP},
    ("lit", 1): {*ABRADING, *GOES_IN, *HEAT, "extract"},
    ("calmed", 1): HEAT,
}  # fmt: skip
#: Hours after the visit, degree by degree: acids stay off 48 h and 3 days, hands 24, needled skin closes in two days.
HOURS = {
    "thinned": (24, 48, 72),
    "extracted": (24,),
    "opened": (24, 48),
    "numb": (4,),
    "heated": (2, 48),
    "lit": (48,),
    "calmed": (0,),
}
#: What is asked for, of clean, dry and softened skin: all work asks for clean, what goes in for disinfected skin.
#: What hurts: pins always, needles unless they are shallow where the house goes without.
NUMBED = {"rf_fractional", "micro_needling"}
DISINFECTED = {"nano", "micro_needling", "rf_fractional"}
DRY = {"crystal", "diamond", "oxygen_airbrush", "numbing"}
ASKS_NOTHING = {
    *("cleanse", "wash", "wipe", "towel", "mist", "saline", "dry", "finish"),
    *("gloves", "mirror", "photograph", "try_out", "call_senior", "clean_tool"),
}
#: What gives it.
GIVES = {
    "cleanse": {"clean": 1},
    "wash": {"clean": 1},
    "alcohol": {"clean": 2, "dry": 1},
    "antisepsis": {"clean": 3},
    "dry": {"dry": 1},
    "numbing": {"numbed": 1},
    **{name: {"soft": 1} for name in ("soften", "galvanic_softening", "wet_abrasion", "enzyme", "oxygen_mask")},
}
#: What touches no skin, or with what is sterile, or wets nothing, or leaves nothing clean.
LEAVES_ALL = {
    "ear_clips",
    "led",
    "gloves",
    "mirror",
    "photograph",
    "call_senior",
    "clean_tool",
    "alcohol",
    "antisepsis",
}
LEAVES_ALL |= DISINFECTED
LEAVES_DRY = {"extract", "crystal", "diamond", "try_out"}
MENDS = {"clean": ("wash", "alcohol", "antisepsis"), "dry": ("dry",), "soft": ("soften",), "numbed": ("numbing",)}
BEGUN = {name: worked(name, WHO).stage for name in EVERY if name != "muscle_stimulation"}


def between_stages(early: Stage, late: Stage, same_step: bool = False) -> dict[str, int]:
    there = footing(early.modality, early.settings), footing(late.modality, late.settings)
    return there[0].hurts(there[1], same_step)


def forbidden(state: str, degree: int) -> set[str]:
    return {name for (one, least), names in FORBIDDEN.items() if one == state and degree >= least for name in names}


def by_hand(early: str, late: str) -> set[str]:
    return {state for state, degree in LEAVES.get(early, {}).items() if late in forbidden(state, degree)}


@pytest.mark.outside("the handbook on the skin along the clock", values="each state, degree, hours", tolerance="exact")
def test_states_degrees_and_hours() -> None:
    hazards = {name: one for name, one in skin_states().items() if not one.merit}
    assert {name: one.hours for name, one in hazards.items()} == HOURS
    assert {name: one.mends for name, one in skin_states().items() if one.merit} == MENDS
    assert {name for name, one in skin_states().items() if one.inside} == {"opened", "extracted", "numb"}
    for name, stage in BEGUN.items():
        assert footing(name, stage.settings).leaves == LEAVES.get(name, {}), name


def asks(name: str) -> dict[str, int]:
    clean = 3 if name in DISINFECTED else 0 if name in ASKS_NOTHING else 1
    found = {"clean": clean, "dry": int(name in DRY), "soft": int(name == "extract"), "numbed": int(name in NUMBED)}
    return {state: degree for state, degree in found.items() if degree}


def ends(name: str) -> dict[str, int]:
    """How far what was clean and dry stays so: bare hands and what is not sterile take disinfected back to clean."""
    if name in LEAVES_ALL:
        return {}
    if name in ("saline", "dry", "finish"):
        return {"saline": {"dry": 0}, "dry": {"clean": 2}, "finish": {"clean": 0, "dry": 0}}[name]
    return {"clean": 1} if name in LEAVES_DRY else {"clean": 1, "dry": 0}


@pytest.mark.outside(
    "the handbook on the skin along the clock", values="each merit, what asks, gives and ends it", tolerance="exact"
)
@pytest.mark.parametrize("name", sorted(EVERY))
def test_merits_are_asked_given_and_ended(name: str) -> None:
    found = footing(name, BEGUN[name].settings if name in BEGUN else None)
    assert (found.asks, found.gives, found.ends) == (asks(name), GIVES.get(name, {}), ends(name))


def test_shallow_needles_go_without_cream_where_the_house_does_and_deeper_ones_never() -> None:
    stage = BEGUN["micro_needling"]
    for comfort, depth, numbed in (
        ("numbed", 0.25, 1),
        ("asked all the time", 0.25, 0),
        ("asked all the time", 0.5, 1),
    ):
        found = stage.with_settings(stage.values | {"comfort": comfort, "depth_mm": depth, "licensed": True})
        assert footing("micro_needling", found.settings).asks.get("numbed", 0) == numbed


def test_what_comes_easily_is_extracted_without_softening() -> None:
    stage = BEGUN["extract"]
    easy = stage.with_settings(stage.values | {"what": "what comes easily"})
    assert footing("extract", easy.settings).asks == {"clean": 1}


@pytest.mark.parametrize("work", sorted({work for works in MENDS.values() for work in works}))
def test_mending_ends(work: str) -> None:
    """A mend asks for nothing, or for what asks for nothing; it brings back no need that it was put in for."""
    first = [MENDS[state][degree - 1] for state, degree in asks(work).items()]
    assert all(asks(one) == {} and GIVES[one] for one in first)


@pytest.mark.outside(
    "the handbook on the skin along the clock", values="each pair of modalities, both ways", tolerance="exact"
)
@pytest.mark.parametrize("early", sorted(BEGUN))
def test_what_is_not_done_on_what_was_left(early: str) -> None:
    for late in BEGUN:
        found = set(between_stages(BEGUN[early], BEGUN[late], same_step=False))
        assert found == by_hand(early, late), (early, late)


def test_what_is_done_elsewhere_and_what_goes_to_the_body_alone() -> None:
    assert worst_left("physician_resurfacing") == {"thinned": 3, "opened": 2}
    assert footing("muscle_stimulation").bears == footing("iontophoresis").bears == {
        "thinned": 1, "heated": 2, "lit": 1, "calmed": 1,
    }  # fmt: skip


@pytest.mark.parametrize("state", sorted(HOURS))
def test_a_modality_bears_what_is_not_forbidden_and_no_more(state: str) -> None:
    """Degree by degree, also those that no modality leaves as it begins; a physician's work is done on none of it."""
    for name, degree in product(BEGUN, range(1, len(HOURS[state]) + 1)):
        hurt = footing(name, BEGUN[name].settings).hurt_by({state: degree})
        assert bool(hurt) == (name in forbidden(state, degree)), (name, degree)
    assert on_skin()["physician_resurfacing"].bears == {}


@pytest.mark.parametrize(
    ("modality", "set_to", "leaves"),
    [
        ("wet_abrasion", {"kind": "acid"}, {"thinned": 2}),
        ("wet_abrasion", {"kind": "salicylic"}, {"thinned": 2, "extracted": 1}),
        ("wet_abrasion", {"kind": "peel", "percent": 10}, {"thinned": 2}),
        ("wet_abrasion", {"kind": "peel", "percent": 10.5}, {"thinned": 3}),
        ("wet_abrasion", {"kind": "infuse"}, {}),
        ("wet_abrasion", {"kind": "booster"}, {}),
        ("peel", {"percent": 10}, {"thinned": 2}),
        ("peel", {"percent": 11}, {"thinned": 3}),
    ],
)
def test_what_is_set_says_what_is_left(modality: str, set_to: dict[str, object], leaves: dict[str, int]) -> None:
    stage = BEGUN[modality]
    assert footing(modality, stage.with_settings(stage.values | set_to).settings).leaves == leaves
    assert all(worst_left(modality)[state] >= degree for state, degree in leaves.items())


def test_a_warm_towel_is_heat_and_a_lukewarm_one_is_not() -> None:
    stage = BEGUN["towel"]
    warm = stage.with_settings(stage.values | {"warmth": "warm"})
    assert footing("towel", stage.settings).leaves == {} and footing("towel", warm.settings).leaves == {"heated": 1}
    for other in ("cold", "pulsed_light", "extract", "numbing", "wet_abrasion"):
        assert not between_stages(BEGUN[other], stage, False) and between_stages(BEGUN[other], warm, False), other


def test_deeper_needles_bear_no_buffed_skin() -> None:
    stage = BEGUN["micro_needling"]
    shallow, deep = (stage.with_settings(stage.values | {"depth_mm": mm}) for mm in (0.25, 0.3))
    assert between_stages(BEGUN["enzyme"], shallow, False) == {}
    assert between_stages(BEGUN["enzyme"], deep, False) == {"thinned": 1}


@pytest.mark.parametrize(
    ("modality", "days", "left"),
    [
        ("crystal", 0, {"thinned": 3}),
        ("crystal", 3, {"thinned": 3}),
        ("crystal", 4, {}),
        ("micro_needling", 2, {"opened": 2}),
        ("micro_needling", 3, {}),
        ("nano", 1, {"opened": 1}),
        ("nano", 2, {}),
        ("rf_bulk", 2, {"heated": 2}),
        ("rf_bulk", 3, {}),
        ("cold", 0, {}),
        ("led", 0, {}),
    ],
)
def test_what_lasts_for_days(modality: str, days: int, left: dict[str, int]) -> None:
    """Of a day that is known the evening counts: fewer hours have gone by than days would have it."""
    assert lasting(modality, Before(on=TODAY - timedelta(days=days)), TODAY) == left
    assert lasting(modality, Before(), TODAY) == {}


ZONES = ("right mid cheek", "left mid cheek", "forehead", "chin")
PLACED = st.tuples(st.sampled_from(sorted(set(BEGUN) - {"numbing"})), st.sets(st.sampled_from(ZONES), min_size=1))


@settings(max_examples=40)
@given(st.lists(PLACED, min_size=2, max_size=4))
def test_a_plan_that_is_not_refused_meets_no_skin_that_is_unfit(rows: list[tuple[str, set[str]]]) -> None:
    """Replayed by hand, zone by zone and side by side, where the plan says that its stages really go."""
    stages: list[Stage] = []
    for n, (name, zones) in enumerate(rows):
        stages.append(BEGUN[name].model_copy(update={"id": f"s{n}", "zones": tuple(sorted(zones))}))
    found = visit_plan(WHO, Plan(steps=tuple(map(step_of, stages))), chair=False)
    told = {clash.rule for clash in found.clashes if clash.kind == "state"}
    unfit, skin = set(), dict[str, set[tuple[str, int]]]()
    lacks, merits = set(), dict[str, dict[str, int]]()
    for stage in stages:
        sides = {
            f"{side} {zone.removeprefix(side + ' ')}"
            for zone in found.zones.get(stage.id, ())
            for side in ("right", "left")
            if not zone.startswith({"right": "left ", "left": "right "}[side])
        }
        for zone in sides:
            unfit |= {f"skin.{one}" for one, degree in skin.get(zone, ()) if stage.modality in forbidden(one, degree)}
        for zone in sides:
            skin.setdefault(zone, set()).update(LEAVES.get(stage.modality, {}).items())
            now = merits.setdefault(zone, {"clean": 1, "dry": 0, "soft": 0, "numbed": 0})  # washed, as it arrived
            lacks |= {f"skin.{one}" for one, degree in asks(stage.modality).items() if now[one] < degree}
            now |= {one: min(most, now[one]) for one, most in ends(stage.modality).items()}
            now |= {one: max(degree, now[one]) for one, degree in GIVES.get(stage.modality, {}).items()}
    assert told == unfit
    assert {clash.rule for clash in found.clashes if clash.kind == "need"} == lacks
