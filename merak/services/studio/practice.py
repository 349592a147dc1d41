"""Setting up a studio, and running it: people and machines."""

import hashlib
import secrets
from typing import Annotated, Any
from uuid import UUID
from zoneinfo import available_timezones

from pydantic import Field, TypeAdapter, ValidationError
from sqlalchemy import text

from merak.core.client import Findings
from merak.core.errors import BadInput
from merak.core.knowledge import methods, number, traits
from merak.core.modality.device import COLOURS, Card
from merak.core.plan.brief import Brief
from merak.core.plan.facts import Facts, Machine
from merak.records import db as database
from merak.records import people
from merak.records.tables import Audit, Device, Person, SetUpCode, Studio
from merak.services.context import Context, NotFound, OutOfTurn
from merak.services.forms import AsTyped, Otherwise, TypedForm, decimal, said
from merak.services.permission import ROLES
from merak.services.studio.signing_in import HASHER, forget
from merak.services.treatment import treating

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
CARD: TypeAdapter[Any] = TypeAdapter(Card)


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


def license_person(ctx: Context, person_id: str, form: dict[str, str]) -> None:
    """Which licences somebody holds, and whether they should keep their hands off energy now. Raises NotFound."""
    ctx.demand("run the practice")
    with ctx.saving("license a person", person_id):
        person = next((one for one in people.everyone(ctx.db) if str(one.id) == person_id), None)
        if person is None:
            raise NotFound("There is nobody like that here.")
        person.licences = [one for one in LICENCES if form.get(f"licence.{one}") == "on"]
        person.careful_hands = form.get("careful_hands") == "on"


def choose_methods(ctx: Context, form: dict[str, str]) -> None:
    """The studio's own school for each matter that practitioners disagree on. What no school is called is left as it
    was.
    """
    ctx.demand("run the practice")
    with ctx.saving("choose methods"):
        kept = dict(ctx.studio.house.methods)
        for name, method in methods().items():
            if form.get(name) in {school.id for school in method.schools}:
                kept[name] = form[name]
        _keep_house(ctx, methods=kept)


def set_prices(ctx: Context, form: dict[str, str]) -> None:
    """The studio's prices by modality, and the currency. Raises BadInput by field; nothing is kept half."""
    ctx.demand("run the practice")
    wrong: dict[str, str] = {}
    prices: dict[str, float] = {}
    for name in traits():
        raw = form.get(f"price.{name}", "").strip()
        if raw:
            try:
                prices[name] = float(decimal(raw))
            except ValueError:
                wrong[f"price.{name}"] = f"“{raw}” is not a price."
            else:
                if not 0 <= prices[name] <= HIGHEST_PRICE:
                    wrong[f"price.{name}"] = f"Between 0 and {HIGHEST_PRICE:,}."
    currency = form.get("currency", "").strip().upper()
    if not (len(currency) == 3 and currency.isalpha()):
        wrong["currency"] = "Three letters, as EUR."
    if wrong:
        raise BadInput(wrong)
    with ctx.saving("set prices"):
        _keep_house(ctx, prices=prices, currency=currency)


#: Beyond this a price is a slip of the finger.
HIGHEST_PRICE = 20_000


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


