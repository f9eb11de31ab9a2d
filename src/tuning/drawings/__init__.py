"""The drawn person: figure, positions, tests, vector shapes without Qt."""
