"""The day list: what is due for whom, and names that are found however they are typed."""

from __future__ import annotations

import unicodedata
from datetime import UTC, date, datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tuning.core.case import Patient
from tuning.core.day_list_entry import Digest, ListPriority, overview
from tuning.core.entries import Clearance, Done, NextDayResponse, Screen
from tuning.core.text_search import plain
from tuning.core.types import Observation, Side, Triage
from tuning.core.visit.retention import RetentionRule
from tuning.knowledge import load

TODAY, RULES = date(2026, 11, 28), load().progression
SOMEBODY = Patient("p", "Someone", date(1980, 1, 1), "", None, None, "", "", "", Side.NONE)


def ago(days: int) -> datetime:
    return datetime(2026, 11, 28, 12, tzinfo=UTC) - timedelta(days=days)


def told(**known):
    return overview(Digest(SOMEBODY, **known), TODAY, RULES, load().safety)


RED = Screen(Triage.RED, rules=("calf",), reds=("calf",), uid="s")
URGENT = Screen(Triage.RED, {"chest": True}, rules=("chest",), reds=("chest",), uid="s")
CALVES = [
    Observation(measure_id="calf-bulk", side=side, value=v) for side, v in ((Side.LEFT, 39.0), (Side.RIGHT, 35.5))
]
AMBER = Screen(Triage.AMBER, rules=("pregnancy",), uid="s")
LIFTED = Clearance("s", "Dr Amundsen", TODAY, "scan clear", "calf")
UNEASY = Done("sd-1", Side.LEFT, ago(2).date(), morning=NextDayResponse.NOT, at=ago(2))
SORE, ASKED = Done("sd-1", Side.LEFT, ago(3).date(), pain=9, at=ago(3)), Screen(Triage.NONE, at=ago(2))
LATE = Done("sd-1", Side.LEFT, ago(1).date(), pain=9, at=ago(1))
PLAN = {"rungs": 2, "measured": 9, "visits": 1}


@pytest.mark.parametrize(
    ("known", "need", "words"),
    [
        ({}, ListPriority.MEASURE, "to be measured"),
        ({"measured": 3}, ListPriority.PLAN, "plan to make"),
        ({"measured": 3, "factors": 2}, ListPriority.PLAN, "2 suspected"),
        ({"screens": (RED,), "measured": 3}, ListPriority.REFER, "refer"),
        ({"screens": (URGENT,), "measured": 3}, ListPriority.EMERGENCY, "EMERGENCY: Call"),
        ({"screens": (ASKED, *CALVES), "measured": 3}, ListPriority.REFER, "refer"),
        ({"screens": (ASKED, *CALVES[:1]), "measured": 3}, ListPriority.PLAN, "plan to make"),
        ({"screens": (RED, LIFTED), "measured": 3}, ListPriority.PLAN, "plan to make"),
        ({"screens": (AMBER,), "measured": 3}, ListPriority.CLEAR, "to clear"),
        ({**PLAN, "since": ago(5), "last": ago(5), "logged": ago(1).date()}, ListPriority.NOTHING, "plan of 2"),
        (
            {**PLAN, "since": ago(20), "last": ago(12), "logged": ago(9).date()},
            ListPriority.SILENT,
            "no log for 9 days",
        ),
        ({**PLAN, "since": ago(8), "last": ago(8), "logged": ago(1).date()}, ListPriority.RETEST, "since 27 Nov"),
        ({**PLAN, "since": ago(8), "last": ago(0), "logged": ago(1).date()}, ListPriority.NOTHING, "plan of 2"),
        ({**PLAN, "since": ago(5), "last": ago(5), "log": (UNEASY,)}, ListPriority.LOG, "26 Nov"),
        ({**PLAN, "since": ago(5), "last": ago(1), "log": (UNEASY,)}, ListPriority.NOTHING, "plan of 2"),
        ({**PLAN, "since": ago(5), "last": ago(1), "log": (SORE,)}, ListPriority.LOG, "25 Nov: ask the safety screen"),
        ({**PLAN, "since": ago(5), "last": ago(1), "log": (SORE, ASKED)}, ListPriority.NOTHING, "plan of 2"),
        ({**PLAN, "since": ago(5), "last": ago(1), "log": (ASKED, LATE)}, ListPriority.LOG, "27 Nov"),
        ({"log": (SORE,), "ended": ago(1)}, ListPriority.LOG, "25 Nov"),
        ({**PLAN, "screens": (RED,), "since": ago(9), "last": ago(9)}, ListPriority.REFER, "refer"),
        ({**PLAN, "since": ago(20), "last": ago(12), "ended": ago(12)}, ListPriority.NOTHING, "discharged on 16 Nov"),
        ({**PLAN, "since": ago(20), "last": ago(12), "ended": ago(12), "screens": (RED,)}, ListPriority.REFER, "refer"),
    ],
)
def test_what_is_due(known, need, words):
    found = told(**known)
    assert found.need is need and words in found.due, found


