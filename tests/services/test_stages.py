"""A step of several stages: again here, elsewhere, otherwise; one price and one load, each stage its own numbers."""

from datetime import timedelta
from uuid import UUID

import pytest

from builders.work import AGREED, GRADED, HOURS, as_, ask_nothing, later, looked_twice, new_visit, step_of, tap_of
from merak.core.body.plate import sided
from merak.core.plan.step import MOST_STAGES
from merak.core.plan.visit_plan import Plan
from merak.records.bodies.upgrades import upgraded
from merak.records.bodies.visit import CloseBody, Given
from merak.services.after import closing
from merak.services.context import Context
from merak.services.treatment import treating
from merak.services.visit import consenting, looking, marking, planning, routines
from merak.services.visit.file import open_file
from merak.services.visit.planning import Planned


def lit(ctx: Context) -> tuple[UUID, Planned, str]:
    """A visit with light in its plan, and the id of that step."""
    visit = new_visit(ctx)
    ask_nothing(ctx, visit)
    for modality in ("cleanse", "led"):
        page = planning.edit(ctx, visit, "add", {"modality": modality})
    return visit, page, step_of(page, "led")


def minutes(page: Planned, step: str) -> list[float]:
    return [stage.settings.minutes for stage in page.plan.of(step).stages]


def test_again_is_another_stage_with_its_own_settings_and_numbers(ctx: Context) -> None:
    visit, before, step = lit(ctx)
    page = planning.edit(ctx, visit, "again", {"stage": step})
    assert page.stage and page.chosen != step and page.step and page.step.id == step, "the new one is open"
    second = page.chosen
    page = planning.edit(ctx, visit, "set", {"stage": second, f"{second}.minutes": "4", "changed": f"{second}.minutes"})
    first, last = minutes(page, step)
    assert last == 4 and first == minutes(before, step)[0], "the first stays as it was"
    assert page.computed.numbers[f"{second}.fluence"].value != page.computed.numbers[f"{step}.fluence"].value
    assert page.computed.numbers["visit.price"] == before.computed.numbers["visit.price"], "one price"
    assert page.computed.numbers["visit.load"] == before.computed.numbers["visit.load"], "one load"
    assert page.computed.seconds == before.computed.seconds + 4 * 60, "and no second making ready"
    acts = [act for act in planning.planned(ctx, visit).computed.acts if act.step == step]
    assert [act.stage for act in acts] == [step, step, second] and [act.kind for act in acts][-1] == "timed"


def test_a_stage_goes_elsewhere_moves_and_is_left_out(ctx: Context) -> None:
    visit, page, step = lit(ctx)
    second = planning.edit(ctx, visit, "again", {"stage": step}).chosen
    page = planning.edit(ctx, visit, "zones", {"stage": second, "zone.chin": "on"})
    assert set(page.computed.zones[second]) == {"chin"} and len(page.computed.zones[step]) > 5
    assert page.elsewhere == sided(page.computed.zones[step]), "the other stays in sight"
    page = planning.edit(ctx, visit, "shift", {"stage": second, "by": "-1"})
    assert [one.id for one in page.plan.of(step).stages] == [second, step]
    page = planning.edit(ctx, visit, "shift", {"stage": second, "after": step})
    assert [one.id for one in page.plan.of(step).stages] == [step, second]
    assert "To which place" in planning.edit(ctx, visit, "shift", {"stage": second, "after": "nowhere"}).refusal
    page = planning.edit(ctx, visit, "leave", {"stage": step})
    assert [one.id for one in page.plan.of(step).stages] == [second] and page.chosen == second, "its step stays open"
    page = planning.edit(ctx, visit, "leave", {"stage": second})
    assert [one.modality for one in page.plan.steps] == ["cleanse"], "the last takes its step with it"
    for _ in range(6):
        page = planning.edit(ctx, visit, "undo", {})
    assert [one.id for one in page.plan.of(step).stages] == [step], "all of it is taken back"


def test_two_work_on_two_stages_of_one_step(ctx: Context) -> None:
    visit, _, step = lit(ctx)
    page = planning.edit(ctx, visit, "again", {"stage": step})
    second, seen = page.chosen, str(page.version)
    other = as_(ctx, "tomas")
    longer = {"by": "1", "version": seen}
    planning.edit(ctx, visit, "lengthen", {"stage": step, **longer})
    page = planning.edit(other, visit, "lengthen", {"stage": second, **longer})
    assert not page.refusal, "another stage is another thing"
    page = planning.edit(other, visit, "lengthen", {"stage": step, **longer})
    assert "changed this stage meanwhile" in page.refusal
    was = minutes(page, step)
    page = planning.edit(ctx, visit, "undo", {})
    assert minutes(page, step) == [was[0] - 1, was[1]], "mine is taken back, theirs stays"


