"""Lasting facts of a person: joint replacement, limb loss, implant, pregnancy, hypermobility, neurological condition.

They are told in the history. None of them is a level by itself; each brings its cautions, and what cannot be done is
not proposed.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from datetime import date
from typing import Any

from tuning.core.dates import latest_day
from tuning.core.entries import Form
from tuning.core.types import LEGS, Entry, Side
from tuning.core.units import sentence_case

HISTORY = "intake-history"
ROWS = "facts"
REPLACED, MISSING, PREGNANCY = "joint replacement", "limb loss", "pregnancy"
NOT_SAID = ("", "not said", "choose")
TERM_WEEKS = 43
"""A pregnancy that was told so long ago is over (practice judgement, editable)."""


@dataclass(frozen=True)
class PersonFact:
    """One fact: which, where, on which side, since when, how (an approach), and weeks of a pregnancy on that day.

    `day` is None where none was told or understood. `entry` is the form that told it first.
    """

    what: str
    entry: Form
    where: str = ""
    side: Side = Side.NONE
    day: date | None = None
    how: str = ""
    weeks: float | None = None

    def pregnant_weeks(self, today: date) -> float | None:
        """Weeks of a pregnancy on a day; None for another fact, where no week was told, or once it is over.

        Without a day of its own the week counts from the day on which it was written down.
        """
        if self.what != PREGNANCY or self.weeks is None:
            return None
        since = self.day or self.entry.at.astimezone().date()
        weeks = self.weeks + (today - since).days / 7
        return weeks if weeks < TERM_WEEKS else None


@dataclass(frozen=True)
class Absent:
    """What a missing part takes with it: where it would be looked at (stations of tests), what it would be asked."""

    where: str
    stations: tuple[str, ...] = ()
    demands: tuple[str, ...] = ()


@dataclass(frozen=True)
class Gone:
    """A part of one side that is not there."""

    side: Side
    absent: Absent

    @property
    def name(self) -> str:
        """What is missing, with its side."""
        return f"limb loss, {self.side.value} ({self.absent.where})"

    @property
    def text(self) -> str:
        """Why something is not done."""
        return f"{self.name}: this cannot be done or measured on that side"


def unfinished(facts: Iterable[PersonFact]) -> list[str]:
    """What a fact still lacks before it acts as it should, a sentence each."""
    return [words for words in map(_lacks, facts) if words]


def _lacks(fact: PersonFact) -> str:
    if fact.what in NOT_SAID:
        return "Lasting facts: say what it is; until then the line has no effect."
    if fact.what == PREGNANCY and fact.weeks is None:
        return "Pregnancy: say the week, else week 20 is not noticed."
    if fact.what not in (REPLACED, MISSING):
        return ""
    needs = (("where", fact.where not in NOT_SAID), ("the side", fact.side is not Side.NONE))
    lacking = " and ".join(name for name, known in needs if not known)
    return f"{sentence_case(fact.what)}: say {lacking}; until then it does not act fully." if lacking else ""


def told_facts(entries: Iterable[Entry], today: date) -> tuple[PersonFact, ...]:
    """The facts that the newest history tells, each with the form that told it first without a break."""
    known: dict[str, Form] = {}
    rows: list[Mapping[str, Any]] = []
    for entry in entries:
        if isinstance(entry, Form) and entry.kind == HISTORY:
            rows = [dict(row) for row in entry.data.get(ROWS) or ()]
            known = {repr(sorted(row.items())): known.get(repr(sorted(row.items())), entry) for row in rows}
    return tuple(_fact(row, known[repr(sorted(row.items()))], today) for row in rows)


def _fact(row: Mapping[str, Any], entry: Form, today: date) -> PersonFact:
    words = {key: str(row.get(key) or "") for key in ("what", "where", "side", "date", "how")}
    side = Side(words["side"]) if words["side"] in [one.value for one in Side] else Side.NONE
    weeks = row.get("weeks")
    return PersonFact(
        words["what"], entry, words["where"], side, latest_day(words["date"], today), words["how"],
        float(weeks) if isinstance(weeks, int | float) else None,
    )  # fmt: skip


def gone(facts: Iterable[PersonFact], table: Iterable[Absent]) -> tuple[Gone, ...]:
    """The parts that are missing, one for each side."""
    by_where = {one.where: one for one in table}
    return tuple(
        Gone(leg, by_where[fact.where])
        for fact in facts
        if fact.what == MISSING and fact.where in by_where
        for leg in (LEGS if fact.side is Side.BOTH else (fact.side,))
        if leg in LEGS
    )
