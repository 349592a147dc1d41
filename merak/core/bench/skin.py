"""Needles, acids, numbing, abrasion, products and machine scales on the bench."""

from typing import Literal

from pydantic import Field, model_validator

from merak.core.bench.answer import Calculation, Curve, Inputs, Limit, Result, answered, span, thread
from merak.core.dose.abrasion import liquid_ml, path_mm, point_dwell_s
from merak.core.dose.acids import ACIDS, bicarbonate_g, free_percent, free_share
from merak.core.dose.needles import pen_density_cm2, roller_density_cm2, untouched_share
from merak.core.dose.product import film_ml, fingertip_units, layer_g
from merak.core.dose.sun import seconds_to_sed
from merak.core.knowledge import number
from merak.core.knowledge.register import needs
from merak.core.modality import numbing as numb
from merak.core.modality.acid_limits import free
from merak.core.modality.catalogue import MachineKind
from merak.core.modality.device import MachineCard
from merak.core.modality.needling import beside_layers
from merak.core.modality.shared import Judge, Subject, as_set, worked

needs(
    __name__,
    """
    %: micro_needling.overlap wet_abrasion.share
    /cm²: micro_needling.density micro_needling.density.most
    J/m²: sun.sed
    cm²: product.fingertip.area product.fingertip.area.men
    g: product.fingertip.grams product.fingertip.grams.men
    mL/min: wet_abrasion.flow
    mg/cm²: product.sun_protection
    mm: micro_needling.channel
    pH: acid.ph
    passes: diamond.passes
    share: sun.real
    words: acid.free acid.frost acid.neutral acid.rank device.calibration product.film work.pace
    """,
)

GROUP = "Skin and products"


class NeedlesIn(Inputs):
    """A pen or a roller over an area."""

    tool: Literal["pen", "roller"] = Field("pen", title="Tool")
    needles: int = Field(12, ge=1, le=1200, title="Needles")
    rate_hz: float = Field(100, ge=0.01, le=500, title="Pen: rate", json_schema_extra={"unit": "Hz"})
    seconds: float = Field(60, ge=0.01, le=3600, title="Pen: time", json_schema_extra={"unit": "s"})
    area_cm2: float = Field(100, ge=0.01, le=2000, title="Area", json_schema_extra={"unit": "cm²"})
    overlap_percent: float = Field(0, ge=0, le=60, title="Overlap of rows", json_schema_extra={"unit": "%"})
    diameter_cm: float = Field(2, ge=0.01, le=10, title="Roller: diameter", json_schema_extra={"unit": "cm"})
    width_cm: float = Field(2, ge=0.01, le=10, title="Roller: width", json_schema_extra={"unit": "cm"})
    passes: int = Field(1, ge=1, le=40, title="Passes")
    depth_mm: float = Field(0.25, ge=0.01, le=3, title="Set depth", json_schema_extra={"unit": "mm"})
    thin: bool = Field(False, title="Thin skin")


def needles(asked: NeedlesIn) -> Result:
    """Punctures a cm², untouched share, set depth beside layers."""
    judge = Judge()
    share = asked.overlap_percent / 100
    count, times, lap = (
        as_set("needles", asked.needles, "", 0),
        as_set("passes", asked.passes, "", 0),
        as_set("overlap", asked.overlap_percent, "%", 0),
    )
    once = (
        pen_density_cm2(asked.needles, asked.rate_hz, asked.seconds, asked.area_cm2, share)
        if asked.tool == "pen"
        else roller_density_cm2(asked.needles, asked.diameter_cm, asked.width_cm) / (1 - share)
    )
    formula = (
        "needles × rate × seconds ÷ area ÷ (1 − overlap)"
        if asked.tool == "pen"
        else "needles ÷ (π × diameter × width) ÷ (1 − overlap)"
    )
    found = worked(
        "punctures a cm²", once * asked.passes, "", f"{formula} × passes", (count, times, lap), "micro_needling.overlap"
    )
    judge.tell("density", found)
    judge.warn("micro_needling.density", found, "passes", "Fewer passes, or slower.")
    judge.most("micro_needling.density.most", found, "passes")
    channel = number("micro_needling.channel")
    judge.tell(
        "untouched",
        worked(
            "skin that no needle touches",
            100 * untouched_share(once * asked.passes, channel),
            "%",
            "e^(−punctures × channel area)",
            (found, as_set("channel", channel, "mm", 2, "micro_needling.channel")),
            "micro_needling.channel",
        ),
    )
    beside_layers(judge, asked.depth_mm, asked.thin)
    x = list(range(1, max(16, asked.passes + 2)))
    curve = Curve(
        title="Punctures over passes",
        x="passes",
        y="punctures a cm²",
        threads=(thread("this tool", x, [once * n for n in x]),),
        limits=(
            Limit(words="warn", at=number("micro_needling.density"), rule="micro_needling.density"),
            Limit(words="asked", at=asked.passes, across=False),
        ),
    )
    return answered(judge, curve)


