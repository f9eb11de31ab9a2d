"""Devices behind protocols; each has a simulated stand-in that ships with the program."""

from tuning.devices.device_set import NO_DEVICES, Devices, SimulatedSubject, map_device_errors

__all__ = ["NO_DEVICES", "Devices", "SimulatedSubject", "map_device_errors"]
