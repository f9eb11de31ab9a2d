"""Notes, and what was done between two measurements."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime

from tuning.core.case import Case
from tuning.core.entries import Note, Treatment
from tuning.core.errors import BadInput
from tuning.core.units import parse_number

LONGEST_MIN = 600.0
"""Longest treatment that may be typed, minutes (practice judgement, editable)."""


def make_note(stage: str, text: str) -> Note:
    """A note as it is kept. Raises BadInput for an empty one."""
    if not text.strip():
        raise BadInput("The note is empty; nothing was saved.")
    return Note(stage, text.strip())


def make_treatment(what: str, minutes: str, by: str) -> Treatment:
    """What was done, as it is kept; minutes may be left out. Raises BadInput without words or for no such time."""
    if not what.strip():
        raise BadInput("Say what was done; nothing was saved.")
    took = None
    if minutes.strip():
        took = parse_number(minutes, "min", {"min": 1.0}, "time")
        if not 0 < took <= LONGEST_MIN:
            raise BadInput(f"Minutes lie above 0 and at most {LONGEST_MIN:g}.")
    return Treatment(what.strip(), took, by.strip())


def treatment_text(treatment: Treatment) -> str:
    """A treatment in one line."""
    took = f", {treatment.minutes:g} min" if treatment.minutes is not None else ""
    by = treatment.by or treatment.who
    return f"{treatment.what}{took}{f', by {by}' if by else ''}"


def treatments_between(case: Case, first: datetime, last: datetime) -> Sequence[Treatment]:
    """What was done after one moment and not after another, oldest first, whichever comes first."""
    start, end = sorted((first, last))
    return [t for t in case.all(Treatment) if start < t.at <= end]
