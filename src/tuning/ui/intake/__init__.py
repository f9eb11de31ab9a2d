"""Intake: the safety screen."""
