"""The shelf, written a second time: what gets through a coat, what is sterile, what comes off, and how much is usual.

What works on opened skin and what lets light, sound and current through are general practice, as the handbook gathers
it; amounts are its usual ones for a face, or for a face and neck, within a third: hands differ.
"""

import pytest

from builders.chair import somebody
from builders.rows import row, steps
from merak.core.knowledge import book, number, on_skin, shelf
from merak.core.plan.shelf import amounts, coat_of, on_the_shelf
from merak.core.plan.visit_plan import Plan, visit_plan

WATERY = "gel, serum, booster, sterile gel, sterile serum, toner, mist, neutraliser, sterile saline, purified water"
#: What lets through what; everything else is opaque to it, as is whatever is not on the shelf.
LIGHT = {*WATERY.split(", ")} - {"gel"} | {
    "clear gel", "oxygen gel", "ionised serum", "sheet mask", "sterile sheet", "numbing cream", "70 % alcohol",
    "antiseptic", "crystals", "sterile marker",
}  # fmt: skip
SOUND = {*WATERY.split(", ")} | {
    "clear gel", "vitamin A product", "70 % alcohol", "antiseptic", "crystals", "sterile marker",
}  # fmt: skip
CURRENT = SOUND - {"clear gel"} | {"ionised serum", "gliding cream", "alkaline solution"}
STERILE = {
    "sterile gel", "sterile serum", "sterile sheet", "sterile saline", "cleared cream", "antiseptic", "sterile marker",
}  # fmt: skip
COMES_OFF = {
    "acid", "salicylic solution", "enzyme", "mild scrub", "oxygen foam", "alkaline solution", "numbing cream",
    "crystals", "metal-coated patch",
}  # fmt: skip
#: What is sent through skin by which work.
THROUGH = {
    **dict.fromkeys(("led", "pulsed_light"), "light"),
    **dict.fromkeys(("ultrasound", "focused_lifting", "spatula"), "sound"),
    **dict.fromkeys(
        ("microcurrent", "galvanic_softening", "iontophoresis", "muscle_stimulation", "rf_bulk", "rf_fractional"),
        "current",
    ),
}
#: Name | mg/cm² | allergic to in it | on opened skin | where light falls | pH | minutes as a mix | price.
#: House defaults.
ROWS = """
    gel | 75 mL |  | sterile gel |  |  | 0 | 0
    clear gel | 300 mL |  | sterile gel |  |  | 0 | 0
    sterile gel | 75 mL |  |  |  |  | 0 | 0
    oxygen gel | 18 mL |  |  |  |  | 0 | 0
    serum | 5 mL |  | sterile serum |  |  | 0 | 0
    sterile serum | 5 mL |  |  |  |  | 0 | 0
    ionised serum | 8 mL |  |  |  |  | 0 | 0
    booster | 6 mL |  |  |  |  | 0 | 12
    gliding cream | 20 g |  |  |  |  | 0 | 0
    massage cream | 5 g | scent nut |  |  |  | 0 | 0
    cream | 4 g | scent | cleared cream |  |  | 0 | 0
    cleared cream | 4 g |  |  |  |  | 0 | 0
    eye product | 0.3 g |  |  |  |  | 0 | 0
    sun protection | 2 g |  |  |  |  | 0 | 0
    cleanser | 10 mL | scent |  |  |  | 0 | 0
    alkaline foam | 10 mL |  |  |  | 8.5 to 10 | 0 | 0
    toner | 5 mL |  |  |  | 4.5 to 5.5 | 0 | 0
    mist | 3 mL |  |  |  | 4.5 to 5.5 | 0 | 0
    purified water | 0 mL |  | sterile saline |  |  | 0 | 0
    softening cream | 10 g |  |  |  |  | 0 | 0
    mild scrub | 7 g | nut |  |  |  | 0 | 0
    enzyme | 12 g | plant |  |  |  | 0 | 0
    acid | 5 mL |  |  |  | 3 to 4 | 0 | 0
    salicylic solution | 5 mL | salicylate |  |  | 3 to 4 | 0 | 0
    alkaline solution | 8 mL |  |  |  | 8.5 to 10 | 0 | 0
    neutraliser | 3 mL |  |  |  | 4.5 to 5.5 | 0 | 0
    mask | 32 g | plant | sterile sheet | sheet mask |  | 0 | 0
    sheet mask | 30 g |  | sterile sheet |  |  | 0 | 0
    sterile sheet | 30 g |  |  |  |  | 0 | 0
    oxygen foam | 25 g |  |  |  | 8.5 to 10 | 3 | 0
    crystal pack | 15 g |  |  |  |  | 10 | 0
    numbing cream | 100 g | amide |  |  |  | 0 | 0
    vitamin A product | 4 g |  |  |  |  | 0 | 0
"""
#: Work | what it lays, the newest last | never on bare skin | takes off what lies there | otherwise set.
LAYS = """
    alcohol | 70 % alcohol |  | lifts |
    antisepsis | antiseptic |  | lifts |
    cleanse | cleanser |  | lifts |
    cold | gel | film |  |
    crystal | crystals |  |  |
    dry |  |  | lifts |
    enzyme | enzyme |  |  |
    finish | toner, serum, eye product, cream, sun protection |  |  |
    focused_lifting | gel | film |  |
    galvanic_softening | alkaline solution | film |  |
    iontophoresis | ionised serum | film |  |
    led |  |  |  |
    mask | mask | film |  |
    micro_needling | sterile serum | film |  |
    microcurrent | serum, gel | film |  |
    mist | mist |  |  |
    muscle_stimulation | gel | film |  |
    nano | sterile serum | film |  |
    numbing | numbing cream | film |  |
    oxygen_airbrush | oxygen gel | film |  |
    oxygen_jet | purified water |  | lifts |
    oxygen_mask | oxygen foam, neutraliser | film |  |
    peel | acid, neutraliser | film |  |
    pulsed_light | clear gel | film |  |
    rf_bulk | gliding cream | film |  |
    rf_fractional |  |  |  |
    saline | sterile saline |  | lifts |
    soften | softening cream |  |  |
    spatula | toner | film |  |
    tone | toner |  |  |
    touch | massage cream |  |  |
    towel |  |  | lifts |
    ultrasound | serum | film |  |
    wash |  |  | lifts |
    wet_abrasion | acid | film | lifts | salicylic: salicylic solution / infuse: serum / booster: booster
    wipe |  |  | lifts |
"""
#: (product, cm², usual amount): a face is about 360 cm², with the neck 620.
USUAL = (
    ("serum", 360, 2),
    ("toner", 360, 2),
    ("mask", 250, 8),
    ("gliding cream", 360, 8),
    ("massage cream", 360, 2),
    ("enzyme", 360, 5),
    ("oxygen gel", 360, 7),
    ("sun protection", 360, 0.72),
    ("gel", 200, 15),
)


