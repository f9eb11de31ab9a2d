"""The safety table alone: the day list needs it before anything else is read."""

from __future__ import annotations

from functools import cache
from importlib.resources import files
from pathlib import Path

from tuning.core.errors import KnowledgeError
from tuning.core.gate.triage import SafetyTable
from tuning.knowledge.loaders.intake import load_safety
from tuning.knowledge.loaders.reading import Reading


@cache
def safety_table() -> SafetyTable:
    """The shipped table. Raises KnowledgeError."""
    reading = Reading(Path(str(files("tuning.knowledge"))))
    found = load_safety(reading)
    if found is None or reading.problems:
        raise KnowledgeError(f"The knowledge files break a rule. {'; '.join(reading.problems)}.")
    return found
