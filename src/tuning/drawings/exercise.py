"""The person in an exercise, seen from any direction, with the things used: the one renderer for screen and paper."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np

from tuning.core.pose import BodyPosition, Point, PoseFrame
from tuning.core.programme.body_model import BodyModel, LegPlaces, Place, body_of, with_hands_at
from tuning.core.programme.ladders import Pose, Rung, Sides
from tuning.drawings.figure import Outline, ellipse
from tuning.drawings.positions import DRAWN, PositionDrawing, big_toe_from_side, toes_from_above

VIEWS = {
    "square": (0.0, 0.0),
    "side": (12.0, 4.0),
    "front": (84.0, 5.0),
    "rear": (-96.0, 5.0),
    "lying": (90.0, 38.0),
    "floor": (52.0, 24.0),
    "corner": (48.0, 8.0),
}
"""Direction of the viewer from the working side towards the front, and height above level, degrees."""
FELT = {
    "buttock": ("hip", "knee", 0.02, -0.048, 0.034), "outer hip": ("hip", "knee", 0.1, 0.0, 0.034),
    "front of thigh": ("hip", "knee", 0.5, 0.026, 0.03), "back of thigh": ("hip", "knee", 0.5, -0.026, 0.03),
    "inner thigh": ("hip", "knee", 0.42, 0.0, 0.03), "calf": ("knee", "ankle", 0.32, -0.016, 0.024),
    "front of shin": ("knee", "ankle", 0.4, 0.014, 0.02), "inner shin": ("knee", "ankle", 0.4, 0.0, 0.02),
    "back of knee": ("knee", "ankle", 0.02, -0.02, 0.02), "front of ankle": ("knee", "ankle", 0.97, 0.012, 0.017),
    "sole": ("heel", "toe", 0.5, -0.006, 0.018), "foot": ("heel", "toe", 0.5, -0.006, 0.018),
    "inner sole": ("heel", "toe", 0.4, -0.006, 0.018),
    "waist": ("hip", "shoulder", 0.35, 0.0, 0.036), "mid-back": ("hip", "shoulder", 0.75, -0.045, 0.03),
}  # fmt: skip
"""Where a feeling is drawn: between which joints, how far along, how far ahead of the line, how large."""
FELT_OTHER = {"buttock of the upper leg": "buttock", "outer hip of the lower leg": "outer hip"}
"""Feelings of the leg that is not the named side's, lying on the side."""


@dataclass(frozen=True)
class DrawingView:
    """A direction to look from; projects places to the picture."""

    yaw: float
    height: float

    def _axes(self) -> tuple[Place, Place, Place]:
        psi, phi = math.radians(self.yaw), math.radians(self.height)
        right = np.array([math.cos(psi), 0.0, -math.sin(psi)])
        level = np.array([-math.sin(psi), 0.0, -math.cos(psi)])
        up = np.array([0.0, 1.0, 0.0])
        away = math.cos(phi) * level - math.sin(phi) * up
        return right, math.cos(phi) * up + math.sin(phi) * level, away

    def flat(self, place: Place) -> Point:
        """Where a place lies on the picture."""
        right, up, _ = self._axes()
        return float(place @ right), float(place @ up)

    def depth(self, *places: Place) -> float:
        """How far away the middle of some places is."""
        away = self._axes()[2]
        return float(np.mean([place @ away for place in places]))


Part = tuple[float, Outline]


def hull(circles: Iterable[tuple[Point, float]]) -> tuple[Point, ...]:
    """The convex outline around circles (monotone chain)."""
    points = sorted(
        (x + r * math.cos(i * math.pi / 12), y + r * math.sin(i * math.pi / 12))
        for (x, y), r in circles
        for i in range(24)
    )

    def half(ordered: Sequence[Point]) -> list[Point]:
        kept: list[Point] = []
        for p in ordered:
            while len(kept) > 1 and _turn(kept[-2], kept[-1], p) <= 0:
                kept.pop()
            kept.append(p)
        return kept[:-1]

    return (*half(points), *half(points[::-1]))


def _turn(a: Point, b: Point, c: Point) -> float:
    return (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0])


def scene_of(rung: Rung, pose: Pose, frame: PoseFrame) -> ExercisePicture:
    """A rung's picture at one frame of a variant."""
    step = pose.step_cm if pose.step_cm is not None else rung.step_cm
    one = rung.side in (Sides.EACH, Sides.POORER)
    where = _anchor(rung, pose, step / STATURE_CM)
    return ExercisePicture(
        frame, rung.position, rung.view, step / STATURE_CM, rung.props, rung.feel, rung.close_up, one, where
    )


