"""Write a letter: choose, read, put right, keep, send. Enter keeps what is shown."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PyQt6.QtCore import QTimer, QUrl, pyqtSignal
from PyQt6.QtPrintSupport import QPrintDialog, QPrinter
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QFileDialog,
    QHBoxLayout,
    QPlainTextEdit,
    QTabWidget,
    QTextBrowser,
    QVBoxLayout,
    QWidget,
)

from tuning.core.entries import Letter
from tuning.core.errors import TuningError
from tuning.core.reports.content import Audience, Report, as_text, edited
from tuning.ui import theme
from tuning.ui.formatting import day
from tuning.ui.reports.pages import PagesView
from tuning.ui.reports.report_service import ReportMaker
from tuning.ui.widgets import button, clear_layout, in_scroll, label
from tuning.ui.workspace import Workspace

IDLE_MS = 500
"""Pause in typing after which the pages are laid out again."""
REGISTERS = {"a colleague": Audience.COLLEAGUE, "the patient": Audience.PATIENT}


class ReportDialog(QDialog):
    """The summary stands ready when it opens; two keys and it is kept."""

    evidence_wanted = pyqtSignal(object)

    def __init__(self, parent: QWidget | None, space: Workspace, kind: str = "") -> None:
        super().__init__(parent)
        self.maker = ReportMaker(space)
        self.report: Report | None = None
        self.pages_data = b""
        self._shown_letter: Letter | None = None
        self._kind = kind
        self.setWindowTitle("Letter")
        self.resize(1180, 740)
        self.kind, self.register = QComboBox(), QComboBox()
        for one in self.maker.kinds:
            self.kind.addItem(one.name, one)
            if one.id == kind:
                self.kind.setCurrentIndex(self.kind.count() - 1)
        self.register.addItems(list(REGISTERS))
        self.kind.setAccessibleName("Kind of report")
        self.register.setAccessibleName("For whom")
        self.kind.activated.connect(lambda _: self.write())
        self.register.activated.connect(lambda _: self.write())
        self.boxes: dict[str, QCheckBox] = {}
        self._boxes = QVBoxLayout()
        self._boxes.setSpacing(2)
        self.notes = label("", role="caution", wrap=True)
        self.sent = QComboBox()
        self.sent.setAccessibleName("Letters as they were sent")
        self.sent.activated.connect(self._open_sent)
        self.pages, self.read, self.text = PagesView(), QTextBrowser(), QPlainTextEdit()
        self.read.setObjectName("page")  # paper is white in the dark, too
        self.read.setOpenLinks(False)
        self.read.anchorClicked.connect(self._follow)
        self.read.setAccessibleName("Read; a sentence opens what it rests on")
        self.text.setFont(theme.font(theme.BODY))
        self.text.setAccessibleName("Letter text, editable")
        self._idle = QTimer(self)
        self._idle.setSingleShot(True)
        self._idle.setInterval(IDLE_MS)
        self._idle.timeout.connect(self.follow_text)
        self.text.textChanged.connect(self._idle.start)
        self.told = label("", role="muted", wrap=True)
        self._build()
        self.write()

    def _build(self) -> None:
        left = QVBoxLayout()
        left.setSpacing(6)
        for name, widget in (("Report", self.kind), ("For", self.register)):
            left.addWidget(label(name, role="muted"))
            left.addWidget(widget)
        left.addWidget(label("Sections", role="muted"))
        inner = QWidget()
        inner.setLayout(self._boxes)
        left.addWidget(in_scroll(inner), 1)
        left.addWidget(self.notes)
        left.addWidget(label("As they were sent", role="muted"))
        left.addWidget(self.sent)
        side = QWidget()
        side.setLayout(left)
        side.setFixedWidth(280)
        self.tabs = QTabWidget()
        for name, page in (("Pages", self.pages), ("Text", self.read), ("Edit text", self.text)):
            self.tabs.addTab(page, name)
        body = QHBoxLayout()
        body.setSpacing(20)
        body.addWidget(side)
        body.addWidget(self.tabs, 1)
        row = QHBoxLayout()
        row.addWidget(self.told, 1)
        row.addWidget(button("Close", self.reject))
        row.addWidget(button("Print…", self._ask_print))
        row.addWidget(button("HTML…", partial(self._ask_file, "html")))
        row.addWidget(button("PDF…", partial(self._ask_file, "pdf")))
        self.keep_button = button("Keep as sent", self.keep, "primary", "Keeps these pages in the record")
        self.keep_button.setAutoDefault(True)
        self.keep_button.setDefault(True)
        row.addWidget(self.keep_button)
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 16, 20, 16)
        column.addLayout(body, 1)
        column.addLayout(row)
        self.keep_button.setFocus()

    # writing

    def write(self) -> None:
        """A fresh report of the chosen kind."""
        self._shown_letter = None
        self._list_sent()
        try:
            whole = self.maker.report(self.kind.currentData(), REGISTERS[self.register.currentText()])
        except TuningError as err:
            self.report, self.pages_data = None, b""
            self.told.setText(str(err))
            self._enable()
            return
        self._show_boxes(whole)
        self.told.setText("")
        self.notes.setText("\n".join(whole.left_out))
        self._show_report(whole, new_text=True)

    def _show_boxes(self, report: Report) -> None:
        clear_layout(self._boxes)
        self.boxes = {}
        for section in report.sections:
            box = QCheckBox(section.heading)
            box.setFont(theme.font())
            box.setChecked(True)
            box.toggled.connect(lambda _: self._choose_sections())
            self.boxes[section.id] = box
            self._boxes.addWidget(box)
        self._boxes.addStretch(1)

    def _choose_sections(self) -> None:
        whole = self.maker.report(self.kind.currentData(), REGISTERS[self.register.currentText()])
        self._show_report(whole.without([key for key, box in self.boxes.items() if not box.isChecked()]), True)

    def follow_text(self) -> None:
        """The pages say what was typed."""
        self._idle.stop()
        if self.report is not None and self._shown_letter is None:
            words = self.text.toPlainText()
            whole = self.maker.report(self.kind.currentData(), REGISTERS[self.register.currentText()])
            off = [key for key, box in self.boxes.items() if not box.isChecked()]
            self._show_report(edited(whole.without(off), words), new_text=False)

    def _show_report(self, report: Report, new_text: bool) -> None:
        from tuning.exchange.html.report import report_html
        from tuning.exchange.pdf.report import report_pdf

        self.report = report
        images = self.maker.images(report)
        self.pages_data = report_pdf(report, images, self.maker.paper)
        self.pages.show_pages(self.pages_data)
        self.read.setHtml(report_html(report, {}, links=True))
        if new_text:
            self.text.blockSignals(True)
            self.text.setPlainText(as_text(report))
            self.text.blockSignals(False)
        self._enable()

    def _enable(self) -> None:
        fresh = self.report is not None and self._shown_letter is None
        self.keep_button.setEnabled(fresh)
        self.text.setReadOnly(not fresh)

    def _follow(self, link: QUrl) -> None:
        target = self.maker.target(link.path())
        if target is not None:
            self.evidence_wanted.emit(target)
            self.accept()

    # keeping

    def keep(self) -> None:
        """Keep the pages as they stand; a refusal stays beside the button."""
        if self.report is None or self._shown_letter is not None:
            return
        if self._idle.isActive():
            self.follow_text()
        try:
            letter = self.maker.keep(self.report, self.pages_data)
        except TuningError as err:
            self.told.setText(str(err))
            return
        self._list_sent()
        self._show_letter(letter)
        self.told.setText("Kept as sent. Print it, or write it to a file.")

    def _list_sent(self) -> None:
        self.sent.clear()
        self.sent.addItem("a new one", None)
        names = {kind.id: kind.name for kind in self.maker.kinds}
        for letter in self.maker.sent():
            self.sent.addItem(f"{day(letter.at)}, {names.get(letter.kind, letter.kind)}", letter)

    def _open_sent(self, place: int) -> None:
        letter = self.sent.itemData(place)
        if isinstance(letter, Letter):
            self._show_letter(letter)
        else:
            self.write()

    def _show_letter(self, letter: Letter) -> None:
        try:
            self.pages_data = self.maker.pages_of(letter)
        except TuningError as err:
            self.told.setText(str(err))
            return
        self._shown_letter = letter
        self.pages.show_pages(self.pages_data)
        self.text.blockSignals(True)
        self.text.setPlainText(letter.text)
        self.text.blockSignals(False)
        self.read.setPlainText(letter.text)
        self.sent.setCurrentIndex(max(0, self.sent.findData(letter)))
        self.told.setText(f"As sent on {day(letter.at)} by {letter.who}.")
        self._enable()

    # leaving the window

    def _ask_file(self, ending: str) -> None:
        name = self.report.title if self.report is not None else "letter"
        found, _ = QFileDialog.getSaveFileName(self, "Letter", str(Path.home() / f"{name}.{ending}"), f"*.{ending}")
        if found:
            self.write_file(Path(found))

    def write_file(self, target: Path) -> bool:
        """Write what is shown as PDF or HTML, by the ending."""
        from tuning.exchange.files import write_whole
        from tuning.exchange.html.report import write_html

        try:
            if target.suffix == ".html":
                if self.report is None or self._shown_letter is not None:
                    self.told.setText("A letter as sent is stored as pages; save it as PDF.")
                    return False
                write_html(self.report, self.maker.images(self.report), target)
            else:
                write_whole(self.pages_data, target, "The letter")
        except TuningError as err:
            self.told.setText(str(err))
            return False
        self.told.setText(f"Written to {target}.")
        return True

    def _ask_print(self) -> None:
        printer = QPrinter(QPrinter.PrinterMode.HighResolution)
        if self.pages.count and QPrintDialog(printer, self).exec():
            self.pages.print_to(printer)
