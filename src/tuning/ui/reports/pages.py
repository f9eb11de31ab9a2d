"""The pages of a PDF as they will be printed."""

from __future__ import annotations

from PyQt6.QtCore import QBuffer, QByteArray, QIODevice, QSize, Qt
from PyQt6.QtGui import QImage, QPainter, QPixmap
from PyQt6.QtPdf import QPdfDocument
from PyQt6.QtPrintSupport import QPrinter
from PyQt6.QtWidgets import QLabel, QScrollArea, QVBoxLayout, QWidget

from tuning.ui.widgets import clear_layout

PAGE_WIDTH = 720
DOTS = 200


class PagesView(QScrollArea):
    """One picture a page, below each other."""

    def __init__(self) -> None:
        super().__init__()
        self._document, self._buffer = QPdfDocument(self), QBuffer(self)
        self._data = QByteArray()
        inner = QWidget()
        self._pages = QVBoxLayout(inner)
        self._pages.setSpacing(12)
        self.setWidget(inner)
        self.setWidgetResizable(True)
        self.setAlignment(Qt.AlignmentFlag.AlignHCenter)
        self.setAccessibleName("Pages")

    @property
    def count(self) -> int:
        """How many pages."""
        return self._document.pageCount()

    def show_pages(self, data: bytes) -> None:
        """Other pages."""
        self._document.close()
        self._buffer.close()
        self._data = QByteArray(data)
        self._buffer.setBuffer(self._data)
        self._buffer.open(QIODevice.OpenModeFlag.ReadOnly)
        self._document.load(self._buffer)
        clear_layout(self._pages)
        for page in range(self.count):
            size = self._document.pagePointSize(page)
            tall = round(PAGE_WIDTH * size.height() / size.width())
            shown = QLabel()
            shown.setPixmap(QPixmap.fromImage(self._white(page, QSize(PAGE_WIDTH, tall))))
            shown.setAccessibleName(f"Page {page + 1}")
            self._pages.addWidget(shown, 0, Qt.AlignmentFlag.AlignHCenter)
        self._pages.addStretch(1)

    def _white(self, page: int, size: QSize) -> QImage:
        paper = QImage(size, QImage.Format.Format_RGB32)
        paper.fill(Qt.GlobalColor.white)
        painter = QPainter(paper)
        painter.drawImage(0, 0, self._document.render(page, size))
        painter.end()
        return paper

    def print_to(self, printer: QPrinter) -> None:
        """Print what is shown, page by page."""
        painter = QPainter(printer)
        for page in range(self.count):
            if page:
                printer.newPage()
            room = painter.viewport()
            size = self._document.pagePointSize(page)
            wide = round(size.width() / 72 * DOTS)
            image = self._document.render(page, QSize(wide, round(wide * size.height() / size.width())))
            fitted = image.size().scaled(room.size(), Qt.AspectRatioMode.KeepAspectRatio)
            painter.drawImage(
                room.adjusted(0, 0, fitted.width() - room.width(), fitted.height() - room.height()), image
            )
        painter.end()
