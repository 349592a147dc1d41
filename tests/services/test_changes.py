"""Each change of a plan: what it does to the steps, what it refuses, and that it can be taken back."""

import pytest

from builders.work import as_, ask_nothing, kept_before, new_visit, setting, step_of
from merak.core.errors import BadInput
from merak.records.db import transaction
from merak.services.context import Context
from merak.services.studio import practice
from merak.services.visit import asking, changes, looking, planning
from merak.services.visit.file import open_file


def with_steps(ctx: Context, *modalities: str, **answers: str) -> tuple[object, planning.Planned]:
    visit = new_visit(ctx)
    ask_nothing(ctx, visit, **answers)
    for modality in modalities:
        page = planning.edit(ctx, visit, "add", {"modality": modality})
    return visit, page


def order(page: planning.Planned) -> list[str]:
    return [step.modality for step in page.plan.steps]


def test_steps_are_added_at_their_place_moved_and_put_beside(ctx: Context) -> None:
    visit, page = with_steps(ctx, "finish", "led", "cleanse", "mask", "microcurrent")
    assert order(page) == ["cleanse", "microcurrent", "mask", "led", "finish"], "each at its place, whatever came first"
    led, mask, lift = (step_of(page, name) for name in ("led", "mask", "microcurrent"))
    alone = page.computed.seconds
    page = planning.edit(ctx, visit, "beside", {"step": led, "host": mask})
    assert page.computed.seconds < alone and page.plan.of(led).beside == mask
    refused = planning.edit(ctx, visit, "beside", {"step": led, "host": lift})
    assert "does not run beside" in refused.refusal and refused.plan == page.plan
    page = planning.edit(ctx, visit, "move", {"step": mask, "by": "-1"})
    assert order(page)[:3] == ["cleanse", "mask", "microcurrent"] and "fit.order_calm" in {
        clash.rule for clash in page.computed.clashes
    }
    page = planning.edit(ctx, visit, "move", {"step": led, "after": ""})
    assert order(page)[0] == "led" and not page.plan.of(led).beside, "what is dragged comes out of the waiting time"
    page = planning.edit(ctx, visit, "remove", {"step": mask})
    assert "mask" not in order(page)
    for _ in range(4):
        page = planning.edit(ctx, visit, "undo", {})
    assert order(page) == ["cleanse", "microcurrent", "mask", "led", "finish"] and page.computed.seconds == alone
    assert page.draft.what == "took back: Light-emitting panel beside Mask", "undo says what it took back"


def test_zones_are_left_out_and_none_left_is_told(ctx: Context) -> None:
    visit, page = with_steps(ctx, "cleanse", "microcurrent")
    lift = step_of(page, "microcurrent")
    all_strokes = page.computed.numbers[f"{lift}.strokes"].value or 0
    page = planning.edit(
        ctx, visit, "zones", {"step": lift, "zone.forehead": "on", "zone.brow": "on", "zone.glabella": "on"}
    )
    assert set(page.computed.zones[lift]) == {"forehead", "brow", "glabella"}
    assert 0 < (page.computed.numbers[f"{lift}.strokes"].value or 0) < all_strokes
    where = {f"injections.zone.{zone}": "on" for zone in ("forehead", "brow", "glabella")}
    asking.save_answers(ctx, visit, {"injections": "relaxant", "injections.on": f"{ctx.today}", **where})
    page = planning.planned(ctx, visit)
    assert "Nothing is left to treat" in page.computed.stopped[lift].words and not page.settled
    assert "At least one zone" in planning.edit(ctx, visit, "zones", {"step": lift}).refusal, (
        "no zone is not every zone"
    )
    page = planning.edit(ctx, visit, "zones", {"step": lift, "group": "everywhere"})
    assert not {"forehead", "brow"} & set(page.computed.zones[lift]) and page.computed.zones[lift]