def add_device(ctx: Context, form: dict[str, str]) -> None:
    """Adds a machine by its card. Raises BadInput by field.

    `points` holds a measured pair a line (level µA, cm mW/cm², scale and unit; a light's may begin with its colour),
    `tips` a tip a line: name; mm across; mm down; pins. `by_phototype` holds a phototype and its ceiling a line.
    """
    ctx.demand("run the practice")
    modality, name = form.get("modality", ""), form.get("name", "").strip()
    wrong: dict[str, str] = {} if name else {"name": "What is this machine called in the room?"}
    lines = {
        key: [line.strip() for line in form.get(key, "").splitlines() if line.strip()]
        for key in ("points", "tips", "by_phototype")
    }
    body: dict[str, Any] = {"modality": modality, "name": name}
    if modality == "led":
        body |= {
            "wavelength_nm": form.get("wavelength_nm") or 633,
            "points": _pairs(lines["points"], "points", wrong, "red"),
        }
        body["colours"] = {
            colour: pairs
            for colour in COLOURS
            if colour != "red" and (pairs := _pairs(lines["points"], "points", wrong, colour))
        }
    elif modality == "microcurrent":
        contact = decimal(form.get("contact_cm2", ""))
        body |= {
            "levels": form.get("levels") or 10,
            "contact_cm2": contact,
            "calibration": _pairs(lines["points"], "points", wrong),
        }
    else:
        body |= {
            key: decimal(form[key])
            for key in ("scale", "least", "most", "step", "cleaned")
            if form.get(key, "").strip()
        }
        body |= {"calibration": _pairs(lines["points"], "points", wrong), "tips": _tips(lines["tips"], wrong)}
        body["by_phototype"] = {
            str(int(kind)): most for kind, most in _pairs(lines["by_phototype"], "by_phototype", wrong)
        }
    try:
        card = CARD.validate_python(body)
    except ValidationError as broken:
        for error in broken.errors():
            field = (
                str(error["loc"][1])
                if len(error["loc"]) > 1
                else "modality"
                if "union_tag" in error["type"]
                else "points"
            )
            wrong.setdefault({"calibration": "points", "colours": "points"}.get(field, field), said(dict(error)))
    if wrong:
        raise BadInput(wrong)
    with ctx.saving("add a machine") as db:
        db.add(Device(modality=modality, card=card))


def _pairs(lines: list[str], field: str, wrong: dict[str, str], colour: str = "") -> list[tuple[float, float]]:
    """Pairs of numbers in rising order; of a light's lines those of a colour, red where none is named."""
    found = []
    for line in lines:
        head, _, rest = line.partition(" ")
        named = head.lower() if head.lower() in COLOURS else ""
        if colour and (named or "red") != colour:
            continue
        try:
            a, b = (float(decimal(part)) for part in (rest if named else line).split())
            found.append((a, b))
        except ValueError:
            wrong[field] = f"“{line}” is not two numbers."
    return sorted(found)


def _tips(lines: list[str], wrong: dict[str, str]) -> list[dict[str, Any]]:
    found = []
    for line in lines:
        name, *numbers = (part.strip() for part in line.split(";"))
        try:
            across, down, *pins = (float(decimal(part)) for part in numbers)
            found.append({"name": name, "across_mm": across, "down_mm": down, "pins": int(pins[0]) if pins else 0})
        except ValueError:
            wrong["tips"] = f"“{line}” is not: name; mm across; mm down; pins."
    return found


def put_away(ctx: Context, device_id: str) -> None:
    """Takes a machine out of use; plans made with it keep their numbers. Raises OutOfTurn while a treatment under way
    needs it.
    """
    ctx.demand("run the practice")
    if treating.running_with(ctx, device_id):
        raise OutOfTurn("A treatment under way is done with this machine. It is put away once that has ended.")
    _use(ctx, device_id, False)


def take_out(ctx: Context, device_id: str) -> None:
    """A machine that was put away is in use again."""
    ctx.demand("run the practice")
    _use(ctx, device_id, True)


def _use(ctx: Context, device_id: str, active: bool) -> None:
    with ctx.saving("use a machine" if active else "put a machine away", device_id):
        device = people.device(ctx.db, device_id)
        if device is None:
            raise NotFound("There is no such machine.")
        device.active = active


def staff(ctx: Context) -> list[Person]:
    """All who work here."""
    ctx.demand("run the practice")
    return people.everyone(ctx.db)


def put_aside(ctx: Context) -> list[tuple[UUID, Card]]:
    """The machines that were put away, id and card."""
    ctx.demand("run the practice")
    return [(device.id, device.card) for device in people.devices(ctx.db, active=False)]


def machines(ctx: Context) -> list[tuple[UUID, Card]]:
    """The machines in use, id and card."""
    ctx.demand("use the bench")
    return [(device.id, device.card) for device in people.devices(ctx.db)]


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
