"""The rest of the rule book's conscience, written a second time by hand: hours of aftercare, loads, how modalities fit,
what a finding means, how long an answer waits. A changed entry fails by name, and so does one that is new.

Common practice and house defaults as gathered in the handbook (decisions; after the treatment).
"""

from collections.abc import Iterator

import pytest

from merak.core.knowledge import Ruling, book

#: Line of aftercare | after what | from and until how many hours after the end; "" until the next visit.
ADVICE = """
    after.sun | any | 0-
    after.call | any | 0-168
    after.emergency | any | 0-48
    after.event | any | 0- event
    after.cleanse | any | 0-24
    after.microcurrent.normal_pink | microcurrent | 0-24
    after.microcurrent.normal_ache | microcurrent | 0-24
    after.microcurrent.normal_course | microcurrent | 0-72
    after.microcurrent.call_nerve | microcurrent | 24-168
    after.microcurrent.acids | microcurrent led galvanic ultrasound oxygen spatula extract | 0-24
    after.led.normal_pink | led | 0-3
    after.led.blue.sensitive_light | led.blue | 0-24
    after.galvanic.normal_pink | galvanic | 0-3
    after.galvanic.cream | galvanic | 0-48
    after.ultrasound.normal_pink | ultrasound | 0-2
    after.oxygen.normal_pink | oxygen | 0-2
    after.oxygen_mask.normal_numb | oxygen_mask | 0-1
    after.oxygen_mask.cleanse | oxygen_mask | 0-24
    after.oxygen_mask.heat | oxygen_mask | 0-24
    after.spatula.normal_pink | spatula | 0-2
    after.extract.touch | extract | 0-24
    after.extract.make_up | extract | 0-24
    after.extract.normal_pink | extract | 0-24
    after.muscle_stimulation.normal_ache | muscle_stimulation | 0-48
    after.muscle_stimulation.sweat | muscle_stimulation | 0-24
    after.muscle_stimulation.emergency.muscle | muscle_stimulation | 0-72
    after.wet_abrasion.normal_pink | wet_abrasion | 0-1
    after.wet_abrasion.acids | wet_abrasion | 0-48
    after.wet_abrasion.heat | wet_abrasion | 0-24
    after.dry_abrasion.normal_dry | dry_abrasion | 0-72
    after.dry_abrasion.normal_pink | dry_abrasion | 0-24
    after.dry_abrasion.cream | dry_abrasion | 0-72
    after.dry_abrasion.acids | dry_abrasion | 0-72
    after.dry_abrasion.sun | dry_abrasion | 0-336
    after.dry_abrasion.heat | dry_abrasion | 0-48
    after.dry_abrasion.pool | dry_abrasion | 0-48
    after.wet_abrasion.wax | wet_abrasion dry_abrasion enzyme | 0-72
    after.enzyme.pick | enzyme | 0-72
    after.enzyme.acids | enzyme | 0-72
    after.peel.pick | peel | 0-168
    after.peel.acids | peel | 0-120
    after.strong_acid.acids | strong_acid | 0-168
    after.peel.sun | peel | 0-336
    after.peel.cream | peel | 0-120
    after.peel.heat | peel | 0-48
    after.peel.sweat | peel | 0-24
    after.peel.normal_dry | peel | 0-120
    after.peel.normal_pink | peel | 0-48
    after.peel.wax | peel | 0-168
    after.peel.shave | peel | 0-24
    after.peel.call_colour | peel | 72-672
    after.pulsed_light.normal_pink | pulsed_light | 0-24
    after.pulsed_light.normal_dark | pulsed_light | 0-240
    after.pulsed_light.pick | pulsed_light | 0-240
    after.pulsed_light.make_up | pulsed_light | 0-24
    after.pulsed_light.sweat | pulsed_light | 0-24
    after.pulsed_light.vessels.sweat | pulsed_light.vessels | 0-48
    after.pulsed_light.heat | pulsed_light | 0-48
    after.pulsed_light.pool | pulsed_light | 0-48
    after.pulsed_light.acids | pulsed_light | 0-168
    after.pulsed_light.sun | pulsed_light | 0-672
    after.pulsed_light.sensitive_light | pulsed_light | 0-168
    after.pulsed_light.normal_heal | pulsed_light | 0-504
    after.pulsed_light.wax | pulsed_light | 0-168
    after.pulsed_light.call_colour | pulsed_light | 0-672
    after.pulsed_light.emergency.eye | pulsed_light | 0-72
    after.rf.normal_pink | rf | 0-4
    after.rf.heat | rf | 0-48
    after.rf.sweat | rf | 0-24
    after.rf.acids | rf | 0-48
    after.rf.cream | rf | 0-72
    after.focused.normal_ache | focused | 0-168
    after.focused.call_nerve | focused | 0-672
    after.fractional.normal_pink | fractional | 0-24
    after.fractional.normal_dry | fractional | 0-120
    after.fractional.closed | fractional | 0-24
    after.fractional.make_up | fractional | 0-24
    after.fractional.cleanse | fractional | 0-72
    after.fractional.cream | fractional | 0-120
    after.fractional.heat | fractional | 0-72
    after.fractional.sweat | fractional | 0-72
    after.fractional.pool | fractional | 0-72
    after.fractional.acids | fractional | 0-168
    after.fractional.sun | fractional | 0-720
    after.fractional.shave | fractional | 0-168
    after.fractional.wax | fractional | 0-336
    after.fractional.pick | fractional | 0-168
    after.fractional.touch | fractional | 0-48
    after.fractional.call_sore | fractional | 0-168
    after.fractional.call_colour | fractional | 72-672
    after.needles.closed | needles | 0-24
    after.needles.make_up | needles | 0-24
    after.needles.sweat | needles | 0-48
    after.needles.heat | needles | 0-48
    after.needles.pool | needles | 0-48
    after.needles.alcohol | needles | 0-48
    after.needles.normal_dry | needles | 0-48
    after.needles.normal_pink | needles | 0-48
    after.needles.cream | needles | 0-120
    after.needles.acids | needles | 0-168
    after.needles.sun | needles | 0-336
    after.needles.shave | needles | 0-48
    after.needles.wax | needles | 0-168
    after.needles.touch | needles | 0-24
    after.needles.call_sore | needles | 0-168
    after.nano.closed | nano | 0-24
    after.nano.make_up | nano | 0-24
    after.nano.sweat | nano | 0-24
    after.nano.heat | nano | 0-24
    after.nano.pool | nano | 0-24
    after.nano.alcohol | nano | 0-24
    after.nano.acids | nano | 0-24
    after.nano.normal_pink | nano | 0-4
    after.numbing.normal_numb | numbing | 0-2
    after.numbing.hot_drink | numbing | 0-2
    after.numbing.emergency.numbing | numbing | 0-8
    after.spot.spot | spot | 0- reading
    after.spot.sun | spot | 0- reading
    after.spot.acids | spot | 0- reading
    after.reacted.heat | reacted | 0-48
    after.reacted.sweat | reacted | 0-48
    after.reacted.acids | reacted | 0-72
    after.reacted.make_up | reacted | 0-24
    after.reacted.call_look | reacted | 12-48
    after.burn.place | burn | 0-336
    after.burn.sun | burn | 0-2160
    after.burn.acids | burn | 0-672
    after.burn.heat | burn | 0-168
    after.burn.make_up | burn | 0-336
    after.burn.call_sore | burn | 0-336
    after.burn.call_colour | burn | 0-2160
    after.shock.culprit | shock | 0-
    after.eye.eyes | eye | 0-48
    after.eye.emergency.eye | eye | 0-168
    after.anaesthetic.culprit | anaesthetic | 0-
    after.anaesthetic.emergency.numbing | anaesthetic | 0-24
    after.strong.normal_heal | strong | 0-504
    after.dark.sun | dark | 0-672
    after.dark.call_colour | dark | 72-672
    after.sensitive.acids | sensitive | 0-72
"""
#: For home | after what | hours.
HOME = """
    home.sun | any | 0-672
    home.kit | needles nano fractional | 0-24
    home.cleanser | any | 0-336
    home.light | any | 0-168
    home.rich | any | 0-168
    home.plain | any | 0-168
    home.tone_cream | any | 0-168
    home.antioxidant | needles nano fractional dry_abrasion wet_abrasion oxygen led microcurrent | 168-672
    home.peptide | needles nano fractional rf focused led microcurrent | 168-672
    home.soothing | fractional rf pulsed_light peel reacted | 0-72
"""
#: Load on the skin, hours until it has settled, whether it is one of the strong ones.
TRAITS = """
    numbing | load 0 | settled 2 h
    galvanic_softening | load 1 | settled 1 h
    spatula | load 1 | settled 1 h
    wet_abrasion | load 2 | settled 1 h
    crystal | load 3 | settled 24 h | strong
    diamond | load 3 | settled 24 h | strong
    enzyme | load 1 | settled 1 h
    peel | load 3 | settled 72 h | strong
    extract | load 1 | settled 12 h
    rf_bulk | load 2 | settled 3 h
    rf_fractional | load 4 | settled 48 h | strong
    focused_lifting | load 3 | settled 24 h | strong
    micro_needling | load 4 | settled 48 h | strong
    pulsed_light | load 4 | settled 24 h | strong
    muscle_stimulation | load 0 | settled 24 h
    iontophoresis | load 1 | settled 1 h
    oxygen_airbrush | load 0 | settled 1 h
    oxygen_mask | load 1 | settled 1 h
    nano | load 2 | settled 12 h
"""
#: How modalities fit: | kind | these | with those | what else is said.
PAIRINGS = """
    fit.abrade_heat | apart | ABRASION peel extract nano | focused_lifting rf_fractional pulsed_light |
    fit.one_abrasion | one | ABRASION peel |  |
    fit.needles_acids | apart | micro_needling | peel | absolute
    fit.nano_peel | apart | nano | peel | newcomer
    fit.one_strong | one | crystal diamond peel rf_fractional focused_lifting micro_needling pulsed_light |  |
      + unless combining=quick
    fit.newcomer_strong | one | crystal diamond peel rf_fractional focused_lifting micro_needling pulsed_light |
      + | newcomer
    fit.strong_energy | one | rf_fractional focused_lifting micro_needling pulsed_light rf_bulk |  |
    fit.light_alone | alone | pulsed_light | cleanse tone dry cold mask led touch finish BETWEEN |
    fit.numb_oxygen | apart | numbing | oxygen_mask | absolute
    fit.never_numb | apart | numbing | rf_bulk focused_lifting galvanic_softening iontophoresis | absolute
    fit.order_abrade | before | ABRASION enzyme peel | extract iontophoresis ultrasound OXYGEN microcurrent |
    fit.order_infuse | before | iontophoresis OXYGEN | microcurrent | unless infusion=after
    fit.order_calm | before | ENERGY OPEN extract OXYGEN enzyme | mask |
    fit.order_finish | before | ALL touch cleanse tone dry wash wipe towel alcohol antisepsis saline mist | finish |
    fit.finish | needs | cleanse ABRASION EXFOLIATION spatula galvanic_softening NEEDLES RF focused_lifting pulsed_light
      + | finish |
    fit.mask_led | beside | mask | led |
    fit.mask_cold | beside | mask | cold |
    fit.enzyme_cold | beside | enzyme | cold | only cold=enzyme
    fit.numb_cleanse | beside | numbing | cleanse tone touch |
    fit.numb_led | beside | numbing | led | only numbing=light
    fit.body_lift | beside | muscle_stimulation | cleanse tone touch enzyme microcurrent led mask cold BETWEEN |
    fit.ear_clips | beside | ear_clips | cleanse tone dry touch enzyme microcurrent led mask cold BETWEEN |
    fit.mask_patches | beside | mask | mask |
    fit.free_hands | beside | mask enzyme numbing led | photograph gloves clean_tool call_senior |
"""
#: A finding, from which grade up | what it means.
SIGNS = """
    sign.dark_senior | phototype 5 | pulsed_light: change; OPEN: change
    sign.darkest | phototype 6 | pulsed_light: never
    sign.acne | acne 1 | touch ABRASION NEEDLES: no
    sign.vessels | vessels 2 | SUCTION: change; brisk_suction: no; HEAT: no; soften: no
    sign.redness | redness 3 | HEAT: no; OPEN: change
    sign.scaly | dehydration 4 | peel wet_abrasion OXYGEN enzyme: change
"""
#: Answers that wait for a time.
WAITS = """
    light_medicine=stopped | LIGHT led_blue: wait 14 d
    light_medicine=photodynamic | LIGHT led_blue: wait 90 d
    oral_retinoid=yes | OPEN pulsed_light: wait 6 months
    topicals=yes | OPEN: wait 7 d
    injections=relaxant | HEAT SUCTION touch microcurrent NEEDLES: wait 14 d
    filler=hyaluronic | ENERGY OPEN HEAT touch: wait 28 d
    surgery=recent | ENERGY OPEN HEAT touch: wait 6 months
    infection=healed | ALL touch: wait 7 d
    infection=healed_sore | ALL touch: wait 14 d
    sun=sun | pulsed_light: wait 14 d
    sun=tanned | pulsed_light: wait 28 d
    sun=burnt_healed | ENERGY OPEN HEAT led OXYGEN enzyme numbing extract touch: wait 28 d
    wax=yes | OPEN: wait 7 d
    exfoliated=yes | EXFOLIATION: wait 7 d; NEEDLES rf_fractional focused_lifting rf_bulk: wait 7 d;
      + pulsed_light: wait 14 d
"""


