"""Skin tone, phototype, standard scales and laid-over photographs beside what was published, or beside a general
library.
"""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.linalg import orthogonal_procrustes

from merak.core.body.align import similarity
from merak.core.client.scales import Acne, Life, Pigment, acne, life, pigment
from merak.core.client.tone import ASKED, phototype_by, tone_angle, tone_of
from merak.core.errors import BadInput


@pytest.mark.outside(
    "Chardin 1991; Del Bino & Bernerd 2013",
    values="> 55 very light, > 41 light, > 28 intermediate, > 10 tan, > −30 brown, else dark",
    memory=True,
)
@pytest.mark.parametrize(
    ("tone", "name"),
    [
        ((74, 5, 15), "very light"),
        ((66, 9, 15), "light"),
        ((62, 9, 15), "intermediate"),
        ((55, 9, 15), "tan"),
        ((45, 9, 15), "brown"),
        ((30, 9, 15), "dark"),
    ],
)
def test_skin_tone_angle_and_its_classes(tone: tuple[float, float, float], name: str) -> None:
    found, _, angle = tone_of(tone)
    assert found == name
    assert angle.value == pytest.approx(np.degrees(np.arctan((tone[0] - 50) / tone[2])))
    with pytest.raises(BadInput):
        tone_angle(60, 0)


@pytest.mark.outside(
    "phototype questionnaire in general use",
    values="0–6 I, 7–13 II, 14–20 III, 21–27 IV, 28–34 V, 35–40 VI",
    memory=True,
)
@pytest.mark.parametrize(
    ("total", "kind"),
    [(0, 1), (6, 1), (7, 2), (13, 2), (14, 3), (20, 3), (21, 4), (27, 4), (28, 5), (34, 5), (35, 6), (40, 6)],
)
def test_phototype_by_points(total: int, kind: int) -> None:
    points, left = {}, total
    for one in ASKED:
        points[one.id] = min(4, left)
        left -= points[one.id]
    found, told = phototype_by(points)
    assert (found, told.value) == (kind, total)
    with pytest.raises(BadInput):
        phototype_by(points | {"eyes": 5})


@pytest.mark.outside(
    "Doshi 1997",
    values="factors 2 2 2 1 1 3; 1–18 mild, 19–30 moderate, 31–38 severe, ≥ 39 very severe; face ≤ 32",
    memory=True,
)
def test_the_global_acne_score() -> None:
    face = Acne(forehead=4, right_cheek=4, left_cheek=4, nose=4, chin=4)
    assert acne(face).score.value == 32 and acne(face).band == "severe" and "32" in acne(face).note
    whole = acne(face.model_copy(update={"chest_back": 4}))
    assert whole.score.value == 44 and whole.band == "very severe" and not whole.note
    two = {"forehead": 4, "right_cheek": 4}  # 16
    four = two | {"left_cheek": 4, "nose": 4}  # 28
    cases = (
        ({}, "none"),
        ({"nose": 1}, "mild"),
        (two | {"nose": 2}, "mild"),
        (two | {"nose": 3}, "moderate"),
        (four | {"chin": 2}, "moderate"),
        (four | {"chin": 3}, "severe"),
    )
    for grades, band in cases:
        assert acne(Acne(**grades)).band == band, grades


@pytest.mark.outside(
    "Kimbrough-Green 1994; Pandya 2011", values="weights .3 .3 .3 .1; 0–48, modified 0–24", memory=True
)
def test_pigment_area_and_severity() -> None:
    most = pigment(
        Pigment(
            **{
                f"{r}_{p}": (6 if p == "area" else 4)
                for r in ("forehead", "right", "left", "chin")
                for p in ("area", "dark", "even")
            }
        )
    )
    assert most.score.value == pytest.approx(48) and "24.0 of 24" in most.band
    assert pigment(Pigment(forehead_area=3, forehead_dark=2, forehead_even=1)).score.value == pytest.approx(0.3 * 3 * 3)


@pytest.mark.outside("Hongbo 2005", values="0–1, 2–5, 6–10, 11–20, 21–30", memory=True)
@pytest.mark.parametrize(
    ("total", "band"),
    [
        (0, "no"),
        (1, "no"),
        (2, "small"),
        (5, "small"),
        (6, "moderate"),
        (10, "moderate"),
        (11, "very large"),
        (20, "very large"),
        (21, "extremely large"),
        (30, "extremely large"),
    ],
)
def test_bands_of_the_quality_of_life_index(total: int, band: str) -> None:
    answers = {f"q{n}": min(3, max(0, total - 3 * (n - 1))) for n in range(1, 11)}
    found = life(Life(**answers))
    assert found.score.value == total and found.band == f"{band} effect"


COORDINATE = st.floats(0, 2000)
POINTS = st.lists(st.tuples(COORDINATE, COORDINATE), min_size=3, max_size=6)


@pytest.mark.outside("SciPy, orthogonal Procrustes", tolerance="1e-6 of the size")
@given(
    POINTS,
    st.floats(-0.6, 0.6),
    st.floats(0.6, 1.6),
    st.tuples(COORDINATE, COORDINATE),
    st.randoms(use_true_random=False),
)
def test_photographs_are_laid_over_each_other_as_procrustes_lays_them(points, turn, size, shift, random) -> None:  # type: ignore[no-untyped-def]
    x = np.array(points)
    if np.abs(x - x.mean(axis=0)).max() < 1:
        with pytest.raises(BadInput):
            similarity(points[:1], points[:1])
        return
    turned = size * x @ np.array([[np.cos(turn), np.sin(turn)], [-np.sin(turn), np.cos(turn)]]) + shift
    y = turned + np.array([[random.uniform(-9, 9), random.uniform(-9, 9)] for _ in points])
    found = similarity([tuple(p) for p in x], [tuple(p) for p in y])
    u, v = x - x.mean(axis=0), y - y.mean(axis=0)
    rotation, scale = orthogonal_procrustes(u, v)
    if np.linalg.det(rotation) > 0:
        best = np.sqrt((((u @ rotation) * scale / (u**2).sum() - v) ** 2).sum(axis=1).mean())
        assert found.off == pytest.approx(best, abs=1e-6 * 2000)