def _anchor(rung: Rung, pose: Pose, step: float) -> PoseFrame | None:
    """The frame by which furniture stands: where somebody sits on it, holds it first, or comes nearest."""
    if not STANDS_STILL & {*rung.props}:
        return None
    seated = {"chair", "box"} & {*rung.props}
    if not seated:
        return pose.end if "mirror" in rung.props else pose.start
    return min((pose.start, pose.end), key=lambda frame: float(body_of(frame, rung.position, step).hip[1]))


STANDS_STILL = {"chair", "box", "rail", "mirror"}
"""Things that do not move while the person does."""


STATURE_CM = 172
"""Stature of the drawn person, cm."""


@dataclass(frozen=True)
class ExercisePicture:
    """What is drawn: a pose, how it lies, the view, the things used, and where it should be felt."""

    frame: PoseFrame
    position: BodyPosition = BodyPosition.STAND
    view: str = "side"
    step: float = 0.0
    props: tuple[str, ...] = ()
    feel: tuple[str, ...] = ()
    close_up: str = ""
    one_leg: bool | None = None
    """Whether one leg works and is washed; None says that it does where the legs differ."""
    anchor: PoseFrame | None = None
    """The pose by which furniture stands that does not move with the person; None: by the pose that is drawn."""


def exercise_figure(scene: ExercisePicture, mirrored: bool = False) -> list[Outline]:
    """Outlines from far to near; `mirrored` shows the left leg working. A close-up shows the foot alone."""
    shapes = _figure(scene)
    return [_mirror(shape) for shape in shapes] if mirrored else [*shapes]


@lru_cache(maxsize=512)
def _figure(scene: ExercisePicture) -> tuple[Outline, ...]:
    """The figure with the right leg working; cards draw the same ones again and again."""
    if scene.close_up:
        drawn = MOVING[scene.close_up](scene.frame) if scene.close_up in MOVING else DRAWN[scene.close_up]()
        return (*drawn.shapes, *(Outline(ellipse(dot, 0.02, 0.02).points, tint="feel") for dot in drawn.dots))
    camera = DrawingView(*VIEWS[scene.view])
    made = body_of(scene.frame, scene.position, scene.step)
    still = body_of(scene.anchor, scene.position, scene.step) if scene.anchor is not None else made
    if "rail" in scene.props and scene.frame.arms == "rail":
        made = with_hands_at(made, *(arm.hand for arm in still.arms))
    one_leg = scene.frame.other is not None if scene.one_leg is None else scene.one_leg
    parts = [*_person(made, camera, one_leg), *_things(scene, made, still, camera)]
    shapes = [shape for _, shape in sorted(parts, key=lambda part: -part[0])]
    shapes += [_felt(region, made, camera) for region in scene.feel if region in {*FELT, *FELT_OTHER}]
    return tuple(shapes)


def _mirror(shape: Outline) -> Outline:
    return replace(shape, points=tuple((-x, y) for x, y in shape.points))


def _person(made: BodyModel, camera: DrawingView, one_leg: bool) -> list[Part]:
    parts = [*_leg(made.other, camera, far=one_leg), *_leg(made.working, camera, tint="working" if one_leg else "")]
    parts += [_arm_part(camera, *pair) for arm in made.arms for pair in
              (((arm.shoulder, 0.028), (arm.elbow, 0.021)), ((arm.elbow, 0.022), (arm.hand, 0.015)))]  # fmt: skip
    chest = made.hip + 0.74 * (made.shoulder - made.hip)
    across = 0.62 * (made.arms[0].shoulder - made.arms[1].shoulder) / 2
    trunk = [(made.working.hip, 0.057), (made.other.hip, 0.057), (chest + across, 0.06), (chest - across, 0.06),
             (made.shoulder + across, 0.03), (made.shoulder - across, 0.03)]  # fmt: skip
    parts.append(_part(camera, *trunk))
    up = (made.head - made.shoulder) / (np.linalg.norm(made.head - made.shoulder) or 1.0)
    parts.append(_part(camera, (made.shoulder, 0.03), (made.head - 0.02 * up, 0.027)))
    skull = [(made.head + 0.022 * up, 0.05), (made.head - 0.03 * up + 0.012 * made.front, 0.032)]
    parts.append(_part(camera, *skull))
    return parts


def _part(
    camera: DrawingView, *circles: tuple[Place, float], far: bool = False, tint: str = "", prop: bool = False
) -> Part:
    flat = hull((camera.flat(place), radius) for place, radius in circles)
    return camera.depth(*(place for place, _ in circles)), Outline(flat, far, prop, tint)


