"""Marks and margins through the services, on the real PostgreSQL: versions, undo, whose they are, and what a closed
visit keeps.
"""

from typing import Any
from uuid import UUID

import pytest

from builders.work import AGREED, as_, ask_nothing, later, lift_and_light, new_visit, tap_of
from merak.core.errors import BadInput, Refused
from merak.services.after import closing
from merak.services.context import Context, NotFound, OutOfTurn
from merak.services.permission import Denied, Sealed
from merak.services.treatment import treating
from merak.services.visit import consenting, looking, marking, plating
from merak.services.visit.file import open_file

CHEEK = "60,100 80,100 80,120 60,120"


def pen(**changes: str) -> dict[str, str]:
    return {"plate": "face", "kind": "stay-out", "shape": "area", "points": CHEEK} | changes


def standing(ctx: Context, visit: UUID) -> list[str]:
    return [f"{mark.words} {mark.points[0]}" for mark in open_file(ctx, visit).marks]


def treatable(ctx: Context, visit: UUID) -> float:
    value = plating.plated(ctx, visit, {}).survey.numbers["area.treatable"].value
    assert value
    return value


def test_a_mark_is_drawn_moved_removed_and_every_step_taken_back(ctx: Context) -> None:
    visit = new_visit(ctx)
    whole = treatable(ctx, visit)
    mark = marking.put(ctx, visit, pen(note="never here"))
    assert treatable(ctx, visit) == pytest.approx(whole - 4, abs=0.05)
    marking.move(ctx, visit, mark, (10, 0))
    assert standing(ctx, visit) == ["stay out (70.0, 100.0)"]
    marking.put(ctx, visit, pen(mark=str(mark), kind="scar", grade="3", points="60,100 80,100 70,120"))
    assert standing(ctx, visit) == ["scar, grade 3 (60.0, 100.0)"]
    marking.remove(ctx, visit, mark)
    assert standing(ctx, visit) == [] and treatable(ctx, visit) == whole
    for left in (["scar, grade 3 (60.0, 100.0)"], ["stay out (70.0, 100.0)"], ["stay out (60.0, 100.0)"], []):
        marking.undo(ctx, visit)
        assert standing(ctx, visit) == left
    with pytest.raises(OutOfTurn, match="Nothing to take back"):
        marking.undo(ctx, visit)
    told = marking.history(ctx, visit, mark)
    assert [one.did for one in told] == ["taken back"] * 4 + ["removed", "changed", "changed", "drawn"]
    assert told[-1].note == "never here" and told[-1].by == "Adaeze Okonjo"


def test_one_takes_back_ones_own_and_nothing_that_was_changed_since(ctx: Context) -> None:
    visit, other = new_visit(ctx), as_(ctx, "lin")
    mark = marking.put(ctx, visit, pen())
    with pytest.raises(OutOfTurn):
        marking.undo(other, visit)
    marking.move(other, visit, mark, (0, 5))
    with pytest.raises(OutOfTurn, match="changed this mark since"):
        marking.undo(ctx, visit)
    marking.undo(other, visit)
    marking.undo(ctx, visit)
    assert standing(ctx, visit) == []


def test_marks_are_the_clients_and_go_with_them(ctx: Context) -> None:
    name = "Invented Marked"
    first = new_visit(ctx, name)
    mark = marking.put(ctx, first, pen(kind="mole", shape="spot", points="-70,110", size_mm="6", on="2031-01-05"))
    ask_nothing(ctx, first)
    answer = {"explained": "declined", "note": "looked only"}
    closing.close(later(ctx, hours=1), first, answer)
    with pytest.raises(Sealed):
        marking.put(ctx, first, pen())
    again = later(ctx, days=9)
    second = new_visit(again, f"{name}, born 2 Apr 1985")
    assert standing(again, second) == ["mole (-70.0, 110.0)"]
    marking.remove(later(again, hours=2), second, mark)
    assert standing(again, second) == [] and standing(again, first) == ["mole (-70.0, 110.0)"], (
        "a closed visit stands as it was"
    )
    stranger = new_visit(ctx)
    for act in (marking.remove, marking.history):
        with pytest.raises(NotFound):
            act(ctx, stranger, mark)  # type: ignore[operator]


@pytest.mark.parametrize(
    ("changes", "field"),
    [
        ({"points": "60,100 80,120 80,100 60,120"}, "points"),
        ({"points": "60,100 80,x"}, "points"),
        ({"points": "60,100 nan,3 4,5"}, "points"),
        ({"points": ""}, "points"),
        ({"size_mm": "wide"}, "size_mm"),
        ({"grade": "2.5", "kind": "scar"}, "grade"),
        ({"on": "2031-03-99"}, "on"),
        ({"on": "2099-01-01"}, "on"),
        ({"note": "x" * 501}, "note"),
        ({"kind": "reading", "shape": "spot", "points": "70,110"}, "value"),
        ({"plate": "tail"}, "plate"),
    ],
)
def test_what_cannot_be_kept_is_told_by_field_and_nothing_is_kept(
    ctx: Context, changes: dict[str, str], field: str
) -> None:
    visit = new_visit(ctx)
    with pytest.raises(BadInput) as wrong:
        marking.put(ctx, visit, pen(**changes))
    assert field in wrong.value.fields
    assert standing(ctx, visit) == []


