"""Review and the day list in the real window."""

from __future__ import annotations

from datetime import date

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from tuning.core.preferences import KEEP_YEARS
from tuning.core.review.changes import Row
from tuning.core.types import Side
from tuning.ui import day_list


@pytest.fixture
def review(window, patient):
    patient("glassblower", "review")
    return window.page("review")


def row_of(page, measure: str, side: Side) -> Row:
    return next(r for r in page.state.rows() if r.measure.id == measure and r.side is side)


def test_the_list_tells_what_changed_since_the_visit_before_and_keys_walk_through_it(window, review):
    page = review
    assert "changed beyond error" in page.summary.text() and page.before.currentText().endswith("visit 1")
    texts = [page.list.rows.index(n).data() for n in range(page.list.rows.rowCount())]
    left = next(t for t in texts if t.startswith("Weight-bearing lunge, knee to wall, left"))
    assert "3.3 → 7.3 cm" in left and "better" in left
    page.list.setFocus()
    before = page.state.chosen
    QTest.keyClick(page.list, Qt.Key.Key_Down)
    assert page.state.chosen is not before and page.title.text().startswith(page.state.chosen.name)


def test_left_and_right_never_change_places(review):
    page = review
    left, right = (row_of(page, "knee-to-wall", side) for side in (Side.LEFT, Side.RIGHT))
    assert left.now.measured < right.now.measured
    page.state.choose(left)
    course = page.state.timeline()
    by_side = {s.side: [p.value for p in s.points] for s in course.values}
    assert by_side[Side.LEFT][-1] == left.now.measured and by_side[Side.RIGHT][-1] == right.now.measured
    assert all(p.value > 0 for p in course.gap), "plus means right larger"
    assert "nearer together" in page.gap.text()
    spoken = page.chart.accessibleName()
    assert "knee to wall left" in spoken and "Worst pain" in spoken


def test_a_followed_clip_shows_both_frames_and_a_typed_value_none(review):
    page = review
    page.state.choose(row_of(page, "gait-pelvic-drop", Side.LEFT))
    assert page.pair.isVisible() and len(page.pair.halves) == 2
    assert page.pair.halves[0].head != page.pair.halves[1].head and "°" in page.pair.halves[0].value
    page.state.choose(row_of(page, "knee-to-wall", Side.LEFT))
    assert not page.pair.isVisible()


def test_enter_opens_where_the_value_was_taken(window, review, qtbot):
    review.open_row(row_of(review, "knee-to-wall", Side.LEFT))
    assert window.stage == "mobility"


def test_one_visit_says_what_comes_here(window, patient):
    patient("potter", "review")
    page = window.page("review")
    assert page.empty.isVisible() and not page.list.isVisible() and "One visit so far" in page.empty.text()


def test_filters_and_orders_of_the_day_list_and_down_leaves_the_search(window, qtbot):
    people = window.day_list
    shown = [b.text() for b in people.filters.values() if not b.isHidden()]
    assert shown == ["Everybody 5", "Due 3", "Plan running 1", "Caution 2"]
    people.filters["Caution"].click()
    assert {line.patient.occupation for line in people.lines()} == {"glassblower", "beekeeper"}
    assert "2 of 5" in people.heading.text()
    people.search.setText("1978")
    assert [line.patient.occupation for line in people.lines()] == ["beekeeper"], "birth dates are found, too"
    people.filters["Everybody"].click()
    people.search.setText("nobody of that name")
    assert people.hint.isVisible() and not people.view.isVisible()
    people.search.clear()
    QTest.keyClick(people.search, Qt.Key.Key_Down)
    assert people.view.hasFocus()
    people.patient_chosen.disconnect()
    with qtbot.waitSignal(people.patient_chosen) as told:
        QTest.keyClick(people.view, Qt.Key.Key_Return)
    assert told.args[0].name == people.lines()[0].patient.name


def test_whose_keep_time_is_over_is_named_and_nobody_is_erased(window, monkeypatch):
    people = window.day_list

    class Later(date):
        """Eleven years on."""

        @classmethod
        def today(cls) -> date:
            return date(date.today().year + 11, 1, 1)

    monkeypatch.setattr(day_list, "date", Later)
    people.refresh()
    over = people.filters["Keep time over"]
    assert over.text() == "Keep time over 5" and not over.isHidden()
    window.workspace.set_preferences({KEEP_YEARS: 0}, "for ever")
    people.refresh()
    assert over.isHidden() and len(window.workspace.record.patients()) == 5
