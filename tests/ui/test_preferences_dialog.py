"""Preferences in the real window: what a change alters is told before, and every change is logged."""

from __future__ import annotations

import pytest
from PyQt6.QtWidgets import QComboBox, QDoubleSpinBox

from tuning.core.judging.verdict import Verdict
from tuning.core.preferences import BAND, RULE, THEME, TRIALS
from tuning.ui import theme
from tuning.ui.preferences import PreferencesDialog

KNEE = f"{BAND}knee-to-wall"


@pytest.fixture
def dialog(window, patient):
    patient("glassblower", "mobility")
    return PreferencesDialog(window, window.workspace)


def word(window, measure: str) -> str:
    row = next(r for r in window.workspace.comparisons() if r.measure.id == measure)
    assert isinstance(row.verdict, Verdict)
    return row.verdict.word.value


def put(dialog: PreferencesDialog, key: str, value: float) -> None:
    field = dialog.fields[key]
    assert isinstance(field, QDoubleSpinBox)
    field.setValue(value)
    dialog.show_effect()


def test_another_band_tells_which_past_verdicts_it_alters_and_wants_a_reason(window, dialog):
    before = word(window, "knee-to-wall")
    put(dialog, KNEE, 20.0)
    told = dialog.effects()
    assert before == "marked" and {(name, a.measure.id, a.was, a.now) for name, a in told} >= {
        ("Marit Okonjo-Lind", "knee-to-wall", "marked", "in tune")
    }
    assert "Marit Okonjo-Lind" in dialog.effect.text() and "becomes in tune" in dialog.effect.text()
    dialog.take_over()
    assert "Say why" in dialog.wrong.text() and word(window, "knee-to-wall") == before, "not without a reason"
    dialog.reason.setText("own measurements of 2026")
    dialog.take_over()
    assert word(window, "knee-to-wall") == "in tune"
    [line] = window.workspace.record.lines(KNEE)
    assert (line.who, line.detail["after"], line.detail["reason"]) == ("R. Falk", 20.0, "own measurements of 2026")
    window.rebuild()
    assert window.stage == "mobility" and window.workspace.record.check() == []


def test_putting_a_value_back_is_no_change_and_nothing_is_taken_over_by_closing(window, dialog):
    put(dialog, KNEE, 20.0)
    assert dialog.take.isEnabled()
    put(dialog, KNEE, window.workspace.knowledge.measures["knee-to-wall"].band)
    assert dialog.changes == {} and not dialog.take.isEnabled()
    put(dialog, KNEE, 20.0)
    dialog.reject()
    assert word(window, "knee-to-wall") == "marked" and window.workspace.record.lines(KNEE) == []


def test_a_choice_elsewhere_is_logged_too_and_the_theme_changes_at_once(window, dialog):
    window.go("strength")
    window.page("strength").state.set_count(2)
    [line] = window.workspace.record.lines(TRIALS)
    assert (line.detail["before"], line.detail["after"]) == (3, 2)
    colours = dialog.fields[THEME]
    assert isinstance(colours, QComboBox)
    colours.setCurrentIndex(1)
    colours.activated.emit(1)
    dialog.show_effect()
    assert "No verdict depends on it" in dialog.effect.text()
    dialog.take_over()
    window.rebuild()
    try:
        assert theme.palette() is theme.DARK and window.stage == "strength"
    finally:
        window.workspace.set_preferences({THEME: "light"}, "")
        window.rebuild()
    assert theme.palette() is theme.LIGHT


def test_the_rule_for_trials_asks_for_a_reason_as_well(window, dialog):
    rule = dialog.fields[RULE]
    assert isinstance(rule, QComboBox)
    rule.setCurrentIndex(1)
    rule.activated.emit(1)
    dialog.take_over()
    assert "Say why" in dialog.wrong.text() and window.workspace.prefer(RULE) == "mean"
