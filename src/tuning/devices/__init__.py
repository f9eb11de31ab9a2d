"""Devices behind protocols; each has a simulated stand-in that ships with the program."""
