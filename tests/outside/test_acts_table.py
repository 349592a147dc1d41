"""What each modality comes to at the chair, written a second time: its acts in their order, how the time is kept, how
often the client is asked and for what, what the machine is set to, who may.

Common practice and house defaults as gathered in the handbook (modalities, the visit): heat is asked for every 30
seconds with its word, acids every minute, light every five minutes, all else every two.
"""

from datetime import timedelta

import pytest

from builders.briefs import EVERY_LICENCE, TODAY, brief, plan_of
from merak.core.acts import Act
from merak.core.client import Findings
from merak.core.modality.before import Before
from merak.core.modality.catalogue import MODALITIES
from merak.core.plan.visit_plan import visit_plan

BEFORE = Before(on=TODAY - timedelta(days=60))
#: Somebody known, of phototype III, with a peel and the lamp behind them; seconds where they are a clock's own.
ACTS = {
    "microcurrent": """
        Gel and probes · free · 126 s
        Lift, right · strokes · pain every 120 s · set to 3 level
        Mirror · free · 60 s
        Lift, left · strokes · pain every 120 s · set to 3 level
    """,
    "muscle_stimulation": """
        Bands · free · 300 s
        Stimulation, front · timed · 1800 s · pain every 120 s · set to 18 mA
        Stimulation, back · timed · 1800 s · pain every 120 s · set to 18 mA
    """,
    "ear_clips": """
        Ear clips on · free · 60 s
        Ear clips · timed · 1200 s · pain every 120 s · set to 60 µA
    """,
    "galvanic_softening": """
        Galvanic softening: make ready · free · 120 s
        Galvanic softening · timed · 240 s · pain every 120 s · set to 0.3 mA
    """,
    "iontophoresis": """
        Iontophoresis: make ready · free · 120 s
        Iontophoresis · timed · 360 s · pain every 120 s · set to 0.3 mA
    """,
    "ultrasound": """
        Ultrasound infusion: make ready · free · 60 s
        Ultrasound infusion · sections ×3 · pain every 120 s · set to 2 level
    """,
    "spatula": """
        Ultrasonic spatula: make ready · free · 60 s
        Ultrasonic spatula · sections · pain every 120 s · set to 4 level
    """,
    "led": """
        Panel · free · 60 s
        Red light · timed · 600 s · pain every 300 s
    """,
    "pulsed_light": """
        Pulsed light: make ready · free · 420 s
        Pulsed light · pulses · heat+pain every 30 s · set to 14 J/cm² · pulsed light
    """,
    "rf_bulk": """
        Gliding cream · free · 180 s
        Bulk radiofrequency, right · sections ×3 · heat+pain every 30 s · set to 3 level
        Mirror · free · 60 s
        Bulk radiofrequency, left · sections ×3 · heat+pain every 30 s · set to 3 level
    """,
    "rf_fractional": """
        Fractional radiofrequency: make ready · free · 240 s
        Fractional radiofrequency · pulses · heat+pain every 30 s · set to 3 W · fractional · spot first
    """,
    "focused_lifting": """
        Focused line lifting: make ready · free · 240 s
        Focused line lifting · pulses ×3 · heat+pain every 30 s · set to 0.4 J a line · focused
    """,
    "cold": """
        Cold head: make ready · free · 60 s
        Cold head · sections ×3 · pain every 120 s · set to 0 °C
    """,
    "touch": """
        Vibration and massage · sections ×3 · pain every 120 s
    """,
    "oxygen_jet": """
        Oxygen jet: make ready · free · 120 s
        Oxygen jet · sections ×2 · pain every 120 s · set to 1.9 bar
    """,
    "oxygen_airbrush": """
        Gel · free · 118 s
        Massage, first · timed · 120 s · pain every 120 s
        Airbrush · sections ×3 · pain every 120 s · set to 1.7 bar
        Massage, last · timed · 120 s · pain every 120 s
    """,
    "oxygen_mask": """
        Powder, gel, foam · free · 97 s
        Foam · timed · 120 s · pain every 60 s · oxygen.foam
        Activator · timed · 120 s · pain every 60 s · oxygen.activator
        Neutralise · sections ×2 · pain every 60 s · oxygen.neutralise
        Back to its pH · free · 49 s · oxygen.ph
    """,
    "wet_abrasion": """
        Wet tip: make ready · free · 120 s
        Acid cleanse · sections · pain every 60 s · suction 4 level · wet.acid
        Salicylic extraction · sections · pain every 120 s · suction 4 level · wet.clean
        Infusion · sections · pain every 120 s · suction 7 level · wet.infuse
    """,
    "crystal": """
        Crystal abrasion: make ready · free · 300 s
        Crystal abrasion · sections · pain every 120 s · set to 15 kPa
    """,
    "diamond": """
        Diamond abrasion: make ready · free · 120 s
        Diamond abrasion · sections · pain every 120 s · set to 15 kPa
    """,
    "peel": """
        Peel on · free · 175 s
        Acid works · timed · 120 s · pain every 60 s
    """,
    "enzyme": """
        Enzyme or granular mask on · free · 117 s
        Enzyme works · timed · 360 s · pain every 60 s
    """,
    "nano": """
        Nano needling: make ready · free · 180 s
        Nano needling · sections ×2 · pain every 120 s · set to 1 level
    """,
    "micro_needling": """
        Micro needling: make ready · free · 240 s
        Micro needling · sections · pain every 120 s · set to 50 Hz
    """,
    "numbing": """
        Numbing on · free · 177 s
        Numbing cream works · timed · 1800 s · pain every 120 s
    """,
    "cleanse": """
        Cleanse · free · 150 s
    """,
    "tone": """
        Tone · free · 30 s
    """,
    "soften": """
        Soften · free · 300 s
    """,
    "wash": """
        Wash off · free · 30 s
    """,
    "wipe": """
        Wipe · free · 30 s
    """,
    "towel": """
        Towel · free · 30 s
    """,
    "alcohol": """
        Degrease with alcohol · free · 30 s
    """,
    "antisepsis": """
        Antisepsis · free · 60 s
    """,
    "saline": """
        Sterile saline · free · 30 s
    """,
    "mist": """
        Mist · free · 30 s
    """,
    "gloves": """
        New gloves · free · 30 s
    """,
    "mirror": """
        Mirror · free · 60 s
    """,
    "photograph": """
        Photograph · free · 60 s
    """,
    "try_out": """
        Try on the hand · free · 30 s
    """,
    "call_senior": """
        Call the senior · free · 120 s
    """,
    "clean_tool": """
        Clean the tool · free · 120 s
    """,
    "dry": """
        Dry · free · 30 s
    """,
    "extract": """
        Extract · free · 480 s
    """,
    "mask": """
        Mask on · free · 117 s
        Mask · timed · 900 s · pain every 300 s
    """,
    "finish": """
        Finish · free · 150 s
    """,
}


