"""Peel: free acid, contact clock, neutraliser, the day its spot is read."""

from collections.abc import Iterable
from typing import Any, Literal

from pydantic import Field

from merak.core.acts import Act
from merak.core.dose.acids import ACIDS, bicarbonate_g
from merak.core.knowledge import number
from merak.core.knowledge.register import needs
from merak.core.modality.acid_limits import contact_most, free, spares_abraded
from merak.core.modality.making import Making, left_to_work
from merak.core.modality.shared import (
    Amount,
    Circumstances,
    Dose,
    Increment,
    Judge,
    Start,
    Subject,
    as_set,
    carried,
    worked,
)
from merak.core.modality.shared import Settings as Base
from merak.core.modality.ways import ASKED_ACID, SpotTest, Ways

needs(
    __name__,
    """
    %: acid.mild
    h: acid.spot
    mL: acid.amount
    words: acid.frost acid.neutral acid.rank
    """,
    aspect=("salicylic", "strong_acid"),
)

NAME = "peel"
CARD = None
INCREMENT = Increment("minutes", 0.5)
AMOUNT = Amount("rank", adds_up=True)
WAYS = Ways(
    asks=ASKED_ACID,
    spot=SpotTest("acid.spot", unit="min"),
    tags=frozenset({"strong_acid"}),
    amounts={"bicarbonate": "bicarbonate to neutralise"},
)


class Settings(Base):
    """What is set: acid, strength, pH, minutes, how much, whether it is the first strong one."""

    acid: Literal["glycolic", "lactic", "salicylic", "mandelic", "citric"] = Field("lactic", title="Acid")
    percent: float = Field(15, ge=0.01, le=100, title="Strength", json_schema_extra={"unit": "%"})
    ph: float = Field(3.5, ge=0, le=14, title="pH")
    minutes: float = Field(2, ge=0.1, le=60, title="Contact", json_schema_extra={"unit": "min"})
    amount_ml: float = Field(3, ge=0.01, le=30, title="Amount", json_schema_extra={"unit": "mL"})
    first_strong: bool = Field(True, title="First strong one")

    def tags(self) -> tuple[str, ...]:
        """A strong acid's."""
        return ("strong_acid",) * (self.percent > number("acid.mild"))

    def aspects(self, scale: tuple[float, float]) -> tuple[str, ...]:
        """Salicylic acid, and a strong acid."""
        strong = self.percent > number("acid.mild")
        return ("salicylic",) * (self.acid == "salicylic") + ("strong_acid",) * strong

    @classmethod
    def follows(cls, around: Circumstances) -> dict[str, Any]:
        """Whether it is the first strong one."""
        return {"first_strong": NAME not in around.before}


def start(card: None, subject: Subject) -> Start:
    """A mild lactic acid, as long as this skin allows at most, but two minutes."""
    rule_id, most = contact_most(15, subject, True)
    found = worked(
        "contact",
        min(2.0, most),
        "min",
        "two minutes, or less where the skin minds",
        (as_set("at most", most, "min", 1, rule_id),),
        rule_id,
    )
    usual = Settings(minutes=found.value or 1, amount_ml=number("acid.amount"))
    return Start(carried(INCREMENT, usual, card, subject), found)


def dose(settings: Settings, card: None, subject: Subject) -> Dose:
    """Free acid, rank, clock, bicarbonate."""
    judge = Judge()
    part = free(judge, settings.acid, settings.percent, settings.ph)
    time = as_set("contact", settings.minutes, "min", 1)
    judge.tell("minutes", time)
    rule_id, most = contact_most(settings.percent, subject, settings.first_strong)
    judge.gives("acid", time, rule_id, "minutes", limit=most)
    spares_abraded(judge)
    judge.tell(
        "rank",
        worked(
            "free acid × minutes",
            (part.value or 0) * settings.minutes,
            "% min",
            "for ranking only",
            (part, time),
            "acid.rank",
        ),
    )
    amount = as_set("amount", settings.amount_ml, "mL", 1, "acid.amount")
    grams = worked(
        "acid in it",
        settings.amount_ml * settings.percent / 100,
        "g",
        "amount × strength, 1 g a mL",
        (amount, as_set("strength", settings.percent, "%", 1)),
        digits=2,
    )
    protons = 3 if settings.acid == "citric" else 1
    soda = bicarbonate_g(grams.value or 0, settings.acid, protons)
    mass = as_set("molar mass", ACIDS[settings.acid][1], "g/mol", 2)
    judge.tell(
        "bicarbonate",
        worked(
            "bicarbonate to neutralise all of it",
            soda,
            "g",
            "acid ÷ molar mass × 84.01 × protons",
            (grams, mass),
            "acid.neutral",
            digits=2,
        ),
    )
    judge.tell(
        "spot", worked("test spot is read after", number("acid.spot"), "h", "24 to 48 hours", (), "acid.spot", digits=0)
    )
    judge.know("acid.frost")
    return judge.dose()


def acts(make: Making) -> Iterable[Act]:
    """On, and left to work until it is neutralised."""
    return left_to_work(make, "Acid works", "Neutralise now.")
