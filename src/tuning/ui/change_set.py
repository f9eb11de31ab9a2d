"""What one gesture adds and strikes."""

from __future__ import annotations

from dataclasses import replace
from typing import TypeVar, cast

from tuning.core.case import Case, Person
from tuning.core.intake.worn import tag_of, tagged
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
        return self._take(entry, None)

    def strike(self, *entries: Entry | None) -> None:
        """Take entries out; what is None was not there."""
        self.struck |= {entry.uid for entry in entries if entry is not None}

    def replace(self, entry: E, *before: Entry | None) -> E:
        """Take an entry in, in the place of older ones. Raises BadInput for trials that do not belong together."""
        known = [b for b in before if b is not None]
        made = self._take(entry, known[-1] if known else None)
        self.strike(*known)
        return made

    def _take(self, entry: E, before: Entry | None) -> E:
        if isinstance(entry, Observation):
            earlier = before if isinstance(before, Observation) else None
            entry = cast(E, tagged(entry, earlier, tag_of(self.case)))
        made = replace(
            entry, uid=new_uid(), visit=self.case.visit.uid, at=now(), person=self._person.uid, who=self._person.name,
            replaces=before.uid if before is not None else entry.replaces,
        )  # fmt: skip
        self.added.append(made)
        return made
