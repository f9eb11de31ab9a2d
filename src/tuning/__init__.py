"""Tuning: measuring hip, knee and foot alignment, and planning what to do about it."""

__version__ = "0.1.0"