def test_what_adds_up_is_refused_and_said_with_its_sum(ctx: Context) -> None:
    visit, _, step = lit(ctx)
    planning.edit(ctx, visit, "set", {"stage": step, f"{step}.minutes": "15", "changed": f"{step}.minutes"})
    for _ in range(2):
        page = planning.edit(ctx, visit, "again", {"stage": step})
    (clash,) = [one for one in page.computed.clashes if one.rule == "led.ceiling.minutes"]
    assert clash.words.startswith("Light: 15 + 15 + 15 = 45 min; 40 min in one visit.") and clash.steps == (step,)
    assert not page.settled and page.computed.numbers[f"sums-{step}.light"].value == 45


def test_a_routine_keeps_its_stages(ctx: Context) -> None:
    visit, _, step = lit(ctx)
    second = planning.edit(ctx, visit, "again", {"stage": step}).chosen
    planning.edit(ctx, visit, "zones", {"stage": second, "zone.chin": "on"})
    planning.edit(ctx, visit, "set", {"stage": second, f"{second}.minutes": "3", "changed": f"{second}.minutes"})
    routines.keep(ctx, visit, "Light twice")
    (kept,) = [one for one in routines.kept(ctx) if one.name == "Light twice"]
    page = routines.fit(ctx, visit, kept.id)
    (led,) = [one for one in page.plan.steps if one.modality == "led"]
    assert [(one.zones, one.settings.minutes) for one in led.stages][1] == (("chin",), 3)
    assert {one.id for one in led.stages}.isdisjoint({step, second}), "with ids of this visit's own"


NAMES = (f"Invented {chr(65 + n)}" for n in range(26))


def closed_after(ctx: Context, visit: UUID, *acts: str) -> dict[str, Given]:
    """What the close keeps of a treatment in which these acts were done, and no other."""
    run = treating.run_of(ctx, visit)
    taps, moment = [tap_of("start", ctx.now)], ctx.now
    for n, act in enumerate(run.acts):
        if act.title in acts:
            taps.append(tap_of("go", moment, float(n)))
            taps += [tap_of("count", moment) for _ in range(act.strokes)]
            moment += timedelta(seconds=act.seconds)
    taps.append(tap_of("stop", moment, words="time"))
    after = later(ctx, hours=1)
    treating.record(after, visit, taps)
    looked_twice(after, visit)
    closing.close(after, visit, GRADED)
    kept = open_file(after, visit).body(CloseBody)
    assert kept
    return dict(kept.did)


def run_with(ctx: Context, *modalities: str) -> tuple[UUID, Planned]:
    visit = new_visit(ctx, minutes="120", start=next(HOURS), name=f"Staged {next(NAMES)}")
    ask_nothing(ctx, visit)
    looking.save_findings(ctx, visit, {"phototype": "2"})
    for modality in modalities:
        page = planning.edit(ctx, visit, "add", {"modality": modality})
    return visit, page


def test_both_stages_are_what_was_done(ctx: Context) -> None:
    """The close adds up what both gave; the next visit begins from the gentler of them."""
    visit, page = run_with(ctx, "cleanse", "led", "finish")
    step = step_of(page, "led")
    second = planning.edit(ctx, visit, "again", {"stage": step}).chosen
    planning.edit(ctx, visit, "set", {"stage": second, f"{second}.minutes": "4", "changed": f"{second}.minutes"})
    page = planning.planned(ctx, visit)
    assert [act.stage for act in page.computed.acts if act.modality == "led"] == [step, second]
    each = [page.computed.numbers[f"{stage}.fluence"].known for stage in (step, second)]
    consenting.consent(ctx, visit, AGREED)
    treating.begin(ctx, visit)
    did = closed_after(ctx, visit, "Red light")["led"]
    assert did.given and did.given.planned == pytest.approx(sum(each)) and did.at == pytest.approx(4, abs=0.2)


def test_what_was_never_done_says_nothing_of_the_next_start(ctx: Context) -> None:
    """Infusing draws at 7; where nothing else was done the next cleaning still begins at 4, and where only the cleaning
    was, at what it was.
    """
    visit, _ = run_with(ctx, "cleanse", "wet_abrasion", "finish")
    consenting.consent(ctx, visit, AGREED)
    treating.begin(ctx, visit)
    assert closed_after(ctx, visit, "Infusion")["wet_abrasion"].at is None
    visit, page = run_with(ctx, "cleanse", "wet_abrasion", "finish")
    salicylic = page.plan.of(step_of(page, "wet_abrasion")).stages[1].id
    planning.edit(ctx, visit, "set", {"stage": salicylic, f"{salicylic}.at": "3", "changed": f"{salicylic}.at"})
    consenting.consent(ctx, visit, AGREED)
    treating.begin(ctx, visit)
    assert closed_after(ctx, visit, "Acid cleanse")["wet_abrasion"].at == 4, "not the 3 that nobody worked at"


