"""Mobility: photographs of positions."""
