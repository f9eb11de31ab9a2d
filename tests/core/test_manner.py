"""Numbers and days of a letter in the clinic's manner; typed words, quotations and references stay."""

from __future__ import annotations

from datetime import date

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tuning.core.reports.content import Audience, Report, ReportKind, ReportPicture, Section, Sentence, TableRow
from tuning.core.reports.locale_format import MONTHS, Days, LocaleFormat, in_manner

COMMA = LocaleFormat(True, Days.NUMBERS)


@pytest.mark.parametrize(
    ("text", "numbers", "iso"),
    [
        ("Left 12.5° ±0.4, n 3.", "Left 12,5° ±0,4, n 3.", "Left 12,5° ±0,4, n 3."),
        ("since 3 May 2026: 28.0 % less", "since 3.5.2026: 28,0 % less", "since 2026-05-03: 28,0 % less"),
        ("on 28 Nov it hurt", "on 28.11. it hurt", "on 28 Nov it hurt"),
        ("Band 0.80 (Tyler 2001)", "Band 0,80 (Tyler 2001)", "Band 0,80 (Tyler 2001)"),
        ("section 4.1.2 and v1.2", "section 4.1.2 and v1.2", "section 4.1.2 and v1.2"),
        ("3 Marks, 10 Maybe", "3 Marks, 10 Maybe", "3 Marks, 10 Maybe"),
        ("He said “since 3 May 2026, 2.5 km”, 1.5 times.", "He said “since 3 May 2026, 2.5 km”, 1,5 times.",
         "He said “since 3 May 2026, 2.5 km”, 1,5 times."),
        ("1 September 2026 and 1 Sep 2026", "1.9.2026 and 1.9.2026", "2026-09-01 and 2026-09-01"),
        ("saved 10:17.5", "saved 10:17.5", "saved 10:17.5"),
    ],
)  # fmt: skip
def test_sentences_in_another_manner(text, numbers, iso):
    assert LocaleFormat().text(text) == text, "the usual manner changes nothing"
    assert COMMA.text(text) == numbers and LocaleFormat(True, Days.ISO).text(text) == iso
    assert LocaleFormat(False, Days.WORDS).text(text) == text


@given(st.text(max_size=60), st.sampled_from([LocaleFormat(c, d) for c in (False, True) for d in Days]))
def test_what_is_quoted_stays_whatever_it_holds(typed, manner):
    quoted = f"“{typed.replace('“', '').replace('”', '')}”"
    assert manner.text(f"Said: {quoted}.") == f"Said: {quoted}."


@given(st.dates(date(1930, 1, 1), date(2060, 12, 31)), st.floats(0, 999, allow_nan=False))
def test_a_day_and_a_number_keep_their_meaning(day, value):
    text = f"{value:.2f} on {day:%-d %B %Y}"
    back = COMMA.text(text)
    number, _, told = back.partition(" on ")
    assert float(number.replace(",", ".")) == round(float(f"{value:.2f}"), 2) and "." not in number
    d, m, y = (int(part) for part in told.split("."))
    assert date(y, m, d) == day and COMMA.day(day) == told
    assert LocaleFormat(days=Days.ISO).day(day) == day.isoformat()
    assert MONTHS[day.month - 1] in LocaleFormat().day(day)


def test_a_report_changes_its_words_and_nothing_that_they_rest_on():
    sections = (
        Section(
            "found",
            "Found",
            (Sentence("12.5° on 3 May 2026.", ("a",)),),
            ("x",),
            (TableRow(("1.5", "Ann"), ("b",)),),
            (ReportPicture(("c",), Sentence("frame at 0.5 s", ("c",))),),
        ),
        Section("did", "Done", (Sentence("3 May 2026: 2.5 km walked", ("d",)),)),
    )
    kind, born, day = ReportKind("k", "Summary", ("found",)), date(1980, 1, 31), date(2026, 11, 28)
    usual = Report(kind, Audience.COLLEAGUE, "Bo 1.5", born, day, "R", "clinician", sections, "scope 2.0")
    told = in_manner(usual, COMMA)
    found, did = told.sections
    assert found.sentences == (Sentence("12,5° on 3.5.2026.", ("a",)),)
    assert found.lines == (TableRow(("1,5", "Ann"), ("b",)),)
    assert found.pictures[0] == ReportPicture(("c",), Sentence("frame at 0,5 s", ("c",)))
    assert did.sentences == (Sentence("3.5.2026: 2.5 km walked", ("d",)),), "what somebody typed of a treatment stays"
    assert told.days == ("31.1.1980", "28.11.2026") and usual.days == ("31 January 1980", "28 November 2026")
    assert (told.patient, told.scope) == ("Bo 1.5", "scope 2.0")
