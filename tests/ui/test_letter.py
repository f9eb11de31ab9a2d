"""The letter in the real window: two keys, put right before it is kept, kept as it was sent."""

from __future__ import annotations

import re
from collections.abc import Callable

import pytest
from pypdf import PdfReader
from PyQt6.QtCore import Qt, QTimer, QUrl
from PyQt6.QtPrintSupport import QPrinter
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from tuning.core.entries import Decision, Form, Letter
from tuning.core.errors import EnvironmentFault
from tuning.core.preferences import DAYS, DECIMALS
from tuning.core.reports.content import Audience, as_text
from tuning.exchange.pdf.report import write_report
from tuning.ui.reports.dialog import ReportDialog
from tuning.ui.reports.report_service import ReportMaker


def in_letter(window, act: Callable[[ReportDialog], None]) -> None:
    """Press F10 and act in the dialog once it stands."""

    stood: list[bool] = []

    def answer() -> None:
        dialog = QApplication.activeModalWidget()
        if not isinstance(dialog, ReportDialog):
            QTimer.singleShot(20, answer)
            return
        stood.append(True)
        try:
            act(dialog)
        finally:
            dialog.reject()

    QTimer.singleShot(0, answer)
    for _ in range(100):  # a window that was just behind a dialog takes its time to be the active one again
        window.activateWindow()
        QTest.keyClick(window, Qt.Key.Key_F10)
        if stood:
            break
        QTest.qWait(50)
    assert stood, "the key opens the letter"


def test_no_two_actions_of_the_window_share_a_key(window):
    stages = {a.key for spec in window.stages for a in spec.actions if a.key}
    keys = [a.key for a in window.actions_list if a.key]
    assert len(keys) == len(set(keys)) and not stages & set(keys), "Qt runs neither of two"


@pytest.fixture
def case(window, patient):
    patient("glassblower", "reasoning")
    return lambda: window.workspace.case


def test_two_keys_keep_a_finished_summary_as_it_was_sent(window, case):
    def press_enter(dialog: ReportDialog) -> None:
        assert dialog.report.kind.id == "summary" and dialog.pages.count == 1
        QTest.keyClick(dialog, Qt.Key.Key_Return)
        assert "As sent" in dialog.told.text() or "Kept" in dialog.told.text()

    in_letter(window, press_enter)
    [letter] = case().all(Letter)
    assert letter.who == "R. Falk" and "knee to wall, left" in letter.text
    assert set(letter.rests) <= {e.uid for e in case().entries} | {case().patient.uid}
    pages = window.workspace.record.media.lent(letter.medium).read_bytes()
    assert pages.startswith(b"%PDF")
    with window.workspace.action("strike") as act:  # what it spoke of changes; the letter stays
        act.strike(*(e for e in case().entries if e.uid in letter.rests))

    def look(dialog: ReportDialog) -> None:
        dialog.sent.setCurrentIndex(1)
        dialog._open_sent(1)
        assert dialog.pages_data == pages and not dialog.keep_button.isEnabled() and dialog.text.isReadOnly()
        dialog.keep()

    in_letter(window, look)
    assert case().all(Letter) == [letter], "what was sent is not sent again"
    record = window.workspace.record
    assert record.case(case().patient.uid, case().visit.uid).all(Letter) == [letter] and record.check() == []


def test_words_are_put_right_before_it_is_kept_and_sections_left_out(window, case):
    def put_right(dialog: ReportDialog) -> None:
        dialog.boxes["safety"].setChecked(False)
        assert "AMBER" not in dialog.text.toPlainText()
        words = dialog.text.toPlainText().replace("# The plan", "# The plan\nShe begins on Monday.")
        dialog.text.setPlainText(words)
        dialog.keep()

    in_letter(window, put_right)
    [letter] = case().all(Letter)
    assert "She begins on Monday." in letter.text and "AMBER" not in letter.text and "# The plan" in letter.text


def test_a_refused_save_keeps_the_letter_on_the_screen(window, case, monkeypatch):
    def full(*_args, **_more):
        raise EnvironmentFault("The disk is full. Nothing was changed.")

    def try_it(dialog: ReportDialog) -> None:
        monkeypatch.setattr(window.workspace.record, "commit", full)
        dialog.keep()
        assert "disk is full" in dialog.told.text() and dialog.keep_button.isEnabled() and dialog.pages.count

    in_letter(window, try_it)
    assert not case().all(Letter)


def test_a_sentence_opens_what_it_rests_on_and_pages_are_printed(window, case, tmp_path):
    def follow(dialog: ReportDialog) -> None:
        printer = QPrinter()
        printer.setOutputFormat(QPrinter.OutputFormat.PdfFormat)
        printer.setOutputFileName(str(tmp_path / "printed.pdf"))
        dialog.pages.print_to(printer)
        line = next(s for s in dialog.report.sentences if s.text.startswith("Weight-bearing lunge, knee to wall, left"))
        dialog._follow(QUrl(f"entry:{line.rests[-1]}"))

    in_letter(window, follow)
    assert window.stage == "mobility" and (tmp_path / "printed.pdf").read_bytes().startswith(b"%PDF")


