"""Readings from marks: sides, signs, roll correction, refusals, mirror law."""

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tuning.core.judging.comparison import changes, comparison_table
from tuning.core.picture_views import PICTURE_KINDS
from tuning.core.pictures import marks
from tuning.core.pictures.geometry import rotated
from tuning.core.pictures.marks import (
    CLICK_SD_PX,
    UNLEVELLED_SD_DEG,
    Level,
    LevelReference,
    PictureContext,
    Scale,
    placing_sd,
)
from tuning.core.types import FrameRef, NotMeasured, Observation, Side
from tuning.knowledge import load

REAR = {
    "psis_left": (600, 300), "psis_right": (640, 296), "buttock_left": (580, 360), "buttock_right": (660, 360),
    "knee_back_left": (598, 480), "knee_back_right": (652, 480), "heel_left": (590, 620), "heel_right": (650, 620),
    "heel_top_left": (590, 600), "heel_top_right": (650, 600), "toe_left": (576, 606), "toe_right": (664, 606),
}  # fmt: skip
FRONT = {
    "asis_right": (560, 300), "asis_left": (660, 300), "knee_right": (590, 440), "knee_left": (640, 440),
    "ankle_right": (560, 600), "ankle_left": (660, 600), "second_toe_right": (552, 625),
    "second_toe_left": (668, 625),
}  # fmt: skip

SOLE = {
    "sole_toe_left": (600, 640), "sole_heel_left": (612, 600),
    "sole_toe_right": (660, 640), "sole_heel_right": (664, 602),
}  # fmt: skip
STANCE = {
    "heel_left": (500, 640), "heel_right": (700, 600), "second_toe_left": (470, 540), "second_toe_right": (710, 500),
}  # fmt: skip
VIEWS = [("rear", REAR), ("front", FRONT), ("rear-sole", SOLE), ("stance", STANCE)]


def read_marks(kind_id, placed, context):
    return marks.read_marks(PICTURE_KINDS[kind_id], placed, context)


def as_marks(table):
    return {name: np.array(at, dtype=float) for name, at in table.items()}


def values(readings):
    return {(r.measure_id, r.side): r.value for r in readings}


def test_rear_view_left_is_on_the_left_and_inward_is_positive():
    found = values(read_marks("rear", as_marks(REAR), PictureContext()))
    assert found["gait-pelvic-tilt", Side.NONE] == pytest.approx(math.degrees(math.atan(4 / 40)))
    assert found["gait-bkh-deviation", Side.LEFT] > 0, "left knee lies right of its line, toward the midline"
    assert found["gait-bkh-deviation", Side.RIGHT] == pytest.approx(
        -math.degrees(math.atan2(-8, 120) - math.atan2(-2, 140)), abs=1e-9
    )
    assert found["gait-foot-line", Side.LEFT] == pytest.approx(45)
    for side in (Side.LEFT, Side.RIGHT):
        assert found["gait-bkh", side] == pytest.approx(180 - abs(found["gait-bkh-deviation", side]))


def test_front_view_right_is_on_the_left_and_inward_is_positive():
    scale = Scale(np.array([0.0, 0.0]), np.array([200.0, 0.0]), 0.5)
    found = values(read_marks("front", as_marks(FRONT), PictureContext(scale=scale)))
    inward = math.degrees(math.atan2(30, 140) + math.atan2(30, 160))
    assert found["squat-front-fppa", Side.RIGHT] == pytest.approx(inward)
    assert found["squat-front-fppa", Side.LEFT] > 0
    assert found["squat-front-knee-offset", Side.RIGHT] == pytest.approx((590 - 552) * 0.25)
    assert found["squat-front-knee-offset", Side.LEFT] == pytest.approx((668 - 640) * 0.25)


def test_a_sole_leans_inward_with_its_heel_and_feet_are_set_wide_turned_and_ahead():
    whip = values(read_marks("rear-sole", as_marks(SOLE), PictureContext()))
    assert whip["gait-heel-whip", Side.LEFT] == pytest.approx(math.degrees(math.atan(12 / 40)))
    assert whip["gait-heel-whip", Side.RIGHT] == pytest.approx(-math.degrees(math.atan(4 / 38)))
    scale = Scale(np.array([0.0, 0.0]), np.array([200.0, 0.0]), 0.5)
    feet = values(read_marks("stance", as_marks(STANCE), PictureContext(scale=scale)))
    assert feet["stance-foot-angle", Side.LEFT] == pytest.approx(math.degrees(math.atan(0.3)))
    assert feet["stance-foot-angle", Side.RIGHT] == pytest.approx(math.degrees(math.atan(0.1)))
    assert feet["stance-width", Side.NONE] == pytest.approx(50)
    assert feet["stance-offset", Side.NONE] == pytest.approx(10), "the right heel lies further up the picture"


