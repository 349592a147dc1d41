"""Where a stage touches skin that bears less: over bone, thin, of lid, lip or neck, over the gland. What it is set to
there, and what stands against it.
"""

from collections.abc import Callable, Iterator, Mapping
from typing import Literal, NamedTuple

from merak.core.body.plate import BONY, THIN, bare
from merak.core.knowledge.register import needs
from merak.core.modality.catalogue import MODALITIES
from merak.core.modality.device import Card
from merak.core.modality.shared import Dose, Settings, Subject, incremented, lower_there
from merak.core.working import Caution, Quantity

needs(
    __name__,
    """
    words: plan.by_class
    """,
)

SkinClass = Literal["bone", "lid", "lip", "neck", "gland", "thin"]
LID, LIP, GLAND = frozenset({"upper lid"}), frozenset({"lips"}), frozenset({"thyroid strip"})
NECK = frozenset({"under the chin", "front of neck", "side of neck"})
#: Class → its zones, in words. All but bone are judged as thin skin, by a rule of their own where there is one.
CLASSES: dict[SkinClass, tuple[frozenset[str], str]] = {
    "bone": (BONY, "over bone"),
    "lid": (LID, "on the lids"),
    "lip": (LIP, "on the lips"),
    "neck": (NECK, "on the neck"),
    "gland": (GLAND, "over the gland"),
    "thin": (THIN - LID - LIP - NECK - GLAND, "on thin skin"),
}
#: How often a setting is taken down to find one that no ceiling refuses.
PATIENCE = 24


class There(NamedTuple):
    """What a stage is set to on the zones of one class, and what that comes to."""

    skin: SkinClass
    zones: tuple[str, ...]
    settings: Settings
    dose: Dose

    @property
    def words(self) -> str:
        """The class in words."""
        return CLASSES[self.skin][1]


def by_class(
    modality: str,
    settings: Settings,
    card: Card | None,
    subject: Subject,
    areas: Mapping[str, float],
    dose_of: Callable[[Settings, Subject], Dose],
) -> Iterator[There]:
    """Each class that the zones of `areas` (cm²) touch: a step lower as the rule book says, and as much lower as a
    ceiling of the setting that is stepped asks for there.
    """
    module = MODALITIES[modality]
    for skin, (zones, _) in CLASSES.items():
        touched = tuple(zone for zone in areas if bare(zone) in zones)
        if not touched:
            continue
        cm2 = sum(areas[zone] for zone in touched)
        there = subject.model_copy(update={"bony": skin == "bone", "thin": skin != "bone", "area_cm2": cm2})
        lower = lower_there(module, settings, card, skin)
        found = dose_of(lower, there)
        for _ in range(PATIENCE):
            gentler = incremented(module, lower, card, up=False)
            if module.INCREMENT.field not in found.refused or gentler == lower:
                break
            lower, found = gentler, dose_of(gentler, there)
        yield There(skin, touched, lower, found)


def told(modality: str, settings: Settings, card: Card | None, classes: tuple[There, ...]) -> dict[str, Quantity]:
    """The setting on each class where it is another one, by a key of its own."""
    field = MODALITIES[modality].INCREMENT.field
    info = type(settings).model_fields[field]
    extra = info.json_schema_extra
    unit = str(extra["unit"]) if isinstance(extra, dict) and "unit" in extra else getattr(card, "scale", "")
    name = str(info.title).lower()

    def set_to(words: str, of: Settings) -> Quantity:
        value = float(getattr(of, field))
        return Quantity(name=words, value=value, unit=unit, digits=len(f"{value:g}".partition(".")[2]))

    everywhere = set_to(name, settings)
    return {
        f"at_{one.skin}": set_to(f"{one.words}, {name}", one.settings).model_copy(
            update={
                "formula": f"lower on {', '.join(one.zones)}",
                "inputs": (everywhere,),
                "rules": ("plan.by_class",),
            }
        )
        for one in classes
        if getattr(one.settings, field) != getattr(settings, field)
    }


def told_lower(dose: Dose, classes: tuple[There, ...]) -> str:
    """Where a stage is set lower, and to what, as it is said at the chair; "" where it is not."""
    found = ((one, dose.numbers.get(f"at_{one.skin}")) for one in classes)
    return " ".join(
        f"{number.name.capitalize()} {number.text}: {', '.join(one.zones)}." for one, number in found if number
    )


def against(whole: Dose, classes: tuple[There, ...]) -> Iterator[Caution]:
    """What stands against a stage on some of its zones only, with their names."""
    everywhere = {(stop.rule, stop.field) for stop in whole.against}
    for one in classes:
        for stop in one.dose.against:
            if (stop.rule, stop.field) not in everywhere:
                words = f"{stop.words.rstrip('.')} {one.words}: {', '.join(one.zones)}."
                action = f"{stop.action} Or leave these zones to a stage of their own.".strip()
                yield stop.model_copy(update={"words": words, "action": action})
