"""Markers proposed by the program: the body is found, stickers are found, and each is named by where it lies on it."""
