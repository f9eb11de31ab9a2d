"""Help: the pages made from the knowledge files, to be searched, followed by their links, and saved for printing."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path

from PyQt6.QtCore import QRectF, QSize, Qt, QUrl
from PyQt6.QtGui import QImage, QPainter
from PyQt6.QtWidgets import (
    QDialog,
    QFileDialog,
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QTextBrowser,
    QVBoxLayout,
    QWidget,
)

from tuning.core.errors import TuningError
from tuning.core.search import Findable, search
from tuning.core.types import Side
from tuning.exchange.files import write_whole
from tuning.exchange.html.handbook import KINDS, HelpPage, book
from tuning.ui import theme
from tuning.ui.exercise_figure import paint_fitted
from tuning.ui.widgets import TextField, button, label

PICTURE = QSize(260, 220)
KEY = Qt.ItemDataRole.UserRole


class HelpText(QTextBrowser):
    """Shows a page; its drawing is painted as everywhere in the window."""

    def __init__(self, pages: Mapping[str, HelpPage]) -> None:
        super().__init__()
        self._pages = pages
        self.setOpenLinks(False)
        self.setFont(theme.font(theme.BODY))
        self.setAccessibleName("Help page")

    def loadResource(self, kind: int, name: QUrl) -> object:
        """The drawing of a page."""
        page = self._pages.get(name.toString().removeprefix("figure:"))
        if page is None or not page.figure:
            return super().loadResource(kind, name)
        image = QImage(PICTURE, QImage.Format.Format_ARGB32_Premultiplied)
        image.fill(theme.colour("panel"))
        painter = QPainter(image)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        paint_fitted(painter, list(page.figure), QRectF(image.rect()).adjusted(8, 8, -8, -8), Side.NONE)
        painter.end()
        return image


class HelpDialog(QDialog):
    """Type to find, Enter or a click opens, links lead on, Alt+Left goes back."""

    def __init__(
        self, parent: QWidget, pages: Mapping[str, HelpPage], same: tuple[tuple[str, ...], ...], first: str = ""
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle("Help")
        self._pages, self._same, self._before = pages, same, list[str]()
        self.key = ""
        self.field, self.list, self.text = TextField(), QListWidget(), HelpText(pages)
        self.field.setPlaceholderText("Find a help page")
        self.field.setAccessibleName("Find a help page")
        self.list.setAccessibleName("Help pages")
        self.list.setFont(theme.font())
        self.list.setWordWrap(True)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.field.textChanged.connect(self._find)
        self.field.returnPressed.connect(self._open_first)
        self.list.itemActivated.connect(self._chosen)
        self.list.itemClicked.connect(self._chosen)
        self.text.anchorClicked.connect(lambda link: self.open_page(link.toString()))
        self.title = label("", theme.LARGE, bold=True, wrap=True)
        self.back = button("Back", self.go_back, "link", tip="Alt+Left")
        self.back.setShortcut("Alt+Left")
        left, right = QVBoxLayout(), QVBoxLayout()
        left.addWidget(self.field)
        left.addWidget(self.list, 1)
        head = QHBoxLayout()
        head.addWidget(self.title, 1)
        head.addWidget(self.back, 0, Qt.AlignmentFlag.AlignTop)
        right.addLayout(head)
        right.addWidget(self.text, 1)
        foot = QHBoxLayout()
        self.words = label("", role="muted", wrap=True)
        foot.addWidget(self.words, 1)
        foot.addWidget(button("Save all pages as HTML…", self.ask_save))
        foot.addWidget(button("Close", self.accept, "primary"))
        right.addLayout(foot)
        row = QHBoxLayout(self)
        row.setContentsMargins(20, 16, 20, 16)
        row.setSpacing(18)
        row.addLayout(left, 2)
        row.addLayout(right, 5)
        self.resize(1040, 680)
        self._find("")
        self.open_page(first if first in pages else next(iter(pages)))
        self.field.setFocus()

    def open_page(self, key: str) -> None:
        """Show a page; the one before it is a step back."""
        if key not in self._pages or key == self.key:
            return
        if self.key:
            self._before.append(self.key)
        self._show(key)

    def go_back(self) -> None:
        """The page before."""
        if self._before:
            self._show(self._before.pop())

    def _show(self, key: str) -> None:
        page = self._pages[key]
        self.key = key
        self.title.setText(page.name)
        self.text.setHtml(page.body)
        self.back.setEnabled(bool(self._before))

    def _find(self, typed: str) -> None:
        """Every page by kind; the best ones where something was typed."""
        self.list.clear()
        if typed.strip():
            things = [Findable(p.kind, p.name, lambda: None, p.also, key=p.key) for p in self._pages.values()]
            found = [self._pages[one.key] for one in search(things, typed, self._same).items]
            for page in found:
                self._line(f"{page.name}  ({page.kind})", page.key)
            return
        for kind, name in KINDS.items():
            self._line(name.upper())
            for page in (p for p in self._pages.values() if p.kind == kind):
                self._line(page.name, page.key)

    def _line(self, text: str, key: str = "") -> None:
        item = QListWidgetItem(text)
        item.setData(KEY, key)
        if not key:
            item.setFlags(Qt.ItemFlag.NoItemFlags)
        self.list.addItem(item)

    def _open_first(self) -> None:
        self._chosen(self.list.item(0) if self.field.text().strip() else None)

    def _chosen(self, item: QListWidgetItem | None) -> None:
        if item is not None:
            self.open_page(item.data(KEY))

    def ask_save(self) -> None:
        """Choose where all pages go."""
        proposed = str(Path.home() / "tuning-help.html")
        target, _ = QFileDialog.getSaveFileName(self, "Help as HTML", proposed, "HTML (*.html)")
        if target:
            self.save(Path(target))

    def save(self, target: Path) -> None:
        """All pages as one file, to be printed."""
        try:
            write_whole(book(self._pages).encode(), target, "The help")
        except TuningError as err:
            self.words.setText(str(err))
            return
        self.words.setText(f"Saved as {target.name}.")
