"""Marks on a picture: what measures need, how they are levelled and scaled, and how far off they may be.

A measure needs only its own marks. Lines against the vertical or horizontal
are corrected for camera roll by a level reference; joint angles need none.
A `PictureKind` says what one kind of picture can be read for.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from enum import StrEnum

import numpy as np

from tuning.core.judging.verdict import Z95
from tuning.core.pictures import geometry
from tuning.core.pictures.geometry import Marks
from tuning.core.types import PLAIN, Floats, FrameRef, NotMeasured, Observation, Setup, Side

CLICK_SD_PX = 1.2
"""Standard deviation of a placed mark per axis, image pixels: one pixel of the
hand and 0.66 of not seeing the true centre (practice judgement, editable)."""

UNLEVELLED_SD_DEG = 2.0
"""Camera roll to allow for when no level reference is marked (practice judgement, editable)."""

LEAST_DISTANCE_PX = 8.0
"""Marks of one measure that are closer than this carry no angle (practice judgement, editable)."""


class Level(StrEnum):
    """What shows the vertical or horizontal in the picture."""

    PLUMB = "plumb line"
    FLOOR = "floor edge"


@dataclass(frozen=True)
class LevelReference:
    """Two marked points of something known to be vertical or horizontal."""

    kind: Level
    a: Floats
    b: Floats
    sd_px: float = CLICK_SD_PX

    def roll(self) -> float:
        """Camera roll in degrees, see geometry.roll_of_plumb."""
        find = geometry.roll_of_plumb if self.kind is Level.PLUMB else geometry.roll_of_floor
        return find(self.a, self.b)


@dataclass(frozen=True)
class Scale:
    """Two marked points whose true distance is known, in the plane of the marks."""

    a: Floats
    b: Floats
    length_m: float
    sd_px: float = CLICK_SD_PX


@dataclass(frozen=True)
class PictureContext:
    """What is known about the picture besides the landmarks.

    `sd_px` gives the placing error of single marks (SD per axis, image
    pixels, see `placing_sd`); marks that it does not name have CLICK_SD_PX.
    """

    level: LevelReference | None = None
    scale: Scale | None = None
    sd_px: Mapping[str, float] = field(default_factory=dict)


@dataclass(frozen=True)
class MarkReading:
    """One measured value. `marking_sd` comes from mark placement alone (1 SD)."""

    measure_id: str
    side: Side
    value: float | NotMeasured
    marking_sd: float | None = None
    marks: tuple[str, ...] = ()
    note: str = ""
    words: tuple[str, str] = ("", "")

    @property
    def expected_error(self) -> float | None:
        """95 % error that placing the marks adds, same unit as the value."""
        return None if self.marking_sd is None else Z95 * self.marking_sd

    @property
    def meaning(self) -> str:
        """Which way the value points, in words."""
        if not isinstance(self.value, float) or abs(self.value) < 0.05:
            return ""
        return self.words[0] if self.value > 0 else self.words[1]


def placing_sd(image_px_per_screen_px: float) -> float:
    """Click error joined with the rounding of a pointer to whole screen pixels; 0 when nudged."""
    return math.hypot(CLICK_SD_PX, image_px_per_screen_px / math.sqrt(12))


@dataclass(frozen=True)
class Recipe:
    """How one measure of one side comes from its marks.

    `value_of` gives degrees, or image pixels when `needs_scale`; `per_metre`
    turns pixels into the unit of the measure: 100 for cm, 1000 for mm.
    `words` say what a positive and a negative value mean.
    """

    measure_id: str
    side: Side
    marks: tuple[str, ...]
    value_of: Callable[[Marks], float]
    needs_level: bool = False
    needs_scale: bool = False
    per_metre: float = 100.0
    note: str = ""
    words: tuple[str, str] = ("", "")
    smooth: Callable[[Marks], float] | None = None
    """For the error, where `value_of` has a fold (an interior angle at 180)."""
    most: float = math.inf
    """Beyond this, either way, the marks show something else than the measure, told by `beyond`."""
    beyond: str = ""


@dataclass(frozen=True)
class PictureKind:
    """One kind of picture: which marks it can carry and what they say.

    `image_left` is the patient's side on the left of the picture, none in a
    side view. `chains` are lines to draw: landmark names, or stems that stand
    for both sides. `tags` are measures labelled on the picture itself.
    """

    id: str
    stage: str
    title: str
    how: str
    image_left: Side
    landmarks: tuple[str, ...]
    recipes: tuple[Recipe, ...]
    chains: tuple[tuple[str, ...], ...] = ()
    tags: Mapping[str, str] = field(default_factory=dict)

    @property
    def needed(self) -> frozenset[str]:
        """Landmarks that some measure uses; the others are for later stages."""
        return frozenset(name for recipe in self.recipes for name in recipe.marks)


def both(*stems: str) -> tuple[str, ...]:
    """Landmark names of both sides, side by side."""
    return tuple(f"{stem}_{side}" for stem in stems for side in (Side.LEFT, Side.RIGHT))


def medial_x(image_left: Side, side: Side) -> int:
    """Image direction toward the midline: +1 for larger x."""
    return 1 if side is image_left else -1


def read_marks(kind: PictureKind, marks: Marks, context: PictureContext) -> list[MarkReading]:
    """All readings that the present marks allow, in the order of the recipe table.

    `marks` maps landmark names to arrays of shape (2,) in image pixels, y
    down. A measure whose marks are not all there is left out; one whose marks
    cannot support a number (too close, no scale) comes as NotMeasured.
    Raises ValueError when a mark is not finite.
    """
    for name, point in marks.items():
        if not np.all(np.isfinite(point)):
            raise ValueError(f"mark {name} is not finite")
    return [_read(recipe, marks, context) for recipe in kind.recipes if all(name in marks for name in recipe.marks)]


def _read(recipe: Recipe, marks: Marks, context: PictureContext) -> MarkReading:
    own = {name: marks[name] for name in recipe.marks}
    refusal = _refusal(recipe, own, context)
    if refusal is not None:
        return MarkReading(recipe.measure_id, recipe.side, refusal, None, recipe.marks, words=recipe.words)
    references = _reference_points(recipe, context)

    def corrected(formula: Callable[[Marks], float], points: Marks) -> float:
        """The formula on marks that were turned back by the camera's roll."""
        roll = _roll(points, context.level) if recipe.needs_level else 0.0
        upright = {name: geometry.rotated(points[name], -roll) for name in recipe.marks}
        if not recipe.needs_scale:
            return formula(upright)
        return formula(upright) * recipe.per_metre * _metres_per_px(points, context.scale)

    everything = {**own, **references}
    value = corrected(recipe.value_of, everything)
    if abs(value) > recipe.most:
        other = NotMeasured("something-else", recipe.beyond)
        return MarkReading(recipe.measure_id, recipe.side, other, None, recipe.marks, words=recipe.words)
    smooth = recipe.smooth or recipe.value_of
    errors = {name: _sd_of(name, context) for name in everything}
    sd = geometry.propagate(lambda points: corrected(smooth, points), everything, errors)
    notes = [recipe.note] if recipe.note else []
    if recipe.needs_level and context.level is None:
        sd = math.hypot(sd, _unlevelled_sd(recipe, own, context))
        notes.append("no level reference: camera roll is not corrected")
    return MarkReading(recipe.measure_id, recipe.side, value, sd, recipe.marks, "; ".join(notes), recipe.words)