def rows(table: str) -> dict[str, str]:
    """Name → the rest of its line; a line that begins with + goes on with the last."""
    lines = table.strip().replace("\n      + ", " ").splitlines()
    return {name.strip(): rest.strip() for name, _, rest in (line.partition("|") for line in lines)}


def hours(value: float | None) -> str:
    return "" if value is None else f"{value:g}"


def ruled(rulings: Iterator[Ruling] | tuple[Ruling, ...]) -> str:
    return "; ".join(
        f"{' '.join(one.on)}: {one.verdict}"
        + (f" {one.days} d" if one.days else "")
        + (f" {one.months} months" if one.months else "")
        for one in rulings
    )


def advice() -> dict[str, str]:
    return {
        one.id: f"{' '.join(one.tags)} | {hours(one.from_h)}-{hours(one.until_h)} {one.until}".strip()
        for one in book().advice
    }


def home() -> dict[str, str]:
    return {one.id: f"{' '.join(one.tags)} | {hours(one.from_h)}-{hours(one.until_h)}" for one in book().home}


def traits() -> dict[str, str]:
    return {
        one.modality: f"load {one.load} | settled {one.settle_h:g} h{' | strong' * one.strong}"
        for one in book().trait
        if one.load or one.settle_h or one.strong
    }


def pairings() -> dict[str, str]:
    found = {}
    for one in book().pairing:
        said = [*["absolute"] * one.absolute, *["newcomer"] * one.newcomer]
        said += [f"unless {one.unless}"] * bool(one.unless) + [f"only {one.only}"] * bool(one.only)
        found[one.id] = f"{one.kind} | {' '.join(one.a)} | {' '.join(one.b)} | {' '.join(said)}".strip()
    return found


def signs() -> dict[str, str]:
    return {one.id: f"{one.finding} {one.least} | {ruled(one.rulings)}" for one in book().sign}


def waits() -> dict[str, str]:
    return {
        f"{question.id}={option.id}": said
        for question in book().question
        for option in question.options
        if (said := ruled(one for one in option.rulings if one.counts))
    }


@pytest.mark.parametrize(
    ("table", "found"),
    [
        (ADVICE, advice),
        (HOME, home),
        (TRAITS, traits),
        (PAIRINGS, pairings),
        (SIGNS, signs),
        (WAITS, waits),
    ],
    ids=["advice", "home", "traits", "pairings", "signs", "waits"],
)
def test_an_entry_is_what_is_written_here(table: str, found: object) -> None:
    there, written = found(), rows(table)  # type: ignore[operator]
    squeezed = {name: " ".join(said.split()) for name, said in there.items()}
    assert squeezed == {name: " ".join(said.split()) for name, said in written.items()}
