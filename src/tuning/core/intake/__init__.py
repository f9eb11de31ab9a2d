"""Intake: forms, body measures, soles and regions."""
