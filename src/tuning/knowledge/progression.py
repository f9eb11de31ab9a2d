"""The numbers of up, hold or back alone: the day list needs them before anything else is read."""

from __future__ import annotations

from functools import cache
from importlib.resources import files
from pathlib import Path

from tuning.core.errors import KnowledgeError
from tuning.core.programme.rules import Rules
from tuning.knowledge.loaders.ladders import load_progression
from tuning.knowledge.loaders.reading import Reading


@cache
def rules() -> Rules:
    """The shipped numbers. Raises KnowledgeError."""
    reading = Reading(Path(str(files("tuning.knowledge"))))
    found = load_progression(reading)
    if found is None or reading.problems:
        raise KnowledgeError(f"The knowledge files break a rule. {'; '.join(reading.problems)}.")
    return found
