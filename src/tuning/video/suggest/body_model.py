"""The joints of a person in a picture, by the pose detector and landmark pair of a body model.

Bazarevsky et al. 2020 describe the pair: a detector gives the middle of the hips and a circle around the body, and a
second network, on the picture turned upright and cut to that circle, gives 33 joints. The files come with a package
that is fetched at set-up and never imported; without them nothing is proposed.
"""

from __future__ import annotations

import math
import os
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from functools import lru_cache
from importlib.util import find_spec
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from tuning.core.errors import EnvironmentFault
from tuning.core.types import Floats

DETECTOR, LANDMARKS = "pose_detection/pose_detection.tflite", "pose_landmark/pose_landmark_full.tflite"
DETECTOR_PX, LANDMARK_PX = 224, 256
GRIDS = ((28, 2), (14, 2), (7, 6))
"""Anchors of the detector: cells a side, and how many lie in each."""
WIDER = 1.25
"""The square around the circle of the body, as the pair was trained."""
ROUNDS = 2
"""How often the square is laid anew from the joints that were found in it."""
LEAST_SURE = 0.5
"""Below, nobody is in the picture (practice judgement, editable)."""
EARS, SHOULDERS, HIPS = (7, 8), (11, 12), (23, 24)
KNEES, ANKLES, HEELS, TOES = (25, 26), (27, 28), (29, 30), (31, 32)
"""Joints of the model, left and right of the person."""
CENTRE, EDGE = 33, 34
"""Middle of the hips, and a point on the circle around the body."""
MISSING = "The body model is not set up here, so no markers can be proposed: mark them by hand, or run ./run once more."


@dataclass(frozen=True)
class BodyPose:
    """Joints (39, 2) in pixels of the upright picture, and how sure the model is of a person, 0..1."""

    joints: Floats
    sure: float

    def pair(self, which: tuple[int, int]) -> Floats:
        """A joint left and right (2, 2)."""
        return self.joints[list(which)]

    @property
    def trunk(self) -> Floats:
        """From the middle of the hips to the middle of the shoulders, px."""
        upward: Floats = self.pair(SHOULDERS).mean(axis=0) - self.pair(HIPS).mean(axis=0)
        return upward


def model_folder() -> Path | None:
    """Where the files of the model lie; None where it is not set up."""
    found = find_spec("mediapipe")  # looked up, not imported
    if found is None or not found.submodule_search_locations:
        return None
    folder = Path(next(iter(found.submodule_search_locations))) / "modules"
    return folder if (folder / DETECTOR).exists() and (folder / LANDMARKS).exists() else None


def is_set_up() -> bool:
    """Whether somebody can be found at all."""
    return model_folder() is not None


class BodyModel:
    """Both networks, loaded once. Raises EnvironmentFault where the model is not set up."""

    def __init__(self) -> None:
        folder = model_folder()
        if folder is None or find_spec("ai_edge_litert") is None:
            raise EnvironmentFault(MISSING)
        self._detector, self._landmarks = _Network(folder / DETECTOR), _Network(folder / LANDMARKS)

    def find(self, pixels: NDArray[np.uint8], before: BodyPose | None = None) -> BodyPose | None:
        """The person of an RGB picture (height, width, 3), near where they were before; None where nobody is."""
        found = None
        if before is not None:
            found = self._refined(pixels, before.joints[CENTRE], before.joints[EDGE])
        if found is None or found.sure < LEAST_SURE:
            found = self._refined(pixels, *self._detected(pixels))
        return found if found.sure >= LEAST_SURE else None

    def _detected(self, pixels: NDArray[np.uint8]) -> tuple[Floats, Floats]:
        """Middle of the hips and a point on the circle of the likeliest person."""
        height, width = pixels.shape[:2]
        cut, back = _cut(pixels, np.array([width / 2, height / 2]), float(max(width, height)), 0.0, DETECTOR_PX)
        places, scores = sorted(self._detector(cut / 127.5 - 1), key=lambda out: -out.shape[-1])
        best = int(np.argmax(scores[0, :, 0]))
        points = places[0, best, 4:8].reshape(2, 2) + DETECTOR_PX * _anchors()[best]
        centre, edge = points @ back[:, :2].T + back[:, 2]
        return centre, edge

    def _refined(self, pixels: NDArray[np.uint8], centre: Floats, edge: Floats) -> BodyPose:
        made = BodyPose(np.zeros((39, 2)), 0.0)
        for _ in range(ROUNDS):
            across, upward = edge - centre
            side = 2 * WIDER * math.hypot(across, upward)
            if not 1 <= side <= 1e5:
                break
            turn = math.pi / 2 - math.atan2(-upward, across)
            cut, back = _cut(pixels, centre, side, turn, LANDMARK_PX)
            outputs = self._landmarks(cut / 255.0)
            flat = next(out for out in outputs if out.size == 39 * 5)
            sure = next(out for out in outputs if out.size == 1)
            joints = flat.reshape(39, 5)[:, :2].astype(float) @ back[:, :2].T + back[:, 2]
            made = BodyPose(joints, float(sure.item()))
            centre, edge = joints[CENTRE], joints[EDGE]
        return made


class _Network:
    def __init__(self, path: Path) -> None:
        from ai_edge_litert.interpreter import Interpreter

        with _quietly():
            self._run = Interpreter(str(path), num_threads=2)
            self._run.allocate_tensors()
        self._into = self._run.get_input_details()[0]["index"]
        self._out = [one["index"] for one in self._run.get_output_details()]

    def __call__(self, picture: NDArray[Any]) -> list[NDArray[np.float32]]:
        self._run.set_tensor(self._into, picture[None].astype(np.float32))
        self._run.invoke()
        return [self._run.get_tensor(index) for index in self._out]


@contextmanager
def _quietly() -> Iterator[None]:
    """Without what the library itself writes of its threads, which is no message of ours."""
    sys.stderr.flush()
    nowhere, errors = os.open(os.devnull, os.O_WRONLY), os.dup(2)
    try:
        os.dup2(nowhere, 2)
        yield
    finally:
        os.dup2(errors, 2)
        os.close(errors)
        os.close(nowhere)


@lru_cache(1)
def _anchors() -> Floats:
    """Middles of the anchors (n, 2), parts of the picture."""
    made = []
    for cells, each in GRIDS:
        middles = (np.arange(cells) + 0.5) / cells
        x, y = np.meshgrid(middles, middles)
        made.append(np.repeat(np.stack([x.ravel(), y.ravel()], axis=1), each, axis=0))
    return np.concatenate(made)


def _cut(
    pixels: NDArray[np.uint8], centre: Floats, side: float, turn: float, size: int
) -> tuple[NDArray[np.uint8], Floats]:
    """A turned square as a picture of `size` px, and the map (2, 3) from its places back."""
    c, s, scale = math.cos(turn), math.sin(turn), side / size
    matrix = scale * np.array([[c, -s], [s, c]])
    back = np.column_stack([matrix, centre - matrix @ np.array([size / 2, size / 2])])
    flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    return np.asarray(cv2.warpAffine(pixels, back, (size, size), flags=flags), dtype=np.uint8), back