def test_longer_stronger_and_another_side(ctx: Context) -> None:
    visit, page = with_steps(ctx, "cleanse", "microcurrent", "led")
    led, lift = step_of(page, "led"), step_of(page, "microcurrent")
    before = page.computed.seconds
    page = planning.edit(ctx, visit, "lengthen", {"step": led, "by": "1"})
    assert page.computed.seconds == before + 60 and setting(page, "led", "minutes") == "11"
    page = planning.edit(ctx, visit, "strength", {"step": lift, "by": "1"})
    assert setting(page, "microcurrent", "level") == "3.5" and "level 3 → 3.5" in page.draft.what
    page = planning.edit(ctx, visit, "side", {"side": "left"})
    assert [act.side for act in page.computed.acts if act.side] == ["left", "right"]
    with pytest.raises(BadInput):
        planning.edit(ctx, visit, "dance", {})
    assert "no longer in the plan" in planning.edit(ctx, visit, "remove", {"step": "gone"}).refusal


def test_a_school_changes_its_steps_and_a_seniors_school_asks_for_one(ctx: Context) -> None:
    visit, page = with_steps(ctx, "cleanse", "wet_abrasion", "iontophoresis", "microcurrent")
    page = planning.edit(ctx, visit, "method", {"method": "infusion", "school": "after"})
    assert order(page)[-2:] == ["microcurrent", "iontophoresis"], "infused after lifting"
    page = planning.edit(ctx, visit, "method", {"method": "after_wet", "school": "enzyme"})
    assert order(page)[1:3] == ["wet_abrasion", "enzyme"], "the school adds its enzyme"
    page = planning.edit(ctx, visit, "method", {"method": "feel", "school": "below"})
    assert setting(page, "microcurrent", "feel") == "stay below feeling"
    assert page.plan.methods == {"infusion": "after", "after_wet": "enzyme", "feel": "below"}
    therapist = as_(ctx, "tomas")
    refused = planning.edit(therapist, visit, "method", {"method": "numbing", "school": "light"})
    assert "for a senior to choose" in refused.refusal
    assert (
        planning.edit(ctx, visit, "method", {"method": "numbing", "school": "light"}).plan.methods["numbing"] == "light"
    )
    assert "no such school" in planning.edit(ctx, visit, "method", {"method": "feel", "school": "harder"}).refusal


def test_who_should_keep_off_energy_is_warned(ctx: Context) -> None:
    visit, _ = with_steps(ctx, "cleanse", "microcurrent", "led")
    owner = as_(ctx, "marit")
    held = {"licence.pulsed light": "on", "licence.fractional": "on"}
    practice.license_person(owner, str(ctx.me.id), held | {"careful_hands": "on"})
    page = planning.planned(ctx, visit)
    warned = {
        step.modality
        for step in page.plan.steps
        if any(c.rule == "screening.operator" for c in page.computed.cautions[step.id])
    }
    assert warned == {"microcurrent"}, "light is no energy in this sense"
    practice.license_person(owner, str(ctx.me.id), held)


def test_what_was_seen_stops_what_it_should(ctx: Context) -> None:
    visit, page = with_steps(ctx, "cleanse", "touch")
    rub = step_of(page, "touch")
    looking.tap_zone(ctx, visit, "acne", "left chin")
    page = planning.planned(ctx, visit)
    assert "chin" not in page.computed.zones[rub] and "mid cheek" in page.computed.zones[rub]
    assert changes.OPS.keys() >= {"take", "add", "remove", "move", "set", "lengthen", "beside", "zones", "undo", "redo"}