def _arm_part(camera: DrawingView, *circles: tuple[Place, float]) -> Part:
    return _part(camera, *circles)


def _leg(leg: LegPlaces, camera: DrawingView, far: bool = False, tint: str = "") -> list[Part]:
    up = _sole_up(leg)
    sole = [(place + radius * up, radius) for place, radius in ((leg.heel, 0.016), (leg.ball, 0.015), (leg.toe, 0.009))]
    return [
        _part(camera, (leg.hip, 0.06), (leg.knee, 0.038), far=far, tint=tint),
        _part(camera, (leg.knee, 0.036), (leg.ankle, 0.021), far=far, tint=tint),
        _part(camera, *sole, (leg.ankle, 0.02), far=far, tint=tint),
    ]


def _sole_up(leg: LegPlaces) -> Place:
    """From the sole to the ankle, square to the foot."""
    along = (leg.ball - leg.heel) / np.linalg.norm(leg.ball - leg.heel)
    rise = leg.ankle - leg.heel
    up = rise - (rise @ along) * along
    return np.asarray(up / np.linalg.norm(up))


def _felt(region: str, made: BodyModel, camera: DrawingView) -> Outline:
    first, second, along, ahead, size = FELT[FELT_OTHER.get(region, region)]
    of_trunk = second == "shoulder"
    leg = made.other if region in FELT_OTHER else made.working
    start, end = getattr(made if of_trunk else leg, first), getattr(made if of_trunk else leg, second)
    (ax, ay), (bx, by) = camera.flat(start), camera.flat(end)
    length = math.hypot(bx - ax, by - ay) or 1.0
    # A limb that hangs has its front on the left of its direction when the person looks to the right.
    normal = (-(by - ay) / length, (bx - ax) / length)
    sign = -1.0 if of_trunk else 1.0
    centre = (ax + along * (bx - ax) + sign * ahead * normal[0], ay + along * (by - ay) + sign * ahead * normal[1])
    turn = math.degrees(math.atan2(by - ay, bx - ax))
    return Outline(ellipse(centre, 1.5 * size, size, turn).points, tint="feel")


# things


def _things(scene: ExercisePicture, made: BodyModel, still: BodyModel, camera: DrawingView) -> list[Part]:
    parts: list[Part] = []
    if scene.step > 0:
        foot = made.working
        middle = (foot.heel + foot.toe) / 2
        parts.append(_block(camera, middle[0] - 0.11, middle[0] + 0.11, 0.0, scene.step, middle[2] - 0.07,
                            middle[2] + 0.05, behind=0.4))  # fmt: skip
    for name in scene.props:
        parts += THINGS[name](still if name in STANDS_STILL else made, camera)
    return parts


def _block(
    camera: DrawingView, x0: float, x1: float, y0: float, y1: float, z0: float, z1: float, behind: float = 0.0
) -> Part:
    corners = [np.array([x, y, z]) for x in (x0, x1) for y in (y0, y1) for z in (z0, z1)]
    depth, shape = _part(camera, *((corner, 0.002) for corner in corners), prop=True)
    return depth + behind, shape


def _floor_level(made: BodyModel) -> float:
    return float(min(leg.heel[1] for leg in (made.working, made.other)))


def _chair(made: BodyModel, camera: DrawingView) -> list[Part]:
    x, seat = float(made.hip[0]), float(made.hip[1]) - 0.06
    low = min(0.0, _floor_level(made))
    posts = [_block(camera, px, px + 0.015, low, seat, -0.1, -0.085, 0.2) for px in (x - 0.13, x + 0.1)]
    return [
        *posts,
        _block(camera, x - 0.14, x + 0.12, seat - 0.02, seat, -0.11, 0.11, 0.25),
        _block(camera, x - 0.155, x - 0.135, seat, seat + 0.24, -0.11, 0.11, 0.3),
    ]


def _box(made: BodyModel, camera: DrawingView) -> list[Part]:
    x, top = float(made.hip[0]), float(made.hip[1]) - 0.06
    return [_block(camera, x - 0.17, x + 0.03, min(0.0, _floor_level(made)), top, -0.12, 0.12, 0.3)]


def _wall(made: BodyModel, camera: DrawingView) -> list[Part]:
    x = float(min(made.hip[0], made.shoulder[0])) - 0.075
    return [_block(camera, x - 0.02, x, 0.0, 1.05, -0.2, 0.2, 0.4)]


