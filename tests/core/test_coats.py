"""What lies on skin along the clock: what is worked over it, what is laid instead, how much, how it is mended."""

from datetime import timedelta
from itertools import count

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from builders.briefs import TODAY
from builders.chair import somebody
from builders.rows import Row, one_step, plan, row, steps, told
from merak.core.knowledge import on_skin, shelf
from merak.core.modality.before import Before
from merak.core.plan.fitting import Clash
from merak.core.plan.mending import put_right
from merak.core.plan.screening import Answer
from merak.core.plan.shelf import coat_of, on_the_shelf
from merak.core.plan.step import Step
from merak.core.plan.tray import tray_of
from merak.core.plan.visit_plan import Plan, VisitPlan, visit_plan

CHEEK, CHIN = "right mid cheek", "chin"
WHO = somebody(slot=480)
NUMBED = (row("dry", CHEEK), row("numbing", CHEEK), row("antisepsis", CHEEK))


def together(*rows: Row) -> VisitPlan:
    """All of it stages of one step: nothing comes off between them by itself."""
    return visit_plan(WHO, Plan(steps=(one_step(*rows),)))


def said(of: VisitPlan, modality: str) -> str:
    """All that the chair says of a work, making ready first."""
    (stage,) = (one.id for one in of.plan.stages if one.modality == modality)
    return " ".join(act.instruction for act in of.acts if act.stage == stage)


@pytest.mark.parametrize(
    ("words", "names"),
    [
        ("gel", ["gel"]),
        ("Serum, then gel over it", ["serum", "gel"]),
        ("sterile serum + sterile gel", ["sterile serum", "sterile gel"]),
        ("powder, then gel: foam", ["oxygen foam"]),
        ("glycolic and salicylic, by the ladder", ["acid"]),
        ("aloe from the kitchen", ["aloe from the kitchen"]),
        ("", []),
    ],
)
def test_words_name_what_is_on_the_shelf(words: str, names: list[str]) -> None:
    found = on_the_shelf(words)
    assert [one.name for one in found] == names
    assert all((one.product is None) == (one.name.lower() not in shelf()) for one in found)


def test_light_is_not_worked_through_a_mask_of_its_step_and_one_tap_wipes_it_off() -> None:
    step = one_step(row("mask", CHEEK), row("led", CHEEK))
    (dark,) = told(visit_plan(WHO, Plan(steps=(step,))))
    assert (dark.rule, dark.kind, dark.stage, dark.mend) == ("product.through", "need", "s1", "wipe")
    assert (
        dark.words.startswith("Light-emitting panel is worked over mask, which lets no light through.")
        and dark.absolute
    )
    ids = count()
    mended, put = put_right(WHO, Plan(steps=(step,)), "s1", lambda: f"m{next(ids)}")
    assert put == ("wipe",) and [one.modality for one in mended.stages] == ["mask", "wipe", "led"]
    assert told(visit_plan(WHO, mended)) == []


def test_a_step_takes_off_what_it_laid_and_a_stage_what_it_says() -> None:
    assert told(plan(row("mask", CHEEK), row("led", CHEEK))) == []
    assert told(together(row("mask", CHEEK, manner={"off": "towel"}), row("led", CHEEK))) == []
    assert told(together(row("mask", CHEEK), row("led", CHIN))) == [], "elsewhere"
    assert told(together(row("mask", CHEEK), row("wash", CHIN), row("led", CHEEK))) != [], "washed elsewhere"


def test_beside_a_host_its_coat_lies_under_the_guest() -> None:
    mask, light = steps(row("mask", CHEEK), row("led", CHEEK))

    def beside(host: Step) -> VisitPlan:
        return visit_plan(WHO, Plan(steps=(host, light.model_copy(update={"beside": host.id}))))

    sheet = beside(mask)
    assert (
        told(sheet) == []
        and "Over sheet mask. " in said(sheet, "led")
        and "bare skin" not in said(sheet, "led")
        and "Gel off" not in said(sheet, "led")
    )
    assert said(sheet, "mask").startswith("Sheet mask")
    (thick,) = told(beside(steps(row("mask", CHEEK, manner={"product": "mask"}))[0]))
    assert (thick.kind, thick.mend, thick.action) == ("product", "", "Not beside each other on the same skin.")


def test_what_is_laid_on_opened_skin_is_sterile_by_itself() -> None:
    rows = (*NUMBED, row("micro_needling", CHEEK), row("mask", CHEEK), row("led", CHEEK))
    found = plan(*rows)
    assert told(found) == []
    whole = visit_plan(WHO, Plan(steps=steps(*rows)))
    assert said(whole, "mask").startswith("Lay sterile sheet. ") and "Lay" not in said(whole, "led")
    assert said(visit_plan(WHO, Plan(steps=steps(row("mask", CHEEK)))), "mask").startswith("Lay") is False
    needled = somebody(slot=480, history={"micro_needling": Before(on=TODAY - timedelta(days=1))})
    again = visit_plan(needled, Plan(steps=steps(row("mask", CHEEK), who=needled)))
    assert told(again) == [] and said(again, "mask").startswith("Lay sterile sheet. ")


