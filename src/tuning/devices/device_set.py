"""The devices that the program was given at start, and the border where their errors become sentences."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from typing import TYPE_CHECKING

from tuning.core.errors import DeviceFault

if TYPE_CHECKING:  # decoders and samplers are slow to load and not needed for the first window
    from tuning.devices.camera import Camera
    from tuning.devices.dynamometer import Dynamometer
    from tuning.devices.plates import ForcePlates
    from tuning.devices.scales import TwoScales


@dataclass(frozen=True)
class SimulatedSubject:
    """Who stands on or pushes against a device, and what is done: a stand-in acts by it, a real one needs it not."""

    occupation: str = ""
    body_mass_kg: float = 75.0
    test: str = ""
    side: str = "none"


@dataclass(frozen=True)
class Devices:
    """What there is. A device that is None is absent, and the screens say how to go on without it.

    `simulated` is true for the stand-ins, which only a demo or practice record gets;
    everything they send says so for good.
    """

    gauge: Callable[[SimulatedSubject], Dynamometer] | None = None
    plates: Callable[[SimulatedSubject], ForcePlates] | None = None
    scales: Callable[[SimulatedSubject], TwoScales] | None = None
    camera: Callable[[str], Camera] | None = None
    """A camera for a kind of picture."""
    plates_beside: Callable[[SimulatedSubject, str, Camera], ForcePlates | None] | None = None
    """Plates that run with a camera, for a kind of picture."""
    simulated: bool = False


NO_DEVICES = Devices()


@contextmanager
def map_device_errors(name: str) -> Iterator[None]:
    """Whatever a device raises is one sentence here. Raises DeviceFault."""
    try:
        yield
    except DeviceFault:
        raise
    except Exception as err:  # a driver may raise anything; it must not take the window down
        raise DeviceFault(f"The {name} does not answer ({str(err) or type(err).__name__})") from err
