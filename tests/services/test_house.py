"""The house: who works here and with which licences, what it asks for a treatment, which schools it follows."""

from uuid import uuid4

import pytest
from sqlalchemy import select

from builders.work import as_, ask_nothing, new_visit, person
from merak.core.errors import BadInput
from merak.core.knowledge import methods, traits
from merak.records import once, people
from merak.records.tables import Audit
from merak.services import once as forms_once
from merak.services.context import Context, NotFound, OutOfTurn
from merak.services.permission import Denied
from merak.services.studio import practice, signing_in
from merak.services.visit import planning

GOOD = person("Bettina Krol", "bettina", "long enough words", "therapist", "16.5")


@pytest.fixture
def owner(ctx: Context) -> Context:
    return as_(ctx, "marit")


def audited(ctx: Context) -> list[str]:
    return list(ctx.db.scalars(select(Audit.action).order_by(Audit.id)))


@pytest.mark.parametrize(
    ("changed", "field"),
    [
        ({"name": "  "}, "name"),
        ({"name": "Lin Farrow"}, "name"),
        ({"name": "lin  FARROW"}, "name"),
        ({"login": ""}, "login"),
        ({"login": "two words"}, "login"),
        ({"login": "TOMAS"}, "login"),
        ({"password": "too short"}, "password"),
        ({"password": ""}, "password"),
        ({"role": "boss"}, "role"),
        ({"role": ""}, "role"),
        ({"finger_mm": "7.9"}, "finger_mm"),
        ({"finger_mm": "30.1"}, "finger_mm"),
        ({"finger_mm": "thick"}, "finger_mm"),
    ],
)
def test_somebody_who_cannot_be_added_is_told_beside_the_field(
    owner: Context, changed: dict[str, str], field: str
) -> None:
    before = len(practice.staff(owner))
    with pytest.raises(BadInput) as told:
        practice.add_person(owner, GOOD | changed)
    assert list(told.value.fields) == [field] and told.value.fields[field]
    assert len(practice.staff(owner)) == before


def test_a_new_colleague_signs_in_is_licensed_and_loses_access_at_once(owner: Context) -> None:
    name = f"krol{uuid4().hex[:6]}"
    practice.add_person(owner, GOOD | {"login": name, "name": f"Bettina {name}", "finger_mm": "16,5"})
    mine = people.by_login(owner.db, name)
    assert mine and (mine.role, mine.finger_mm, mine.licences) == ("therapist", 16.5, [])
    assert mine.password_hash.startswith("$argon2id$") and "long enough" not in mine.password_hash

    practice.license_person(owner, f"{mine.id}", {"licence.fractional": "on", "licence.flying": "on"})
    assert mine.licences == ["fractional"], "only licences that a modality asks for"
    practice.license_person(owner, f"{mine.id}", {"careful_hands": "on", "licence.focused": "on"})
    assert (mine.licences, mine.careful_hands) == (["focused"], True)
    with pytest.raises(NotFound):
        practice.license_person(owner, f"{uuid4()}", {})

    token = signing_in.sign_in(name, "long enough words", "elsewhere")
    with signing_in.at_work(token) as there:
        assert there and there.me.name == f"Bettina {name}"
    with pytest.raises(signing_in.SignInFailed, match="do not belong together"):
        signing_in.sign_in(name, "long enough word", "elsewhere")
    practice.end_access(owner, f"{mine.id}")
    with pytest.raises(signing_in.SignInFailed):
        signing_in.sign_in(name, "long enough words", "elsewhere")
    with signing_in.at_work(token) as still:
        assert still is None, "also where one was signed in"
    practice.give_back(owner, f"{mine.id}")
    assert signing_in.sign_in(name, "long enough words", "elsewhere")
    assert {"add a person", "license a person", "end access", "give access back"} <= set(audited(owner))
    practice.end_access(owner, f"{mine.id}")


def test_nobody_ends_their_own_access(owner: Context) -> None:
    with pytest.raises(OutOfTurn, match="another owner"):
        practice.end_access(owner, f"{owner.me.id}")


