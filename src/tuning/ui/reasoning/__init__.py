"""Reasoning: to come."""
