"""Mobility: the guided run through its tests."""
