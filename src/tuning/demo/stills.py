"""Photographs of the mannequin standing and in test positions, with the exact place of every sticker.

`python -m tuning.demo.stills FOLDER` takes them anew.
"""

from __future__ import annotations

import math
import sys
from dataclasses import dataclass
from importlib.resources import files
from pathlib import Path

import numpy as np
from PIL import Image

from tuning.demo import render
from tuning.demo.camera import PinholeCamera, Vectors
from tuning.demo.mannequin import ANKLE, SHANK, SIDES, THIGH, Body, Leg, Posture, build


@dataclass(frozen=True)
class Stander:
    """Habits of a stance; metres and degrees. `left_low` lowers the left ankle, as a fallen arch does."""

    left_low: float = 0.0
    heel_out_left: float = 4.0
    heel_out_right: float = 4.0
    pelvis_ahead: float = 0.0
    chest_behind: float = 0.0
    head_ahead: float = 0.03
    spine_bend: float = 0.0
    shoulder_roll: float = 0.0
    blade_roll: float = 0.0
    head_roll: float = 0.0
    knee_in_left: float = 0.0
    knee_in_right: float = 0.0
    kneecap_in_left: float = 0.0
    kneecap_in_right: float = 0.0
    shift: float = 0.0
    stature: float = 1.65


REAR = {
    name: name
    for stem in ("heel", "heel_top", "calf", "knee_back", "psis", "crest", "blade", "acromion", "ear")
    for name in (f"{stem}_left", f"{stem}_right")
} | {name: name for name in ("spine_low", "spine_mid", "spine_top")}
FRONT = {
    name: name
    for stem in ("ankle", "kneecap", "knee_inner", "knee_outer", "asis", "shoulder")
    for name in (f"{stem}_left", f"{stem}_right")
} | {"notch": "notch", "nose": "nose"}


def side_marks(side: str) -> dict[str, str]:
    """Landmarks of a side view to points of that side."""
    return {
        "malleolus": f"malleolus_{side}",
        "knee": f"knee_side_{side}",
        "hip": f"trochanter_{side}",
        "shoulder": f"acromion_side_{side}",
        "ear": f"ear_side_{side}",
    }


def standing(who: Stander, marked: dict[str, str]) -> Body:
    """The mannequin standing; feet 0.16 m apart, eyes ahead."""
    rise = ANKLE * who.stature
    legs = {
        "left": Leg((-0.08, rise - who.left_low, 0.0), who.knee_in_left, toe_out=8),
        "right": Leg((0.08, rise, 0.0), who.knee_in_right, toe_out=8),
    }
    roll = math.degrees(math.atan2(who.left_low, 0.18))
    long = 0.9985 * (THIGH + SHANK) * who.stature
    height = rise - who.left_low / 2 + math.sqrt(long**2 - who.pelvis_ahead**2)
    lean = -math.degrees(math.atan2(who.chest_behind, 0.235 * who.stature))
    posture = Posture((who.shift, height, who.pelvis_ahead), legs, pelvis_roll=roll, trunk_lean=lean)
    body = build(posture, who.stature)
    _add_back(body, who, roll)
    _add_sides(body, who)
    body.marked = marked
    return body


def _add_back(body: Body, who: Stander, roll: float) -> None:
    p = body.points
    sacrum = (p["psis_left"] + p["psis_right"]) / 2
    shoulders = (p["shoulder_left"] + p["shoulder_right"]) / 2
    neck = np.array([shoulders[0], shoulders[1] + 0.06, shoulders[2] - 0.13])
    p["spine_low"] = sacrum + np.array([0.0, 0.03, 0.01])
    p["spine_top"] = neck
    middle = (p["spine_low"] + neck) / 2
    p["spine_mid"] = middle + np.array([who.spine_bend, 0.0, -0.035])
    for side, sign in SIDES.items():
        p[f"crest_{side}"] = sacrum + np.array(
            [sign * 0.105, 0.06 + sign * 0.105 * math.tan(math.radians(roll)), 0.012]
        )
        blade = sign * 0.085 * math.tan(math.radians(who.blade_roll))
        p[f"blade_{side}"] = shoulders + np.array([sign * 0.085, -0.17 + blade, -0.17])
        tip = sign * 0.165 * math.tan(math.radians(who.shoulder_roll))
        p[f"acromion_{side}"] = shoulders + np.array([sign * 0.165, 0.012 + tip, -0.105])
        ear = sign * 0.075 * math.tan(math.radians(who.head_roll))
        p[f"ear_{side}"] = shoulders + np.array([sign * 0.075, 0.185 + ear, who.head_ahead - 0.075])
        knee, ankle = p[f"knee_joint_{side}"], p[f"ankle_joint_{side}"]
        bone = (knee - ankle) / np.linalg.norm(knee - ankle)
        p[f"calf_{side}"] = ankle + 0.26 * bone + np.array([0.0, 0.0, -0.062])
        top = p[f"heel_top_{side}"]
        out = math.radians(getattr(who, f"heel_out_{side}"))
        drop = top[1] - p[f"heel_{side}"][1]
        # An everted heel leans so that its lower end lies further out than its tendon.
        lean = math.atan2(bone[0], bone[1]) - sign * out
        p[f"heel_{side}"] = np.array([top[0] - drop * math.tan(lean), top[1] - drop, p[f"heel_{side}"][2]])


