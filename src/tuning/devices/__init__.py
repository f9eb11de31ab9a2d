"""Devices behind protocols; each has a stand-in in `demo`."""

from tuning.devices.device_set import NO_DEVICES, Devices, SimulatedSubject, map_device_errors

__all__ = ["NO_DEVICES", "Devices", "SimulatedSubject", "map_device_errors"]
