"""The studio's machines, each by its card: added, put away, in use again."""

from typing import Annotated, Any
from uuid import UUID

from pydantic import BeforeValidator, Field, TypeAdapter, ValidationError

from merak.core.errors import BadInput
from merak.core.modality.catalogue import MODALITIES
from merak.core.modality.device import COLOURS, Card, LedCard, MicrocurrentCard
from merak.records import people
from merak.records.tables import Device
from merak.services.context import Context, NotFound, OutOfTurn
from merak.services.forms import Otherwise, TypedForm, decimal, finite, said
from merak.services.treatment import treating

CARD: TypeAdapter[Card] = TypeAdapter(Card)
#: A colour ("" where none is named), and a measured pair.
Measured = tuple[str, float, float]


def _lines(typed: object) -> list[str]:
    return [line.strip() for line in str(typed).splitlines() if line.strip()]


def _measured(typed: object) -> list[Measured]:
    """Pairs of numbers, one a line, which may begin with a light's colour. Raises ValueError for a
    line that is none.
    """
    found = []
    for line in _lines(typed):
        head, _, rest = line.partition(" ")
        colour = head.lower() if head.lower() in COLOURS else ""
        try:
            a, b = (finite(part) for part in (rest if colour else line).split())
        except ValueError:
            raise ValueError(f"“{line}” is not two numbers") from None
        found.append((colour, a, b))
    return found


def _tips(typed: object) -> list[dict[str, Any]]:
    """Tips, one a line: name; mm across; mm down; pins. Raises ValueError for a line that is none."""
    found = []
    for line in _lines(typed):
        name, *numbers = (part.strip() for part in line.split(";"))
        try:
            across, down, *pins = (finite(part) for part in numbers)
        except ValueError:
            raise ValueError(f"“{line}” is not: name; mm across; mm down; pins") from None
        found.append({"name": name, "across_mm": across, "down_mm": down, "pins": int(pins[0]) if pins else 0})
    return found


class CardForm(TypedForm):
    """A machine's card as it is typed: `points` measured pairs (level µA, cm mW/cm², scale and unit; a light's may
    begin with its colour), `by_phototype` a phototype and its ceiling a line. What its kind has not is left out.
    """

    modality: str = ""
    name: Annotated[str, Otherwise("What is this machine called in the room?", needed=True)] = ""
    points: Annotated[list[Measured], BeforeValidator(_measured)] = Field(default_factory=list)
    tips: Annotated[list[dict[str, Any]], BeforeValidator(_tips)] = Field(default_factory=list)
    by_phototype: Annotated[list[Measured], BeforeValidator(_measured)] = Field(default_factory=list)
    wavelength_nm: str = "633"
    levels: str = "10"
    contact_cm2: str = ""
    scale: str = ""
    least: str = ""
    most: str = ""
    step: str = ""
    cleaned: str = ""
    isolated: str = ""

    @property
    def card(self) -> dict[str, Any]:
        """The fields of a card of this kind."""
        named: dict[str, Any] = {"modality": self.modality, "name": self.name}
        pairs = sorted((a, b) for _, a, b in self.points)
        kind = MODALITIES[self.modality].CARD if self.modality in MODALITIES else None
        if kind is LedCard:
            by = {colour: sorted((a, b) for of, a, b in self.points if (of or "red") == colour) for colour in COLOURS}
            red, others = by["red"], {colour: own for colour, own in by.items() if colour != "red" and own}
            return named | {"wavelength_nm": self.wavelength_nm, "points": red, "colours": others}
        if kind is MicrocurrentCard:
            contact = decimal(self.contact_cm2)
            levels = {"levels": self.levels, "contact_cm2": contact, "calibration": pairs}
            return named | levels | {"isolated": bool(self.isolated)}
        typed = {key: decimal(getattr(self, key)) for key in ("scale", "least", "most", "step", "cleaned")}
        ceilings = {str(int(kind)): most for _, kind, most in self.by_phototype}
        given = {key: text for key, text in typed.items() if text}
        told = {"calibration": pairs, "tips": self.tips, "by_phototype": ceilings, "isolated": bool(self.isolated)}
        return named | given | told


#: Field of a card → the field of the form that it is typed in.
TYPED_IN = {"calibration": "points", "colours": "points"}


def add_device(ctx: Context, form: dict[str, str]) -> None:
    """Adds a machine by its card. Raises BadInput by field."""
    ctx.demand("run the practice")
    asked, wrong = CardForm.parse(form)
    if asked.modality not in MODALITIES or MODALITIES[asked.modality].CARD is None:
        wrong["modality"] = "There is no such kind of machine."
    try:
        card = CARD.validate_python(asked.card)
    except ValidationError as broken:
        for error in broken.errors():
            field = str(error["loc"][1]) if len(error["loc"]) > 1 else "points"
            wrong.setdefault(TYPED_IN.get(field, field), said(dict(error)))
    if wrong:
        raise BadInput(wrong)
    with ctx.saving("add a machine") as db:
        db.add(Device(modality=asked.modality, card=card))


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


def put_aside(ctx: Context) -> list[tuple[UUID, Card]]:
    """The machines that were put away, id and card."""
    ctx.demand("run the practice")
    return [(device.id, device.card) for device in people.devices(ctx.db, active=False)]


def in_use(ctx: Context) -> list[tuple[UUID, Card]]:
    """The machines in use, id and card."""
    ctx.demand("use the bench")
    return [(device.id, device.card) for device in people.devices(ctx.db)]
