"""What a stage lays on skin: its products by name, the newest last, and how much of each."""

import re
from collections.abc import Sequence
from typing import NamedTuple

from merak.core.dose.product import layer_g
from merak.core.knowledge import Product, SkinCase, Through, book, number, on_skin, shelf
from merak.core.knowledge.current import by_book
from merak.core.modality.shared import Settings
from merak.core.working import Quantity

#: How a thing comes off that does not come off with its stage.
STAYS = ("", "stays on")
#: Kinds that lie between skin and whatever shines on it.
COVERING = ("mask", "sheet")
#: So many different words for products are looked up once.
MOST_WORDS = 1024


class Coat(NamedTuple):
    """A product as it is named; None where the shelf has none of that name."""

    name: str
    product: Product | None

    @property
    def sterile(self) -> bool:
        """Whether it is known to be."""
        return self.product is not None and self.product.sterile

    @property
    def lies(self) -> bool:
        """Whether it leaves a coat: what nobody knows does."""
        return self.product is None or self.product.film > 0

    @property
    def covers(self) -> bool:
        """Whether it hides the skin, as a mask or a sheet does: what nobody knows does."""
        return self.product is None or self.product.kind in COVERING

    def lets(self, what: Through) -> bool:
        """Whether that is known to get through it."""
        return self.product is not None and what in self.product.lets


def shelf_names() -> tuple[str, ...]:
    """What is on the shelf, by kind."""
    return tuple(one.name for one in book().product)


@by_book(MOST_WORDS)
def on_the_shelf(words: str) -> tuple[Coat, ...]:
    """The products that words name: all of them as one, else "gel", "serum + gel", "serum, then gel"."""
    there = shelf()
    pieces = [words] if words.lower() in there else re.split(r"\s*[+,;]\s*(?:then\s+)?", words)
    return tuple(
        Coat(there[one.lower()].name, there[one.lower()]) if one.lower() in there else Coat(one, None)
        for one in (piece.strip() for piece in pieces)
        if one
    )


def coat_of(modality: str, settings: Settings | None, named: str, opened: bool) -> tuple[Coat, ...]:
    """What a stage lays: what it names, else what its modality usually does as it is set; where skin is `opened` and
    the work may go there, each in its sterile kind, or left out.
    """
    if named.strip():
        return on_the_shelf(named)
    entry = on_skin()[modality]
    usual = entry.coat
    for case in entry.cases:
        if case.coat and holds_case(case, settings):
            usual = case.coat
    there = [shelf()[name.lower()] for name in usual]
    if opened and entry.sterile:
        there = [shelf()[one.opened.lower()] if one.opened else one for one in there if one.opened or one.sterile]
    return tuple(Coat(one.name, one) for one in there)


def holds_case(case: SkinCase, settings: Settings | None) -> bool:
    """Whether a stage is set so, and past these rules; what cannot be read counts as past them."""
    said = all(getattr(settings, name, None) == value for name, value in case.set.items())
    return said and all(_above(getattr(settings, name, None), rule) for name, rule in case.above.items())


def _above(value: object, rule: str) -> bool:
    return not isinstance(value, int | float) or value > number(rule) + 1e-9


def names(laid: Sequence[Coat]) -> str:
    """Products in words, the first laid first."""
    return ", then ".join(one.name for one in laid)


def touches(modality: str) -> bool:
    """Whether what a work is done with touches skin, or what lies on it."""
    return on_skin()[modality].touches


def amounts(laid: Sequence[Coat], cm2: float) -> dict[str, Quantity]:
    """How much of each product lies on so much skin, by its name: area times film."""
    return {
        one.name: Quantity(
            name=one.name,
            value=layer_g(cm2, one.product.film),  # near water a gram is a millilitre
            unit=one.product.unit,
            digits=1,
            formula=f"{cm2:.0f} cm² × {one.product.film:g} mg/cm²",
            rules=(one.product.id,),
        )
        for one in laid
        if one.product is not None and one.product.film
    }
