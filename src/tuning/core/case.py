"""The case: one person, all visits, every standing entry, frozen at a revision. Conclusions are functions of it."""

from __future__ import annotations

import math
from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import date, datetime
from typing import Any, TypeVar

from tuning.core.entries import Form
from tuning.core.errors import BadInput
from tuning.core.types import Entry, Role, Side

E = TypeVar("E", bound=Entry)
R = TypeVar("R")


@dataclass(frozen=True)
class Person:
    """A local user profile."""

    uid: str
    name: str
    role: Role


@dataclass(frozen=True)
class Patient:
    """Who is assessed. Mass in kg, stature in m."""

    uid: str
    name: str
    birth_date: date
    sex: str
    body_mass_kg: float | None
    stature_m: float | None
    dominant_hand: str
    dominant_leg: str
    complaint: str
    involved: Side
    occupation: str = ""

    def age_on(self, day: date) -> int:
        """Full years on `day`."""
        before_birthday = (day.month, day.day) < (self.birth_date.month, self.birth_date.day)
        return day.year - self.birth_date.year - before_birthday


FACTS = "patient-facts"
"""The form that holds what was put right of a patient; what stood before stays in the entry before it."""


def with_facts(patient: Patient, entries: Iterable[Entry]) -> Patient:
    """A patient as the newest standing facts tell, oldest entry first; fields that nobody changed stay."""
    for entry in entries:
        if isinstance(entry, Form) and entry.kind == FACTS:
            try:
                patient = corrected(patient, entry.data)
            except BadInput:  # of another version: what stood before stays, and one form hides nobody
                continue
    return patient


def corrected(patient: Patient, data: Mapping[str, Any]) -> Patient:
    """A patient with some fields put right. Raises BadInput for a field or value that makes no sense."""
    told = dict(data)
    try:
        if "birth_date" in told:
            told["birth_date"] = date.fromisoformat(told["birth_date"])
        if "involved" in told:
            told["involved"] = Side(told["involved"])
        for name in told.keys() & {"body_mass_kg", "stature_m"}:
            told[name] = None if told[name] is None else float(told[name])
            if told[name] is not None and not 0 < told[name] < math.inf:
                raise ValueError(name)
        texts = told.keys() - {"birth_date", "involved", "body_mass_kg", "stature_m"}
        if "uid" in told or not all(isinstance(told[name], str) for name in texts):
            raise ValueError("no text")
        return replace(patient, **told)
    except (ValueError, TypeError) as err:
        raise BadInput(f"Not saved: these details of a person make no sense ({err}). Nothing was changed.") from err


@dataclass(frozen=True)
class Visit:
    """One visit; `started_at` is UTC with zone."""

    uid: str
    patient: str
    started_at: datetime


@dataclass(frozen=True, eq=False)
class Case:
    """A snapshot. `visit` is the open one, `visits` and `entries` run from the oldest to the newest."""

    patient: Patient
    visits: tuple[Visit, ...]
    visit: Visit
    entries: tuple[Entry, ...]
    revision: int
    _memo: dict[Any, Any] = field(default_factory=dict, repr=False)

    @property
    def number(self) -> int:
        """Which visit the open one is, from 1."""
        return [v.uid for v in self.visits].index(self.visit.uid) + 1

    def memoised(self, key: object, work: Callable[[], R], *tables: object) -> R:
        """What was worked out from this snapshot and from these very tables before, or is now.

        The tables are held beside the result: another one is never taken for one that is gone.
        """
        known = self._memo.get(key)
        if known is None or any(a is not b for a, b in zip(known[0], tables, strict=True)):
            known = self._memo[key] = (tables, work())
        found: R = known[1]
        return found

    def all(self, kind: type[E]) -> Sequence[E]:
        """Standing entries of a kind over all visits, oldest first."""
        return self.memoised(("all", kind), lambda: [e for e in self.entries if isinstance(e, kind)])

    def today(self, kind: type[E]) -> Sequence[E]:
        """Standing entries of a kind in the open visit, oldest first."""
        here = self.visit.uid
        return self.memoised(("today", kind), lambda: [e for e in self.all(kind) if e.visit == here])

    def entry(self, uid: str) -> Entry | None:
        """The standing entry with a uid."""
        by_uid: dict[str, Entry] = self.memoised("by uid", lambda: {e.uid: e for e in self.entries})
        return by_uid.get(uid)

    def changed(self, added: Iterable[Entry], struck: Collection[str], revision: int) -> Case:
        """The snapshot after a commit."""
        kept = tuple(e for e in self.entries if e.uid not in struck)
        entries = (*kept, *added)
        patient = with_facts(self.patient, entries)
        return replace(self, patient=patient, entries=entries, revision=revision, _memo={})
