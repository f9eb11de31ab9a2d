"""What one gesture adds and strikes."""

from __future__ import annotations

from dataclasses import replace
from typing import TypeVar

from tuning.core.case import Case, Person
from tuning.core.intake.worn import tag_of
from tuning.core.types import Entry, Observation
from tuning.records import new_uid
from tuning.records.store import now

E = TypeVar("E", bound=Entry)


class ChangeSet:
    """What one gesture adds and strikes; committed as a whole when the `with` block ends."""

    def __init__(self, case: Case, person: Person) -> None:
        self.case, self._person = case, person
        self.by = person.uid
        self.added: list[Entry] = []
        self.struck: set[str] = set()

    def add(self, entry: E) -> E:
        """Take an entry in; it gets its uid, visit, time and person at once."""
        if isinstance(entry, Observation) and not (entry.capture or entry.setup.worn):
            entry = replace(entry, setup=replace(entry.setup, worn=tag_of(self.case)))
        made = replace(
            entry, uid=new_uid(), visit=self.case.visit.uid, at=now(), person=self._person.uid, who=self._person.name
        )
        self.added.append(made)
        return made

    def strike(self, *entries: Entry | None) -> None:
        """Take entries out; what is None was not there."""
        self.struck |= {entry.uid for entry in entries if entry is not None}

    def replace(self, entry: E, *before: Entry | None) -> E:
        """Take an entry in, in the place of older ones."""
        known = [b for b in before if b is not None]
        self.strike(*known)
        return self.add(replace(entry, replaces=known[-1].uid) if known else entry)
