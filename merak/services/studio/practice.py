"""Setting up a studio, and running it: people and machines."""

import hashlib
import secrets
from typing import Annotated, Any
from zoneinfo import available_timezones

from pydantic import BeforeValidator, Field
from sqlalchemy import text

from merak.core.client import Findings
from merak.core.errors import BadInput
from merak.core.knowledge import methods, number, traits
from merak.core.knowledge.register import needs
from merak.core.plan.brief import Brief
from merak.core.plan.facts import Facts, Machine
from merak.records import db as database
from merak.records import people
from merak.records.tables import Audit, Person, SetUpCode, Studio
from merak.services.context import Context, NotFound, OutOfTurn
from merak.services.forms import AsTyped, Otherwise, Prefixed, TypedForm, number_typed
from merak.services.permission import ROLES
from merak.services.studio.signing_in import HASHER, forget

needs(
    __name__,
    """
    mm: face.finger_breadth
    """,
)

SHORTEST_PASSWORD = 10
TOO_SHORT = f"At least {SHORTEST_PASSWORD} characters."
WEEK = {
    "0": ["09:00", "19:00"],
    "1": ["09:00", "19:00"],
    "2": ["09:00", "19:00"],
    "3": ["09:00", "19:00"],
    "4": ["09:00", "19:00"],
    "5": ["09:00", "15:00"],
}


def is_set_up() -> bool:
    """Whether there is a studio yet."""
    with database.session() as db:
        return people.studio(db) is not None


def new_code() -> str:
    """A fresh one-time code for the set-up page, to be told in the terminal only; earlier ones end."""
    code = "-".join(secrets.token_hex(2).upper() for _ in range(3))
    with database.session() as db:
        db.query(SetUpCode).delete()
        db.add(SetUpCode(code_hash=_hashed(code)))
        db.commit()
    return code


class OwnerForm(TypedForm):
    """Somebody who signs in."""

    name: Annotated[str, Otherwise("A name is needed: it stands on every record.", needed=True)] = ""
    login: Annotated[str, Field(pattern=r"^[^ ]*$"), Otherwise("A sign-in name without spaces.", needed=True)] = ""
    password: Annotated[str, AsTyped, Field(min_length=SHORTEST_PASSWORD), Otherwise(TOO_SHORT, needed=True)] = ""


class SetUpForm(OwnerForm):
    """The studio and its first owner."""

    code: str = ""
    studio: Annotated[str, Otherwise("What is the studio called?", needed=True)] = ""
    time_zone: str = ""


class PersonForm(OwnerForm):
    """Somebody who works here."""

    role: str = ""
    finger_mm: Annotated[float | None, Field(ge=8, le=30), Otherwise("A finger breadth lies between 8 and 30 mm.")] = (
        None
    )


def set_up(form: dict[str, str]) -> None:
    """Makes the studio and its first owner. Raises BadInput by field, OutOfTurn when there is a studio already."""
    asked, wrong = SetUpForm.parse(form)
    if asked.time_zone not in available_timezones():
        wrong["time_zone"] = "No such time zone; for example Europe/Lisbon."
    with database.session() as db:
        if people.studio(db):
            raise OutOfTurn("The studio is set up already. Sign in.")
        if not wrong and not people.use_code(db, _hashed(asked.code)):
            wrong["code"] = "That is not the code in the terminal. Start again for a new one."
        if wrong:
            raise BadInput(wrong)
        db.add(Studio(id=1, name=asked.studio, time_zone=asked.time_zone, opening=WEEK))
        owner = Person(name=asked.name, login=asked.login, password_hash=HASHER.hash(asked.password), role="owner")
        db.add(owner)
        db.flush()
        db.add(Audit(person_id=owner.id, action="set up the studio"))
        db.commit()


def _hashed(code: str) -> str:
    return hashlib.sha256(code.strip().upper().encode()).hexdigest()


def add_person(ctx: Context, form: dict[str, str]) -> None:
    """Adds somebody who works here. Raises BadInput by field."""
    ctx.demand("run the practice")
    new, wrong = PersonForm.parse(form)
    if new.role not in ROLES:
        wrong["role"] = "Choose a role."
    for one in people.everyone(ctx.db):
        if one.login.casefold() == new.login.casefold():
            wrong["login"] = "Somebody signs in with this name already."
        if " ".join(one.name.casefold().split()) == " ".join(new.name.casefold().split()):
            wrong["name"] = "Somebody is called so already: records could not tell them apart. Add a second name."
    if wrong:
        raise BadInput(wrong)
    with ctx.saving("add a person") as db:
        db.add(
            Person(
                name=new.name,
                login=new.login,
                password_hash=HASHER.hash(new.password),
                role=new.role,
                finger_mm=new.finger_mm,
            )
        )