def test_no_more_stages_than_a_step_holds(ctx: Context) -> None:
    """What is one too many is refused, and the plan still opens."""
    visit, _, step = lit(ctx)
    for _ in range(MOST_STAGES - 1):
        page = planning.edit(ctx, visit, "again", {"stage": step})
    assert len(page.plan.of(step).stages) == MOST_STAGES and not page.refusal
    assert "20 stages at the most" in planning.edit(ctx, visit, "again", {"stage": step}).refusal
    assert len(planning.planned(ctx, visit).plan.of(step).stages) == MOST_STAGES


@pytest.mark.parametrize("kept", [{"settings": {"minutes": 9}, "zones": ["chin"], "machine": "m1"}, {}])
def test_a_step_of_before_is_one_of_one_stage(kept: dict[str, object]) -> None:
    plan = {"steps": [{"id": "s1", "modality": "mask", "beside": "", **kept}]}
    (step,) = upgraded("plan", {"v": 1, "plan": plan})["plan"]["steps"]
    assert step == {"id": "s1", "modality": "mask", "beside": "", "stages": [{"id": "s1", "modality": "mask", **kept}]}
    acts = [{"step": "s1", "stage": "wet.infuse"}, {"step": "", "stage": ""}]
    order = upgraded("order", {"v": 3, "plan": plan, "acts": acts})
    assert [(one["stage"], one["portion"]) for one in order["acts"]] == [("s1", "wet.infuse"), ("", "")]
    routine = upgraded(
        "routine", {"name": "R", "steps": [{"modality": "mask", "settings": {"minutes": 9}, "beside": 0}]}
    )
    assert routine["steps"] == [
        {"modality": "mask", "beside": 0, "stages": [{"modality": "mask", "settings": {"minutes": 9}}]}
    ]


WET = {"at": 3.0, "infuse_at": 6.0, "acid_min": 2.0, "peel_min": 0.0, "salicylic_min": 3.0, "infuse_min": 5.0}
LIT = {"colour": "blue", "minutes": 8.0, "then": "red", "then_minutes": 6.0, "distance_cm": 10.0}


def test_bottles_and_colours_of_before_are_stages() -> None:
    """Wet work was one step with all its bottles, a light one with two colours; a bottle of no minutes was none."""
    steps = [
        {"id": "s1", "modality": "wet_abrasion", "stages": [{"id": "s1", "modality": "wet_abrasion", "settings": WET}]},
        {"id": "s2", "modality": "led", "stages": [{"id": "s2", "modality": "led", "settings": LIT}]},
        {"id": "s3", "modality": "led", "stages": [{"id": "s3", "modality": "led", "settings": {"minutes": 9}}]},
    ]
    draft = upgraded("plan", {"v": 2, "plan": {"steps": steps}, "typed": {"s1.acid_min": "x", "s3.minutes": "y"}})
    wet, lit, plain = ([(one["id"], one["settings"]) for one in step["stages"]] for step in draft["plan"]["steps"])
    assert wet == [
        ("s1", {"at": 3.0, "kind": "acid", "minutes": 2.0}),
        ("s1-2", {"at": 3.0, "kind": "salicylic", "minutes": 3.0}),
        ("s1-3", {"at": 6.0, "kind": "infuse", "minutes": 5.0}),
    ]
    assert lit == [
        ("s2", {"colour": "blue", "minutes": 8.0, "distance_cm": 10.0}),
        ("s2-2", {"colour": "red", "minutes": 6.0, "distance_cm": 10.0}),
    ]
    assert plain == [("s3", {"minutes": 9})] and draft["typed"] == {"s3.minutes": "y"}, (
        "a field that is gone asks nothing"
    )
    assert [one.id for step in Plan.model_validate(draft["plan"]).steps for one in step.stages][-1] == "s3"
    told = [
        ("s1", "wet_abrasion", "sections", "Acid cleanse"),
        ("s1", "wet_abrasion", "sections", "Infusion"),
        ("s2", "", "free", "Panel"),
        ("s2", "led", "timed", "Blue light"),
        ("s2", "led", "timed", "Red light"),
    ]
    acts = [
        {"step": step, "stage": step, "modality": of, "kind": kind, "title": words} for step, of, kind, words in told
    ]
    order = upgraded("order", {"v": 4, "plan": {"steps": steps}, "acts": acts, "numbers": {"s2.then_fluence": 1}})
    assert [one["stage"] for one in order["acts"]] == ["s1", "s1-3", "s2", "s2", "s2-2"]
    assert order["numbers"] == {"s2-2.fluence": 1}
    kept = {
        "modality": "led",
        "kinds": {"colour": "blue", "then": "red"},
        "settings": {"minutes": 8, "then_minutes": 6},
    }
    routine = upgraded("routine", {"v": 1, "steps": [{"modality": "led", "stages": [kept]}]})
    assert [(one["kinds"], one["settings"]) for one in routine["steps"][0]["stages"]] == [
        ({"colour": "blue"}, {"minutes": 8}),
        ({"colour": "red"}, {"minutes": 6}),
    ]