def _bench(made: BodyModel, camera: DrawingView) -> list[Part]:
    foot = made.other
    x, top = float(foot.toe[0]), float(min(foot.toe[1], foot.ankle[1])) - 0.02
    return [_block(camera, x - 0.14, x + 0.1, 0.0, top, float(foot.ankle[2]) - 0.09, float(foot.ankle[2]) + 0.09, 0.3)]


def _couch(made: BodyModel, camera: DrawingView) -> list[Part]:
    x, top = float(made.working.heel[0]), float(min(made.working.heel[1], made.working.ankle[1])) - 0.012
    low = float(made.hip[1]) - 0.055
    return [_block(camera, x - 0.1, x + 0.16, min(low, 0.0), top, -0.12, 0.12, 0.3)]


def _rail(made: BodyModel, camera: DrawingView) -> list[Part]:
    hand = made.arms[0].hand
    x, y = float(hand[0]) + 0.01, float(hand[1])
    return [_block(camera, x, x + 0.018, min(0.0, _floor_level(made)), y, -0.009, 0.009, 0.1),
            _block(camera, x - 0.02, x + 0.04, y - 0.012, y + 0.008, -0.16, 0.16)]  # fmt: skip


def _mat(made: BodyModel, camera: DrawingView) -> list[Part]:
    places = [made.head, made.hip, made.working.toe, made.other.toe, made.working.knee, made.other.knee]
    xs, zs = [float(p[0]) for p in places], [float(p[2]) for p in places]
    return [_block(camera, min(xs) - 0.1, max(xs) + 0.08, -0.012, 0.0, min(zs) - 0.1, max(zs) + 0.1, 9.0)]


def _loop(made: BodyModel, camera: DrawingView, joint: str, share: float = 1.0) -> list[Part]:
    first, second = (
        leg.hip + share * (leg.knee - leg.hip) if joint == "knee" else getattr(leg, joint)
        for leg in (made.working, made.other)
    )
    return [_part(camera, (first, 0.012), (second, 0.012), prop=True)]


def _pull(start: Place, towards: Sequence[float], camera: DrawingView) -> list[Part]:
    """A band from a place to where it is fixed."""
    end = start + np.array(towards, float)
    return [_part(camera, (start, 0.01), (end, 0.006), prop=True), _part(camera, (end, 0.018), prop=True)]


def _between_legs(made: BodyModel, camera: DrawingView, joint: str, size: float) -> list[Part]:
    middle = (getattr(made.working, joint) + getattr(made.other, joint)) / 2
    depth, shape = _part(camera, (middle, size), prop=True)
    return [(depth - 0.08, shape)]


def _weights(made: BodyModel, camera: DrawingView) -> list[Part]:
    made_parts = []
    for arm in made.arms:
        bar = np.array([0.035, 0.0, 0.0])
        made_parts.append(_part(camera, (arm.hand - bar, 0.018), (arm.hand + bar, 0.018), prop=True))
    return made_parts


def _chest_weight(made: BodyModel, camera: DrawingView) -> list[Part]:
    middle = (made.arms[0].hand + made.arms[1].hand) / 2
    depth, shape = _part(camera, (middle + 0.02 * made.front, 0.035), prop=True)
    return [(depth - 0.2, shape)]


def _stick(made: BodyModel, camera: DrawingView) -> list[Part]:
    across = np.array([0.0, 0.0, 0.26])
    middle = made.hip + 0.075 * made.front
    depth, shape = _part(camera, (middle - across, 0.012), (middle + across, 0.012), prop=True)
    return [(depth - 0.3, shape)]


def _dome(made: BodyModel, camera: DrawingView) -> list[Part]:
    middle = (made.working.heel + made.working.toe) / 2
    base = middle - np.array([0.0, 0.03, 0.0])
    depth, shape = _part(camera, (base - np.array([0.08, 0, 0]), 0.012), (base + np.array([0.08, 0, 0]), 0.012),
                         (middle - np.array([0, 0.018, 0]), 0.016), prop=True)  # fmt: skip
    return [(depth + 0.1, shape)]


def _cloth(made: BodyModel, camera: DrawingView) -> list[Part]:
    foot = made.other
    low = np.array([0.0, -0.004, 0.0])
    return [_part(camera, (foot.heel + low, 0.02), (foot.toe + low, 0.02), prop=True)]


def _sole_wall(made: BodyModel, camera: DrawingView) -> list[Part]:
    """A board or wall that both soles touch, lying on the side."""
    foot = made.working
    out = foot.heel - foot.ankle
    out = out / (np.linalg.norm(out) or 1.0)
    soles = [float(place[2]) for leg in (made.working, made.other) for place in (leg.heel, leg.ball, leg.toe)]
    x = float(foot.heel[0])
    near = min(soles) - 0.02 if out[2] < 0 else max(soles) + 0.01
    return [_block(camera, x - 0.06, x + 0.3, 0.0, 0.34, near, near + 0.01, 0.2)]