#: What somebody may hold beyond a therapist's own right, as the modalities ask for it.
LICENCES = ("pulsed light", "fractional", "focused", "micro depth")


class LicenceForm(TypedForm):
    """Which licences somebody holds, and whether they keep their hands off energy now."""

    licences: Annotated[dict[str, str], Prefixed("licence.")] = Field(default_factory=dict)
    careful_hands: bool = False


def license_person(ctx: Context, person_id: str, form: dict[str, str]) -> None:
    """Which licences somebody holds, and whether they should keep their hands off energy now. Raises NotFound."""
    ctx.demand("run the practice")
    asked = LicenceForm.read(form)
    with ctx.saving("license a person", person_id):
        person = next((one for one in people.everyone(ctx.db) if str(one.id) == person_id), None)
        if person is None:
            raise NotFound("There is nobody like that here.")
        person.licences = [one for one in LICENCES if asked.licences.get(one) == "on"]
        person.careful_hands = asked.careful_hands


def choose_methods(ctx: Context, form: dict[str, str]) -> None:
    """The studio's own school for each matter that practitioners disagree on. What no school is called is left as it
    was.
    """
    ctx.demand("run the practice")
    schools = {name: {school.id for school in method.schools} for name, method in methods().items()}
    chosen = {name: form[name] for name in schools if form.get(name) in schools[name]}
    with ctx.saving("choose methods"):
        _keep_house(ctx, methods={**ctx.studio.house.methods, **chosen})


#: Beyond this a price is a slip of the finger.
HIGHEST_PRICE = 20_000


class PricesForm(TypedForm):
    """Prices by modality, and their currency."""

    prices: Annotated[
        dict[str, Annotated[Annotated[float, Field(ge=0, le=HIGHEST_PRICE)] | None, BeforeValidator(number_typed)]],
        Prefixed("price."),
        Otherwise(f"“{{typed}}” is not a price between 0 and {HIGHEST_PRICE:,}."),
    ] = Field(default_factory=dict)
    currency: Annotated[str, Field(pattern=r"^[A-Za-z]{3}$"), Otherwise("Three letters, as EUR.", needed=True)] = ""


def set_prices(ctx: Context, form: dict[str, str]) -> None:
    """The studio's prices by modality, and the currency. Raises BadInput by field; nothing is kept half."""
    ctx.demand("run the practice")
    asked = PricesForm.read(form)
    prices = {name: price for name in traits() if (price := asked.prices.get(name)) is not None}
    with ctx.saving("set prices"):
        _keep_house(ctx, prices=prices, currency=asked.currency.upper())


def _keep_house(ctx: Context, **changed: Any) -> None:
    studio = people.studio(ctx.db)
    if studio is not None:
        studio.house = studio.house.model_copy(update=changed)


def end_access(ctx: Context, person_id: str) -> None:
    """Ends somebody's access at once; what they did stays on the record. Raises OutOfTurn for oneself: somebody has to
    own the studio.
    """
    ctx.demand("run the practice")
    if person_id == str(ctx.me.id):
        raise OutOfTurn("You cannot end your own access. Let another owner do it.")
    with ctx.saving("end access", person_id) as db:
        people.end_access(db, person_id)
    forget()


def give_back(ctx: Context, person_id: str) -> None:
    """Somebody whose access was ended may sign in again, with the password of before."""
    ctx.demand("run the practice")
    with ctx.saving("give access back", person_id) as db:
        people.give_back(db, person_id)


def staff(ctx: Context) -> list[Person]:
    """All who work here."""
    ctx.demand("run the practice")
    return people.everyone(ctx.db)


def brief_of(ctx: Context) -> Brief:
    """A brief for nobody yet: today, this studio's machines, methods and prices, and whoever asks."""
    person = ctx.db.get(Person, ctx.me.id)
    facts = Facts(
        today=ctx.today,
        born=ctx.today,
        returning=False,
        answers={},
        findings=Findings(),
        machines=tuple(Machine(id=str(one.id), card=one.card) for one in people.devices(ctx.db)),
        finger_mm=(person.finger_mm if person else None) or number("face.finger_breadth"),
        licences=frozenset(person.licences if person else ()),
        senior=ctx.me.role in ("senior", "owner"),
        methods=ctx.studio.house.methods,
        prices=ctx.studio.house.prices,
    )
    return Brief(facts)


def database_answers() -> bool:
    """One SELECT. Raises what the driver raises when there is no answer."""
    with database.session() as db:
        return bool(db.scalar(text("SELECT 1")) == 1)


def is_away(error: Exception) -> bool:
    """Whether an error means that the database is not there for a moment."""
    return database.away(error)