def said(act: Act) -> str:
    asked = f"{'+'.join(act.asks)} every {act.ask_s} s" if act.ask_s else ""
    told = (
        act.title,
        f"{act.kind} ×{act.passes}" if act.passes > 1 else act.kind,
        f"{act.seconds} s" if act.kind in ("free", "timed") else "",
        asked,
        ", ".join(f"{name} {value:g} {unit}" for name, value, unit in act.dials),
        act.licence,
        "spot first" if act.spot else "",
        act.portion,
    )
    return " · ".join(one for one in told if one)


@pytest.mark.parametrize("modality", sorted(set(MODALITIES) - {"physician_resurfacing"}))
def test_the_acts_of_a_modality(modality: str) -> None:
    known = {"pulsed_light": BEFORE, "peel": BEFORE}
    who = brief(licences=EVERY_LICENCE, senior=True, returning=True, findings=Findings(phototype=3), history=known)
    acts = visit_plan(who, plan_of(who, modality), laid=True).acts
    assert [said(act) for act in acts] == [line.strip() for line in ACTS[modality].strip().splitlines()]
    for act in acts:
        assert (act.machine != "") == bool(act.dials) or modality == "led", "a machine is set to something"
        assert act.ask_s == 0 or act.modality == modality, "asked while it works, and not while it is made ready"
