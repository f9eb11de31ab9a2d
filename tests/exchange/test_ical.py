"""The week as a calendar: every session on its day of the week, with its alarm, and the day that is measured again."""

from datetime import date, datetime, time, timedelta

import pytest
from icalendar import Calendar

from tuning.exchange.ical import BEFORE, Session, calendar_of

START = date(2026, 3, 4)  # a Wednesday


@pytest.mark.parametrize(("day", "first"), [(2, START), (3, date(2026, 3, 5)), (0, date(2026, 3, 9))])
def test_a_session_begins_on_the_next_such_day_and_repeats_weekly(day, first):
    made = calendar_of([Session(day, ("Bridge: 3 sets", "Lunge"), 24.6)], START, 6, time(18, 30), [], "key")
    [event] = Calendar.from_ical(made).walk("VEVENT")
    assert event.decoded("dtstart") == datetime.combine(first, time(18, 30))
    assert event.decoded("duration") == timedelta(minutes=25)
    code = ["MO", "TU", "WE", "TH", "FR", "SA", "SU"][day]
    assert event["rrule"].to_ical() == f"FREQ=WEEKLY;COUNT=6;BYDAY={code}".encode()
    assert str(event["description"]) == "Bridge: 3 sets\nLunge"
    [alarm] = event.walk("VALARM")
    assert alarm.decoded("trigger") == -BEFORE and str(alarm["action"]) == "DISPLAY"


def test_what_is_measured_again_is_a_whole_day_of_its_own():
    made = calendar_of(
        [], START, 6, time(18), [(date(2026, 4, 15), "hip abduction"), (date(2026, 5, 1), "FPPA")], "key"
    )
    events = Calendar.from_ical(made).walk("VEVENT")
    assert [(e.decoded("dtstart"), str(e["summary"])) for e in events] == [
        (date(2026, 4, 15), "Measured again: hip abduction"), (date(2026, 5, 1), "Measured again: FPPA"),
    ]  # fmt: skip
    assert len({str(e["uid"]) for e in events}) == 2
