"""What is drawn says what is measured: positions, foot criteria, tests on the plates."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tuning.core.pose import FOOT, BodyPosition, PoseFrame, parse_frame
from tuning.core.programme.body_model import FOREARM, UPPER_ARM, body_of, with_hands_at
from tuning.core.types import Side
from tuning.drawings.exercise import (
    FELT,
    FELT_OTHER,
    STANDS_STILL,
    THINGS,
    VIEWS,
    ExercisePicture,
    exercise_figure,
    scene_of,
)
from tuning.drawings.figure import Outline, box, ellipse, limb, smooth
from tuning.drawings.plates import PLATE, plate_figure, plate_test_figures
from tuning.drawings.positions import CRITERIA, DRAWN, criterion
from tuning.knowledge import load

ADVICE = load().plates


def points(shapes) -> np.ndarray:
    return np.array([p for shape in shapes for p in shape.points])


def body(shapes: list[Outline]) -> list[Outline]:
    return [shape for shape in shapes if not shape.prop]


def centre(shape: Outline) -> np.ndarray:
    return points([shape]).mean(axis=0)


@pytest.mark.parametrize("name", sorted(DRAWN))
def test_every_position_is_a_picture_of_a_person_with_its_reading_on_it(name):
    drawn = DRAWN[name]
    drawn = drawn() if callable(drawn) else drawn
    all_points = points(drawn.shapes)
    assert np.isfinite(all_points).all() and body(list(drawn.shapes))
    low, high = all_points.min(axis=0) - 0.2, all_points.max(axis=0) + 0.2
    read = [*(p for angle in drawn.angles for p in angle), *(p for line in drawn.lengths for p in line), *drawn.dots]
    for place in read:
        assert (low <= place).all() and (place <= high).all(), "what is read off lies on the picture"
    for vertex, first, second in drawn.angles:
        assert math.dist(vertex, first) > 0.02 and math.dist(vertex, second) > 0.02


def test_foot_criteria_change_with_their_value_and_stand_even_at_zero():
    for number in range(len(CRITERIA)):
        low, even, high = (criterion(number, v) for v in (-2, 0, 2))
        assert (low.shapes, low.dots) != (even.shapes, even.dots) != (high.shapes, high.dots)
    heel = [centre(criterion(2, v).shapes[1])[0] for v in (-2, 0, 2)]
    assert heel[0] < -0.001 and abs(heel[1]) < 0.001 and heel[2] > 0.001, "inward, upright, outward"
    arch = [points(criterion(4, v).shapes[:1])[:, 1] for v in (-2, 2)]
    assert sorted(arch[0])[6] > sorted(arch[1])[6], "a peaked arch stands higher than a low one"
    with pytest.raises(IndexError):
        criterion(6, 0)


@given(st.tuples(*[st.floats(-1, 1)] * 4), st.floats(0.01, 0.2), st.floats(0.01, 0.2))
def test_a_limb_holds_both_of_its_circles(ends, ra, rb):
    a, b = ends[:2], ends[2:]
    if math.dist(a, b) <= max(ra, rb):
        return
    hull = points([limb(a, b, ra, rb)])
    for middle, radius in ((a, ra), (b, rb)):
        gaps = np.hypot(*(hull - middle).T)
        assert gaps.min() >= radius - 1e-9 and gaps.min() == pytest.approx(radius)


def test_outlines_keep_to_their_measures():
    assert points([ellipse((1, 2), 0.3, 0.1)])[:, 0].max() == pytest.approx(1.3)
    assert points([ellipse((1, 2), 0.3, 0.1, 90)])[:, 1].max() == pytest.approx(2.3, abs=1e-3)
    square = ((0.0, 0.0), (1.0, 0.0), (1.0, 1.0), (0.0, 1.0))
    curve = np.array(smooth(square, 4))
    for corner in square:
        assert np.abs(curve - corner).sum(axis=1).min() < 1e-12, "a smooth curve goes through its points"
    assert box(0, 2, 0, 1).prop


@pytest.mark.parametrize("name", sorted(ADVICE))
def test_tests_on_the_plates_are_drawn_as_they_are_done(name):
    advice = ADVICE[name]
    for n, shapes in enumerate(plate_test_figures(advice)):
        plate, *rest = shapes
        last = n == len(advice.frames) - 1
        low = min(points([s])[:, 1].min() for s in rest if not s.prop and not s.far)
        lifted = advice.air if last else 0.0
        assert plate.prop and points([plate])[:, 1].max() <= 0
        assert low == pytest.approx(lifted, abs=0.01), "the working foot stands on the plate, or above it in the air"
        feet = points([s for s in rest if not s.prop])[:, 0]
        assert feet.max() - feet.min() < 1.2
    standing, deep = (
        points(body(s))[:, 1].max() for s in (plate_test_figures(advice)[0], plate_test_figures(advice)[-1])
    )
    assert standing > 0.6 and deep > 0.6
    assert any(s.prop for s in plate_test_figures(advice)[0][1:]) is advice.bar


def test_a_raised_heel_turns_about_the_toes_and_a_bar_lies_on_the_shoulders():
    flat, raised = (plate_figure(PoseFrame(0, 0, 0, 0), False, up, 0.0) for up in (0.0, 35.0))
    tops = [points(body(s))[:, 1].max() for s in (flat, raised)]
    gain = FOOT * (0.72 - 0.25) * math.sin(math.radians(35))
    assert tops[1] - tops[0] == pytest.approx(gain, abs=0.02), "the body rises by what the ankle rises"
    with_bar = plate_figure(PoseFrame(20, 80, 80, 20), True, 0.0, 0.0)
    shoulder = body_of(PoseFrame(20, 80, 80, 20)).shoulder
    bars = [s for s in with_bar if s.prop and math.dist(centre(s), shoulder[:2]) < 0.12]
    assert bars


def test_a_step_lifts_the_person_onto_it():
    scene = ExercisePicture(PoseFrame(10, 40, 45, 15), view="square")
    flat, stepped = exercise_figure(scene), exercise_figure(ExercisePicture(scene.frame, view="square", step=0.12))
    assert points(body(stepped))[:, 1].max() - points(body(flat))[:, 1].max() == pytest.approx(0.12)
    assert [s for s in stepped if s.prop] and not [s for s in flat if s.prop]
    assert PLATE < 0.12


RUNGS = [(rung, pose, frame) for ladder in load().ladders.values() for rung in ladder.rungs for pose in rung.poses
         for frame in pose.frames]  # fmt: skip


def test_every_thing_and_every_feeling_of_the_ladders_can_be_drawn():
    for rung, _, _ in RUNGS:
        assert set(rung.props) <= set(THINGS) and rung.view in VIEWS and set(rung.feel) <= {*FELT, *FELT_OTHER}, rung.id


@pytest.mark.parametrize("place", range(0, len(RUNGS), 3))
def test_left_is_the_mirror_image_of_right(place):
    rung, pose, frame = RUNGS[place]
    right, left = (exercise_figure(scene_of(rung, pose, frame), mirrored) for mirrored in (False, True))
    assert [s.tint for s in right] == [s.tint for s in left]
    assert np.allclose(points(right) * [-1, 1], points(left)) and not np.allclose(points(right), points(left))


def test_the_working_leg_is_washed_and_stands_on_the_side_that_it_is_called():
    frame = parse_frame("5/12/12/5; F 10/10; F ab 30")
    facing = exercise_figure(ExercisePicture(frame, view="front"))
    working = points([s for s in facing if s.tint == "working"])[:, 0].mean()
    free = points([s for s in facing if s.far])[:, 0].mean()
    assert working < free, "seen from the front the right leg is on the left of the picture"
    behind = exercise_figure(ExercisePicture(frame, view="rear"))
    assert (
        points([s for s in behind if s.tint == "working"])[:, 0].mean()
        > points([s for s in behind if s.far])[:, 0].mean()
    )
    side = exercise_figure(ExercisePicture(parse_frame("0/0/0/0; F 0/0"), view="side"))
    foot = next(s for s in side if s.tint == "working")
    assert points([foot])[:, 0].max() > 0, "seen from the right the person looks to the right"


def test_the_side_that_one_lies_on_is_the_one_that_the_steps_name():
    for rung in load().ladders["shift"].rungs:
        lies_on = "{side}" if rung.position is BodyPosition.RIGHT_SIDE else "{other}"
        assert f"Lie on your {lies_on} side" in rung.steps[0], "the drawn version works on the right"
        assert (
            rung.steps_for(Side.LEFT)[0].replace("left", "x").replace("right", "left").replace("x", "right")
            == (rung.steps_for(Side.RIGHT)[0])
        )


def test_lying_figures_lie():
    for text, position in (("10/90/90/0", BodyPosition.RIGHT_SIDE), ("0/0/100/-15; e 25", BodyPosition.BACK)):
        drawn = points(
            body(
                exercise_figure(
                    ExercisePicture(parse_frame(text), position, "square" if position is BodyPosition.BACK else "lying")
                )
            )
        )
        spread = drawn.max(axis=0) - drawn.min(axis=0)
        assert spread[0] > 1.3 * spread[1]


EVERY = [rung for ladder in load().ladders.values() for rung in ladder.rungs]


@pytest.mark.parametrize("rung", [r for r in EVERY if STANDS_STILL & {*r.props}], ids=lambda rung: rung.id)
def test_furniture_stands_still_while_the_person_moves(rung):
    pose = rung.poses[0]
    scenes = [scene_of(rung, pose, frame) for frame in (pose.start, pose.end)]
    with_it = [{s.points for s in exercise_figure(scene) if s.prop} for scene in scenes]
    without = [replace(scene, props=tuple(p for p in scene.props if p not in STANDS_STILL)) for scene in scenes]
    first, second = (
        shapes - {s.points for s in exercise_figure(scene) if s.prop}
        for shapes, scene in zip(with_it, without, strict=True)
    )
    assert first and first == second


def test_hands_that_hold_a_rail_lie_on_it_in_both_frames_and_hands_on_knees_on_them():
    rung = next(r for r in EVERY if r.id == "ws-1-supported")
    start, end = (body_of(frame) for frame in (rung.poses[0].start, rung.poses[0].end))
    held = with_hands_at(end, *(arm.hand for arm in start.arms))
    for before, after in zip(start.arms, held.arms, strict=True):
        assert np.allclose(after.hand, before.hand)
        assert math.isclose(math.dist(after.shoulder, after.elbow), UPPER_ARM)
        assert math.isclose(math.dist(after.elbow, after.hand), FOREARM)
    far = with_hands_at(end, *(arm.hand + (3, 0, 0) for arm in start.arms))
    assert math.isclose(math.dist(far.arms[0].shoulder, far.arms[0].hand), UPPER_ARM + FOREARM, abs_tol=1e-4)
    leaning = body_of(parse_frame("45/80/60/25; arms knees"))
    assert math.dist(leaning.arms[0].hand, leaning.working.knee) < 0.1
    assert math.dist(leaning.arms[1].hand, leaning.other.knee) < 0.1


def test_no_two_rungs_of_a_ladder_draw_the_same_and_no_close_up_stands_still():
    for ladder in load().ladders.values():
        drawn = {}
        for rung in ladder.rungs:
            frames = (rung.poses[0].start, rung.poses[0].end)
            looks = tuple(tuple(exercise_figure(scene_of(rung, rung.poses[0], frame))) for frame in frames)
            assert looks not in drawn, f"{rung.id} looks like {drawn.get(looks)}"
            drawn[looks] = rung.id
            assert not rung.close_up or rung.close_up == "tripod" or looks[0] != looks[1], f"{rung.id} does not move"
