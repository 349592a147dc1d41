"""What is taken home: which products, how much each time, from when to when, how much of it in all."""

from collections.abc import Iterable
from datetime import datetime, timedelta
from math import ceil

from merak.core.after.aftercare import Moments, Personal, SheetLine
from merak.core.knowledge import Home, book, number, quantity
from merak.core.knowledge.register import needs
from merak.core.working import Frozen, Quantity

needs(
    __name__,
    """
    g: after.fingertip
    mg/cm²: after.cream_film after.sun_film
    """,
    topic=("closed",),
)

#: Handed over in steps of so many grams.
PACK_G = 5


class Take(Frozen):
    """One product: how it is used, from when to when, grams each time with their working, grams in all."""

    id: str
    words: str
    use: str
    start: datetime
    until: datetime
    each: Quantity
    total_g: int

    @property
    def fingertips(self) -> float:
        """Grams each time as strips of cream on the last finger joint, in halves, at least half of one."""
        return max(0.5, round(2 * self.each.known / number("after.fingertip")) / 2)


def kit(done: Iterable[str], of: Personal, at: Moments, sheet: Iterable[SheetLine]) -> tuple[Take, ...]:
    """The products for what was done and for this skin. While nothing may go on open channels, only what is sterile
    does.
    """
    tags = {"any", *done}
    closed = next((line.until for line in sheet if line.topic == "closed"), at.ended)
    chosen = [one for one in book().home if tags & set(one.tags) and (not one.family or of.family in one.family)]
    ends = {one.id: at.ended + timedelta(hours=one.until_h) for one in chosen}
    found = []
    for one in chosen:
        begins = max(
            at.ended + timedelta(hours=one.from_h), at.ended if one.sterile else closed, ends.get(one.follows, at.ended)
        )
        until = min(ends[one.id], closed) if one.sterile else ends[one.id]
        if begins < until:
            found.append(_taken(one, of, begins, until))
    return tuple(found)


def _taken(one: Home, of: Personal, begins: datetime, until: datetime) -> Take:
    each = _each(one, of)
    days = ceil((until - begins) / timedelta(days=1))
    total = each.known * one.times * days
    return Take(
        id=one.id,
        words=one.words,
        use=one.use,
        start=begins,
        until=until,
        each=each,
        total_g=max(PACK_G, PACK_G * ceil(total / PACK_G)),
    )


def _each(one: Home, of: Personal) -> Quantity:
    """Grams each time: a film over the skin, or what the rule book says."""
    if not one.film:
        return Quantity(name="each time", value=one.grams, unit="g", digits=1, rules=(one.id,))
    area = Quantity(name="skin", value=of.area_cm2, unit="cm²")
    film = f"after.{one.film}_film"
    value = of.area_cm2 * number(film) / 1000
    return Quantity(
        name="each time",
        value=value,
        unit="g",
        digits=1,
        formula="skin × film",
        inputs=(area, quantity(film, "film", 1)),
        rules=(film, one.id),
    )
