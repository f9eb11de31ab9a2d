"""Small parts that every view uses."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from PyQt6.QtCore import QEvent, QObject, QPoint, QRect, QSize, Qt
from PyQt6.QtGui import QKeyEvent, QKeySequence, QPainter, QPaintEvent
from PyQt6.QtWidgets import (
    QComboBox,
    QFrame,
    QLabel,
    QLayout,
    QLayoutItem,
    QLineEdit,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QStyle,
    QStyleOptionFrame,
    QWidget,
)

from tuning.ui import theme


def holding(layout: QLayout) -> QWidget:
    """A widget around a layout, so that it can be hidden as a whole."""
    made = QWidget()
    layout.setContentsMargins(0, 0, 0, 0)
    made.setLayout(layout)
    return made


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


class TextField(QLineEdit):
    """A text field in which undo and redo mean the record's last action, as everywhere else."""

    def event(self, event: QEvent | None) -> bool:
        """The two keys are left to the window."""
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.ShortcutOverride:
            keys = QKeySequence.StandardKey
            if event.matches(keys.Undo) or event.matches(keys.Redo):
                event.ignore()
                return False
        return super().event(event)


class EntryField(TextField):
    """A text field that keeps Enter to itself, for fields inside a widget that has a use for Enter."""

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Enter is told by `returnPressed` and goes no further."""
        super().keyPressEvent(event)
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            event.accept()


class ElidedLabel(QLabel):
    """A line that gives way: too long for its place it ends in an ellipsis, and the pointer tells it whole."""

    def __init__(self, size: int = theme.SMALL, role: str = "", bold: bool = False) -> None:
        super().__init__()
        self.setFont(theme.font(size, bold))
        self.setTextFormat(Qt.TextFormat.PlainText)
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Preferred)
        if role:
            self.setProperty("role", role)

    def minimumSizeHint(self) -> QSize:
        """As narrow as a word."""
        return QSize(min(48, super().sizeHint().width()), super().minimumSizeHint().height())

    @property
    def shown(self) -> str:
        """What of the text fits."""
        room = self.contentsRect().width()
        return self.fontMetrics().elidedText(self.text(), Qt.TextElideMode.ElideRight, room)

    def paintEvent(self, _: QPaintEvent | None) -> None:
        """The style's frame, then what fits."""
        painter, style, option = QPainter(self), self.style(), QStyleOptionFrame()
        option.initFrom(self)
        if style is not None:
            style.drawPrimitive(QStyle.PrimitiveElement.PE_Widget, option, painter, self)
        self.setToolTip(self.text() if self.shown != self.text() else "")
        painter.drawText(self.contentsRect(), int(self.alignment()), self.shown)


class Flow(QLayout):
    """Controls side by side that go on in the next row where the first is full."""

    def __init__(self, parts: Iterable[QWidget] = (), gap: int = 8) -> None:
        super().__init__()
        self._items: list[QLayoutItem] = []
        self._heights: dict[int, int] = {}
        self._gap = gap
        for part in parts:
            self.addWidget(part)

    def addItem(self, item: QLayoutItem | None) -> None:
        """Take one more."""
        if item is not None:
            self._items.append(item)

    def count(self) -> int:
        """Number of parts."""
        return len(self._items)

    def itemAt(self, index: int) -> QLayoutItem | None:
        """A part."""
        return self._items[index] if 0 <= index < len(self._items) else None

    def takeAt(self, index: int) -> QLayoutItem | None:
        """Give a part away."""
        return self._items.pop(index) if 0 <= index < len(self._items) else None

    def hasHeightForWidth(self) -> bool:
        """Narrow is tall."""
        return True

    def heightForWidth(self, width: int) -> int:
        """Rows that a width needs."""
        if width not in self._heights:
            self._heights[width] = self._place(QRect(0, 0, width, 0), move=False)
        return self._heights[width]

    def invalidate(self) -> None:
        """A part has changed."""
        self._heights.clear()
        super().invalidate()

    def sizeHint(self) -> QSize:
        """All in one row."""
        sizes = [item.sizeHint() for item in self._items if not item.isEmpty()]
        width = sum(size.width() for size in sizes) + self._gap * max(0, len(sizes) - 1)
        return QSize(width, max((size.height() for size in sizes), default=0))

    def minimumSize(self) -> QSize:
        """The widest part alone."""
        sizes = [item.minimumSize() for item in self._items if not item.isEmpty()]
        return QSize(max((s.width() for s in sizes), default=0), max((s.height() for s in sizes), default=0))

    def setGeometry(self, rect: QRect) -> None:
        """Place everything."""
        super().setGeometry(rect)
        self._place(rect, move=True)

    def _place(self, rect: QRect, move: bool) -> int:
        """Height of all rows; what is lower than its row stands in its middle."""
        rows: list[list[tuple[QLayoutItem, QSize]]] = [[]]
        used = 0
        for item in self._items:
            if item.isEmpty():
                continue
            size = item.sizeHint()
            if rows[-1] and used + size.width() > rect.width():
                rows.append([])
                used = 0
            rows[-1].append((item, size))
            used += size.width() + self._gap
        y = rect.y()
        for row in rows:
            x, height = rect.x(), max((size.height() for _, size in row), default=0)
            for item, size in row:
                if move:
                    item.setGeometry(QRect(QPoint(x, y + (height - size.height()) // 2), size))
                x += size.width() + self._gap
            y += height + self._gap
        return y - self._gap - rect.y()


class _Column(QScrollArea):
    """Scrolls up and down alone: it is never narrower than what it shows, which would be cut."""

    def minimumSizeHint(self) -> QSize:
        """As wide as the inner widget must be, and its bar."""
        hint, inner, bar = super().minimumSizeHint(), self.widget(), self.verticalScrollBar()
        if inner is None or bar is None:
            return hint
        least = max(inner.minimumWidth(), inner.minimumSizeHint().width())
        return QSize(max(hint.width(), least + bar.sizeHint().width()), hint.height())

    def eventFilter(self, target: QObject | None, event: QEvent | None) -> bool:
        """What it shows has become wider or narrower."""
        if event is not None and event.type() == QEvent.Type.LayoutRequest:
            self.updateGeometry()
        return super().eventFilter(target, event)


def in_scroll(widget: QWidget) -> QScrollArea:
    """A widget that can be scrolled up and down where the window is too low for it; takes no focus itself."""
    room = _Column()
    room.setWidget(widget)
    room.setWidgetResizable(True)
    room.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    room.setFocusPolicy(Qt.FocusPolicy.NoFocus)
    return room


def separator() -> QFrame:
    """A thin horizontal line."""
    line = QFrame()
    line.setFixedHeight(1)
    line.setStyleSheet(f"background: {theme.palette().line};")
    return line


def clear_layout(layout: QLayout) -> None:
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
            clear_layout(inner)


ARROW_PX = 40
"""Room that the arrow and the edges of a choice take."""


def elided(box: QComboBox, text: str) -> str:
    """A text with its middle left out where a choice of this greatest width cannot show it whole."""
    return box.fontMetrics().elidedText(text, Qt.TextElideMode.ElideMiddle, box.maximumWidth() - ARROW_PX)