def test_a_mark_that_keeps_work_out_asks_for_consent_anew(ctx: Context) -> None:
    visit = new_visit(ctx)
    ask_nothing(ctx, visit)
    lift_and_light(ctx, visit)
    consenting.consent(ctx, visit, AGREED)
    marking.put(ctx, visit, pen(kind="scar"))
    assert open_file(ctx, visit).consented, "a scar changes no plan"
    marking.put(ctx, visit, pen(points="-90,160 -40,176 -40,90 -100,90"))
    assert not open_file(ctx, visit).consented
    marking.undo(ctx, visit)
    assert open_file(ctx, visit).consented, "as it was agreed to"


def test_only_a_senior_narrows_a_margin_and_the_plan_follows(ctx: Context) -> None:
    visit = new_visit(ctx)
    form: dict[str, Any] = {
        "margin": "microcurrent.margin.hairline",
        "value": "0,25",
        "reason": "hairline receded, skin bare",
    }
    usual = treatable(ctx, visit)
    for login in ("tomas", "lin", "joost"):
        with pytest.raises(Denied):
            marking.narrow_margin(as_(ctx, login), visit, form)
    marking.narrow_margin(ctx, visit, form)
    assert treatable(ctx, visit) > usual + 5
    for wrong, field in (
        ({"value": "3"}, "value"),
        ({"value": "-1"}, "value"),
        ({"value": "a bit"}, "value"),
        ({"reason": ""}, "reason"),
    ):
        with pytest.raises(BadInput) as bad:
            marking.narrow_margin(ctx, visit, form | wrong)
        assert field in bad.value.fields
    for margin in ("microcurrent.no_go.eyes", "lips.no_go"):
        with pytest.raises(Refused):
            marking.narrow_margin(ctx, visit, {"margin": margin, "value": "0", "reason": "the client insists"})
    marking.narrow_margin(ctx, visit, form | {"value": ""})
    assert treatable(ctx, visit) == pytest.approx(usual)


def test_a_mark_keeps_its_place_on_the_skin_when_a_tape_changes(ctx: Context) -> None:
    visit = new_visit(ctx)
    marking.put(ctx, visit, pen())
    before = plating.plated(ctx, visit, {})
    looking.save_findings(ctx, visit, {"ear_to_ear_mm": "300", "ear_chin_ear_mm": "325"})
    after = plating.plated(ctx, visit, {})
    assert after.marks == before.marks
    there = after.marks[0].on_skin(after.survey.plate)
    assert there.area > 1.05 * before.marks[0].on_skin(before.survey.plate).area
    assert after.survey.numbers["area.whole"].value > before.survey.numbers["area.whole"].value + 20  # type: ignore[operator]


def test_the_plate_shows_how_far_the_treatment_came(ctx: Context) -> None:
    visit = new_visit(ctx)
    assert plating.plated(ctx, visit, {}).done == []
    ask_nothing(ctx, visit)
    lift_and_light(ctx, visit)
    consenting.consent(ctx, visit, AGREED)
    treating.begin(ctx, visit)
    taps = [tap_of(kind, ctx.now) for kind in ("start", "next", "next", *["count"] * 4)]
    treating.record(ctx, visit, taps)
    done = plating.plated(ctx, visit, {}).done
    assert [times for _, times in done[:3]] == [3, 1, 0] and sum(times for _, times in done) == 4


def test_a_plate_asked_for_nonsense_is_as_usual_and_says_so(ctx: Context) -> None:
    visit = new_visit(ctx)
    wrong = {
        "of": "pulsed_light",
        "work": "pulsed_light",
        "across_mm": "0",
        "down_mm": "-3",
        "overlap": "100",
        "order": "by mood",
    }
    page = plating.plated(ctx, visit, wrong)
    assert set(page.wrong) == {"across_mm", "down_mm", "overlap", "order"}
    assert page.draft["across_mm"] == "0" and page.survey.laying.across_mm == 15
    hair = plating.plated(
        ctx, visit, {"of": "pulsed_light", "work": "pulsed_light", "across_mm": "0.01", "down_mm": "0.01"}
    )
    assert "a hand sets 20000 at most" in hair.wrong["across_mm"]
    assert plating.plated(ctx, visit, {"plate": "tail", "work": "magic"}).name == "face"
    looking.save_findings(ctx, visit, {"build": "men's mean", "thigh_round_mm": "725", "thigh_length_mm": "420"})
    large = plating.plated(ctx, visit, {"plate": "thigh-front", "of": "micro_needling", "work": "micro_needling"})
    assert "at most" in large.wrong["across_mm"], "too large for the usual tip: told …"
    assert large.survey.laying.manner == "area", "… and still shown"
    other = looking.save_findings(ctx, visit, {"build": "women's mean"})
    assert "do not go with it" in other.wrong["build"] and other.findings.build == "men's mean"
    assert set(looking.save_findings(ctx, visit, {"build": "giant", "ear_to_ear_mm": "301"}).wrong) == {"build"}
