"""Tables that the day list needs before anything else is read."""

from __future__ import annotations

from collections.abc import Callable
from functools import cache
from importlib.resources import files
from pathlib import Path
from typing import TypeVar

from tuning.core.errors import KnowledgeError
from tuning.core.gate.triage import SafetyTable
from tuning.core.programme.rules import Rules
from tuning.knowledge.loaders.intake import load_safety
from tuning.knowledge.loaders.ladders import load_progression
from tuning.knowledge.loaders.toml_reader import TomlReader

T = TypeVar("T")


@cache
def safety_table() -> SafetyTable:
    """The shipped safety table. Raises KnowledgeError."""
    return _alone(load_safety)


@cache
def rules() -> Rules:
    """The shipped numbers of up, hold or back. Raises KnowledgeError."""
    return _alone(load_progression)


def _alone(load: Callable[[TomlReader], T | None]) -> T:
    reading = TomlReader(Path(str(files("tuning.knowledge"))))
    found = load(reading)
    if found is None or reading.problems:
        raise KnowledgeError(f"The knowledge files break a rule. {'; '.join(reading.problems)}.")
    return found
