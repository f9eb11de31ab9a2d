"""A made-up person before the simulated camera and on the simulated plates at once."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from tuning.demo.clips import CLIPS, DemoClip
from tuning.demo.mannequin import SIDES
from tuning.demo.plate_forces import pressed
from tuning.demo.simulated_camera import SimulatedCamera
from tuning.demo.simulated_plates import SimulatedPerson, SimulatedPlates, SimulatedSession

SHOWN = {"rear": "walk-rear", "side-r": "squat-side", "side-l": "squat-side"}
"""What is played for a kind of picture; from the left, the mirrored squat; else the squat from the front."""
USUAL = "squat-front"
ROUNDS = 12
STAND_S = 3.0
"""A person on the plates stands still before each set, long enough to be weighed."""


def camera_for(picture_kind: str) -> SimulatedCamera:
    """The simulated camera for a kind of picture. Raises OSError when the clip is missing."""
    stand_s = 0.0 if picture_kind == "rear" else STAND_S
    return SimulatedCamera(CLIPS[SHOWN.get(picture_kind, USUAL)].path, picture_kind == "side-l", stand_s)


def plates_for(picture_kind: str, who: SimulatedPerson, camera: SimulatedCamera) -> StagePlates | None:
    """Plates under the person whom the camera plays; None where nobody squats in side view."""
    return StagePlates(CLIPS[SHOWN[picture_kind]], who, camera) if picture_kind.startswith("side") else None


class StagePlates(SimulatedPlates):
    """Start where the clip is, and go round and round with it."""

    def __init__(self, clip: DemoClip, who: SimulatedPerson, camera: SimulatedCamera) -> None:
        super().__init__(pressed(clip.body_at, clip.seconds, who, before=STAND_S, after=0.0))
        self._round, self._camera = self.scene, camera

    def start(self) -> None:
        """Begin with the picture that was given last."""
        self.scene = repeated(self._round, self._camera.at, ROUNDS)
        super().start()


def repeated(scene: SimulatedSession, begin: float, rounds: int) -> SimulatedSession:
    """A scene that goes round from second `begin` on."""
    first = round(begin * scene.rate) % scene.left.size
    order = (first + np.arange(rounds * scene.left.size)) % scene.left.size
    points = {side: scene.points[side][order] for side in SIDES if side in scene.points}
    return replace(scene, left=scene.left[order], right=scene.right[order], points=points, events={})
