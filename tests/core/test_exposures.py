"""What a stage really gave: its amounts by zone, as much as was done, where anything was counted."""

from datetime import date

import pytest
from hypothesis import given
from hypothesis import strategies as st

from merak.core.acts import Act, Cell, Part
from merak.core.after.exposures import given_by, reached, unknown_of
from merak.core.modality.exposed import Exposed
from merak.core.modality.exposure import Exposure
from merak.core.treatment.state import ActRun

ON = date(2026, 11, 25)
ZONES = ("mid cheek", "chin")


def light(amount: float | None, limit: float = 60) -> Exposure:
    return Exposure("red light", amount, "J/cm²", "led.ceiling.red_fluence", limit)


def told(given_: tuple[Exposed, ...]) -> dict[str, tuple[int | None, float | None, tuple[str, ...]]]:
    return {one.agent: (one.degree, one.amount, one.zones) for one in given_}


def test_zones_with_the_same_amount_stand_in_one_line() -> None:
    there = {"mid cheek": (light(12),), "chin": (light(12),), "lips": (light(6),)}
    lines = given_by("led", {}, there, there, 0.5, ON)
    assert [(one.amount, one.zones) for one in lines] == [(6, ("mid cheek", "chin")), (3, ("lips",))]
    assert all(one.on == ON and one.measured and one.unit == "J/cm²" and one.modality == "led" for one in lines)


def test_what_it_counts_as_stands_with_its_degree_and_with_its_amount_where_it_has_one() -> None:
    acid = Exposure("acid", 2.0, "min", "acid.longest", 5)
    none = Exposure("abrasion", 0.0, "", "acid.abraded", 1)
    lines = given_by("peel", {"acid": 2}, dict.fromkeys(ZONES, (acid, none)), ZONES, 1, ON)
    assert told(lines) == {"acid": (2, 2.0, ZONES)}, "no passes are no abrasion"
    pricks = given_by("micro_needling", {"needles": 1}, dict.fromkeys(ZONES, (light(3),)), ZONES, 1, ON)
    assert told(pricks) == {"red light": (None, 3, ZONES), "needles": (1, None, ZONES)}


def test_of_the_whole_client_is_one_line_the_most_and_never_less_than_was_laid() -> None:
    cream = {
        zone: (Exposure("numbing", mg, "mg", "numbing.label", 400, "body"),)
        for zone, mg in zip(ZONES, (90, 120), strict=True)
    }
    (line,) = given_by("numbing", {}, cream, ZONES, 0.3, ON)
    assert line.amount == 120 and line.zones == ZONES
    unknown = cream | {"chin": (Exposure("numbing", None, "mg", "numbing.label", 400, "body"),)}
    assert given_by("numbing", {}, unknown, ZONES, 1, ON)[0].amount is None


def test_a_zone_of_two_classes_is_given_the_more_and_not_both() -> None:
    there = {"mid cheek": (light(12), light(9)), "chin": (light(9), light(None))}
    lines = given_by("led", {}, there, there, 1, ON)
    assert {one.zones: one.amount for one in lines} == {("mid cheek",): 12, ("chin",): None}, "unknown is the most"


def test_a_side_is_found_under_the_name_of_its_zone() -> None:
    (line,) = given_by("led", {}, {"mid cheek": (light(12),)}, ("right mid cheek",), 1, ON)
    assert line.amount == 12 and line.zones == ("right mid cheek",)


def test_what_gives_nothing_is_known_to_have_been_done() -> None:
    assert told(given_by("extract", {}, {}, ZONES, 1, ON)) == {"extract": (None, None, ZONES)}
    assert given_by("extract", {}, {}, ZONES, 0, ON) == ()


def test_of_old_work_everything_counts_that_it_may_have_been() -> None:
    assert told(unknown_of("nano", ZONES, ON)) == {"nano": (None, None, ZONES), "needles": (None, None, ZONES)}
    assert told(unknown_of("led", ZONES, ON)) == {"led": (None, None, ZONES)}, "it is known to have been done"
    assert unknown_of("no such work", ZONES, ON) == ()


@given(st.floats(0, 2), st.lists(st.floats(0.1, 50), min_size=2, max_size=2))
def test_more_of_a_stage_never_gives_less(share: float, amounts: list[float]) -> None:
    there = {zone: (light(amount),) for zone, amount in zip(ZONES, amounts, strict=True)}

    def most(of: float) -> float:
        return max((one.amount or 0 for one in given_by("led", {}, there, ZONES, of, ON)), default=0)

    assert most(share) <= most(share + 0.1) and most(1) == max(amounts)


def act(kind: str, *names: str, cells: tuple[Cell, ...] = (), passes: int = 1) -> Act:
    return Act.model_validate(
        {
            "kind": kind,
            "title": "t",
            "instruction": "",
            "seconds": 60,
            "parts": tuple(Part(name=name) for name in names),
            "cells": cells,
            "passes": passes,
        }
    )


RING = ((0.0, 0.0), (1.0, 0.0), (0.0, 1.0))


@pytest.mark.parametrize(
    ("made", "run", "expected"),
    [
        (act("sections", "right mid cheek", "left mid cheek", "chin"), ActRun(walk=[0]), ("right mid cheek",)),
        (act("sections", "mid cheek", "chin", passes=2), ActRun(walk=[], passes=[[0, 1]]), ZONES),
        (
            act("pulses", "mid cheek", "chin", cells=(Cell(part=0, ring=RING), Cell(part=1, ring=RING))),
            ActRun(walk=[1]),
            ("chin",),
        ),
        (act("sections", "1", "2"), ActRun(walk=[0]), ZONES),  # numbered sections are no zones
        (act("timed", "mid cheek"), ActRun(), ZONES),
        (act("sections", "mid cheek", "chin"), ActRun(), ZONES),  # nothing was counted: all of it may have been
    ],
)
def test_the_zones_in_which_anything_was_counted(made: Act, run: ActRun, expected: tuple[str, ...]) -> None:
    assert set(reached([(made, run)], ZONES)) == set(expected)