@pytest.mark.outside("the handbook on coats", values="each product by light, sound, current", tolerance="exact")
@pytest.mark.parametrize(("what", "names"), [("light", LIGHT), ("sound", SOUND), ("current", CURRENT)])
def test_what_gets_through_a_coat(what: str, names: set[str]) -> None:
    assert {one.name for one in book().product if what in one.lets} == names


def test_what_is_sterile_what_comes_off_and_what_is_sent_through() -> None:
    assert {one.name for one in book().product if one.sterile} == STERILE
    assert {one.name for one in book().product if one.off} == COMES_OFF
    assert {name: one.through for name, one in on_skin().items() if one.through} == THROUGH
    assert {one.name for one in book().product if one.photosensitising} == {"vitamin A product"}


def test_each_kind_is_what_is_written_here() -> None:
    written = {tuple(map(str.strip, line.split("|"))) for line in ROWS.strip().splitlines()}
    told = set()
    for one in book().product:
        ph = " to ".join(f"{end:g}" for end in one.ph or ())
        film = f"{one.film:g} {one.unit}"
        row_ = (one.name, film, " ".join(one.holds), one.opened, one.lit, ph, f"{one.life_min:g}", f"{one.price:g}")
        told |= {row_} if any((one.film, one.holds, one.opened, one.lit, one.ph, one.life_min, one.price)) else set()
    assert told == written


@pytest.mark.outside("the handbook on modalities", values="what each work lays and takes off", tolerance="exact")
def test_each_work_lays_what_is_written_here() -> None:
    written = {(*map(str.strip, line.split("|")),) for line in LAYS.strip().splitlines()}
    told = set()
    for name, one in on_skin().items():
        cases = " / ".join(f"{', '.join(c.set.values())}: {', '.join(c.coat)}" for c in one.cases if c.coat)
        row_ = (name, ", ".join(one.coat), "film" * one.film, "lifts" * one.lifts, cases)
        told |= {row_} if one.coat or one.film or one.lifts or one.through else set()
    assert told == written


@pytest.mark.outside("the handbook's orders of work; ISO 24444 for sun protection", values="9 amounts", tolerance="1/3")
@pytest.mark.parametrize(("name", "cm2", "usual"), USUAL)
def test_how_much_is_usual(name: str, cm2: float, usual: float) -> None:
    (found,) = amounts(on_the_shelf(name), cm2).values()
    assert found.known == pytest.approx(usual, rel=1 / 3)


@pytest.mark.parametrize("name", ["cleanse", "tone", "soften", "mask"])
def test_what_a_work_says_of_its_amount_is_what_the_shelf_says(name: str) -> None:
    (product,) = coat_of(name, None, "", opened=False)
    film = amounts([product], number("support.area"))[product.name]
    assert film.known == pytest.approx(number(f"support.{name}.ml"), rel=0.05)
    who = somebody(slot=480)
    plain = visit_plan(who, Plan(steps=steps(row(name), who=who)), chair=False).numbers
    named = visit_plan(who, Plan(steps=steps(row(name, manner={"product": "serum"}), who=who)), chair=False).numbers
    assert "s0.product" in plain and "s0.laid.0" not in plain, "told once"
    assert "s0.product" not in named and named["s0.laid.0"].name == "serum"


@pytest.mark.parametrize("name", sorted(on_skin()))
def test_what_a_work_usually_lays_lets_it_through(name: str) -> None:
    entry = on_skin()[name]
    for opened in (False, True):
        for one in coat_of(name, None, "", opened):
            assert not entry.through or one.lets(entry.through), one.name
            assert not (opened and entry.sterile) or one.sterile, one.name


def test_every_name_means_one_product() -> None:
    names = [name.lower() for one in book().product for name in (one.name, *one.called)]
    assert len(names) == len(set(names)) == len(shelf()) and len(book().product) > 30
