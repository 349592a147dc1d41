"""The orders of work of the handbook, stage after stage: nothing in them is refused for the skin that it meets.

Written by hand from the handbook's tables. Where a row and the rest of the handbook differ the careful variant stands
here, and is named beside it.
"""

import pytest

from builders.chair import somebody
from builders.rows import Row, plan, row
from builders.rows import told as against
from merak.core.plan.fitting import Clash

WHO = somebody(slot=480, arrived="made up")
T_ZONE, NOSE, CHEEKS = ("forehead", "nose tip and wings", "chin"), ("nose tip and wings",), ("mid cheek", "lower cheek")
THIGH = ("front of the thigh, upper", "front of the thigh, lower")
WASH, WIPE, DRY, TONE, TOUCH, LED = map(row, ("wash", "wipe", "dry", "tone", "touch", "led"))
CLEANSE, MASK, COLD, FINISH, GLOVES = map(row, ("cleanse", "mask", "cold", "finish", "gloves"))
LUKEWARM, WARM = row("towel"), row("towel", warmth="warm")
ANTISEPSIS, SALINE, ALCOHOL, SENIOR = map(row, ("antisepsis", "saline", "alcohol", "call_senior"))
OPENING = (CLEANSE, WARM, CLEANSE, WARM, TONE)
CLOSING = (COLD, LED, MASK, LUKEWARM, FINISH)
#: Enzyme's coat of fine grains, worked in by hand or by a turning pad.
BUFF = row("enzyme", kind="granular")
ORDERS: dict[str, tuple[Row, ...]] = {
    "1 opening": (*OPENING, TOUCH, WASH, row("touch", how="vibration"), row("oxygen_jet"), DRY),
    "2 closing": (CLEANSE, COLD, LED, MASK, LUKEWARM, FINISH, row("photograph"), row("mirror")),
    "3 wet abrasion in stages": (
        CLEANSE, row("soften", *T_ZONE), row("try_out"), row("wet_abrasion", kind="acid"),
        row("wet_abrasion", kind="peel", percent=7.5), WASH, row("wet_abrasion", *NOSE, kind="salicylic"), WASH, TOUCH,
        row("wet_abrasion", kind="booster"), row("wet_abrasion", kind="infuse"), *CLOSING,
    ),
    "4 crystals by several hands": (
        row("try_out"), CLEANSE, ALCOHOL, BUFF, WASH, DRY, SENIOR, row("crystal"), LUKEWARM, MASK, LUKEWARM, FINISH,
    ),
    "5 diamond, then enzyme with cold globes": (
        CLEANSE, DRY, row("diamond"), row("enzyme"), COLD, WASH, TOUCH, MASK, LUKEWARM, FINISH,
    ),
    "6 focused lines at two depths": (
        CLEANSE, GLOVES, row("focused_lifting", *CHEEKS, depth_mm=4.5), row("focused_lifting", *CHEEKS, depth_mm=3),
        WASH, TONE, COLD, LED, FINISH,
    ),
    "7 heat, lift and infuse": (
        *OPENING, row("oxygen_jet"), row("rf_bulk", *CHEEKS), row("rf_bulk", *CHEEKS), WASH, row("microcurrent"), WASH,
        row("ultrasound", *CHEEKS), COLD, LED, FINISH,
    ),
    "8 bulk heat, half a face first": (CLEANSE, row("rf_bulk", *CHEEKS), row("mirror"), WASH, FINISH),
    "9 fractional over a grid": (  # careful: sterile saline today, washing from tomorrow; no cold head on numb skin
        CLEANSE, ALCOHOL, row("numbing", *CHEEKS), ALCOHOL, ANTISEPSIS, row("rf_fractional", *CHEEKS), SALINE, LED,
        FINISH,
    ),
    "10 pulsed light": (
        CLEANSE, row("pulsed_light", *CHEEKS), row("pulsed_light", *CHEEKS), WIPE, COLD, FINISH,
    ),
    "11 face current: fixed probe": (*OPENING, BUFF, WASH, row("microcurrent"), WASH, FINISH),
    "12 face current: pair of probes": (*OPENING, row("microcurrent"), WASH, MASK, LUKEWARM, FINISH),
    "13 body stimulation": (row("wash", *THIGH), row("muscle_stimulation", *THIGH)),
    "14 granules, reddening peel, nano": (  # careful: the peel is a mild one, and rinsed; antisepsis before what opens
        CLEANSE, BUFF, GLOVES, row("peel", percent=8), WASH, ANTISEPSIS, row("nano", *CHEEKS), row("nano", *CHEEKS),
        SALINE, LED, FINISH,
    ),
    "15 needles from clean field to kit": (  # careful: light and shade after; no mask that is not known as sterile
        GLOVES, *OPENING, row("enzyme"), row("spatula"), WASH, TOUCH, COLD, WASH, DRY, row("numbing", *CHEEKS), WASH,
        GLOVES, ANTISEPSIS, row("nano", *CHEEKS), row("micro_needling", *CHEEKS, depth_mm=0.25), SALINE, LED, FINISH,
    ),
    "16 numbing with its sum": (WASH, DRY, row("numbing", *CHEEKS), WASH, DRY, row("numbing", *CHEEKS), ALCOHOL),
    "17 oxygen airbrush over gel": (*OPENING, DRY, row("oxygen_airbrush"), TOUCH, WIPE, LED, row("clean_tool")),
    "18 oxygen mask made on the skin": (
        CLEANSE, row("extract", *NOSE, what="what comes easily"), row("oxygen_mask"), row("extract", *NOSE),
        row("towel", warmth="cool"), TONE, FINISH,
    ),
}  # fmt: skip


def told(rows: tuple[Row, ...]) -> list[Clash]:
    """What of the skin stands against an order, each stage a step of its own."""
    found = plan(*rows, who=WHO)
    assert not found.stopped
    return against(found)


@pytest.mark.outside("the handbook on orders of work, 1 to 18", values="each stage in its order", tolerance="exact")
@pytest.mark.parametrize("name", ORDERS)
def test_no_stage_is_refused_for_the_skin_that_it_meets(name: str) -> None:
    assert [(one.rule, one.words) for one in told(ORDERS[name])] == []


@pytest.mark.parametrize(
    "name", ["3 wet abrasion in stages", "5 diamond, then enzyme with cold globes", "14 granules, reddening peel, nano"]
)
def test_without_a_mend_an_order_is_refused(name: str) -> None:
    """The same rows without cleansing, drying and antisepsis: what they were there for is missed."""
    bare = tuple(one for one in ORDERS[name] if one not in (CLEANSE, DRY, ANTISEPSIS, WASH))
    assert "skin.clean" in {one.rule for one in told(bare)}
