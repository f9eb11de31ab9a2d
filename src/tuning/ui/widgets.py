"""Small parts that every view uses."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QFrame, QLabel, QLayout, QLineEdit, QPushButton, QWidget

from tuning.ui import theme


def label(text: str = "", size: int = theme.SMALL, bold: bool = False, role: str = "", wrap: bool = False) -> QLabel:
    """A line of text in one of the four sizes, in a colour role."""
    made = QLabel(text)
    made.setFont(theme.font(size, bold))
    made.setTextFormat(Qt.TextFormat.PlainText)
    made.setWordWrap(wrap)
    if role:
        made.setProperty("role", role)
    return made


def set_role(widget: QWidget, **properties: object) -> None:
    """Set style properties and have the style sheet look again."""
    for name, value in properties.items():
        widget.setProperty(name, value)
    style = widget.style()
    if style is not None:
        style.unpolish(widget)
        style.polish(widget)


def button(text: str, action: Callable[[], object], kind: str = "", tip: str = "") -> QPushButton:
    """A push button; `kind` is `primary`, `link` or empty."""
    made = QPushButton(text)
    made.setFont(theme.font(theme.SMALL, bold=kind == "primary"))
    made.setObjectName(kind)
    made.setAutoDefault(False)
    made.clicked.connect(lambda: action())
    if tip:
        made.setToolTip(tip)
    return made


class EntryField(QLineEdit):
    """A text field that keeps Enter to itself, for fields inside a widget that has a use for Enter."""

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Enter is told by `returnPressed` and goes no further."""
        super().keyPressEvent(event)
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            event.accept()


def rule() -> QFrame:
    """A thin horizontal line."""
    line = QFrame()
    line.setFixedHeight(1)
    line.setStyleSheet(f"background: {theme.palette().line};")
    return line


def empty(layout: QLayout) -> None:
    """Remove everything from a layout."""
    while layout.count():
        item = layout.takeAt(0)
        if item is None:
            break
        widget, inner = item.widget(), item.layout()
        if widget is not None:
            widget.hide()
            widget.deleteLater()
        elif inner is not None:
            empty(inner)
