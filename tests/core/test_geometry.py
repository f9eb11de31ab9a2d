"""Angles against closed forms; error propagation against closed form and simulation."""

import math

import numpy as np
import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from tuning.core.pictures import geometry

points = st.tuples(st.floats(-500, 500), st.floats(-500, 500)).map(np.array)


def chain(*xy):
    return tuple(np.array(p, dtype=float) for p in xy)


def test_interior_angle_on_known_triangles():
    assert geometry.interior_angle(chain((0, 0), (0, 10), (0, 20))) == pytest.approx(180)
    assert geometry.interior_angle(chain((0, 0), (0, 10), (10, 10))) == pytest.approx(90)
    assert geometry.interior_angle(chain((0, 0), (10, 0), (5, 5 * math.sqrt(3)))) == pytest.approx(60)
    assert math.isnan(geometry.interior_angle(chain((1, 1), (1, 1), (2, 2))))


@given(points, points, points)
def test_bend_and_interior_angle_tell_one_story(a, b, c):
    assume(np.linalg.norm(a - b) > 1 and np.linalg.norm(c - b) > 1)
    interior = geometry.interior_angle((a, b, c))
    assert 180 - abs(geometry.bend((a, b, c), 1)) == pytest.approx(interior, abs=1e-6)


def test_bend_is_positive_toward_the_named_side():
    knee_right_of_line = chain((100, 0), (110, 100), (100, 200))
    assert geometry.bend(knee_right_of_line, +1) == pytest.approx(2 * math.degrees(math.atan(0.1)))
    assert geometry.bend(knee_right_of_line, -1) < 0


def test_tilt_is_positive_when_right_is_higher_whatever_way_it_is_seen():
    left, right = np.array([0.0, 10.0]), np.array([100.0, 0.0])
    assert geometry.right_higher_tilt(left, right) == pytest.approx(math.degrees(math.atan(0.1)))
    front_view_left, front_view_right = np.array([100.0, 10.0]), np.array([0.0, 0.0])
    assert geometry.right_higher_tilt(front_view_left, front_view_right) > 0


@given(st.floats(-40, 40), st.floats(-300, 300), st.floats(50, 400))
def test_a_plumb_line_gives_back_the_roll_it_was_turned_by(roll, x, length):
    top, bottom = np.array([x, -length]), np.array([x, length])
    turned = [geometry.rotated(p, roll) for p in (top, bottom)]
    assert geometry.roll_of_plumb(*turned) == pytest.approx(roll, abs=1e-9)
    assert geometry.roll_of_plumb(*reversed(turned)) == pytest.approx(roll, abs=1e-9)


@given(st.floats(-40, 40))
def test_a_floor_edge_gives_back_the_roll(roll):
    ends = [geometry.rotated(np.array(p), roll) for p in ((-200.0, 30.0), (250.0, 30.0))]
    assert geometry.roll_of_floor(*ends) == pytest.approx(roll, abs=1e-9)


def test_error_of_a_line_has_its_closed_form():
    marks = {"a": np.array([0.0, 0.0]), "b": np.array([120.0, 0.0])}
    sd = geometry.propagate(lambda m: geometry.right_higher_tilt(m["a"], m["b"]), marks, {"a": 1.5, "b": 1.5})
    assert sd == pytest.approx(math.degrees(math.sqrt(2) * 1.5 / 120), rel=1e-4)


def test_error_of_a_joint_angle_has_its_closed_form():
    # Straight leg, arms p and q: var = s^2 (1/p^2 + 1/q^2 + (1/p + 1/q)^2).
    marks = dict(zip("abc", chain((0, 0), (0, 90), (0, 200)), strict=True))
    sd = geometry.propagate(lambda m: geometry.bend((m["a"], m["b"], m["c"]), 1), marks, dict.fromkeys("abc", 1.2))
    p, q = 90, 110
    expected = math.degrees(1.2 * math.sqrt(1 / p**2 + 1 / q**2 + (1 / p + 1 / q) ** 2))
    assert sd == pytest.approx(expected, rel=1e-4)


def test_error_agrees_with_simulated_clicks():
    rng = np.random.default_rng(3)
    marks = dict(zip("abc", chain((10, 0), (40, 90), (15, 200)), strict=True))
    value = lambda m: geometry.bend((m["a"], m["b"], m["c"]), 1)  # noqa: E731
    predicted = geometry.propagate(value, marks, dict.fromkeys("abc", 1.0))
    seen = [value({k: v + rng.normal(0, 1, 2) for k, v in marks.items()}) for _ in range(20000)]
    assert np.std(seen) == pytest.approx(predicted, rel=0.03)