def _refusal(recipe: Recipe, own: Marks, context: PictureContext) -> NotMeasured | None:
    points = [own[name] for name in recipe.marks]
    gaps = [float(np.linalg.norm(b - a)) for a, b in zip(points, points[1:], strict=False)]
    if not recipe.needs_scale and min(gaps) < LEAST_DISTANCE_PX:
        return NotMeasured("marks-too-close", "the marks lie too close together; zoom in or use a nearer clip")
    if recipe.needs_scale and context.scale is None:
        return NotMeasured("no-scale", "mark a known length in the plane of the marks to get a length")
    return None


def _reference_points(recipe: Recipe, context: PictureContext) -> dict[str, Floats]:
    points: dict[str, Floats] = {}
    if recipe.needs_level and context.level is not None:
        points |= {"level_a": context.level.a, "level_b": context.level.b}
    if recipe.needs_scale and context.scale is not None:
        points |= {"scale_a": context.scale.a, "scale_b": context.scale.b}
    return points


def _sd_of(name: str, context: PictureContext) -> float:
    if name.startswith("level_") and context.level is not None:
        return context.level.sd_px
    if name.startswith("scale_") and context.scale is not None:
        return context.scale.sd_px
    return context.sd_px.get(name, CLICK_SD_PX)


def _roll(points: Marks, level: LevelReference | None) -> float:
    if level is None:
        return 0.0
    return LevelReference(level.kind, points["level_a"], points["level_b"]).roll()


def _metres_per_px(points: Marks, scale: Scale | None) -> float:
    assert scale is not None
    return scale.length_m / float(np.linalg.norm(points["scale_a"] - points["scale_b"]))


def _unlevelled_sd(recipe: Recipe, own: Marks, context: PictureContext) -> float:
    if not recipe.needs_scale:
        return UNLEVELLED_SD_DEG
    # A roll shifts heights by the width of the marks and sideways places by their height.
    places = np.array([own[name] for name in recipe.marks])
    span_px = float(np.max(np.ptp(places, axis=0)))
    points = _reference_points(recipe, context)
    return math.radians(UNLEVELLED_SD_DEG) * span_px * recipe.per_metre * _metres_per_px(points, context.scale)


def observe(
    kind: PictureKind, marks: Marks, context: PictureContext, method: str, frame: FrameRef, setup: Setup = PLAIN
) -> list[Observation]:
    """Observations of everything the marks of one frame say.

    `frame` names picture and frame; the marks and the level used are added
    to it. Readings that could not be made come along as NotMeasured.
    """
    level = context.level
    found = []
    for reading in read_marks(kind, marks, context):
        known = replace(
            frame,
            marks={name: (float(marks[name][0]), float(marks[name][1])) for name in reading.marks},
            level=level.kind.value if level else "",
            roll_deg=level.roll() if level else None,
        )
        trials = np.array([reading.value]) if isinstance(reading.value, float) else np.empty(0)
        found.append(
            Observation(
                reading.measure_id,
                reading.side,
                reading.value,
                trials,
                method=method,
                marking_sd=reading.marking_sd,
                quality_reason=reading.note,
                setup=setup,
                evidence=known,
            )
        )
    return found
