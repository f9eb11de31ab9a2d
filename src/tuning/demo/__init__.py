"""Builds the demonstration clinic: made-up people, clips of a mannequin with known geometry."""