class AcidIn(Inputs):
    """An acid on skin."""

    acid: Literal["glycolic", "lactic", "salicylic", "mandelic", "citric"] = Field("glycolic", title="Acid")
    percent: float = Field(15, ge=0.01, le=100, title="Strength", json_schema_extra={"unit": "%"})
    ph: float = Field(3.5, ge=0, le=14, title="pH")
    minutes: float = Field(2, ge=0.01, le=60, title="Contact", json_schema_extra={"unit": "min"})
    amount_ml: float = Field(3, ge=0.01, le=100, title="Amount", json_schema_extra={"unit": "mL"})


def acid(asked: AcidIn) -> Result:
    """Free acid over pH, its rank, what neutralises it."""
    judge = Judge()
    part = free(judge, asked.acid, asked.percent, asked.ph)
    pka = ACIDS[asked.acid][0]
    judge.tell(
        "share",
        worked(
            "free share",
            free_share(asked.ph, pka),
            "",
            "1 ÷ (1 + 10^(pH − pKa))",
            (as_set("pH", asked.ph, "", 2), as_set("pKa", pka, "", 2)),
            "acid.free",
            digits=3,
        ),
    )
    judge.tell(
        "rank",
        worked(
            "free acid × minutes",
            (part.value or 0) * asked.minutes,
            "% min",
            "for ranking only",
            (part, as_set("contact", asked.minutes, "min")),
            "acid.rank",
        ),
    )
    grams = asked.amount_ml * asked.percent / 100
    soda = bicarbonate_g(grams, asked.acid, 3 if asked.acid == "citric" else 1)
    judge.tell(
        "bicarbonate",
        worked(
            "bicarbonate to neutralise it",
            soda,
            "g",
            "acid ÷ molar mass × 84.01 × protons",
            (as_set("acid in it", grams, "g", 2),),
            "acid.neutral",
            digits=2,
        ),
    )
    judge.know("acid.frost")
    x = span(2, 6)
    curve = Curve(
        title="Free acid over pH",
        x="pH",
        y="% free",
        threads=(thread(f"{asked.acid}, {asked.percent:g} %", x, [free_percent(asked.percent, p, pka) for p in x]),),
        limits=(
            Limit(words="asked", at=asked.ph, across=False),
            Limit(words="least pH", at=number("acid.ph"), across=False, rule="acid.ph"),
        ),
    )
    return answered(judge, curve)


class NumbingIn(numb.Settings, Inputs):
    """A numbing cream; the body weight counts on open skin."""

    weight_kg: float | None = Field(None, gt=2, le=300, title="Body weight", json_schema_extra={"unit": "kg"})


def numbing(asked: NumbingIn) -> Result:
    """Milligrams, share of the limit, earliest start."""
    settings = numb.Settings.model_validate(asked.model_dump(exclude={"weight_kg"}))
    found = numb.dose(settings, None, Subject(weight_kg=asked.weight_kg))
    return Result(numbers=found.numbers, cautions=found.cautions, refused=found.refused)


class AbrasionIn(Inputs):
    """A tip over an area, wet or dry, and how a wet programme splits its time."""

    area_cm2: float = Field(300, ge=0.01, le=2000, title="Area", json_schema_extra={"unit": "cm²"})
    tip_mm: float = Field(8, ge=0.01, le=60, title="Tip", json_schema_extra={"unit": "mm"})
    overlap_percent: float = Field(0, ge=0, le=60, title="Overlap", json_schema_extra={"unit": "%"})
    speed_mm_s: float = Field(30, ge=0.01, le=300, title="Speed", json_schema_extra={"unit": "mm/s"})
    passes: int = Field(1, ge=1, le=10, title="Passes")
    flow_ml_min: float = Field(12, ge=0, le=200, title="Flow, 0 when dry", json_schema_extra={"unit": "mL/min"})
    clean_min: float = Field(4, ge=0, le=60, title="Cleaning", json_schema_extra={"unit": "min"})
    infuse_min: float = Field(4, ge=0, le=60, title="Infusing", json_schema_extra={"unit": "min"})