def test_a_case_with_nothing_in_it_says_so(window, case, patient):
    record, person = window.workspace.record, window.workspace.person
    plain = {"birth_date": case().patient.birth_date, "sex": "", "body_mass_kg": None, "stature_m": None}
    more = {"dominant_hand": "", "dominant_leg": "", "complaint": "", "involved": "none", "occupation": ""}
    window.open_patient(record.add_patient(person, name="Nobody Yet", **plain, **more))
    in_letter(window, lambda dialog: dialog.keep())
    assert not case().all(Letter)


@pytest.mark.parametrize("kind", ["full", "progress", "standing", "measured"])
def test_every_report_has_its_pages_and_its_pictures(window, patient, tmp_path, kind):
    patient("choir conductor" if kind == "standing" else "glassblower", "review")
    dialog = ReportDialog(window, window.workspace, kind)
    assert dialog.report is not None and dialog.pages.count >= 1
    pictures = [p for s in dialog.report.sections for p in s.pictures]
    drawn = dialog.maker.images(dialog.report)
    assert all(p.shows in drawn for p in pictures) and (pictures or kind == "measured")
    assert dialog.write_file(tmp_path / "out.html")
    assert bool(pictures) == ("data:image/png" in (tmp_path / "out.html").read_text())
    assert dialog.write_file(tmp_path / "out.pdf")


def test_a_letter_is_written_in_the_manner_of_the_clinic_and_screens_stay(window, patient, tmp_path):
    patient("glassblower", "review")
    space, maker = window.workspace, ReportMaker(window.workspace)
    kind = maker.kinds[0]
    usual = as_text(maker.report(kind, Audience.COLLEAGUE))
    space.set_preferences({DECIMALS: "comma", DAYS: "numbers"}, "letters go abroad")
    report = maker.report(kind, Audience.COLLEAGUE)
    told = as_text(report)
    assert re.search(r"\d\.\d", usual) and re.search(r"\d,\d", told)
    assert not re.search(r"\d [A-Z][a-z]{2} 2026", told) and re.search(r"\d{1,2}\.\d{1,2}\.2026", told + report.days[1])
    assert [s.rests for s in report.sentences] == [s.rests for s in maker.report(kind, Audience.COLLEAGUE).sentences]
    write_report(report, {}, tmp_path / "letter.pdf", "A4")
    page = " ".join(PdfReader(tmp_path / "letter.pdf").pages[0].extract_text().split())
    assert f"born {report.days[0]}" in page and "May 1985" not in page


@pytest.mark.parametrize(("answers", "leaves"), [({}, True), ({"letters": "yes"}, True), ({"letters": "no"}, False),
                                                 ({"film": "no", "letters": "yes"}, False)])  # fmt: skip
def test_no_picture_leaves_in_a_letter_where_the_patient_did_not_agree(window, patient, answers, leaves):
    patient("glassblower", "review")
    space, maker = window.workspace, ReportMaker(window.workspace)
    kind = next(k for k in maker.kinds if k.id == "full")
    usual = maker.report(kind, Audience.COLLEAGUE)
    assert any(s.pictures for s in usual.sections), "there is something to leave out"
    assert maker.images(usual), "and it was drawn before the patient was asked"
    with space.action("consent") as act:
        act.add(Form("intake-consent", answers))
    report = maker.report(kind, Audience.COLLEAGUE)
    assert any(s.pictures for s in report.sections) is leaves
    assert any("did not agree" in words for words in report.left_out) is not leaves
    assert [s.text for one in report.sections for s in one.sentences] == [
        s.text for one in usual.sections for s in one.sentences if one.sentences], "words stay"  # fmt: skip
    assert bool(maker.images(report)) is leaves


def test_one_picture_is_kept_out_of_letters_and_the_others_stay(window, patient):
    patient("glassblower", "review")
    space, maker = window.workspace, ReportMaker(window.workspace)
    kind = next(k for k in maker.kinds if k.id == "full")

    def shown(report) -> set[str]:
        """Uids of the captures in it."""
        uids = [uid for s in report.sections for picture in s.pictures for uid in picture.shows]
        return {space.case.entry(uid).capture for uid in uids}

    usual = shown(maker.report(kind, Audience.COLLEAGUE))
    assert len(usual) > 1
    back = sorted(usual)[0]
    for outcome, gone in (("kept back", {back}), ("may be shown", set()), ("kept back", {back})):
        with space.action("one picture") as act:
            act.add(Decision("picture-kept-back", outcome, {"capture": back}))
        report = maker.report(kind, Audience.COLLEAGUE)
        assert shown(report) == usual - gone
        assert any("does not want it in letters" in words for words in report.left_out) == bool(gone)
        assert len(maker.images(report)) == sum(len(s.pictures) for s in report.sections)