def test_what_lies_beneath_is_said_at_the_chair() -> None:
    whole = together(row("ultrasound", CHEEK), row("iontophoresis", CHEEK))
    assert "Over serum. " in said(whole, "iontophoresis")
    assert "Over" not in said(
        together(row("ultrasound", CHEEK), row("wipe", CHEEK), row("iontophoresis", CHEEK)), "iontophoresis"
    )


@pytest.mark.parametrize(
    ("allergy", "modality", "product", "refused"),
    [
        ("plant", "enzyme", "", True),
        ("plant", "mask", "", True),
        ("plant", "mask", "sheet mask", False),
        ("scent", "touch", "", True),
        ("scent", "touch", "serum", False),
        ("nut", "enzyme", "", False),
        ("salicylate", "peel", "salicylic solution + neutraliser", True),
    ],
)
def test_what_a_client_is_allergic_to_is_not_said(allergy: str, modality: str, product: str, refused: bool) -> None:
    who = somebody(slot=480, answers={**WHO.facts.answers, "allergy": Answer(option=allergy)})
    found = plan(row(modality, manner={"product": product} if product else None), who=who)
    bad = [one for one in found.clashes if one.rule == "product.allergy"]
    assert bool(bad) == refused
    if refused:
        assert bad[0].absolute and not found.startable and "allergic to" in bad[0].words


def test_one_of_several_allergies_counts_like_the_first() -> None:
    two = Answer(option="shellfish", also=(Answer(option="plant"),))
    who = somebody(slot=480, answers={**WHO.facts.answers, "allergy": two})
    assert "product.allergy" in {one.rule for one in plan(row("enzyme"), who=who).clashes}


def test_how_much_is_area_times_film() -> None:
    found = visit_plan(WHO, Plan(steps=steps(row("peel"), row("touch"), row("led"))))
    area = sum(found.zones["s1"].values())
    amounts = {key: one for key, one in found.numbers.items() if ".laid." in key and key.startswith("s")}
    assert {one.name for key, one in amounts.items() if key.startswith("s2")} == set()
    cream = [one for one in amounts.values() if one.name == "massage cream"] or [found.numbers["s1.product"]]
    assert cream[0].known > 0 and area > 100


PRODUCTS = st.sampled_from(
    ["", "gel", "clear gel", "mask", "sheet mask", "sterile gel", "massage cream", "serum", "odd"]
)
WORKS = st.sampled_from(
    ["mask", "led", "ultrasound", "iontophoresis", "cold", "nano", "wipe", "saline", "pulsed_light"]
)
OFF = st.sampled_from(["", "stays on", "water"])


@settings(max_examples=60)
@given(st.lists(st.tuples(WORKS, PRODUCTS, OFF), min_size=1, max_size=4))
def test_nothing_that_may_begin_is_worked_through_what_stops_it(rows: list[tuple[str, str, str]]) -> None:
    """Replayed by hand: the coats of one step, one on the other, and what is sent through them."""
    made = [row(work, CHEEK, manner={"product": product, "off": off}) for work, product, off in rows]
    against: list[Clash] = told(together(*made))
    if against:
        return
    names = [work for work, _, _ in rows]
    lying: list[str] = []
    opened = False
    for work, product, off in rows:
        entry = on_skin()[work]
        own = [one.name for one in coat_of(work, None, product, opened="nano" in names)]
        through = entry.through
        for name in (*(() if entry.lifts else lying), *own) if through else ():
            assert name in shelf() and through in shelf()[name].lets, (rows, work, name)
        sterile = all(name in shelf() and shelf()[name].sterile for name in own)
        assert sterile or not (opened or work == "nano"), (rows, work, own)
        opened = opened or work == "nano"
        lying = [] if entry.lifts else lying
        lying = [*lying, *own] if off != "water" else lying


def test_a_mix_says_what_it_is_made_of_and_how_long_it_lives() -> None:
    foam = said(visit_plan(WHO, Plan(steps=steps(row("oxygen_mask")))), "oxygen_mask")
    assert "Oxygen foam: powder, then gel, mixed now and used whole within 3 min." in foam


def test_one_key_lays_what_is_usual_instead() -> None:
    (named,) = told(plan(row("ultrasound", CHEEK, manner={"product": "mask"})))
    assert named.lay == "serum" and named.action == "Lay another product."
    rows = (*NUMBED, row("micro_needling", CHEEK, manner={"product": "serum"}))
    (unsterile,) = told(plan(*rows))
    assert (unsterile.rule, unsterile.lay) == ("product.sterile", "sterile serum")
    found = told(plan(row("antisepsis", CHEEK), row("nano", CHEEK), row("mask", CHEEK, manner={"product": "mask"})))
    assert [(one.rule, one.lay) for one in found] == [("skin.opened", "sterile sheet")]
    assert told(plan(row("antisepsis", CHEEK), row("nano", CHEEK), row("mask", CHEEK))) == []