def abrasion(asked: AbrasionIn) -> Result:
    """Path, dwell, passes; liquid and the split of wet time."""
    judge = Judge()
    area, tip, lap = (
        as_set("area", asked.area_cm2, "cm²", 0),
        as_set("tip", asked.tip_mm, "mm"),
        as_set("overlap", asked.overlap_percent, "%", 0),
    )
    speed, times = as_set("speed", asked.speed_mm_s, "mm/s", 0), as_set("passes", asked.passes, "", 0)
    length = worked(
        "path",
        path_mm(asked.area_cm2, asked.tip_mm, asked.overlap_percent / 100) * asked.passes / 1000,
        "m",
        "area ÷ (tip × (1 − overlap)) × passes",
        (area, tip, lap, times),
        "work.pace",
        digits=2,
    )
    judge.tell("path", length)
    judge.tell(
        "minutes",
        worked(
            "minutes for the path",
            (length.value or 0) * 1000 / asked.speed_mm_s / 60,
            "min",
            "path ÷ speed",
            (length, speed),
            "work.pace",
        ),
    )
    judge.tell(
        "dwell",
        worked(
            "a point lies under the tip",
            point_dwell_s(asked.tip_mm, asked.speed_mm_s, asked.passes),
            "s",
            "tip ÷ speed × passes",
            (tip, speed, times),
            "work.pace",
            digits=2,
        ),
    )
    judge.most("diamond.passes", times, "passes")
    wet = asked.clean_min + asked.infuse_min
    if asked.flow_ml_min and wet:
        judge.tell(
            "liquid",
            worked(
                "liquid",
                liquid_ml(asked.flow_ml_min, wet),
                "mL",
                "flow × minutes",
                (as_set("flow", asked.flow_ml_min, "mL/min"), as_set("wet", wet, "min")),
                "wet_abrasion.flow",
                digits=0,
            ),
        )
        share = worked(
            "share for infusion",
            100 * asked.infuse_min / wet,
            "%",
            "infusing ÷ wet",
            (as_set("infusing", asked.infuse_min, "min"), as_set("wet", wet, "min")),
            "wet_abrasion.share",
            digits=0,
        )
        judge.tell("share", share)
        judge.least("wet_abrasion.share", share, "infuse_min", "Shorten the cleaning, or lengthen the infusion.")
    return answered(judge)


class AmountsIn(Inputs):
    """An area, and who does it."""

    area_cm2: float = Field(366, ge=0.01, le=4000, title="Area", json_schema_extra={"unit": "cm²"})
    film_mm: float = Field(0.5, ge=0.01, le=5, title="Gel film", json_schema_extra={"unit": "mm"})
    unit_of: Literal["woman", "man"] = Field("woman", title="Fingertip of a")


def amounts(asked: AmountsIn) -> Result:
    """Gel, cream, sun protection."""
    judge = Judge()
    suffix = ".men" if asked.unit_of == "man" else ""
    area, film = as_set("area", asked.area_cm2, "cm²", 0), as_set("film", asked.film_mm, "mm", 2)
    judge.tell(
        "gel",
        worked("gel", film_ml(asked.area_cm2, asked.film_mm), "mL", "area × film ÷ 10", (area, film), "product.film"),
    )
    each = as_set(
        "one unit does", number(f"product.fingertip.area{suffix}"), "cm²", 0, f"product.fingertip.area{suffix}"
    )
    units = worked(
        "cream",
        fingertip_units(asked.area_cm2, each.value or 1),
        "fingertip units",
        "area ÷ area of a unit",
        (area, each),
        *each.rules,
        digits=2,
    )
    judge.tell("units", units)
    weight = as_set("it weighs", number(f"product.fingertip.grams{suffix}"), "g", 2, f"product.fingertip.grams{suffix}")
    judge.tell(
        "grams",
        worked(
            "cream by weight",
            (units.value or 0) * (weight.value or 0),
            "g",
            "units × weight of one",
            (units, weight),
            *weight.rules,
            digits=2,
        ),
    )
    laid = as_set("laid on at", number("product.sun_protection"), "mg/cm²", 0, "product.sun_protection")
    judge.tell(
        "sun",
        worked(
            "sun protection",
            layer_g(asked.area_cm2, laid.value or 0),
            "g",
            "area × density ÷ 1000",
            (area, laid),
            *laid.rules,
            digits=2,
        ),
    )
    return answered(judge)


class SunIn(Inputs):
    """Sun on treated skin."""

    uv_index: float = Field(6, ge=0.5, le=16, title="UV index")
    factor: float = Field(30, ge=1, le=100, title="Sun protection factor")
    doses: float = Field(1, ge=0.1, le=10, title="Standard doses", json_schema_extra={"unit": "SED"})