def test_a_step_begins_anew_by_another_programme(ctx: Context) -> None:
    visit, _, step = lit(ctx)
    page = planning.edit(ctx, visit, "programme", {"step": step, "programme": "led.blue_red"})
    colours = [one.settings.colour for one in page.plan.of(step).stages]
    assert colours == ["blue", "red"] or (colours == ["blue"] and "not measured" in page.draft.what)
    page = planning.edit(ctx, visit, "programme", {"step": step, "programme": "plain"})
    assert len(page.plan.of(step).stages) == 1 and page.plan.of(step).programme == "plain"
    assert "no such programme" in planning.edit(ctx, visit, "programme", {"step": step, "programme": "x"}).refusal


def test_the_studio_keeps_a_programme_of_its_own(ctx: Context) -> None:
    visit, _, step = lit(ctx)
    second = planning.edit(ctx, visit, "again", {"stage": step}).chosen
    planning.edit(ctx, visit, "set", {"stage": second, f"{second}.minutes": "3", "changed": f"{second}.minutes"})
    routines.keep(ctx, visit, "Twice", step)
    whole = routines.suggested(ctx, planning.planned(ctx, visit).file.brief)
    assert "Twice" not in {one.name for one in whole}, "no routine"
    other, _, fresh = lit(ctx)
    own = [
        key
        for key, words in planning.programmes_for(ctx, planning.planned(ctx, other).plan.of(fresh))
        if "Twice" in words
    ]
    page = planning.edit(ctx, other, "programme", {"step": fresh, "programme": own[0]})
    assert minutes(page, fresh)[1] == 3 and page.plan.of(fresh).stages[0].id == fresh
    assert len(page.plan.ids) == len(page.plan.steps) + 1, "ids of its own"


def test_one_stage_more_of_the_programme_or_in_between(ctx: Context) -> None:
    visit = new_visit(ctx)
    ask_nothing(ctx, visit)
    page = planning.edit(ctx, visit, "add", {"modality": "wet_abrasion"})
    step = step_of(page, "wet_abrasion")
    price = page.computed.numbers["visit.price"].known
    booster = next(value for key, value, words in planning.more_for(page.plan.of(step)) if key == "row")
    planning.edit(ctx, visit, "zones", {"stage": step, "zone.chin": "on"})
    page = planning.edit(ctx, visit, "stage", {"stage": step, "row": booster})
    assert page.stage and page.stage.settings.kind == "booster" and page.stage.how.extra
    assert page.stage.zones == ("chin",), "where the open stage goes"
    assert page.computed.numbers["visit.price"].value == price + 12, "a small vial is a paid extra"
    assert "Wet abrasion: booster" in [one.name for one in page.computed.numbers["visit.price"].inputs]
    page = planning.edit(ctx, visit, "stage", {"stage": step, "modality": "touch"})
    found = page.plan.of(step)
    assert [one.modality for one in found.stages][:3] == ["wet_abrasion", "touch", "wet_abrasion"]
    assert page.computed.numbers["visit.price"].value == price + 12, "what stands between costs nothing"
    assert "Which stage" in planning.edit(ctx, visit, "stage", {"stage": step, "modality": "peel"}).refusal


def test_how_a_stage_is_worked_is_typed(ctx: Context) -> None:
    visit, _, step = lit(ctx)
    how = f"{step}.how."
    sent = {f"{how}product": "gel", f"{how}half": "on", f"{how}laying": "circles", f"{how}least_min": "2,5"}
    page = planning.edit(ctx, visit, "manner", {"stage": step, **sent, f"{how}most_min": "many"})
    told = page.plan.stage(step).how
    assert (told.product, told.half, told.laying, told.least_min, told.most_min) == ("gel", True, "circles", 2.5, None)
    assert page.slips[f"{how}most_min"] and page.draft.wrong, "what cannot be read is told, and kept as typed"
    assert {one.name: one.value for one in page.manner(page.plan.stage(step))}[f"{how}most_min"] == "many"
    page = planning.edit(ctx, visit, "manner", {"stage": step})
    assert page.plan.stage(step).manner is None and not page.draft.wrong


