"""The head that a plate lies on: lengths that must be true, views that are their own way back."""

from itertools import pairwise

import numpy as np
import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from merak.core.body.head import Grid, Head, head
from merak.core.body.plate import plate
from merak.core.client import Measures
from merak.core.errors import BadInput

HEAD = head(Measures())
MEASURES = st.builds(
    Measures, ear_to_ear_mm=st.floats(240, 330), hairline_chin_mm=st.floats(165, 225), build=st.just("women's mean")
)
TURNS = st.floats(-90, 90)


def along(of: Head, points: Grid) -> float:
    """How long a line of the plate is on the head, mm."""
    fine = np.vstack([np.linspace(a, b, 60) for a, b in pairwise(points)])
    return float(np.linalg.norm(np.diff(of.skin(fine), axis=0), axis=1).sum())


@given(MEASURES)
def test_lengths_are_true_down_the_middle_and_at_the_tape(measures: Measures) -> None:
    """190 mm from hairline to chin over the nose, 139 from the base of the nose to the flap before the ear."""
    of, face = head(measures), plate(measures)
    down = np.column_stack([np.zeros(400), np.linspace(0, 190 * face.down, 400)])
    assert along(of, down) == pytest.approx(190 * face.down, rel=0.006)
    if abs(face.across / face.down - 1) < 0.1:  # a nose that is drawn narrower or wider than long is a longer way round
        tape = np.array([[0, 121 * face.down], [139 * face.across, 121 * face.down]])
        assert along(of, tape) == pytest.approx(139 * face.across, rel=0.01)


@given(st.floats(0, 188), st.floats(30, 100), st.floats(5, 36))
def test_lengths_are_true_across_the_cheeks(y: float, x: float, span: float) -> None:
    assert along(HEAD, np.array([[x, y], [x + span, y]])) == pytest.approx(span, abs=0.02 * span + 0.2)


@given(st.floats(0, 188))
def test_lengths_across_the_middle_of_the_face_are_true_within_an_eighth(y: float) -> None:
    assert along(HEAD, np.array([[0, y], [30, y]])) == pytest.approx(30, rel=1 / 8)
    assert along(HEAD, np.array([[0, y], [130, y]])) == pytest.approx(130, rel=0.035)


@given(MEASURES, st.floats(-135, 135), st.floats(1, 189), TURNS)
@example(Measures(ear_to_ear_mm=240, hairline_chin_mm=195), 5, 97, -54)  # a cell seen nearly edge on
def test_a_view_is_its_own_way_back(measures: Measures, x: float, y: float, turned: float) -> None:
    """What is seen is found again within half a millimetre of skin, but where it is seen so aslant that a millimetre of
    it is not a third of one in the view; what is hidden stands on the edge that hides it.
    """
    of, face = head(measures), plate(measures)
    point = np.array([[x * face.across, y * face.down]])
    (at,), (shown,) = of.seen(point, turned)
    back = of.plate_point(float(at[0]), float(at[1]), turned)
    if shown and back is not None:
        beside = of.seen(point + np.array([[-1, 0], [1, 0]]), turned)[0][:, 0]
        aslant = min(abs(beside - at[0])) < 1 / 3
        assert aslant or np.linalg.norm(of.skin(np.array([back])) - of.skin(point)) < 0.5
        assert np.abs(of.seen(np.array([back]), turned)[0] - at).max() < 0.01
    near = of.seen(point + np.array([[2.5 * np.sign(x), 0]]), turned)
    assert not shown or back is not None or not near[1].all(), "only at an edge is there no way back"


@given(st.floats(-135, 135), st.floats(1, 189), TURNS)
def test_a_mirrored_head_is_mirrored(x: float, y: float, turned: float) -> None:
    here, mirrored = HEAD.seen(np.array([[x, y]]), turned), HEAD.seen(np.array([[-x, y]]), -turned)
    assert here[0][0] == pytest.approx(mirrored[0][0] * [-1, 1], abs=1e-9) and here[1] == mirrored[1]


@given(st.floats(0, 188), TURNS)
def test_no_outline_folds(y: float, turned: float) -> None:
    """From the client's right to the left a level line never turns back, so that no zone covers another."""
    line = np.column_stack([np.linspace(-160, 160, 200), np.full(200, y)])
    seen, shown = HEAD.seen(line, turned)
    assert (np.diff(seen[:, 0]) > -1e-9).all() and shown.any()


def test_what_each_view_shows() -> None:
    cheeks = np.array([[-80.0, 110], [80.0, 110], [0, 50]])
    for turned, sees in ((0, [True, True, True]), (90, [False, True, True]), (-90, [True, False, True])):
        assert HEAD.seen(cheeks, turned)[1].tolist() == sees, turned
    tip, base, fore = HEAD.skin(np.array([[0, 109.0], [0, 121], [0, 50]]))[:, 2]
    assert tip > base + 7 and tip > fore, "a nose stands out"
    right, left = HEAD.seen(np.array([[-60.0, 100], [60, 100]]), 0)[0][:, 0]
    assert right < 0 < left, "as one looks at the client"


def test_a_head_turns_no_farther_than_a_profile() -> None:
    for turned in (90.5, -120, float("nan")):
        with pytest.raises(BadInput):
            HEAD.seen(np.zeros((1, 2)), turned)
        with pytest.raises(BadInput):
            HEAD.plate_point(0, 0, turned)
    assert HEAD.plate_point(0, -200, 0) is None and HEAD.plate_point(300, 90, 0) is None
