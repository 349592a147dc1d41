"""How modalities fit, rule by rule: which steps clash, in which order, for whom, after how many days."""

from merak.core.knowledge import methods, traits
from merak.core.plan.fitting import Clash, Placed, chosen, clashes, may_run_beside, rank, set_to

Placing = str | Placed


def found(
    *steps: Placing, newcomer: bool = False, of: dict[str, str] | None = None, **rest: object
) -> tuple[Clash, ...]:
    placed = [one if isinstance(one, Placed) else Placed(f"s{n}", one) for n, one in enumerate(steps)]
    return clashes(placed, newcomer, of or {}, **rest)  # type: ignore[arg-type]


def by(rule: str, *steps: Placing, **rest: object) -> list[tuple[str, ...]]:
    return [one.steps for one in found(*steps, **rest) if one.rule == rule]  # type: ignore[arg-type]


def test_two_that_never_meet_clash_once_and_name_each_other() -> None:
    assert by("fit.abrade_heat", "diamond", "pulsed_light") == [("s0", "s1")]
    assert by("fit.abrade_heat", "pulsed_light", "diamond") == [("s1", "s0")]
    assert by("fit.abrade_heat", "pulsed_light", "pulsed_light") == [] == by("fit.abrade_heat", "diamond")


def test_one_of_a_kind_is_told_with_all_that_there_are() -> None:
    assert by("fit.one_abrasion", "diamond") == []
    assert by("fit.one_abrasion", "diamond", "cleanse", "peel") == [("s0", "s2")]
    assert by("fit.one_abrasion", "diamond", "peel", "crystal") == [("s0", "s1", "s2")]


def test_the_order_is_told_for_what_comes_too_late() -> None:
    assert by("fit.order_abrade", "microcurrent", "enzyme") == [("s1", "s0")]
    assert by("fit.order_abrade", "enzyme", "microcurrent") == []
    assert by("fit.order_finish", "finish", "led", "touch") == [("s1", "s0"), ("s2", "s0")]


def test_the_lamp_bears_only_what_calms_beside_it() -> None:
    assert by("fit.light_alone", "cleanse", "pulsed_light", "cold", "mask", "led", "touch", "finish") == []
    assert by("fit.light_alone", "microcurrent", "pulsed_light") == [("s1", "s0")]
    assert by("fit.light_alone", "pulsed_light", "ultrasound") == [("s0", "s1")]
    assert by("fit.light_alone", "pulsed_light", "pulsed_light") == []
    assert by("fit.light_alone", "microcurrent", "ultrasound") == []


def test_what_needs_something_is_satisfied_by_any_of_it() -> None:
    assert by("fit.finish", "rf_bulk") == [("s0",)]
    assert by("fit.finish", "rf_bulk", "finish") == [] == by("fit.finish", "finish", "rf_bulk")


def test_some_rules_are_about_newcomers() -> None:
    assert by("fit.newcomer_strong", "diamond", "pulsed_light", newcomer=True) == [("s0", "s1")]
    assert by("fit.newcomer_strong", "diamond", "pulsed_light") == []
    assert by("fit.nano_peel", "nano", "peel", newcomer=True) and not by("fit.nano_peel", "nano", "peel")


def test_some_rules_give_way_to_a_school_and_some_need_one() -> None:
    assert by("fit.one_strong", "diamond", "micro_needling")
    assert not by("fit.one_strong", "diamond", "micro_needling", of={"combining": "quick"})
    assert by("fit.one_strong", "diamond", "micro_needling", of={"combining": "no such school"})
    assert may_run_beside("mask", "led", {}) and not may_run_beside("led", "mask", {})
    assert not may_run_beside("numbing", "led", {}) and may_run_beside("numbing", "led", {"numbing": "light"})
    assert not may_run_beside("mask", "peel", {})


def test_a_school_moves_what_it_moves_and_nothing_else() -> None:
    moved = [
        (method.id, school.id, name, to)
        for method in methods().values()
        for school in method.schools
        for name, to in school.rank.items()
    ]
    assert moved
    for method, school, name, to in moved:
        assert rank(name, {method: school}) == to
        others = [one.id for one in methods()[method].schools if name not in one.rank]
        assert all(rank(name, {method: other}) == traits()[name].rank for other in others), (method, name)
    assert rank("led", {}) == traits()["led"].rank


def test_a_school_that_there_is_not_is_the_houses_first() -> None:
    for method in methods().values():
        assert chosen({}, method.id) == method.schools[0].id == chosen({method.id: "none such"}, method.id)
        assert chosen({method.id: method.schools[-1].id}, method.id) == method.schools[-1].id


def test_what_was_done_is_told_with_where_it_was_set() -> None:
    assert set_to("led", None) == "Light-emitting panel" and set_to("led", 10.0) == "Light-emitting panel 10 min"
    assert set_to("microcurrent", 4.5) == "Microcurrent lift 4.5"