def test_a_setting_stands_on_a_mark_of_its_scale(ctx: Context) -> None:
    visit = new_visit(ctx)
    ask_nothing(ctx, visit)
    step = step_of(planning.edit(ctx, visit, "add", {"modality": "microcurrent"}), "microcurrent")
    field = f"{step}.level"
    page = planning.edit(ctx, visit, "set", {"stage": step, field: "2.3", "changed": field})
    assert "in steps of 0.5: 2 or 2.5" in page.slips[field]
    page = planning.edit(ctx, visit, "set", {"stage": step, field: "2.5", "changed": field})
    assert field not in page.slips and page.plan.stage(step).settings.level == 2.5
    current = f"{step}.current"
    page = planning.edit(ctx, visit, "set", {"stage": step, current: "140", "changed": current})
    assert page.plan.stage(step).settings.level == 2.5, "2.8 gives it; the mark below is never more than was asked"


def test_what_bears_less_is_split_off(ctx: Context) -> None:
    """A stage over cheeks and forehead: bone by itself, a step lower, the rest as it was."""
    visit = new_visit(ctx)
    ask_nothing(ctx, visit)
    step = step_of(planning.edit(ctx, visit, "add", {"modality": "ultrasound"}), "ultrasound")
    page = planning.edit(ctx, visit, "zones", {"stage": step, "zone.forehead": "on", "zone.mid cheek": "on"})
    stage = page.plan.stage(step)
    assert planning.splits_for(page, stage) == [("bone", "over bone")]
    page = planning.edit(ctx, visit, "split", {"stage": step, "kind": "bone"})
    rest, apart = page.plan.of(step).stages
    assert (rest.zones, apart.zones) == (("mid cheek",), ("forehead",)) and rest.settings == stage.settings
    assert apart.settings.at < stage.settings.at
    assert "nothing to split" in planning.edit(ctx, visit, "split", {"stage": step, "kind": "bone"}).refusal


def test_a_zone_is_taken_and_given_back(ctx: Context) -> None:
    visit, page, step = lit(ctx)
    every = set(page.computed.zones[step])
    page = planning.edit(ctx, visit, "zone", {"stage": step, "group": "chin"})
    assert set(page.computed.zones[step]) == every - {"chin"}
    page = planning.edit(ctx, visit, "zone", {"stage": step, "group": "chin"})
    assert page.plan.stage(step).zones == () and set(page.computed.zones[step]) == every
    assert "does not go to the ear today" in planning.edit(ctx, visit, "zone", {"stage": step, "group": "ear"}).refusal


@pytest.mark.parametrize(
    ("kept", "now"),
    [
        ([], []),
        (["chin", "mid cheek"], ["chin", "mid cheek"]),
        (["chin", "front of neck"], ["chin"]),
        (["front of neck", "chin"], ["front of neck"]),
        (["front, upper"], ["front of the arm, upper"]),
        (["outer arm", "elbow"], ["outer arm, front"]),
        (["elbow", "outer arm"], ["elbow", "outer arm, back"]),
        (
            ["hollow of the knee", "outer thigh", "back, lower"],
            ["hollow of the knee", "outer thigh, back", "back of the thigh, lower"],
        ),
    ],
)
def test_a_stage_of_before_lies_where_it_lay(kept: list[str], now: list[str]) -> None:
    """On the plate of its first zone, which was all that was worked; zones have names of their own since."""
    steps = [{"id": "s1", "modality": "led", "stages": [{"id": "s1", "modality": "led", "zones": kept}]}]
    for told in (
        upgraded("plan", {"v": 3, "plan": {"steps": steps}})["plan"],
        upgraded("order", {"v": 6, "acts": [], "plan": {"steps": steps}})["plan"],
        upgraded("routine", {"v": 2, "steps": steps}),
    ):
        assert told["steps"][0]["stages"][0]["zones"] == now


def test_the_share_of_infusing_stood_with_the_thresholds() -> None:
    """It is the act's now, with the number of that day; an order that had none had what scripts had."""
    acts = [{"portion": "wet.clean", "title": "Acid cleanse"}, {"portion": "wet.infuse", "title": "Infusion"}]
    for limits, least in (({"wet_share": 55.0, "late_s": 30}, 55), ({}, 40)):
        order = upgraded("order", {"v": 5, "acts": acts, "plan": {}, **({"limits": limits} if limits else {})})
        assert [one.get("share", {}).get("least") for one in order["acts"]] == [None, least]
        assert "wet_share" not in order.get("limits", {})