def test_records_from_before_there_were_steps_still_open(ctx: Context) -> None:
    visit = new_visit(ctx)
    ask_nothing(ctx, visit)
    lift = {"": "on", ".level": "3,5", ".current": "188", ".paths": "low|middle"}
    light = {"": "on", ".minutes": "12", ".fluence": "44", ".distance_cm": "10"}
    older = (
        {"side": "left"}
        | {f"microcurrent{key}": v for key, v in lift.items()}
        | {f"led{key}": v for key, v in light.items()}
    )
    answers = open_file(ctx, visit).asked.model_dump(mode="json")["answers"] | {
        "injections": {"option": "filler", "on": None}
    }
    with transaction(ctx.db):
        kept_before(ctx, visit, "plan", {"draft": older, "changed": ""})
        kept_before(ctx, visit, "ask", {"answers": answers})
    page = planning.planned(ctx, visit)
    assert order(page) == ["microcurrent", "led"] and page.plan.side == "left"
    assert page.plan.stages[0].settings.level == 3.5 and page.plan.stages[0].settings.paths == ("low", "middle")
    assert "injections" not in page.file.answers and not page.settled, "what is asked otherwise now is asked again"
    assert planning.edit(ctx, visit, "lengthen", {"step": "s2", "by": "1"}).plan.stages[1].settings.minutes == 13


def seen(page: planning.Planned, **form: str) -> dict[str, str]:
    """A form as a page sends it that shows the plan as it stands."""
    return {"version": str(page.version), "page": "mine", **form}


def test_a_step_that_is_gone_never_comes_back_as_another(ctx: Context) -> None:
    visit, page = with_steps(ctx, "microcurrent", "led")
    gone = step_of(page, "led")
    page = planning.edit(ctx, visit, "remove", {"step": gone})
    page = planning.edit(ctx, visit, "add", {"modality": "mask"})
    assert len({gone, *(one.id for one in page.plan.steps)}) == 3, "an id is never used again"
    assert "no longer in the plan" in planning.edit(ctx, visit, "strength", {"step": gone, "by": "1"}).refusal, (
        "a stale page sets nothing"
    )


def test_what_another_window_changed_is_not_written_over(ctx: Context) -> None:
    visit, page = with_steps(ctx, "microcurrent", "led")
    lift, old = step_of(page, "microcurrent"), page
    page = planning.edit(ctx, visit, "strength", seen(page, step=lift, by="1"))
    assert not page.refusal and setting(page, "microcurrent", "level") == "3.5"
    again = planning.edit(ctx, visit, "strength", seen(old, step=lift, by="1"))
    assert not again.refusal and setting(again, "microcurrent", "level") == "4", (
        "a page knows its own presses, however quick"
    )
    stale = planning.edit(ctx, visit, "strength", seen(old, step=lift, by="1") | {"page": "another"})
    assert (
        "You changed this in another window meanwhile" in stale.refusal
        and setting(stale, "microcurrent", "level") == "4"
    )
    assert not planning.edit(
        ctx, visit, "lengthen", seen(old, step=step_of(page, "led"), by="1") | {"page": "another"}
    ).refusal
    other = as_(ctx, "tomas")
    assert (
        "Adaeze Okonjo changed this step"
        in planning.edit(other, visit, "strength", seen(old, step=lift, by="1")).refusal
    )
    assert "changed this" in planning.edit(other, visit, "clear", seen(old)).refusal, "nor is all of it thrown away"


def test_undo_takes_back_my_own_last_change_and_nobody_elses(ctx: Context) -> None:
    visit, page = with_steps(ctx, "microcurrent", "led")
    other, lift, light = as_(ctx, "tomas"), step_of(page, "microcurrent"), step_of(page, "led")
    planning.edit(ctx, visit, "strength", {"step": lift, "by": "1"})
    planning.edit(other, visit, "lengthen", {"step": light, "by": "1"})
    minutes = float(setting(planning.planned(ctx, visit), "led", "minutes"))
    page = planning.edit(ctx, visit, "undo", {})
    assert setting(page, "microcurrent", "level") == "3" and float(setting(page, "led", "minutes")) == minutes, (
        "the other's stays"
    )
    page = planning.edit(ctx, visit, "redo", {})
    assert setting(page, "microcurrent", "level") == "3.5"
    planning.edit(other, visit, "strength", {"step": lift, "by": "1"})
    met = planning.edit(ctx, visit, "undo", {})
    assert "Tomas Reyle changed it since" in met.refusal and setting(met, "microcurrent", "level") == "4"
    assert setting(planning.edit(other, visit, "undo", {}), "microcurrent", "level") == "3.5"
