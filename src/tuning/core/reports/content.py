"""What a report is made of, before anything is laid out."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import date
from enum import StrEnum
from functools import cached_property

SECTIONS = (
    "why", "safety", "changed", "held", "gaps", "found", "unclear", "level", "contributes", "pictures", "did", "plan",
    "sessions", "missing", "formulas", "standing", "measured", "ask", "now",
)  # fmt: skip


class Audience(StrEnum):
    """Whom a report speaks to."""

    COLLEAGUE = "colleague"
    PATIENT = "patient"


@dataclass(frozen=True)
class ReportKind:
    """A kind of report: its sections in order; `most` lines a section where it must be short."""

    id: str
    name: str
    sections: tuple[str, ...]
    plain: str = ""
    """What it is called where the patient reads it."""
    most: int = 0
    one_page: bool = False


@dataclass(frozen=True)
class ReportTable:
    """Kinds, headings by register, and the words that no sentence may hold (a tilde stands for the rest)."""

    forbidden: tuple[str, ...]
    left_out: str
    ask: str
    closing: str
    kinds: Mapping[str, ReportKind]
    headings: Mapping[str, Mapping[str, str]]

    @cached_property
    def _pattern(self) -> re.Pattern[str]:
        words = "|".join(re.escape(word).replace("\\~", "~").replace("~", r"\w*") for word in self.forbidden)
        return re.compile(rf"\b(?:{words})\b", re.IGNORECASE)

    def forbidden_in(self, text: str) -> str:
        """The first forbidden word of a text; empty without one."""
        found = self._pattern.search(text)
        return found[0] if found is not None else ""


@dataclass(frozen=True)
class Sentence:
    """A sentence and the uids of the entries that it rests on; only `triage` ones may name what must be ruled out."""

    text: str
    rests: tuple[str, ...]
    triage: bool = False


@dataclass(frozen=True)
class TableRow:
    """A row of a table and what it rests on."""

    cells: tuple[str, ...]
    rests: tuple[str, ...]


@dataclass(frozen=True)
class ReportPicture:
    """Frames of kept pictures, by the observations read from them, and what is said below."""

    shows: tuple[str, ...]
    caption: Sentence


@dataclass(frozen=True)
class Section:
    """A heading with sentences, a table, pictures."""

    id: str
    heading: str
    sentences: tuple[Sentence, ...] = ()
    head: tuple[str, ...] = ()
    lines: tuple[TableRow, ...] = ()
    pictures: tuple[ReportPicture, ...] = ()

    @property
    def empty(self) -> bool:
        """Whether there is nothing to print."""
        return not (self.sentences or self.lines or self.pictures)


@dataclass(frozen=True)
class Report:
    """Everything on the pages. `letterhead` are the lines of the clinic, `left_out` what may not be printed."""

    kind: ReportKind
    register: Audience
    patient: str
    born: date
    day: date
    author: str
    role: str
    sections: tuple[Section, ...]
    scope: str
    closing: str = ""
    letterhead: tuple[str, ...] = ()
    simulated: bool = False
    left_out: tuple[str, ...] = field(default=(), compare=False)
    written: tuple[str, str] | None = None
    """Birth date and day of the letter as the clinic writes them; the usual way without it."""

    @property
    def days(self) -> tuple[str, str]:
        """Birth date and day of the letter, as they are written."""
        return self.written or (f"{self.born:%-d %B %Y}", f"{self.day:%-d %B %Y}")

    @property
    def title(self) -> str:
        """What it is called: by its kind, or by its only heading where a patient reads nothing else."""
        if self.register is not Audience.PATIENT:
            return self.kind.name
        return self.sections[0].heading if len(self.sections) == 1 else self.kind.plain or self.kind.name

    @property
    def sentences(self) -> Sequence[Sentence]:
        """Every sentence, captions and rows of tables among them."""
        found: list[Sentence] = []
        for section in self.sections:
            found += section.sentences
            found += [Sentence(" · ".join(line.cells), line.rests) for line in section.lines]
            found += [picture.caption for picture in section.pictures]
        return found

    def without_pictures(self, why: str, those: Callable[[ReportPicture], bool] = lambda _: True) -> Report:
        """The report without some pictures, usually any, and with the sentence that tells why where it had one."""
        kept = [replace(s, pictures=tuple(p for p in s.pictures if not those(p))) for s in self.sections]
        if kept == list(self.sections):
            return self
        told = tuple(dict.fromkeys((*self.left_out, why)))
        return replace(self, sections=tuple(s for s in kept if not s.empty), left_out=told)

    def without(self, sections: Sequence[str]) -> Report:
        """The report without some sections."""
        return replace(self, sections=tuple(s for s in self.sections if s.id not in sections))


HEADING = "# "


def as_text(report: Report) -> str:
    """The sentences as plain text that can be edited: a heading line, then a line for each sentence."""
    parts = []
    for section in report.sections:
        if section.sentences:
            lines = [_one_line(sentence.text) for sentence in section.sentences]
            parts.append("\n".join([f"{HEADING}{section.heading}", *lines]))
    return "\n\n".join(parts)


def _one_line(text: str) -> str:
    return " ".join(text.split())


def edited(report: Report, text: str) -> Report:
    """The report with its sentences as somebody edited them; what was kept as it stood keeps what it rests on.

    Lines of one's own rest on whoever signs: the report says nothing of the record in them. Tables and pictures stay
    with their heading; a heading that is gone takes them with it.
    """
    known = {_one_line(s.text): s for section in report.sections for s in section.sentences}
    by_heading = {section.heading: section for section in report.sections}
    order: list[str] = []
    lines: dict[str, list[Sentence]] = {}
    now = ""
    for raw in text.splitlines():
        line = _one_line(raw)
        if line.startswith(HEADING.strip()):
            now = line.removeprefix(HEADING.strip()).strip()
            order.append(now)
            lines.setdefault(now, [])
        elif line:
            if not now and "" not in lines:
                order.insert(0, "")
            lines.setdefault(now, []).append(known.get(line, Sentence(line, ())))
    made = []
    for heading in dict.fromkeys(order):
        section = by_heading.get(heading, Section("own", heading))
        made.append(replace(section, sentences=tuple(lines.get(heading, ()))))
    kept = [s for s in report.sections if not s.sentences and s.heading not in order]
    return replace(report, sections=(*made, *kept))
