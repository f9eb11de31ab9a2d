"""Marks followed through a clip: which detection belongs to which mark, and what is doubted."""
