"""Single figures of published sources, one a row: what, source, whether it is quoted from memory, how we get it, value,
tolerance.

`scripts/checks` reads this table for docs/checks.md.
"""

from collections.abc import Callable

import pytest

from merak.core.dose import acids, bioheat, current, light, needles, numbing, pulses, radio, sound, sun, thermal
from merak.core.modality import rf_bulk

#: 37 °C in the handbook's layers, 20 W absorbed over 100 cm²; the surface begins at 34.1 °C in this room.
WARMED = bioheat.Body(rf_bulk.layers(), bioheat.Surface(23.36, 10))


def warmed() -> bioheat.HeatRun:
    return WARMED.run(bioheat.np.full(2000, 2000.0), 0.1, 4e-3)


Row = tuple[str, str, bool, Callable[[], float | None], float, float]
TABLE: tuple[Row, ...] = (
    ("photon energy, 415 nm, eV", "CODATA 2018", True, lambda: light.photon_ev(415), 2.988, 0.001),
    ("photon energy, 633 nm, eV", "CODATA 2018", True, lambda: light.photon_ev(633), 1.959, 0.001),
    ("photon energy, 830 nm, eV", "CODATA 2018", True, lambda: light.photon_ev(830), 1.494, 0.001),
    ("CEM43, 45 °C for 10 min, min", "Sapareto & Dewey 1984", True, lambda: thermal.cem43_min(45, 10), 40, 1e-9),
    ("CEM43, 41 °C for 60 min, min", "Sapareto & Dewey 1984", True, lambda: thermal.cem43_min(41, 60), 3.75, 1e-9),
    ("burn integral is 1 at 50 °C after, s", "Henriques 1947", True, lambda: thermal.seconds_to_burn(50), 1056, 10.6),
    ("burn integral is 1 at 55 °C after, s", "Henriques 1947", True, lambda: thermal.seconds_to_burn(55), 30.0, 0.3),
    (
        "burn integral is 1 at 60 °C after, s",
        "Henriques 1947",
        True,
        lambda: thermal.seconds_to_burn(60),
        0.947,
        0.0095,
    ),
    ("contact, any material, 10 min, °C", "ISO 13732-1", True, lambda: thermal.contact_limit_c("glass", 600), 48, 0),
    ("contact, any material, 8 h, °C", "ISO 13732-1", True, lambda: thermal.contact_limit_c("metal", 28800), 43, 0),
    ("contact, metal, 1 min, °C", "ISO 13732-1", True, lambda: thermal.contact_limit_c("metal", 60), 51, 0),
    ("contact, plastic, 1 min, °C", "ISO 13732-1", True, lambda: thermal.contact_limit_c("plastic", 60), 60, 0),
    (
        "relaxation of a vessel of 50 µm, ms",
        "Anderson & Parrish 1983",
        True,
        lambda: pulses.relaxation_ms(50),
        1.2,
        0.05,
    ),
    (
        "relaxation of a vessel of 100 µm, ms",
        "Anderson & Parrish 1983",
        True,
        lambda: pulses.relaxation_ms(100),
        4.8,
        0.05,
    ),
    (
        "relaxation of a vessel of 200 µm, ms",
        "Anderson & Parrish 1983",
        True,
        lambda: pulses.relaxation_ms(200),
        19.2,
        0.25,
    ),
    (
        "pulse train, τ 19.2 ms, peak K",
        "lumped model by hand",
        False,
        lambda: max(pulses.train(10, 4, 24, 3, 19.2)),
        12.35,
        0.0124,
    ),
    (
        "pulse train, τ 4.8 ms, peak K",
        "lumped model by hand",
        False,
        lambda: max(pulses.train(10, 4, 24, 3, 4.8)),
        6.83,
        0.0069,
    ),
    (
        "infrared, skin 42 °C, set 0.95, °C",
        "Stefan–Boltzmann",
        False,
        lambda: thermal.infrared_reads_c(42, 0.95),
        42.57,
        0.02,
    ),
    (
        "infrared, skin 42 °C, set 1.0, °C",
        "Stefan–Boltzmann",
        False,
        lambda: thermal.infrared_reads_c(42, 1.0),
        41.64,
        0.02,
    ),
    (
        "hydroxide of 10 mA·min, µmol",
        "Faraday constant, CODATA",
        True,
        lambda: current.hydroxide_umol(1, 10),
        6.219,
        0.0005,
    ),
    (
        "… its pH in 2 mL unbuffered",
        "water's ion product at 25 °C",
        True,
        lambda: current.unbuffered_ph(6.219, 2),
        11.49,
        0.01,
    ),
    ("r.m.s., 20 mA, 300 µs, 50 Hz, mA", "I√(2·width·f)", False, lambda: current.rms_ma(20, 300, 50), 3.464, 0.0035),
    ("… on 25 cm², mA/cm²", "I√(2·width·f)", False, lambda: current.rms_ma(20, 300, 50) / 25, 0.1386, 0.00014),
    ("output at 0 Hz, mA", "IEC 60601-2-10", True, lambda: current.output_limit_ma(0), 80, 0),
    ("output at 400 Hz, mA", "IEC 60601-2-10", True, lambda: current.output_limit_ma(400), 50, 0),
    ("output at 1500 Hz, mA", "IEC 60601-2-10", True, lambda: current.output_limit_ma(1500), 80, 0),
    ("output above, mA", "IEC 60601-2-10", True, lambda: current.output_limit_ma(1501), 100, 0),
    (
        "ultrasound left, 3 MHz, 1 cm",
        "attenuation law, 0.7 dB/cm/MHz",
        True,
        lambda: sound.share_at_depth(3, 1),
        0.617,
        0.0005,
    ),
    (
        "free share, glycolic, pH 3",
        "Henderson–Hasselbalch, pKa 3.83",
        True,
        lambda: acids.free_share(3, 3.83),
        0.871,
        0.0005,
    ),
    (
        "free share, glycolic, pH 4",
        "Henderson–Hasselbalch, pKa 3.83",
        True,
        lambda: acids.free_share(4, 3.83),
        0.403,
        0.0005,
    ),
    (
        "free share, salicylic, pH 3",
        "Henderson–Hasselbalch, pKa 2.97",
        True,
        lambda: acids.free_share(3, 2.97),
        0.483,
        0.0005,
    ),
    (
        "free share, lactic, pH 3.5",
        "Henderson–Hasselbalch, pKa 3.86",
        True,
        lambda: acids.free_share(3.5, 3.86),
        0.696,
        0.0005,
    ),
    (
        "bicarbonate for 1 g glycolic, g",
        "molar masses",
        True,
        lambda: acids.bicarbonate_g(1, "glycolic"),
        84.01 / 76.05,
        1e-9,
    ),
    ("reduced scattering, 633 nm, 1/cm", "Jacques 2013", True, lambda: pulses.reduced_scattering(633), 32.90, 0.01),
    ("melanosome, 694 nm, 1/cm", "Jacques 2013", True, lambda: pulses.melanosome_mu_a(694), 227.9, 0.1),
    ("depth, µa 0.5, µs′ 10, mm", "diffusion theory", True, lambda: pulses.penetration_mm(0.5, 10), 2.52, 0.005),
    (
        "injection limit at 60 kg for 270 mg",
        "lidocaine labelling",
        True,
        lambda: numbing.injection_share(270, 60),
        1,
        1e-9,
    ),
    (
        "injection limit at 100 kg for 300 mg",
        "lidocaine labelling",
        True,
        lambda: numbing.injection_share(300, 100),
        1,
        1e-9,
    ),
    (
        "pen, 12 × 100 Hz × 60 s on 100 cm², /cm²",
        "geometry",
        False,
        lambda: needles.pen_density_cm2(12, 100, 60, 100),
        720,
        1e-9,
    ),
    (
        "roller, 192 needles, ⌀ 2 × 2 cm, /cm²",
        "geometry",
        False,
        lambda: needles.roller_density_cm2(192, 2, 2),
        15.28,
        0.005,
    ),
    ("… fifteen passes, /cm²", "geometry", False, lambda: needles.roller_density_cm2(192, 2, 2, 15), 229, 0.5),
    (
        "label, 20 g on 200 cm² for 4 h, share",
        "product labelling",
        True,
        lambda: numbing.label_share(20, 200, 4, 20, 200, 4),
        1,
        1e-9,
    ),
    ("erythema weight at 320 nm", "ISO 17166", True, lambda: sun.erythema_weight(320), 0.00855, 0.00001),
    ("UV index 8, one standard dose, s", "ISO 17166", True, lambda: sun.seconds_to_sed(8), 500, 1e-9),
    ("contact, glass, 1 min, °C", "ISO 13732-1", True, lambda: thermal.contact_limit_c("glass", 60), 56, 0),
    (
        "pass dose, 30 W, 20 mm/s, 20 mm, J/cm²",
        "definition",
        False,
        lambda: thermal.pass_dose_j_cm2(30, 20, 20),
        7.5,
        1e-9,
    ),
    ("5 W × 20 ms to 6 W × 30 ms, ×", "definition", False, lambda: radio.step_ratio(5, 20, 6, 30), 1.8, 1e-9),
    ("20 W on 4 cm², δ 4 mm, °C/s", "adiabatic heating", False, lambda: thermal.heating_rate_c_s(20, 4, 4), 3.2, 0.05),
    (
        "layers, 20 W on 100 cm²: surface 40 °C, s",
        "worked example of the model",
        True,
        lambda: warmed().reaches(40),
        65,
        3,
    ),
    (
        "… hottest point 43 °C, s",
        "worked example of the model",
        True,
        lambda: warmed().reaches(43, inside=True),
        104,
        3,
    ),
    ("… its depth then, mm", "worked example: 1 to 2 mm", True, lambda: float(warmed().peak_mm[1040]), 1.5, 0.5),
)


@pytest.mark.parametrize(
    ("what", "source", "memory", "ours", "value", "tolerance"), TABLE, ids=[row[0] for row in TABLE]
)
def test_figure(
    what: str, source: str, memory: bool, ours: Callable[[], float | None], value: float, tolerance: float
) -> None:
    found = ours()
    assert found is not None and abs(found - value) <= tolerance, f"{what}: {found} beside {value} ({source})"
