"""Strength: typed trials and what they say."""
