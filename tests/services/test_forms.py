"""Forms: whatever is typed becomes a value or a word beside its field, and nothing else happens."""

from datetime import date
from importlib import import_module
from pkgutil import walk_packages
from typing import Annotated

import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import Field

import merak.services
from merak.core.errors import BadInput
from merak.core.modality import led
from merak.services.forms import Grade, Otherwise, Prefixed, TypedForm, cut, day_of, finite, read, shown, texts

for _, name, _ in walk_packages(merak.services.__path__, "merak.services."):
    import_module(name)

TODAY = date(2026, 11, 25)
TYPED = st.one_of(
    st.text(max_size=12),
    st.sampled_from(
        ["", " ", "3", "1,5", "²", "-1", "1e999", "nan", "9" * 400, "2026-11-25", "2999-01-01", "14:30", "on"]
    ),
)


def every_form() -> list[type[TypedForm]]:
    found, waiting = [], [TypedForm]
    while waiting:
        for one in waiting.pop().__subclasses__():
            found.append(one)
            waiting.append(one)
    return sorted(set(found), key=lambda one: one.__name__)


def test_every_form_of_the_services_is_held_here() -> None:
    assert len(every_form()) > 20


@pytest.mark.parametrize("form", every_form(), ids=lambda form: form.__name__)
@given(data=st.data())
def test_whatever_is_typed_is_a_value_or_a_word_beside_its_field(form: type[TypedForm], data: st.DataObject) -> None:
    keys = [info.alias or name for name, info in form.model_fields.items()]
    groups = [one.prefix for info in form.model_fields.values() for one in info.metadata if isinstance(one, Prefixed)]
    names = st.sampled_from([*keys, *(f"{prefix}{end}" for prefix in groups for end in ("0", "all", "x y"))])
    sent = data.draw(st.dictionaries(names, TYPED, max_size=12))
    found, wrong = form.parse(sent, today=TODAY, born=date(1980, 1, 1))
    assert isinstance(found, form) and all(words.strip() for words in wrong.values())
    assert wrong.keys() <= set(keys) | sent.keys(), "a word stands beside a field that there is"
    again, none = form.parse({key: text for key, text in sent.items() if key not in wrong}, today=TODAY)
    assert again == found and none.keys() <= wrong.keys(), "what is good is read the same without what is wrong"


class Trial(TypedForm):
    grade: Annotated[Grade | None, Otherwise("Grade: 0 to 4.", needed=True)] = None
    size: Annotated[float | None, Otherwise("“{typed}” is no size.")] = None
    why: Annotated[dict[str, str], Prefixed("why.")] = Field(default_factory=dict)
    note: Annotated[str, cut(5)] = ""
    day: Annotated[date | None, day_of("past")] = None
    ticked: bool = False


def test_texts_become_fields_as_people_type_them() -> None:
    asked, wrong = Trial.parse(
        {"grade": " 3", "size": "1,5", "why.2": "time", "note": " lengthy ", "day": "2026-11-01", "ticked": "on"},
        today=TODAY,
    )
    assert wrong == {}
    assert asked == Trial.model_construct(
        grade=3, size=1.5, why={"2": "time"}, note="lengt", day=date(2026, 11, 1), ticked=True
    )
    asked, wrong = Trial.parse({"size": "wide", "grade": "", "day": "2027-01-01"}, today=TODAY)
    assert (
        wrong["size"] == "“wide” is no size." and wrong["grade"] == "Grade: 0 to 4." and "25 Nov 2026" in wrong["day"]
    )
    assert asked.size is None and asked.day is None and not asked.ticked
    with pytest.raises(BadInput) as slip:
        Trial.read({"grade": "5"}, today=TODAY)
    assert slip.value.fields == {"grade": "Grade: 0 to 4."}


def test_a_modalitys_settings_come_back_as_they_are_shown() -> None:
    start = led.Settings(minutes=12.5, colour="red")
    values = texts(start, "settings.")
    assert read(led.Settings, values, "settings.") == start
    assert {one.name for one in shown(led.Settings, values, "settings.")} <= values.keys()
    with pytest.raises(BadInput) as slip:
        read(led.Settings, values | {"settings.minutes": "long"}, "settings.")
    assert slip.value.fields == {"settings.minutes": "“long” is not a number that fits here."}


@pytest.mark.parametrize("typed", ["", "NaN", "-inf", "1e309", "Infinity", "much", "1,2,3"])
def test_a_number_without_end_is_none(typed: str) -> None:
    with pytest.raises(ValueError):
        finite(typed)
    assert finite(" 1,5 ") == 1.5
