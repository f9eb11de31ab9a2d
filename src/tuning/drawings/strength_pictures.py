"""Drawn positions of the strength tests, with the pad and the way the patient pushes.

Stature units, y up, in the hand of `figure`. Each is drawn for one leg and
mirrored for the other, so that the tested leg is on its true side.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

from tuning.core.pose import Point
from tuning.core.types import Side
from tuning.drawings.figure import Outline, box, ellipse, foot, limb
from tuning.drawings.positions import sole

Push = tuple[Point, Point]
"""Where the patient pushes, and the direction as a unit vector."""


@dataclass(frozen=True)
class TestPicture:
    """Outlines, pushes, where the picture is seen from."""

    __test__ = False

    shapes: tuple[Outline, ...]
    pushes: tuple[Push, ...]
    caption: str

    def mirrored(self) -> TestPicture:
        """Left and right changed over."""
        return TestPicture(
            tuple(Outline(tuple((-x, y) for x, y in s.points), s.far, s.prop) for s in self.shapes),
            tuple(((-at[0], at[1]), (-way[0], way[1])) for at, way in self.pushes),
            self.caption,
        )


def _bed(left: float = -0.62, right: float = 0.62) -> list[Outline]:
    legs = [box(x - 0.015, x + 0.015, -0.16, -0.04) for x in (left + 0.1, right - 0.1)]
    return [box(left, right, -0.04, -0.005), *legs]


def _pad(on: Point, way: Point, reach: float = 0.03) -> Outline:
    """A pad lying against a limb at `on`, on the side that the limb pushes to."""
    along = (way[1], -way[0])
    corners = ((-0.03, 0.0), (0.03, 0.0), (0.03, 0.026), (-0.03, 0.026))
    return Outline(
        tuple(
            (on[0] + a * along[0] + (reach + n) * way[0], on[1] + a * along[1] + (reach + n) * way[1])
            for a, n in corners
        ),
        prop=True,
    )


def _against(on: Point, degrees: float, reach: float = 0.024) -> tuple[Outline, Push]:
    """Pad and push at a point, the push `degrees` counterclockwise from the right."""
    way = (math.cos(math.radians(degrees)), math.sin(math.radians(degrees)))
    return _pad(on, way, reach), ((on[0] + (reach + 0.03) * way[0], on[1] + (reach + 0.03) * way[1]), way)


def _along(a: Point, degrees: float, length: float) -> Point:
    turn = math.radians(degrees)
    return a[0] + length * math.cos(turn), a[1] + length * math.sin(turn)


def _pillow(x: float) -> Outline:
    return Outline(((x - 0.1, 0.0), (x + 0.1, 0.0), (x + 0.09, 0.065), (x - 0.09, 0.065)), prop=True)


def _side_lying_trunk() -> list[Outline]:
    return [
        limb((-0.41, 0.115), (-0.33, 0.1), 0.03, 0.035),
        limb((-0.27, 0.095), (0.0, 0.12), 0.09, 0.088),
        ellipse((-0.475, 0.125), 0.066, 0.055),
        limb((-0.29, 0.13), (-0.13, 0.06), 0.029, 0.022),
        limb((-0.13, 0.06), (-0.02, 0.03), 0.022, 0.014),
    ]


def _abduction() -> TestPicture:
    """Seen from the front, head left: the left leg is on top."""
    hip, lift = (0.0, 0.135), 17.0
    knee = _along(hip, lift, 0.245)
    ankle = _along(knee, lift, 0.246)
    pad, push = _against(_along(ankle, lift + 180, 0.035), lift + 90)
    lower_knee, lower_ankle = (0.245, 0.045), (0.49, 0.035)
    shapes = (
        *_bed(),
        _pillow(-0.49),
        limb((0.02, 0.06), lower_knee, 0.058, 0.04),
        limb(lower_knee, lower_ankle, 0.04, 0.024),
        limb(lower_ankle, (0.56, 0.045), 0.022, 0.014),
        limb(knee, hip, 0.037, 0.062),
        limb(knee, ankle, 0.036, 0.021),
        limb(ankle, _along(ankle, lift + 20, 0.07), 0.021, 0.014),
        *_side_lying_trunk(),
        pad,
    )
    return TestPicture(shapes, (push,), "seen from the front")


def _adduction() -> TestPicture:
    """Seen from the front, head left: the right leg is below and lifts; the upper leg is set down in front."""
    hip, lift = (0.02, 0.065), 7.0
    knee = _along(hip, lift, 0.245)
    ankle = _along(knee, lift, 0.246)
    pad, push = _against(_along(ankle, lift + 180, 0.035), lift + 90)
    shapes = (
        *_bed(),
        _pillow(-0.49),
        limb(knee, hip, 0.037, 0.058),
        limb(knee, ankle, 0.036, 0.021),
        limb(ankle, _along(ankle, lift + 20, 0.07), 0.021, 0.014),
        limb((0.0, 0.14), (0.17, 0.17), 0.062, 0.04),
        limb((0.17, 0.17), (0.215, 0.035), 0.038, 0.022),
        limb((0.215, 0.03), (0.26, 0.015), 0.018, 0.012),
        *_side_lying_trunk(),
        pad,
    )
    return TestPicture(shapes, (push,), "seen from the front")


def _rotation_prone(inward: bool) -> TestPicture:
    """Face down, seen from the foot end: right is right. Foot inward is external rotation."""
    degrees = 180.0 if inward else 0.0
    pad, push = _against((0.1, 0.26), degrees, 0.03)
    shapes = (
        box(-0.36, 0.36, -0.04, -0.005),
        box(-0.3, -0.27, -0.16, -0.04),
        box(0.27, 0.3, -0.16, -0.04),
        ellipse((0.0, 0.09), 0.17, 0.09),
        ellipse((-0.1, 0.035), 0.03, 0.042),
        limb((0.1, 0.045), (0.1, 0.29), 0.042, 0.026),
        ellipse((0.1, 0.32), 0.028, 0.04),
        pad,
    )
    return TestPicture(shapes, (push,), "seen from the foot end")


def _rotation_sitting(inward: bool) -> TestPicture:
    """Sitting, seen from the front: the right leg is on the left of the picture."""
    pad, push = _against((-0.1, 0.06), 0.0 if inward else 180.0, 0.03)
    shapes = [
        box(-0.3, 0.3, 0.3, 0.34),
        limb((0.0, 0.46), (0.0, 0.68), 0.115, 0.12),
        ellipse((0.0, 0.87), 0.052, 0.068),
    ]
    for x in (-0.1, 0.1):
        shapes += [ellipse((x, 0.36), 0.058, 0.055), limb((x, 0.33), (x, 0.04), 0.042, 0.025)]
        shapes.append(ellipse((x, 0.01), 0.032, 0.025))
    return TestPicture((*shapes, pad), (push,), "seen from the front")


def _lying(face_down: bool) -> list[Outline]:
    """Trunk, arms and head of someone lying with the head on the left."""
    rise = -0.006 if face_down else 0.012
    return [
        limb((-0.4, 0.085), (-0.34, 0.085), 0.03, 0.032),
        ellipse((-0.455, 0.085 + rise), 0.064, 0.05),
        limb((-0.27, 0.085), (0.0, 0.085), 0.078, 0.072),
        limb((-0.28, 0.08), (-0.14, 0.035), 0.028, 0.021),
        limb((-0.14, 0.035), (0.0, 0.025), 0.021, 0.014),
    ]


def _flexion_supine() -> TestPicture:
    hip, knee, ankle = (0.02, 0.095), (0.0, 0.34), (0.23, 0.33)
    pad, push = _against((0.0, 0.285), 180.0, 0.042)
    shapes = (
        *_bed(),
        _pillow(-0.47),
        limb((0.02, 0.07), (0.26, 0.05), 0.058, 0.038, far=True),
        limb((0.26, 0.05), (0.5, 0.035), 0.036, 0.021, far=True),
        *_lying(face_down=False),
        limb(hip, knee, 0.062, 0.038),
        limb(knee, ankle, 0.036, 0.021),
        foot((0.25, 0.365), (0.27, 0.22), (0.23, 0.33)),
        pad,
    )
    return TestPicture(shapes, (push,), "seen from the side")


def _extension_prone() -> TestPicture:
    hip, lift = (0.0, 0.08), 9.0
    knee = _along(hip, lift, 0.245)
    ankle = _along(knee, lift, 0.246)
    pad, push = _against(_along(ankle, lift + 180, 0.04), lift + 90)
    shapes = (
        *_bed(),
        limb((0.02, 0.06), (0.26, 0.045), 0.058, 0.038, far=True),
        limb((0.26, 0.045), (0.5, 0.035), 0.036, 0.021, far=True),
        *_lying(face_down=True),
        limb(knee, hip, 0.037, 0.062),
        limb(knee, ankle, 0.036, 0.021),
        limb(ankle, _along(ankle, lift - 25, 0.08), 0.021, 0.014),
        pad,
    )
    return TestPicture(shapes, (push,), "seen from the side")


def _seated(ankle: Point, pad: Outline, push: Push, knee: Point = (0.22, 0.42)) -> TestPicture:
    heel = (ankle[0] - 0.02, ankle[1] - 0.05)
    shapes = (
        box(-0.2, 0.16, 0.31, 0.35),
        box(-0.16, -0.13, 0.0, 0.31),
        limb((0.0, 0.66), (0.01, 0.72), 0.028, 0.03),
        ellipse((0.015, 0.775), 0.05, 0.066),
        limb((0.0, 0.42), (0.0, 0.62), 0.066, 0.07),
        limb((0.0, 0.42), knee, 0.062, 0.038),
        limb(knee, ankle, 0.037, 0.021),
        foot(heel, (heel[0] + 0.14, heel[1] + 0.005), ankle),
        limb((0.0, 0.64), (-0.06, 0.5), 0.028, 0.021),
        limb((-0.06, 0.5), (-0.02, 0.37), 0.021, 0.014),
        pad,
    )
    return TestPicture(shapes, (push,), "seen from the side")


def _knee_extension() -> TestPicture:
    ankle = (0.33, 0.2)
    pad, push = _against((0.31, 0.245), 26.0, 0.026)
    return _seated(ankle, pad, push)


def _knee_flexion() -> TestPicture:
    ankle = (0.25, 0.17)
    pad, push = _against((0.245, 0.205), 187.0, 0.026)
    return _seated(ankle, pad, push)


def _flexion_sitting() -> TestPicture:
    pad, push = _against((0.185, 0.455), 100.0, 0.04)
    return _seated((0.23, 0.21), pad, push, knee=(0.22, 0.46))


def _knee_flexion_prone() -> TestPicture:
    knee, ankle = (0.245, 0.045), (0.245, 0.29)
    pad, push = _against((0.245, 0.255), 180.0, 0.026)
    shapes = (
        *_bed(),
        *_lying(face_down=True),
        limb((0.0, 0.08), knee, 0.062, 0.038),
        limb(knee, ankle, 0.037, 0.021),
        limb(ankle, (0.34, 0.325), 0.024, 0.016),
        pad,
    )
    return TestPicture(shapes, (push,), "seen from the side")


def _foot_supine(down: bool) -> TestPicture:
    """A leg on the bed, drawn large: the foot stands up at the end."""
    ankle, ball = (0.3, 0.09), (0.33, 0.27)
    pad, push = _against(ball, 350.0, 0.02) if down else _against((0.293, 0.2), 170.0, 0.012)
    shapes = (
        box(-0.4, 0.36, -0.04, -0.005),
        limb((-0.36, 0.075), (-0.05, 0.085), 0.07, 0.06),
        limb((-0.05, 0.08), (0.28, 0.06), 0.06, 0.036),
        foot((0.35, 0.02), (0.34, 0.32), ankle),
        pad,
    )
    return TestPicture(shapes, (push,), "seen from the side")


def _foot_turn(inward: bool) -> TestPicture:
    """Both soles from the foot end: on the back, the right foot is on the left of the picture."""
    at = (-0.075, 0.09) if inward else (-0.2, 0.08)
    pad, push = _against(at, 0.0 if inward else 180.0, 0.008)
    shapes = (
        box(-0.4, 0.4, -0.19, -0.15),
        sole((0.14, 0.0), 6, 1.5),
        sole((-0.14, 0.0), -6, 1.5, mirror=True),
        pad,
    )
    return TestPicture(shapes, (push,), "seen from the foot end")


def _squeeze() -> TestPicture:
    """From above: both legs press a pad between the ankles."""
    shapes = [box(-0.55, 0.62, -0.22, 0.22)]
    pushes = []
    for sign in (-1, 1):
        shapes += [
            limb((0.0, 0.07 * sign), (0.25, 0.06 * sign), 0.062, 0.042),
            limb((0.25, 0.06 * sign), (0.48, 0.05 * sign), 0.04, 0.024),
            limb((0.48, 0.05 * sign), (0.56, 0.06 * sign), 0.024, 0.018),
            limb((-0.25, 0.15 * sign), (-0.02, 0.17 * sign), 0.028, 0.018),
        ]
        pushes.append(((0.46, 0.115 * sign), (0.0, -1.0 * sign)))
    shapes += [limb((-0.26, 0.0), (-0.02, 0.0), 0.115, 0.1), ellipse((-0.44, 0.0), 0.066, 0.055)]
    shapes.append(box(0.42, 0.49, -0.022, 0.022))
    return TestPicture(tuple(shapes), tuple(pushes), "seen from above")


_DRAWN: dict[tuple[str, str], tuple[Callable[[], TestPicture], Side]] = {
    ("abduction", "side-opposite"): (_abduction, Side.LEFT),
    ("adduction", "side-same"): (_adduction, Side.RIGHT),
    ("external-rotation", "prone"): (lambda: _rotation_prone(inward=True), Side.RIGHT),
    ("internal-rotation", "prone"): (lambda: _rotation_prone(inward=False), Side.RIGHT),
    ("external-rotation", "sitting"): (lambda: _rotation_sitting(inward=True), Side.RIGHT),
    ("internal-rotation", "sitting"): (lambda: _rotation_sitting(inward=False), Side.RIGHT),
    ("flexion", "supine"): (_flexion_supine, Side.RIGHT),
    ("flexion", "sitting"): (_flexion_sitting, Side.RIGHT),
    ("extension", "prone"): (_extension_prone, Side.RIGHT),
    ("knee-extension", "sitting"): (_knee_extension, Side.RIGHT),
    ("knee-flexion", "sitting"): (_knee_flexion, Side.RIGHT),
    ("knee-flexion", "prone"): (_knee_flexion_prone, Side.RIGHT),
    ("plantarflexion", "supine"): (lambda: _foot_supine(down=True), Side.RIGHT),
    ("dorsiflexion", "supine"): (lambda: _foot_supine(down=False), Side.RIGHT),
    ("inversion", "supine"): (lambda: _foot_turn(inward=True), Side.RIGHT),
    ("eversion", "supine"): (lambda: _foot_turn(inward=False), Side.RIGHT),
    ("squeeze", "supine"): (_squeeze, Side.NONE),
}
"""Picture and position: the drawing and the leg that it shows."""


NO_DRAWING = "no drawing of this test; the words say where the pad goes"


def test_picture(picture: str, position: str, side: Side) -> TestPicture:
    """The drawing of a test for a leg; without one of its own, how somebody lies or sits, and no push."""
    if not is_drawn(picture, position):
        alike = next((draw() for (_, where), (draw, _) in _DRAWN.items() if where == position), None)
        return TestPicture(alike.shapes if alike is not None else (), (), NO_DRAWING)
    draw, shows = _DRAWN[picture, position]
    made = draw()
    return made.mirrored() if side is shows.other and shows is not Side.NONE else made


def is_drawn(picture: str, position: str) -> bool:
    """Whether a position of a test has its drawing."""
    return (picture, position) in _DRAWN


test_picture.__test__ = False  # type: ignore[attr-defined]