def sun(asked: SunIn) -> Result:
    """Minutes until a standard dose, bare and protected."""
    judge = Judge()
    index, doses = as_set("UV index", asked.uv_index), as_set("standard doses", asked.doses, "SED")
    bare = seconds_to_sed(asked.uv_index, asked.doses) / 60
    judge.tell(
        "bare",
        worked(
            "bare skin", bare, "min", "100 J/m² × doses ÷ (0.025 W/m² × index)", (index, doses), "sun.sed", digits=0
        ),
    )
    real = as_set("of the factor counts", number("sun.real"), "", 2, "sun.real")
    factor = max(1.0, asked.factor * (real.value or 1))
    worn = seconds_to_sed(asked.uv_index, asked.doses, factor) / 60
    judge.tell(
        "protected",
        worked(
            "protected skin",
            worn,
            "min",
            "bare × factor × what of it counts",
            (as_set("factor", asked.factor, "", 0), real),
            "sun.sed",
            "sun.real",
            digits=0,
        ),
    )
    x = span(1, 12)
    drawn = thread("bare skin", x, [seconds_to_sed(i, asked.doses) / 60 for i in x])
    return answered(
        judge,
        Curve(
            title="Minutes to the dose, by UV index",
            x="UV index",
            y="minutes",
            threads=(drawn,),
            limits=(Limit(words="asked", at=asked.uv_index, across=False),),
        ),
    )


class ScaleIn(Inputs):
    """A machine's measured points, and a setting on its scale."""

    modality: MachineKind = Field("rf_bulk", title="Machine")
    at: float = Field(4, ge=-1000, le=10000, title="Set to")
    points: tuple[tuple[float, float], ...] = Field(
        ((1, 5), (4, 18), (7, 34), (10, 50)),
        max_length=40,
        title="Measured points",
        json_schema_extra={"unit": "scale, unit"},
    )
    wanted: float | None = Field(None, title="Wanted")

    @model_validator(mode="after")
    def _measured(self) -> "ScaleIn":
        self.card()
        return self

    def card(self) -> MachineCard:
        """The points as a machine's card. Raises ValueError for points that are no calibration."""
        if len(self.points) < 2:
            raise ValueError("a calibration needs at least two points")
        low, high = min(x for x, _ in self.points), max(x for x, _ in self.points)
        if not low < high:
            raise ValueError("the points must rise along the scale")
        return MachineCard(
            modality=self.modality, name="machine", least=low, most=high, step=high - low, calibration=self.points
        )


def scale(asked: ScaleIn) -> Result:
    """What a setting gives, and which setting gives what is wanted; never beyond the points."""
    judge = Judge()
    card = asked.card()
    found = card.quantity(asked.at)
    judge.tell("physical", found)
    if found.value is None:
        judge.refuse(
            "device.calibration", f"Measured from {card.least:g} to {card.most:g}: beyond, nothing is known.", "at"
        )
    if asked.wanted is not None:
        at = card.at(asked.wanted)
        judge.tell(
            "at",
            worked(
                "setting for it",
                at,
                "",
                "straight between measured points" if at is not None else "outside the measured points",
                (as_set("wanted", asked.wanted, card.unit),),
                "device.calibration",
                digits=2,
            ),
        )
    curve = Curve(
        title="Calibration",
        x="scale",
        y=card.unit,
        threads=(thread("measured", [a for a, _ in asked.points], [b for _, b in asked.points]),),
        limits=(Limit(words="set", at=asked.at, across=False),),
    )
    return answered(judge, curve)


CALCULATIONS = (
    Calculation("needles", "Needles", GROUP, "Punctures, untouched skin, depth beside layers.", NeedlesIn, needles),
    Calculation("acid", "Free acid", GROUP, "What of an acid is free, and what neutralises it.", AcidIn, acid),
    Calculation("numbing", "Numbing cream", GROUP, "Milligrams and share of the limit.", NumbingIn, numbing),
    Calculation("abrasion", "Abrasion", GROUP, "Path, dwell, liquid, the share for infusion.", AbrasionIn, abrasion),
    Calculation("amounts", "Product amounts", GROUP, "Gel, cream, sun protection for an area.", AmountsIn, amounts),
    Calculation("sun", "Sun after treatment", GROUP, "Minutes until a standard dose, bare and protected.", SunIn, sun),
    Calculation("scale", "A machine’s scale", GROUP, "What a setting gives, between measured points.", ScaleIn, scale),
)