def test_an_area_beyond_the_plates_is_added_told_what_is_wrong_with_and_taken_off(ctx: Context) -> None:
    visit = new_visit(ctx)
    ask_nothing(ctx, visit)
    looking.save_findings(ctx, visit, {"arrived": "washed"})
    planning.edit(ctx, visit, "add", {"modality": "finish"})
    step = step_of(planning.edit(ctx, visit, "add", {"modality": "enzyme"}), "enzyme")

    def sent(**fields: str) -> Planned:
        return planning.edit(ctx, visit, "beyond", {"stage": step, **fields})

    page = sent(area="feet", cm2="380,5")
    assert page.computed.zones[step]["feet"] == 380.5 and len(page.computed.zones[step]) > 10
    assert page.draft.what == "Enzyme or granular mask: feet, 380,5 cm²"
    for fields, wrong in (
        ({"area": "chin", "cm2": "20"}, ("area", "drawn on a plate")),
        ({"area": "elbows", "cm2": "many"}, ("cm2", "number")),
        ({"area": "elbows", "cm2": "9000"}, ("cm2", "6000")),
        ({"area": "e", "cm2": "30"}, ("area", "2")),
    ):
        page = sent(**fields)
        assert wrong[1] in page.slips[f"{step}.beyond_{wrong[0]}"], page.slips
        assert page.draft.typed[f"{step}.beyond_area"] == fields["area"], "kept as it was typed"
        assert set(page.computed.zones[step]) >= {"feet"} and not page.settled
    page = sent(area="elbows", cm2="60")
    assert page.settled and {"feet", "elbows"} <= set(page.computed.zones[step]), "what was wrong is forgotten"
    page = planning.edit(ctx, visit, "zones", {"stage": step})
    assert set(page.computed.zones[step]) == {"feet", "elbows"}, "no zone ticked: these alone"
    page = sent(area="feet", cm2="")
    assert set(page.computed.zones[step]) == {"elbows"}
    page = planning.edit(ctx, visit, "undo", {})
    assert set(page.computed.zones[step]) == {"feet", "elbows"}
    lamp = step_of(planning.edit(ctx, visit, "add", {"modality": "led"}), "led")
    page = planning.edit(ctx, visit, "beyond", {"stage": lamp, "area": "feet", "cm2": "380"})
    assert "on what a plate draws alone" in page.slips[f"{lamp}.beyond_area"]


def test_minutes_by_hand_follow_what_is_said_of_where(ctx: Context) -> None:
    """4 minutes of a face and neck's 620 cm², to half a minute: a face, 62 cm² at most, then by hand."""
    visit, page, _ = lit(ctx)
    page = planning.edit(ctx, visit, "add", {"modality": "tone"})
    page = planning.edit(ctx, visit, "add", {"modality": "cleanse"})
    step = step_of(page, "cleanse")
    assert page.plan.stage(step).at == 2.5

    def said(**how: str) -> float | None:
        sent = {"stage": step} | {f"{step}.how.{name}": text for name, text in how.items()}
        return planning.edit(ctx, visit, "manner", sent).plan.stage(step).at

    assert said(where="chair", most_cm2="62") == 0.5
    assert said(where="chair", most_cm2="155") == 1.0
    planning.edit(ctx, visit, "set", {"stage": step, f"{step}.minutes": "3"})
    assert said(where="worked") == 3.0


def test_zones_are_ticked_side_by_side(ctx: Context) -> None:
    visit, page, step = lit(ctx)
    page = planning.edit(
        ctx, visit, "zones", {"stage": step, "zone.right chin": "on", "zone.left chin": "on", "zone.left jawline": "on"}
    )
    assert page.plan.stage(step).zones == ("left jawline", "chin")
    page = planning.edit(ctx, visit, "zone", {"stage": step, "group": "right chin"})
    assert page.plan.stage(step).zones == ("left jawline", "left chin")
    page = planning.edit(ctx, visit, "zone", {"stage": step, "group": "chin"})
    assert page.plan.stage(step).zones == ("left jawline", "chin"), "what is on one side is added on the other"
    assert page.computed.zones[step].keys() == {"left jawline", "chin"}


