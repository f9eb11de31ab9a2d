"""The person doing a test on the plates."""

from __future__ import annotations

from dataclasses import replace

from tuning.core.force.test_instructions import Advice
from tuning.core.pose import PoseFrame
from tuning.drawings.exercise import ExercisePicture, exercise_figure
from tuning.drawings.figure import Outline, box

PLATE = 0.03
"""Height of a drawn plate, stature units."""


def plate_figure(frame: PoseFrame, bar: bool, heel_up: float, air: float) -> list[Outline]:
    """The person on a plate: a `bar` on the shoulders, the heel up (degrees) or the body in the `air` (stature)."""
    raised = replace(frame, heel=heel_up, ankle=frame.ankle - heel_up) if heel_up else frame
    props = ("bar",) if bar else ()
    body = exercise_figure(ExercisePicture(raised, props=props))
    up = [replace(shape, points=tuple((x, y + air) for x, y in shape.points), tint="") for shape in body]
    return [box(-0.06, 0.24, -PLATE, -0.001), *up]


def plate_test_figures(advice: Advice) -> list[list[Outline]]:
    """The person doing a plate test, start to end."""
    last = len(advice.frames) - 1
    return [
        plate_figure(frame, advice.bar, advice.heel_up if n == last else 0.0, advice.air if n == last else 0.0)
        for n, frame in enumerate(advice.frames)
    ]