def test_marked_frames_of_one_clip_are_the_trials_of_the_whip():
    """Six steps a leg by hand; the newest frame of a photograph or of another clip stands alone."""
    measures, steps = load().measures, {Side.LEFT: (8, 9, 11, 8, 10, 8), Side.RIGHT: (2, 1, 0, 2, 1, 0)}

    def marked(side, value, clip=1, method="clip", frame=0):
        where, trials = FrameRef(str(clip), frame), np.array([value])
        return Observation("gait-heel-whip", side, float(value), trials, "single", method, 0.5, evidence=where)

    one = comparison_table(measures, [marked(s, steps[s][0]) for s in steps])[0]
    (row,) = comparison_table(measures, [marked(s, v, frame=n) for s in steps for n, v in enumerate(steps[s])])
    assert (row.left.measured, row.right.measured) == (9.0, 1.0) and row.left.trials.tolist() == list(steps[Side.LEFT])
    assert row.verdict.d == -8 and row.verdict.e < one.verdict.e, "six steps settle more than one"
    assert row.left.marking_sd == pytest.approx(0.5) and row.left.summary_rule == "mean"
    lost = Observation("gait-heel-whip", Side.LEFT, NotMeasured("lost", "x"), evidence=FrameRef("1"), method="clip")
    seen = [marked(Side.LEFT, 20, clip=7), *(marked(s, v) for s in steps for v in steps[s]), lost]
    assert comparison_table(measures, seen)[0].left.measured == 9.0
    photos = [marked(s, v, method="photo") for s in steps for v in steps[s]]
    assert comparison_table(measures, photos)[0].left.trials.size == 1
    (change,) = changes(measures, [marked(Side.LEFT, v, 1) for v in (8, 10)], [marked(Side.LEFT, v, 2) for v in (4, 2)])
    assert change.verdict.d == -6


def test_a_lifted_heel_tells_no_foot_line():
    table = {**REAR, "heel_left": (586, 590)}
    told = values(read_marks("rear", as_marks(table), PictureContext()))
    assert isinstance(told["gait-foot-line", Side.LEFT], NotMeasured)
    assert "mid-stance" in told["gait-foot-line", Side.LEFT].detail
    assert told["gait-foot-line", Side.RIGHT] == pytest.approx(45)


@pytest.mark.parametrize(("view", "table"), VIEWS)
def test_mirrored_marks_give_mirrored_readings(view, table):
    swap = {"left": "right", "right": "left"}
    scale = Scale(np.array([0.0, 0.0]), np.array([200.0, 0.0]), 0.5)
    context = PictureContext(scale=scale)
    mirrored = {}
    for name, (x, y) in table.items():
        stem, side = name.rsplit("_", 1)
        mirrored[f"{stem}_{swap[side]}"] = np.array([1280.0 - x, y])
    one = values(read_marks(view, as_marks(table), context))
    other = values(read_marks(view, mirrored, context))
    for (measure, side), value in one.items():
        expected = -value if side is Side.NONE and measure != "stance-width" else value
        assert other[measure, side.other] == pytest.approx(expected)


@given(st.floats(-15, 15))
def test_a_plumb_line_takes_camera_roll_out_of_every_reading(roll):
    scale = Scale(np.array([300.0, 50.0]), np.array([500.0, 50.0]), 0.5)
    plumb = LevelReference(Level.PLUMB, np.array([200.0, 80.0]), np.array([200.0, 650.0]))
    turn = lambda p: rotated(p, roll)  # noqa: E731
    for view, table in VIEWS:
        straight = values(read_marks(view, as_marks(table), PictureContext(plumb, scale)))
        rolled = PictureContext(
            LevelReference(Level.PLUMB, turn(plumb.a), turn(plumb.b)), Scale(turn(scale.a), turn(scale.b), 0.5)
        )
        found = values(read_marks(view, {n: turn(p) for n, p in as_marks(table).items()}, rolled))
        for key, value in straight.items():
            assert found[key] == pytest.approx(value, abs=1e-6)


def test_without_a_level_reference_tilts_carry_the_roll_error_and_joint_angles_do_not():
    level = LevelReference(Level.PLUMB, np.array([200.0, 0.0]), np.array([200.0, 7e5]))
    with_level = {(r.measure_id, r.side): r for r in read_marks("rear", as_marks(REAR), PictureContext(level))}
    without = {(r.measure_id, r.side): r for r in read_marks("rear", as_marks(REAR), PictureContext())}
    tilt = ("gait-pelvic-tilt", Side.NONE)
    assert without[tilt].marking_sd == pytest.approx(
        math.hypot(with_level[tilt].marking_sd, UNLEVELLED_SD_DEG), rel=1e-3
    )
    assert "no level reference" in without[tilt].note and not with_level[tilt].note
    knee = ("gait-bkh", Side.LEFT)
    assert without[knee].marking_sd == pytest.approx(with_level[knee].marking_sd) and not without[knee].note


def test_only_measures_whose_marks_are_there_are_read():
    marks = as_marks({n: REAR[n] for n in ("psis_left", "buttock_right", "knee_back_right", "heel_right")})
    assert {r.measure_id for r in read_marks("rear", marks, PictureContext())} == {"gait-bkh", "gait-bkh-deviation"}


def test_refusals_come_as_reasons_not_numbers():
    crowded = as_marks({"psis_left": (600, 300), "psis_right": (605, 300)})
    (tilt,) = read_marks("rear", crowded, PictureContext())
    assert isinstance(tilt.value, NotMeasured) and tilt.value.reason == "marks-too-close"
    found = values(read_marks("front", as_marks(FRONT), PictureContext()))
    assert found["squat-front-knee-offset", Side.LEFT].reason == "no-scale"
    with pytest.raises(ValueError, match="psis_left"):
        read_marks("rear", as_marks({"psis_left": (math.nan, 1), "psis_right": (9, 9)}), PictureContext())


def test_coarser_placing_widens_the_expected_error():
    fine = PictureContext(sd_px=dict.fromkeys(PICTURE_KINDS["rear"].landmarks, placing_sd(0)))
    coarse = PictureContext(sd_px=dict.fromkeys(PICTURE_KINDS["rear"].landmarks, placing_sd(6)))
    assert placing_sd(0) == CLICK_SD_PX
    for a, b in zip(read_marks("rear", as_marks(REAR), fine), read_marks("rear", as_marks(REAR), coarse), strict=True):
        assert b.expected_error > a.expected_error
