"""The week: seven days with the exercises on them, to be dragged; what was left out, and why."""

from __future__ import annotations

from PyQt6.QtCore import QMimeData, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QColor,
    QDrag,
    QDragEnterEvent,
    QDropEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
)
from PyQt6.QtWidgets import QCheckBox, QComboBox, QGridLayout, QHBoxLayout, QSizePolicy, QVBoxLayout, QWidget

from tuning.core.programme.weekly_schedule import DAYS, Item, Week, WeekConstraints, conflicts, moved, retests
from tuning.core.types import Side
from tuning.ui import theme
from tuning.ui.exercise_figure import figure_of, paint_fitted
from tuning.ui.programme.plan_controller import PlanController
from tuning.ui.widgets import button, label, separator
from tuning.ui.workspace import Workspace

MINUTES = (10, 20, 40)
MIME = "application/x-tuning-rung"
ROW = 86


class WeekGrid(QWidget):
    """Days side by side; drag an exercise, or Shift+arrows move the chosen one."""

    dropped = pyqtSignal(str, int, int)

    def __init__(self, workspace: Workspace) -> None:
        super().__init__()
        self._workspace = workspace
        self._week, self._items, self._room = Week({}), list[Item](), WeekConstraints()
        self.chosen: tuple[str, int] | None = None
        self.setAcceptDrops(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumHeight(300)
        self.setAccessibleName("Week")

    def sizeHint(self) -> QSize:
        """Six exercises deep."""
        return QSize(900, 44 + 5 * ROW)

    def show_week(self, week: Week, items: list[Item], room: WeekConstraints) -> None:
        """Another week."""
        self._week, self._items, self._room = week, items, room
        words = [f"{DAYS[d]}: {', '.join(i.name for i in week.session(d, items)) or 'rest'}" for d in range(7)]
        self.setAccessibleDescription("; ".join(words))
        self.setMinimumHeight(52 + ROW * max([1, *(len(week.session(d, items)) for d in range(7))]))
        self.update()

    def _column(self) -> float:
        return self.width() / 7

    def box_of(self, rung: str, day: int) -> QRectF:
        """Where an exercise of a day is drawn."""
        session = [i.rung for i in self._week.session(day, self._items)]
        place = session.index(rung)
        return QRectF(day * self._column() + 4, 44 + place * ROW, self._column() - 8, ROW - 6)

    def _at(self, place: QPointF) -> tuple[str, int] | None:
        day = min(6, int(place.x() // self._column()))
        return next(
            ((i.rung, day) for i in self._week.session(day, self._items) if self.box_of(i.rung, day).contains(place)),
            None,
        )

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Choose."""
        if event is not None:
            self.chosen = self._at(event.position())
            self.update()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Drag the chosen one."""
        if event is None or self.chosen is None or not event.buttons() & Qt.MouseButton.LeftButton:
            return
        drag, data = QDrag(self), QMimeData()
        data.setData(MIME, f"{self.chosen[0]}|{self.chosen[1]}".encode())
        drag.setMimeData(data)
        drag.exec(Qt.DropAction.MoveAction)

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        """Only exercises of this week."""
        data = event.mimeData() if event is not None else None
        if event is not None and data is not None and data.hasFormat(MIME):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        """Say where it was dropped."""
        data = event.mimeData() if event is not None else None
        if event is None or data is None:
            return
        rung, _, day = bytes(data.data(MIME).data()).decode().partition("|")
        self.dropped.emit(rung, int(day), min(6, int(event.position().x() // self._column())))

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Arrows choose, Shift+arrows move."""
        steps = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}
        every = [(i.rung, d) for d in range(7) for i in self._week.session(d, self._items)]
        if event is None or not every or event.key() not in (*steps, Qt.Key.Key_Up, Qt.Key.Key_Down):
            super().keyPressEvent(event)
            return
        if self.chosen not in every:
            self.chosen = every[0]
        elif event.modifiers() & Qt.KeyboardModifier.ShiftModifier and event.key() in steps:
            rung, day = self.chosen
            self.dropped.emit(rung, day, (day + steps[Qt.Key(event.key())]) % 7)
            return
        else:
            step = 1 if event.key() in (Qt.Key.Key_Right, Qt.Key.Key_Down) else -1
            self.chosen = every[(every.index(self.chosen) + step) % len(every)]
        self.update()

    def paintEvent(self, _: QPaintEvent | None) -> None:
        """Draw."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for day in range(7):
            session = self._week.session(day, self._items)
            box = QRectF(day * self._column() + 1, 0, self._column() - 2, self.height() - 1)
            free = day in self._room.free
            painter.setPen(QPen(theme.colour("line"), 1))
            painter.setBrush(theme.colour("panel" if free else "paper"))
            painter.drawRect(box)
            painter.setPen(theme.colour("ink" if free else "muted"))
            painter.setFont(theme.font(theme.BODY, bold=True))
            painter.drawText(QRectF(box.left() + 8, 4, box.width(), 20), DAYS[day])
            painter.setFont(theme.font())
            painter.setPen(theme.colour("muted"))
            minutes = f"{sum(i.minutes for i in session):.0f} min" if session else "rest" if free else "not free"
            sport = " · sport" if day in self._room.sport else ""
            painter.drawText(QRectF(box.left() + 8, 22, box.width(), 18), minutes + sport)
            for item in session:
                self._paint_item(painter, item, day)

    def _paint_item(self, painter: QPainter, item: Item, day: int) -> None:
        box = self.box_of(item.rung, day)
        chosen = self.chosen == (item.rung, day)
        painter.setPen(QPen(theme.colour("accent" if chosen else "line"), 2 if chosen else 1))
        painter.setBrush(theme.colour("accent_wash") if item.heavy else QColor(theme.colour("paper")))
        painter.drawRect(box)
        rung = self._workspace.knowledge.rung(item.rung)
        pose = rung.poses[0]
        picture = QRectF(box.left() + 3, box.top() + 5, 50, box.height() - 10)
        paint_fitted(painter, figure_of(rung, pose, pose.still, Side.RIGHT), picture, Side.NONE)
        painter.setPen(theme.colour("ink"))
        painter.setFont(theme.font())
        words = QRectF(box.left() + 56, box.top() + 4, box.width() - 60, box.height() - 24)
        painter.drawText(words, int(Qt.TextFlag.TextWordWrap), item.name)
        painter.setPen(theme.colour("muted"))
        more = f"{item.minutes:.0f} min{' · heavy' if item.heavy else ''}"
        painter.drawText(QRectF(box.left() + 56, box.bottom() - 19, box.width() - 58, 18), more)


class WeekView(QWidget):
    """The grid, what the week gives, what had to be left out."""

    refused = pyqtSignal(str)
    message = pyqtSignal(str)
    calendar_wanted = pyqtSignal()

    def __init__(self, workspace: Workspace, course: PlanController) -> None:
        super().__init__()
        self._workspace, self._course = workspace, course
        self._filling = False
        self.grid = WeekGrid(workspace)
        self.grid.dropped.connect(self.move_session)
        self.setFocusProxy(self.grid)
        self.minutes = QComboBox()
        self.minutes.setAccessibleName("Minutes of a session")
        for value in MINUTES:
            self.minutes.addItem(f"{value} min a session", value)
        self.minutes.activated.connect(lambda _: self._set_room())
        self.free, self.sport = self._boxes("free"), self._boxes("sport")
        days = QGridLayout()
        days.setHorizontalSpacing(4)
        for row, (name, boxes) in enumerate((("free", self.free), ("sport", self.sport))):
            days.addWidget(label(name, role="muted"), row, 0)
            for n, box in enumerate(boxes):
                days.addWidget(box, row, n + 1)
        head = QHBoxLayout()
        head.setSpacing(20)
        head.addWidget(self.minutes)
        head.addLayout(days)
        head.addStretch(1)
        head.addWidget(button("Re-plan", self.plan_anew, tip="Forget what was moved by hand"))
        head.addWidget(button("Calendar (.ics)…", self.calendar_wanted.emit, "primary"))
        self.words = label("", wrap=True)
        self.retests = label("", role="muted", wrap=True)
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 4, 20, 12)
        column.setSpacing(8)
        column.addLayout(head)
        column.addWidget(self.grid, 1)
        column.addWidget(self.words)
        column.addWidget(separator())
        column.addWidget(self.retests)

    def _boxes(self, what: str) -> list[QCheckBox]:
        boxes = []
        for name in DAYS:
            box = QCheckBox(name)
            box.setFont(theme.font())
            box.setAccessibleName(f"{name}, {what}")
            box.clicked.connect(lambda _: self._set_room())
            boxes.append(box)
        return boxes

    def _set_room(self) -> None:
        if self._filling:
            return
        free = tuple(n for n, box in enumerate(self.free) if box.isChecked())
        sport = tuple(n for n, box in enumerate(self.sport) if box.isChecked())
        with self._workspace.trying():
            self._course.set_week(WeekConstraints(free, sport, float(self.minutes.currentData())))

    def plan_anew(self) -> None:
        """The week by its rules, without moves by hand."""
        with self._workspace.trying():
            self._course.set_week(self._course.room())

    def move_session(self, rung: str, was: int, to: int) -> None:
        """Move a session to another day; a broken rule is told and nothing moves."""
        room, items, week = self._course.room(), self._course.items(), self._course.week()
        after, broken = moved(week, rung, was, to, items, room)
        if broken:
            self.refused.emit(f"Not moved: {'; '.join(broken)}.")
            return
        with self._workspace.trying():
            self._course.set_week(room, {key: list(days) for key, days in after.days.items()})
            self.grid.chosen = (rung, to)

    def refresh(self) -> None:
        """Follow the plan."""
        self._filling = True
        room, items, week = self._course.room(), self._course.items(), self._course.week()
        self.minutes.setCurrentIndex(max(0, self.minutes.findData(int(room.minutes))))
        for n in range(7):
            self.free[n].setChecked(n in room.free)
            self.sport[n].setChecked(n in room.sport)
        self.grid.show_week(week, items, room)
        names = {i.rung: i.name for i in items}
        lines = [f"Left out: {names.get(r, r)}: {why}." for r, why in week.left_out.items()]
        kept = [i for i in items if i.rung in week.days]
        lines += [f"{words}." for words in (*conflicts(week.days, kept, room), *week.notes)]
        lines = lines or ["Every rest is kept." if items else "The plan is empty: choose a rung under Ladders (1)."]
        self.words.setText("\n".join(lines))
        told = [f"{day:%-d %b} {what}" for day, what in retests(self._course.today)] if items else []
        self.retests.setText("Measure again (same shoes, order and fixation): " + "; ".join(told) if told else "")
        self._filling = False
