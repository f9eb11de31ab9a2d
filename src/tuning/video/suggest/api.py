"""Markers of a clip or photograph, proposed without a click."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from tuning.core.errors import BadInput
from tuning.core.types import Floats
from tuning.video.media.source import PictureSource, open_source
from tuning.video.suggest.body_model import BodyModel, BodyPose, is_set_up
from tuning.video.suggest.body_places import SEEN_FROM, SIDES, VIEWS, expected, view_of
from tuning.video.suggest.naming import FrameSpots, named
from tuning.video.suggest.spots import spots_near

LOOKED_AT, GLANCES, WITHIN_S = 13, 5, 3.0
"""Frames that are looked at for markers, and for the view alone; the part of a clip they are spread over."""
REACH = 0.35
"""How far around a place stickers are looked for, trunk lengths."""
NOBODY = "nobody was found in “{name}”: mark the landmarks by hand"


@dataclass(frozen=True)
class Suggestion:
    """Places (px) of landmarks in the best frame; `extra` those hidden there, each in a frame that shows it; `unsure`
    are left to the person."""

    view: str
    frame: int
    points: dict[str, Floats]
    extra: dict[int, dict[str, Floats]] = field(default_factory=dict)
    unsure: tuple[str, ...] = ()
    cut_off: tuple[str, ...] = ()
    """Landmarks whose place lies outside the picture in most frames."""
    shown: str = ""
    """The view that the person themselves show; another one may have been named."""


def suggest(path: Path, view: str = "", tick: Callable[[float], bool] = lambda _: True) -> Suggestion:
    """Find the person, the view where none is named, and name the stickers.

    `tick` is told the share that is done, and says whether to go on. Raises BadInput where nobody is found or the view
    is none of VIEWS, EnvironmentFault where the body model is not set up.
    """
    source = open_source(path)
    try:
        return suggest_in(source, path.name, view, tick)
    finally:
        source.close()


def suggest_in(
    source: PictureSource, name: str, view: str = "", tick: Callable[[float], bool] = lambda _: True
) -> Suggestion:
    """As `suggest`, of a picture or clip that is open already."""
    if view and view not in VIEWS:
        raise BadInput(f"“{view}” is no view; one of {', '.join(VIEWS)}.")
    seen = _seen(BodyModel(), source, tick)
    if not seen:
        raise BadInput(NOBODY.format(name=name))
    shown = Counter(view_of(pose) for _, pose, _ in seen).most_common(1)[0][0]
    view = view or shown
    if (view in SIDES) != (shown in SIDES):
        raise BadInput(f"“{name}” shows the person {SEEN_FROM[shown]}, not {SEEN_FROM[view]}.")
    looks = []
    for n, (frame, pose, pixels) in enumerate(seen):
        places = expected(pose, view)
        reach = REACH * float(np.linalg.norm(pose.trunk))
        looks.append(FrameSpots(frame, places, spots_near(pixels, np.array([at for at, _ in places.values()]), reach)))
        if not tick(0.5 + 0.5 * (n + 1) / len(seen)):
            break
    best = _best(view, list(looks[0].expected), named(looks))
    return replace(best, cut_off=_cut_off(looks, source.size), shown=shown)


def view_in(source: PictureSource) -> str:
    """How an open picture or clip shows the person; empty where nobody is found or the body model is not set up."""
    if not is_set_up():
        return ""
    seen = _seen(BodyModel(), source, lambda _: True, GLANCES)
    return Counter(view_of(pose) for _, pose, _ in seen).most_common(1)[0][0] if seen else ""


def _cut_off(looks: Sequence[FrameSpots], size: tuple[int, int]) -> tuple[str, ...]:
    """Landmarks that most frames do not hold."""
    out: Counter[str] = Counter()
    for look in looks:
        out.update(name for name, (at, _) in look.expected.items() if not ((at >= 0) & (at < size)).all())
    return tuple(name for name in looks[0].expected if out[name] > len(looks) / 2)


def _seen(
    model: BodyModel, source: PictureSource, tick: Callable[[float], bool], count: int = LOOKED_AT
) -> list[tuple[int, BodyPose, NDArray[np.uint8]]]:
    """Frames spread over the first seconds in which somebody is, with the person and the picture."""
    times = source.times
    last = int(np.searchsorted(times, times[0] + WITHIN_S, side="right")) - 1
    frames = np.unique(np.linspace(0, last, count).round().astype(int)).tolist()
    seen = list[tuple[int, BodyPose, NDArray[np.uint8]]]()
    for n, frame in enumerate(frames):
        pixels = source.frame(frame)
        pose = model.find(pixels, seen[-1][1] if seen else None)
        if pose is not None:
            seen.append((frame, pose, pixels))
        if not tick(0.5 * (n + 1) / len(frames)):
            break
    return seen


def _best(view: str, names: list[str], found: dict[int, dict[str, Floats]]) -> Suggestion:
    """The first frame with most landmarks, and for the others the first that shows them."""
    start = max(found, key=lambda frame: len(found[frame]))
    extra: dict[int, dict[str, Floats]] = {}
    for name in names:
        if name not in found[start]:
            frame = next((frame for frame in found if name in found[frame]), None)
            if frame is not None:
                extra.setdefault(frame, {})[name] = found[frame][name]
    sure = {*found[start], *(name for marks in extra.values() for name in marks)}
    return Suggestion(view, start, found[start], extra, tuple(name for name in names if name not in sure))
