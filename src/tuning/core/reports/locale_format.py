"""How numbers and days are written in a letter: point or comma, days in words or numbers. What was typed stays."""

from __future__ import annotations

import re
from dataclasses import dataclass, replace
from datetime import date
from enum import StrEnum

from tuning.core.reports.content import Report, Section, Sentence


class Days(StrEnum):
    """How a day is written."""

    WORDS = "words"  # 3 May 2026
    NUMBERS = "numbers"  # 3.5.2026
    ISO = "iso"  # 2026-05-03


MONTHS = ("January", "February", "March", "April", "May", "June", "July", "August", "September", "October", "November",
          "December")  # fmt: skip
_NAMES = {name[:3]: n for n, name in enumerate(MONTHS, start=1)}
_DAY = re.compile(rf"\b(\d{{1,2}}) ({'|'.join([*MONTHS, *_NAMES])})(?: (\d{{4}}))?\b")
_DECIMAL = re.compile(r"(?<![\w.,:])(\d+)\.(\d+)(?!\w|\.\d)")
_QUOTED = re.compile(r"(“[^”]*”)")
AS_TYPED = ("did",)
"""Sections whose sentences are somebody's own words, behind the day and a colon."""


@dataclass(frozen=True)
class LocaleFormat:
    """The manner of one clinic."""

    comma: bool = False
    days: Days = Days.WORDS

    def day(self, day: date) -> str:
        """A whole day."""
        return self._day(day.day, day.month, str(day.year), f"{day:%-d %B %Y}")

    def text(self, text: str) -> str:
        """A sentence in this manner; what stands in quotation marks was typed and stays."""
        return "".join(part if part.startswith("“") else self._plain(part) for part in _QUOTED.split(text))

    def _plain(self, text: str) -> str:
        if self.comma:
            text = _DECIMAL.sub(r"\1,\2", text)
        return _DAY.sub(lambda m: self._day(int(m[1]), _NAMES[m[2][:3]], m[3], m[0]), text)

    def _day(self, day: int, month: int, year: str | None, words: str) -> str:
        """Without its year a day keeps its words in the manner that needs one."""
        if self.days is Days.NUMBERS:
            return f"{day}.{month}.{year or ''}"
        return f"{year}-{month:02d}-{day:02d}" if self.days is Days.ISO and year else words


def in_manner(report: Report, manner: LocaleFormat) -> Report:
    """The report with every sentence, row and caption in a manner; nothing else of it changes."""

    def told(sentence: Sentence) -> Sentence:
        """One sentence."""
        return replace(sentence, text=manner.text(sentence.text))

    def behind_the_day(sentence: Sentence) -> Sentence:
        """The day of a sentence; what follows it was typed."""
        day, colon, typed = sentence.text.partition(": ")
        return replace(sentence, text=f"{manner.text(day)}{colon}{typed}")

    def section(one: Section) -> Section:
        """One section."""
        if one.id in AS_TYPED:
            return replace(one, sentences=tuple(map(behind_the_day, one.sentences)))
        return replace(
            one,
            sentences=tuple(map(told, one.sentences)),
            lines=tuple(replace(line, cells=tuple(map(manner.text, line.cells))) for line in one.lines),
            pictures=tuple(replace(p, caption=told(p.caption)) for p in one.pictures),
        )

    born, day = manner.day(report.born), manner.day(report.day)
    return replace(report, sections=tuple(map(section, report.sections)), written=(born, day))