@pytest.mark.parametrize("login", ["adaeze", "tomas", "lin", "joost"])
def test_the_house_is_the_owners(ctx: Context, login: str) -> None:
    me = as_(ctx, login)
    acts = (
        lambda: practice.add_person(me, GOOD),
        lambda: practice.license_person(me, f"{me.me.id}", {"licence.fractional": "on"}),
        lambda: practice.choose_methods(me, {}),
        lambda: practice.set_prices(me, {"currency": "EUR"}),
        lambda: practice.end_access(me, f"{uuid4()}"),
        lambda: practice.give_back(me, f"{uuid4()}"),
        lambda: practice.staff(me),
    )
    for act in acts:
        with pytest.raises(Denied, match=me.me.role):
            act()


@pytest.mark.parametrize(
    ("form", "field"),
    [
        ({"currency": "EURO"}, "currency"),
        ({"currency": ""}, "currency"),
        ({"currency": "12€"}, "currency"),
        ({"currency": "EUR", "price.led": "-1"}, "price.led"),
        ({"currency": "EUR", "price.led": "20001"}, "price.led"),
        ({"currency": "EUR", "price.led": "dear"}, "price.led"),
        ({"currency": "EUR", "price.led": "nan"}, "price.led"),
    ],
)
def test_a_price_that_is_none_is_told_and_nothing_is_kept_half(
    owner: Context, form: dict[str, str], field: str
) -> None:
    before = owner.studio.house
    with pytest.raises(BadInput) as told:
        practice.set_prices(owner, {"price.mask": "17"} | form)
    assert list(told.value.fields) == [field]
    assert people.studio(owner.db).house == before  # type: ignore[union-attr]


def test_prices_reach_the_plan(owner: Context) -> None:
    kept = people.studio(owner.db)
    assert kept
    before = kept.house
    practice.set_prices(owner, {"currency": "chf", "price.led": "41,50", "price.mask": "", "price.flying": "9"})
    house = kept.house
    assert house.currency == "CHF" and house.prices["led"] == 41.5
    assert "mask" not in house.prices and "flying" not in house.prices and set(house.prices) <= set(traits())
    kept.house = before
    owner.db.commit()


def test_the_house_follows_a_school_and_no_other_word(owner: Context) -> None:
    kept = people.studio(owner.db)
    assert kept
    before = kept.house
    practice.choose_methods(owner, {"infusion": "after", "numbing": "by moonlight", "flying": "yes"})
    assert kept.house.methods.get("infusion") == "after"
    assert "flying" not in kept.house.methods
    assert kept.house.methods.get("numbing", methods()["numbing"].schools[0].id) != "by moonlight"
    practice.choose_methods(owner, {"cold": "enzyme"})
    assert kept.house.methods.get("infusion") == "after", "what is not spoken of stays"
    visit = new_visit(owner)
    ask_nothing(owner, visit)
    for modality in ("microcurrent", "iontophoresis"):
        page = planning.edit(owner, visit, "add", {"modality": modality})
    assert "fit.order_infuse" not in {clash.rule for clash in page.computed.clashes}
    kept.house = before
    owner.db.commit()


def test_a_form_is_taken_once_until_it_did_nothing(ctx: Context) -> None:
    said = [("name", f"{uuid4()}")]
    key = forms_once.key_of(ctx, "/visits", said, "120")
    assert key != forms_once.key_of(ctx, "/visits", said, "121") != forms_once.key_of(ctx, "/", said, "120")
    assert key != forms_once.key_of(as_(ctx, "lin"), "/visits", said, "120"), "another person's is another form"
    assert forms_once.claim(ctx, key)
    forms_once.through(ctx, key)
    assert not forms_once.claim(ctx, key), "sent twice"
    forms_once.give_back(ctx, key)
    assert forms_once.claim(ctx, key), "it did nothing: it may be sent once more"
    forms_once.through(ctx, key)
    forms_once.give_back(ctx, key)
    assert once.KEPT_FOR.days == 2


def test_a_set_up_house_is_not_set_up_again(ctx: Context) -> None:
    form = {
        "code": practice.new_code(),
        "studio": "Another",
        "time_zone": "Europe/Lisbon",
        "name": "X Y",
        "login": "xy",
        "password": "long enough words",
    }
    assert practice.is_set_up()
    with pytest.raises(OutOfTurn, match="set up already"):
        practice.set_up(form)
    one, other = practice.new_code(), practice.new_code()
    assert one != other and len(one) == 14, "three times four signs"