def _add_sides(body: Body, who: Stander) -> None:
    p = body.points
    shoulders = (p["shoulder_left"] + p["shoulder_right"]) / 2
    p["notch"] = shoulders + np.array([0.0, -0.03, 0.03])
    p["nose"] = shoulders + np.array([0.0, 0.21, 0.075 + who.head_ahead])
    for side, sign in SIDES.items():
        ankle, knee, hip = (p[f"{joint}_{side}"] for joint in ("ankle_joint", "knee_joint", "hip"))
        p[f"malleolus_{side}"] = ankle + np.array([sign * 0.036, 0.0, 0.012])
        p[f"knee_side_{side}"] = knee + np.array([sign * 0.058, 0.0, 0.008])
        p[f"trochanter_{side}"] = hip + np.array([sign * 0.092, -0.01, 0.0])
        p[f"acromion_side_{side}"] = shoulders + np.array([sign * 0.215, 0.0, -0.06])
        p[f"ear_side_{side}"] = shoulders + np.array([sign * 0.082, 0.185, -0.06 + who.head_ahead])
        p[f"knee_outer_{side}"] = knee + np.array([sign * 0.05, 0.0, 0.04])
        p[f"knee_inner_{side}"] = knee + np.array([-sign * 0.05, 0.0, 0.04])
        inward = 0.05 * math.sin(math.radians(getattr(who, f"kneecap_in_{side}")))
        p[f"kneecap_{side}"] = knee + np.array([-sign * inward, 0.0, 0.058])


def portrait(view: str, roll_deg: float = 0.0) -> PinholeCamera:
    """A camera on its side, the whole body in the picture."""
    return PinholeCamera(view, 4.2, 0.9, 2300.0, 900, 1200, roll_deg)


@dataclass(frozen=True)
class Still:
    """A photograph by its recipe."""

    name: str
    body: Body
    camera: PinholeCamera
    seed: int

    @property
    def path(self) -> Path:
        """Where the shipped file lies."""
        return Path(str(files("tuning.demo"))) / "media" / f"{self.name}.jpg"

    def truth(self) -> dict[str, Vectors]:
        """Exact sticker places, pixels."""
        return self.body.projected(self.camera)

    def plumb_line(self) -> tuple[Vectors, Vectors]:
        """Image places of two points of the hanging line, upper first."""
        upper, lower = (self.camera.project(render.plumb_point(self.camera, y)) for y in (1.6, 0.2))
        return upper, lower

    def known_length(self) -> tuple[Vectors, Vectors, float]:
        """Image places of a metre on the hanging line, and its length in m."""
        upper, lower = (self.camera.project(render.plumb_point(self.camera, y)) for y in (1.3, 0.3))
        return upper, lower, 1.0

    def pixels(self) -> np.ndarray:
        """The photograph (height, width, 3)."""
        rng = np.random.default_rng(self.seed)
        background = render.room(self.camera, rng)
        return render.photograph(lambda _: self.body, 0.0, self.camera, background, rng)

    def render(self, folder: Path) -> Path:
        """Take the photograph into `folder` as JPEG."""
        target = folder / f"{self.name}.jpg"
        Image.fromarray(self.pixels()).save(target, quality=88)
        return target


CONDUCTOR = Stander(
    left_low=0.011, heel_out_left=11.0, heel_out_right=4.0, pelvis_ahead=0.045, chest_behind=0.05, head_ahead=0.05,
    spine_bend=0.006, shoulder_roll=-2.4, blade_roll=-6.0, head_roll=1.0, kneecap_in_left=12.0, kneecap_in_right=3.0,
    shift=-0.012,
)  # fmt: skip

STILLS = {
    still.name: still
    for still in (
        Still("stand-rear", standing(CONDUCTOR, REAR), portrait("rear", 1.0), 21),
        Still("stand-right", standing(CONDUCTOR, side_marks("right")), portrait("right", -0.8), 22),
        Still("stand-left", standing(CONDUCTOR, side_marks("left")), portrait("left", 0.5), 23),
        Still("stand-front", standing(CONDUCTOR, FRONT), portrait("front"), 24),
    )
}


if __name__ == "__main__":
    for name in sys.argv[2:] or STILLS:
        print(STILLS[name].render(Path(sys.argv[1])))
