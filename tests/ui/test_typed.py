"""What is typed and how it is read: pounds and inches, told days; what nobody touched stays to the last digit."""

from __future__ import annotations

from datetime import date

import hands
import pytest
from PyQt6.QtTest import QTest

from tuning.core.preferences import LENGTH_UNIT, MASS_UNIT
from tuning.core.types import Side
from tuning.knowledge import load
from tuning.ui.header import facts
from tuning.ui.intake.fields import FieldEdit
from tuning.ui.patient_forms import PatientForm
from tuning.ui.picture.clip_setup_dialog import TagsDialog


def typed(field, text: str) -> None:
    """Over what stands there."""
    field.selectAll()
    QTest.keyClicks(field, text)
    hands.settle()


@pytest.fixture
def pounds(window, patient):
    patient("glassblower", "strength")
    space = window.workspace
    for key, unit in ((MASS_UNIT, "lb"), (LENGTH_UNIT, "in")):
        space.settings.set(key, unit)
    return space


def test_a_patient_is_shown_and_typed_in_the_units_of_the_clinic(qtbot, window, pounds):
    assert "163.1 lb" in facts(pounds, date(2026, 11, 28)) and "kg" not in facts(pounds, date(2026, 11, 28))
    form = PatientForm(window, patient=pounds.patient, settings=pounds.settings)
    qtbot.addWidget(form)
    assert form.mass.text() == "163.1 lb" and form.stature.text().endswith(" in")
    form.check()
    assert form.changes(pounds.patient) == {}, "rounded on the screen, untouched in the record"
    typed(form.mass, "150")
    typed(form.stature, "67")
    form.check()
    assert form.values["body_mass_kg"] == pytest.approx(68.04, abs=0.01)
    assert form.values["stature_m"] == pytest.approx(1.7018)
    typed(form.mass, "70 kg")
    typed(form.stature, "1.75")
    form.check()
    assert (form.values["body_mass_kg"], form.values["stature_m"]) == (70, 1.75), "a unit that is typed counts"


def test_a_lever_is_shown_in_inches_and_leaving_the_field_rewrites_nothing(window, pounds):
    page = window.page("strength")
    page.state.choose("hip-abd:left")
    hands.settle()
    page.state.set_lever("0.35 m")
    page.setup.refresh()
    assert page.setup.lever.text() == "13.8 in"
    page.setup.keep_lever()
    assert page.state.lever(Side.LEFT) == 0.35
    typed(page.setup.lever, "14")
    page.setup.keep_lever()
    assert page.state.lever(Side.LEFT) == pytest.approx(0.3556)


def test_tags_of_a_clip_keep_what_nobody_touched(qtbot, window, patient, pounds):
    patient("potter", "movement")
    bench = window.page("movement").bench
    dialog = TagsDialog(window, pounds, bench.following)
    qtbot.addWidget(dialog)
    typed(dialog.load, "44")
    typed(dialog.step, "8")
    setup = dialog.setup()
    assert setup.load_kg == pytest.approx(19.958, abs=0.001) and setup.step_height_m == pytest.approx(0.2032)


@pytest.mark.parametrize(
    ("told", "words", "role"),
    [
        ("12 Sept 2024", "counted from 12 Sep 2024", "muted"),
        ("2020", "counted from 31 Dec 2020", "muted"),
        ("some time ago", "Not understood", "caution"),
        ("Sept 2099", "Not understood", "caution"),
        ("", "", ""),
    ],
)
def test_how_the_day_of_an_injury_is_counted_stands_beside_it(qtbot, told, words, role):
    """Weeks since an operation settle a plan: a day that nobody understood must not pass in silence."""
    lists = load().forms["history"].lists
    field = next(c for rows in lists for c in rows.columns if rows.id == "injuries" and c.id == "date")
    edit = FieldEdit(field)
    qtbot.addWidget(edit)
    typed(edit.edit, told)
    edit.edit.editingFinished.emit()
    assert edit.reading.text().startswith(words) and edit.reading.isHidden() is not bool(words)
    assert not role or edit.reading.property("role") == role
    assert edit.value == (told or None), "kept as it was told"
    again = FieldEdit(field)
    qtbot.addWidget(again)
    again.show_value(told or None)
    assert again.reading.text() == edit.reading.text()
