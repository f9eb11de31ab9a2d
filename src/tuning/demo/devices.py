"""The made-up devices of a demo or practice record, as the window is given them."""

from __future__ import annotations

from typing import cast

from tuning.demo import strength_profiles
from tuning.demo.plate_profiles import balance_set, body, scene
from tuning.demo.simulated_camera import SimulatedCamera
from tuning.demo.simulated_capture import camera_for, plates_for
from tuning.demo.simulated_gauge import SimulatedDynamometer
from tuning.demo.simulated_plates import SimulatedPlates
from tuning.demo.simulated_scales import SimulatedScales
from tuning.devices import Devices, SimulatedSubject
from tuning.devices.camera import Camera
from tuning.devices.dynamometer import Dynamometer
from tuning.devices.plates import ForcePlates
from tuning.devices.scales import TwoScales

BALANCE = "balance-set"
"""The test of a subject who squats slowly for the balance beam."""


def _gauge(who: SimulatedSubject) -> Dynamometer:
    return SimulatedDynamometer(strength_profiles.profile(who.occupation, who.test, who.side, who.body_mass_kg))


def _plates(who: SimulatedSubject) -> ForcePlates:
    person = body(who.occupation, who.body_mass_kg)
    return SimulatedPlates(balance_set(person) if who.test == BALANCE else scene(person, who.test, who.side))


def _scales(who: SimulatedSubject) -> TwoScales:
    return SimulatedScales(who.body_mass_kg, 0.47)


def _beside(who: SimulatedSubject, picture_kind: str, camera: Camera) -> ForcePlates | None:
    return plates_for(picture_kind, body(who.occupation, who.body_mass_kg), cast(SimulatedCamera, camera))


def simulated_devices() -> Devices:
    """All stand-ins."""
    return Devices(_gauge, _plates, _scales, camera_for, _beside, simulated=True)
