"""What each work asks the client and the room to wear, take out and take off, written a second time; what a guard hides
and stands for; what an answer tells of skin; what touches nobody.
"""

import pytest

from merak.core.knowledge import book, guards, on_skin

#: Eyes against light, mist, steam, grit and acid; no metal in the path of current or radiofrequency, no hearing aid
#: near it; for the lamp opaque shields, goggles for all in the room, dark marks covered. Common practice.
ASKS = {
    "pads": "led crystal diamond oxygen_airbrush oxygen_jet wet_abrasion peel mist soften rf_fractional",
    "shields": "pulsed_light",
    "goggles": "pulsed_light",
    "white": "pulsed_light",
    "metal": "cleanse ear_clips microcurrent muscle_stimulation iontophoresis galvanic_softening rf_bulk rf_fractional",
    "hearing": "ear_clips microcurrent muscle_stimulation iontophoresis galvanic_softening rf_bulk rf_fractional",
    "lenses": "led crystal diamond oxygen_airbrush oxygen_jet wet_abrasion peel mist soften rf_fractional pulsed_light "
    "oxygen_mask enzyme cleanse focused_lifting nano micro_needling numbing ultrasound spatula",
}
#: What is never worn while that is done: metal over the eyes under current, anything where eyes are open.
CLEAR = {
    "shields": ASKS["hearing"] + " cleanse mirror photograph",
    "pads": "cleanse mirror photograph",
}
#: What lies under it, what else it does the work of, whether it comes off where nothing asks for it.
WORN = {
    "pads": ({"upper lid"}, set(), False),
    "shields": ({"upper lid", "under-eye"}, {"pads"}, False),
    "goggles": (set(), set(), True),
    "white": (set(), set(), True),
    "metal": (set(), set(), False),
    "hearing": (set(), set(), False),
    "lenses": (set(), set(), False),
}
#: What an answer says that skin may still be in.
TOLD = {("exfoliated", "yes"): {"thinned": 3}, ("wax", "yes"): {"thinned": 2}}


@pytest.mark.parametrize("guard", sorted(ASKS))
def test_each_work_asks_for_what_guards_against_it(guard: str) -> None:
    assert {name for name, one in on_skin().items() if guard in (one.guards or ())} == set(ASKS[guard].split())
    assert {name for name, one in on_skin().items() if guard in one.clear} == set(CLEAR.get(guard, "").split())


def test_every_work_says_what_it_asks_for() -> None:
    assert [name for name, one in on_skin().items() if one.guards is None] == []


def test_what_a_guard_hides_and_stands_for() -> None:
    assert {name: (set(one.hides), set(one.also), one.only) for name, one in guards().items()} == WORN
    assert {name for name, one in guards().items() if one.comes_off} == {"pads", "shields", "goggles", "white"}


def test_only_light_is_given_without_touching() -> None:
    assert [name for name, one in on_skin().items() if not one.touches] == ["led"]


def test_what_an_answer_leaves_skin_in() -> None:
    told = {(of.id, one.id): one.leaves for of in book().question for one in of.options if one.leaves}
    assert told == TOLD