def test_a_stage_goes_to_parts_that_were_drawn(ctx: Context) -> None:
    visit, page, step = lit(ctx)
    square = "45,85 95,85 95,135 45,135"
    mark = marking.put(ctx, visit, {"plate": "face", "kind": "part", "shape": "area", "points": square, "on": ""})
    page = planning.edit(ctx, visit, "parts", {"stage": step, f"part.{mark}": "on"})
    assert page.plan.stage(step).parts == (mark,)
    areas = page.computed.zones[step]
    assert 15 < sum(areas.values()) < 25 and all(zone.startswith("left ") for zone in areas)
    marking.remove(ctx, visit, mark)
    page = planning.planned(ctx, visit)
    assert "taken off the plate" in page.computed.stopped[step].words and not page.settled
    page = planning.edit(ctx, visit, "parts", {"stage": step})
    assert page.plan.stage(step).parts == () and len(page.computed.zones[step]) > 10


def test_a_part_stays_a_stages_own_whatever_else_is_changed(ctx: Context) -> None:
    """Another machine, another programme, one stage more: where it went it goes; on its plate no zone is tapped in."""
    visit, page, step = lit(ctx)
    square = "45,85 95,85 95,135 45,135"
    mark = marking.put(ctx, visit, {"plate": "face", "kind": "part", "shape": "area", "points": square, "on": ""})
    page = planning.edit(ctx, visit, "parts", {"stage": step, f"part.{mark}": "on"})
    tapped = planning.edit(ctx, visit, "zone", {"stage": step, "group": "chin"})
    assert "drawn parts alone" in tapped.refusal and planning.splits_for(page, page.plan.stage(step)) == []
    planning.edit(ctx, visit, "manner", {"stage": step, f"{step}.how.product": "a sheet"})
    page = planning.edit(ctx, visit, "machine", {"stage": step, "machine": page.plan.stage(step).machine})
    assert page.plan.stage(step).parts == (mark,) and page.plan.stage(step).how.product == "a sheet"
    page = planning.edit(ctx, visit, "stage", {"stage": step, "modality": "touch"})
    assert [one.parts for one in page.plan.of(step).stages] == [(mark,)] * 2
    page = planning.edit(ctx, visit, "programme", {"step": step, "programme": "led.blue_red"})
    assert [one.parts for one in page.plan.of(step).stages] == [(mark,)] * 2


def test_what_a_stage_asks_of_the_skin_is_put_right_and_nothing_else_is_touched(ctx: Context) -> None:
    visit = new_visit(ctx)
    ask_nothing(ctx, visit)
    looking.save_findings(ctx, visit, {"arrived": "made up"})
    page = planning.edit(ctx, visit, "add", {"modality": "oxygen_airbrush"})
    gel = step_of(page, "oxygen_airbrush")
    began = [one.modality for one in page.plan.of(gel).stages]
    assert [one.mend for one in page.computed.clashes if one.mend] == ["wash", "dry"]
    page = planning.edit(ctx, visit, "mend", {"stage": gel})
    assert [one.modality for one in page.plan.of(gel).stages] == ["wash", "dry", *began]
    assert not [one for one in page.computed.clashes if one.mend]
    assert page.draft.what == "put wash off and dry before Oxygen airbrush"
    assert page.plan.of(gel).modality == "oxygen_airbrush" and page.plan.of(gel).lead.id == gel
    again = planning.edit(ctx, visit, "mend", {"stage": gel})
    assert "Nothing is missing" in f"{again.refusal} {again.slips}" and again.plan == page.plan
    page = planning.edit(ctx, visit, "undo", {})
    assert [one.modality for one in page.plan.of(gel).stages] == began


def test_how_skin_arrived_is_looked_at_and_kept(ctx: Context) -> None:
    visit = new_visit(ctx)
    assert looking.save_findings(ctx, visit, {"arrived": "washed"}).findings.arrived == "washed"
    assert looking.save_findings(ctx, visit, {"arrived": "filthy"}).findings.arrived == "washed", "none of the choices"
    assert looking.save_findings(ctx, visit, {"phototype": "2"}).findings.arrived == "washed"
    assert looking.save_findings(ctx, visit, {"arrived": ""}).findings.arrived == ""


def test_what_is_to_be_minded_in_several_stages_and_steps_is_told_once(ctx: Context) -> None:
    visit = new_visit(ctx)
    ask_nothing(ctx, visit, allergy="scent")
    planning.edit(ctx, visit, "add", {"modality": "wet_abrasion"})
    page = planning.edit(ctx, visit, "add", {"modality": "led"})
    told = [(works, one.words) for works, one in page.to_mind]
    assert len(told) == len(set(told)) and len([one for one in page.plan.stages if one.modality == "wet_abrasion"]) > 1
    assert ("Wet abrasion, Light-emitting panel", "An allergy to something used here.") in told


