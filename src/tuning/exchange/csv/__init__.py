"""Delimited text."""
