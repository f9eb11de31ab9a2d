"""A new record asks once who works here; everything is kept, and the next start shows the people."""

from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from tuning.core.errors import EnvironmentFault
from tuning.core.preferences import BACKUP_FOLDER, CLINIC_NAME, DECIMALS, LETTERHEAD, TELEPHONE
from tuning.core.types import Role


def test_a_new_record_asks_who_works_here_and_keeps_what_was_said(open_on, tmp_path):
    window = open_on(tmp_path / "own", "own")
    first = window.stack.currentWidget()
    assert window.focusWidget() is first.name
    first.begin()
    assert "name is needed" in first.wrong.text() and not window.workspace.record.people()
    QTest.keyClicks(first.name, "Ines Marlow")
    first.role.setCurrentText(Role.TRAINER.value)
    first.fields[CLINIC_NAME].setText("  Quay Street Practice ")
    first.fields[TELEPHONE].setText("0123 456")
    first.fields[LETTERHEAD].setPlainText("Quay Street Practice\n4 Quay Street")
    first.fields[DECIMALS].setCurrentIndex(1)
    first.fields[BACKUP_FOLDER].setText(str(tmp_path / "copies"))
    QTest.keyClick(first.name, Qt.Key.Key_Return)
    space = window.workspace
    assert [p.name for p in space.record.people()] == ["Ines Marlow"] and space.person.role is Role.TRAINER
    assert [space.prefer(key) for key in (CLINIC_NAME, TELEPHONE, DECIMALS, BACKUP_FOLDER)] == [
        "Quay Street Practice", "0123 456", "comma", str(tmp_path / "copies")]  # fmt: skip
    assert space.prefer(LETTERHEAD).endswith("4 Quay Street")
    assert window.stack.currentWidget() is window.day_list and "Ctrl+N" in window.status.message.text()
    window.close()
    again = open_on(tmp_path / "own", "own")
    assert again.stack.currentWidget() is again.day_list


def test_a_wanted_passphrase_is_asked_for_next_and_a_demo_record_asks_nothing(open_on, tmp_path, window, monkeypatch):
    assert window.stack.currentWidget() is window.day_list
    fresh, asked = open_on(tmp_path / "own", "own"), []
    monkeypatch.setattr(fresh.cupboard, "protection", lambda: asked.append(True))
    first = fresh.stack.currentWidget()
    fresh.go_home()
    assert fresh.stack.currentWidget() is first, "the day list is not there before somebody is"
    first.name.setText("Ines Marlow")
    first.secured.setChecked(True)
    first.begin()
    assert asked == [True]


def test_a_first_start_that_could_not_be_kept_is_tried_again_without_a_second_person(open_on, tmp_path, monkeypatch):
    window = open_on(tmp_path / "own", "own")
    first, space = window.stack.currentWidget(), window.workspace
    first.name.setText("Ines Marlow")
    first.fields[CLINIC_NAME].setText("Quay Street")

    def full(*_):
        raise EnvironmentFault("The disk is full.")

    with monkeypatch.context() as broken:
        broken.setattr(space, "set_preferences", full)
        first.begin()
    assert "full" in window.status.message.text() and window.stack.currentWidget() is first
    first.begin()
    assert len(space.record.people()) == 1 and space.prefer(CLINIC_NAME) == "Quay Street"
    assert window.stack.currentWidget() is window.day_list


def test_views_without_anything_to_show_say_what_to_do_first(window, patient):
    patient("potter", "programme")
    page = window.page("programme")
    assert not window.workspace.plan()
    for view in (1, 2, 3):
        page.open_view(view)
        assert page.empty.isVisible() and page.view == view and "No exercise is planned" in page.empty.text()
    page.empty.first.click()
    assert page.view == 0 and page.choose.isVisible() and not page.empty.isVisible()