def test_another_product_is_laid_by_one_tap_and_taken_back(ctx: Context) -> None:
    """A rich cream under the probes: refused for good, and put right by the key that is offered."""
    visit = new_visit(ctx)
    ask_nothing(ctx, visit)
    page = planning.edit(ctx, visit, "add", {"modality": "microcurrent"})
    stage = page.plan.stages[-1].id
    page = planning.edit(ctx, visit, "manner", {"stage": stage, f"{stage}.how.product": "massage cream"})
    (bad,) = (one for one in page.computed.clashes if one.rule == "product.through")
    assert "massage cream lets no current through" in bad.words and bad.absolute
    assert (bad.stage, bad.lay) == (stage, "serum, then gel")
    (product,) = (one for one in page.manner(page.plan.stage(stage)) if one.name.endswith("how.product"))
    assert product.usual == "serum, then gel" and {"gel", "sterile gel", "massage cream"} <= {*product.options}
    page = planning.edit(ctx, visit, "lay", {"stage": stage})
    assert page.plan.stage(stage).how.product == ""
    assert "product.through" not in {one.rule for one in page.computed.clashes}
    page = planning.edit(ctx, visit, "undo", {})
    assert page.plan.stage(stage).how.product == "massage cream"


def test_a_product_that_nobody_knows_is_kept_as_typed_and_told(ctx: Context) -> None:
    visit = new_visit(ctx)
    ask_nothing(ctx, visit)
    stage = planning.edit(ctx, visit, "add", {"modality": "led"}).plan.stages[-1].id
    page = planning.edit(ctx, visit, "manner", {"stage": stage, f"{stage}.how.product": "aloe from the kitchen"})
    (unknown,) = (one for one in page.computed.clashes if one.kind == "product")
    assert "“aloe from the kitchen” is not on the shelf" in unknown.words
    assert page.plan.stage(stage).how.product == "aloe from the kitchen"


def test_a_work_is_kept_off_skin_that_another_leaves_unfit(ctx: Context) -> None:
    visit = new_visit(ctx)
    ask_nothing(ctx, visit)
    page = planning.edit(ctx, visit, "add", {"modality": "extract"})
    plugs = page.plan.stages[-1].id
    cheeks = {f"zone.{zone}": "on" for zone in ("mid cheek", "lower cheek")}
    planning.edit(ctx, visit, "zones", {"stage": plugs, "zone.chin": "on"} | cheeks)
    page = planning.edit(ctx, visit, "add", {"modality": "rf_bulk"})
    heat = next(one.id for one in page.plan.stages if one.modality == "rf_bulk")
    page = planning.edit(ctx, visit, "zones", {"stage": heat, "zone.jawline": "on"} | cheeks)
    (hot,) = (one for one in page.computed.clashes if one.off)
    assert hot.stage == heat and hot.off == {heat: ("jawline",)}
    page = planning.edit(ctx, visit, "off", {"stage": heat})
    assert page.plan.stage(heat).zones == ("jawline",) and not [one for one in page.computed.clashes if one.off]
    assert page.draft.what == "Bulk radiofrequency: off that skin"
    again = planning.edit(ctx, visit, "off", {"stage": heat})
    assert again.plan == page.plan and "off that skin" in f"{again.refusal} {again.slips}"
    page = planning.edit(ctx, visit, "undo", {})
    assert set(page.plan.stage(heat).zones) == {"mid cheek", "lower cheek", "jawline"}


def test_what_was_put_in_before_a_stage_goes_where_that_goes(ctx: Context) -> None:
    visit = new_visit(ctx)
    ask_nothing(ctx, visit)
    looking.save_findings(ctx, visit, {"arrived": "made up"})
    gel = planning.edit(ctx, visit, "add", {"modality": "oxygen_airbrush"}).plan.stages[-1].id
    page = planning.edit(ctx, visit, "mend", {"stage": gel})
    wash, dry = (one.id for one in page.plan.of(gel).stages[:2])
    page = planning.edit(ctx, visit, "zones", {"stage": gel, "zone.chin": "on", "zone.forehead": "on"})
    assert {page.plan.stage(one).zones for one in (wash, dry, gel)} == {("forehead", "chin")}
    page = planning.edit(ctx, visit, "zone", {"stage": gel, "group": "chin"})
    assert {page.plan.stage(one).zones for one in (wash, dry, gel)} == {("forehead",)}
    page = planning.edit(ctx, visit, "zones", {"stage": wash, "zone.chin": "on", "zone.forehead": "on"})
    assert page.plan.stage(gel).zones == ("forehead",), "a mend by itself moves nothing"
    page = planning.edit(ctx, visit, "zones", {"stage": gel, "zone.nose tip and wings": "on"})
    assert page.plan.stage(dry).zones == ("nose tip and wings",)
    assert set(page.plan.stage(wash).zones) == {"forehead", "chin"}, "what goes elsewhere stays"