def test_at_the_end_it_is_said_which_tools_are_to_be_cleaned() -> None:
    whole = visit_plan(WHO, Plan(steps=steps(row("microcurrent"), row("led"), row("wet_abrasion"), row("finish"))))
    last = whole.acts[-1]
    touched = [WHO.card(name, "").name for name in ("microcurrent", "wet_abrasion")]
    assert last.modality == "finish" and last.instruction.endswith(f"Then clean: {', '.join(touched)}.")
    assert WHO.card("led", "").name not in last.instruction, "a panel touches nobody"
    hands = visit_plan(WHO, Plan(steps=steps(row("touch"), row("finish"))))
    assert "Then clean" not in hands.acts[-1].instruction


def test_the_tray_holds_what_is_laid_once_and_how_much() -> None:
    rows = (*NUMBED, row("micro_needling", CHEEK), row("mask", CHEEK), row("microcurrent"))
    plan_ = visit_plan(WHO, Plan(steps=steps(*rows)), chair=False)
    there = {one.what: one for one in tray_of(WHO, plan_).products}
    assert {"sterile sheet", "sterile serum", "gel", "serum", "numbing cream"} <= there.keys()
    assert not {"mask", "conductive gel"} & there.keys(), "by the shelf's names; sterile where skin is opened"
    assert there["gel"].amount.endswith(" mL") and there["numbing cream"].amount.endswith(" g")
    assert there["sterile sheet"].for_ == ("Mask",) and there["sterile sheet"].amount
    by_hand = visit_plan(WHO, Plan(steps=steps(row("mask", manner={"product": "mask", "amount": "two spoons"}))))
    assert {one.what: one.amount for one in tray_of(WHO, by_hand).products}["mask"] == "two spoons"


def test_what_does_not_go_on_opened_skin_lays_what_it_always_does() -> None:
    """Numbing comes before the needles: its cream is neither left out nor out of reach of an allergy."""
    for work in ("numbing", "peel", "microcurrent", "cleanse"):
        assert coat_of(work, None, "", opened=True) == coat_of(work, None, "", opened=False) != ()
    assert [one.name for one in coat_of("finish", None, "", opened=True)] == ["sterile serum", "cleared cream"]


def test_light_is_covered_only_where_a_mask_or_a_sheet_lies() -> None:
    """Elsewhere, over serum, or once it is off, light falls on bare skin, and its dose is known."""

    def cover(of: VisitPlan) -> str:
        words = said(of, "led")
        assert ("sheet mask." in words) != ("bare skin." in words)
        known = next(one.value for key, one in of.numbers.items() if key.endswith(".fluence")) is not None
        assert known == ("bare skin." in words), "of a sheet nobody knows what it lets through"
        return "bare" if known else "covered"

    sheet = row("mask", CHEEK, manner={"product": "sheet mask"})
    assert cover(together(sheet, row("led", CHEEK))) == "covered"
    assert cover(together(sheet, row("led", CHIN))) == "bare"
    assert (
        cover(together(row("mask", CHEEK, manner={"product": "sheet mask", "off": "towel"}), row("led", CHEEK)))
        == "bare"
    )
    assert cover(together(row("ultrasound", CHEEK), row("led", CHEEK))) == "bare", "serum hides nothing"
    for there, found in ((CHEEK, "covered"), (CHIN, "bare")):
        host, light = steps(row("mask", CHEEK), row("led", there))
        beside = visit_plan(WHO, Plan(steps=(host, light.model_copy(update={"beside": host.id}))))
        assert cover(beside) == found
        (tray,) = (one for one in tray_of(WHO, beside).products if "mask" in one.what)
        assert (tray.what, bool(tray.amount)) == ("sheet mask", True), "the tray holds what the chair lays"


def test_a_tip_that_several_stages_share_lies_ready_once() -> None:
    wet = visit_plan(WHO, Plan(steps=(one_step(row("wet_abrasion", kind="acid"), row("wet_abrasion", kind="infuse")),)))
    (unit,) = tray_of(WHO, wet).machines
    assert "+" not in unit.amount


def test_no_key_lays_what_is_refused_as_well() -> None:
    """The usual mask holds what she is allergic to; the one that is named too."""
    who = somebody(slot=480, answers={**WHO.facts.answers, "allergy": Answer(option="plant")})
    for product in ("", "mask", "setting mask"):
        (bad,) = plan(row("mask", manner={"product": product} if product else None), who=who).clashes
        assert (bad.rule, bad.lay) == ("product.allergy", "")