def test_the_next_visit_is_the_next_re_test():
    assert told(**PLAN, since=ago(5), last=ago(5)).next == (ago(5) + timedelta(days=7)).date()
    assert told(**PLAN, since=ago(5), last=ago(5), ended=ago(5)).next is None
    assert told(**PLAN, since=ago(60), last=ago(1)).next is None and told(measured=3).next is None


@given(st.text(max_size=20))
def test_a_name_is_found_composed_or_not_in_any_case(name):
    composed, apart = unicodedata.normalize("NFC", name), unicodedata.normalize("NFD", name)
    assert plain(composed) == plain(apart)
    assert plain(plain(name)) == plain(name)


@pytest.mark.parametrize(
    ("typed", "kept"),
    [("osterberg", "Österberg"), ("ÖSTERBERG", "osterberg"), ("soren", "Søren"), ("lodz", "Łódź"),
     ("strasse", "Straße"), ("محمد", "مُحَمَّد"), ("שלום", "שָׁלוֹם"), ("ｔａｎａｋａ", "Tanaka"), ("が", "か\u3099"),
     ("o'neill", "O’Neill")],
)  # fmt: skip
def test_names_of_every_script(typed, kept):
    assert plain(typed) in plain(kept)


def test_different_names_stay_different():
    assert plain("Anna") != plain("Hanna") and plain("か") != plain("き")


@pytest.mark.parametrize(
    ("born", "last", "years", "until"),
    [
        (date(1970, 5, 5), date(2016, 11, 28), 10, date(2026, 11, 28)),
        (date(2010, 5, 5), date(2026, 1, 1), 10, date(2036, 1, 1)),
        (date(2016, 5, 5), date(2026, 1, 1), 10, date(2041, 5, 5)),
        (date(2008, 1, 2), date(2026, 1, 1), 5, date(2033, 1, 2)),
        (date(2008, 1, 1), date(2026, 1, 1), 5, date(2031, 1, 1)),
        (date(1970, 5, 5), date(2024, 2, 29), 1, date(2025, 3, 1)),
        (date(1970, 5, 5), date(2024, 2, 29), 0, None),
        (date(1970, 5, 5), None, 10, None),
    ],
)
def test_a_person_may_be_erased_so_long_after_the_last_visit_and_a_minor_not_before_an_age(born, last, years, until):
    assert RetentionRule(years, 25).until(born, last) == until


@pytest.mark.parametrize(("today", "over"), [("2036-03-01", False), ("2036-03-02", True), ("2026-03-02", False)])
def test_a_record_may_be_erased_from_the_very_day_on(today, over):
    assert RetentionRule(10, 25).is_over(date(1980, 1, 1), date(2026, 3, 2), date.fromisoformat(today)) is over
    assert not RetentionRule(10, 25).is_over(date(1980, 1, 1), None, date(2099, 1, 1))
    assert not RetentionRule(0, 25).is_over(date(1980, 1, 1), date(2026, 3, 2), date(2099, 1, 1))