def _bar(made: BodyModel, camera: DrawingView) -> list[Part]:
    """A fixed bar on the shoulders, held by an upright."""
    x, y = float(made.shoulder[0]) - 0.03, float(made.shoulder[1]) + 0.01
    across = np.array([0.0, 0.0, 0.24])
    middle = np.array([x, y, 0.0])
    rail = _block(camera, x - 0.012, x + 0.012, 0.0, y + 0.3, -0.25, -0.23, 0.2)
    return [rail, _part(camera, (middle - across, 0.02), (middle + across, 0.02), prop=True)]


def _mirror_glass(made: BodyModel, camera: DrawingView) -> list[Part]:
    x = max(float(made.working.toe[0]) + 0.2, *(float(arm.hand[0]) for arm in made.arms)) + 0.06
    return [_block(camera, x, x + 0.012, 0.12, 1.0, -0.14, 0.14, 0.3)]


def _toe_line(made: BodyModel, camera: DrawingView) -> list[Part]:
    """A plumb line over the toes: how far the knee goes past it."""
    x, z = float(made.working.toe[0]), float(made.working.toe[2])
    low, high = np.array([x, 0.0, z]), np.array([x, 0.42, z])
    return [_part(camera, (low, 0.004), (high, 0.004), prop=True)]


def _sign(made: BodyModel, camera: DrawingView, *bars: tuple[float, float, float, float]) -> list[Part]:
    """A sign behind the person at the height of the hips: bars from place to place, ahead of the heel and up."""
    x, y = float(min(made.hip[0], made.shoulder[0])) - 0.3, 0.5
    return [
        _part(camera, (np.array([x + a, y + b, 0.0]), 0.012), (np.array([x + c, y + d, 0.0]), 0.012), prop=True)
        for a, b, c, d in bars
    ]


def _slow_sign(made: BodyModel, camera: DrawingView) -> list[Part]:
    """An arrow down in three strokes: slowly."""
    shaft = [(0.0, top, 0.0, top - 0.05) for top in (0.16, 0.07, -0.02)]
    return _sign(made, camera, *shaft, (-0.05, -0.05, 0.0, -0.12), (0.05, -0.05, 0.0, -0.12))


def _pause_sign(made: BodyModel, camera: DrawingView) -> list[Part]:
    """Two bars: stay."""
    return _sign(made, camera, (-0.03, 0.08, -0.03, -0.08), (0.03, 0.08, 0.03, -0.08))


MOVING: dict[str, Callable[[PoseFrame], PositionDrawing]] = {
    "bigtoe": lambda frame: big_toe_from_side(frame.toes),
    "toes": lambda frame: toes_from_above(1.6 if frame.toes else 0.3),
}
"""Close-ups that move with the pose."""
THINGS: dict[str, Callable[[BodyModel, DrawingView], list[Part]]] = {
    "chair": _chair,
    "box": _box,
    "wall": _wall,
    "bench": _bench,
    "couch": _couch,
    "rail": _rail,
    "mat": _mat,
    "loop at knees": lambda made, camera: _loop(made, camera, "knee", 0.9),
    "loop at feet": lambda made, camera: _loop(made, camera, "ball"),
    "band at knee": lambda made, camera: _pull(made.working.knee, (0.02, 0.0, -0.34), camera),
    "band at ankle": lambda made, camera: _pull(made.working.ankle, (-0.34, 0.0, 0.0), camera),
    "band at forefoot": lambda made, camera: _pull(made.working.ball, (0.06, 0.02, 0.26), camera),
    "band under toe": lambda made, camera: _pull(made.working.ball, (0.2, 0.22, 0.0), camera),
    "loop between toes": lambda made, camera: _loop(made, camera, "toe"),
    "ball at knees": lambda made, camera: _between_legs(made, camera, "knee", 0.04),
    "block at knees": lambda made, camera: _between_legs(made, camera, "knee", 0.035),
    "pad at ankles": lambda made, camera: _between_legs(made, camera, "ankle", 0.035),
    "weights": _weights,
    "weight at chest": _chest_weight,
    "stick": _stick,
    "dome": _dome,
    "cloth": _cloth,
    "sole wall": _sole_wall,
    "mirror": _mirror_glass,
    "bar": _bar,
    "toe line": _toe_line,
    "slow": _slow_sign,
    "pause": _pause_sign,
}
"""Things by the name that the ladders use."""
