"""The questions of the safety screen by group, each answered with one key."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

from PyQt6.QtCore import QRect, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QFontMetrics, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QResizeEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from tuning.core.gate.triage import SafetyQuestion, SafetyTable
from tuning.core.units import sentence_case
from tuning.ui import theme

ROW, HEAD = 24.0, 28.0
"""Height of a question of one line, and of the head of a group."""
ANSWERS, INDENT = 92, 16
"""Room that yes and no take, and that a question hangs in under the one it follows."""
GROUPS = {
    "emergency": "Emergency or same day",
    "bone": "Bone and growth",
    "prompt": "Ask, and take care",
    "limits": "A surgeon's limits",
    "look": "Worth having looked at",
}
"""Groups by their words; the others are called as they are."""


@dataclass(frozen=True)
class _Row:
    """A question, or the head of a group where `question` is -1, and where it stands."""

    box: QRectF
    group: str
    question: int = -1


@lru_cache(maxsize=1000)  # asked for every question whenever one is answered or the page is laid out
def _height_of(text: str, room: int) -> int:
    """Height of words within a width, px."""
    box = QFontMetrics(theme.font()).boundingRect(QRect(0, 0, room, 400), Qt.TextFlag.TextWordWrap, text)
    return box.height()


class AnswerList(QWidget):
    """Questions by group in two columns; Y and N answer and go on, arrows move, a click sets, a head says no to all."""

    answered = pyqtSignal()
    moved = pyqtSignal(int)
    """Height of the question that is next."""

    def __init__(self, table: SafetyTable) -> None:
        super().__init__()
        self.table = table
        self.answers: dict[str, bool] = {}
        self.same: set[str] = set()
        """Yes, and the one that was cleared before."""
        self.cleared: dict[str, str] = {}
        """Questions whose yes was cleared at an earlier visit, with the day."""
        self.at = 0
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.fit()

    def sizeHint(self) -> QSize:
        """As tall as the longer column."""
        return QSize(720, self._height())

    def due(self) -> list[SafetyQuestion]:
        """The questions that are due, given the answers."""
        return self.table.asked(self.answers)

    def _height(self) -> int:
        return round(max(row.box.bottom() for row in self.rows()) + 6)

    def _needed(self, question: SafetyQuestion, width: float) -> float:
        """Height of a question whose words are shown whole."""
        room = int(width - ANSWERS - (INDENT if question.after else 0))
        return max(ROW, _height_of(self._words(question), room) + 8.0)

    def _words(self, question: SafetyQuestion) -> str:
        """The question, and whether it was cleared before: S says that it is the same."""
        day = self.cleared.get(question.id)
        if day is None:
            return question.text
        return (
            f"{question.text} (the same as cleared {day})"
            if question.id in self.same
            else (f"{question.text} (cleared {day}; S: the same, Y: new)")
        )

    def rows(self) -> list[_Row]:
        """Heads and questions from top to bottom of both columns; a group never breaks."""
        width = max(self.width(), 720) / 2 - 16
        due = self.due()
        groups: dict[str, list[int]] = {}
        for n, question in enumerate(due):
            groups.setdefault(question.group, []).append(n)
        tall = {name: HEAD + sum(self._needed(due[n], width) for n in found) for name, found in groups.items()}
        half, left, y, made = sum(tall.values()) / 2, 4.0, 0.0, []
        for name, found in groups.items():
            if left < 8 and y > 0 and y + tall[name] / 2 > half:
                left, y = width + 20.0, 0.0
            made.append(_Row(QRectF(left, y, width, HEAD), name))
            y += HEAD
            for n in found:
                height = self._needed(due[n], width)
                made.append(_Row(QRectF(left, y, width, height), name, n))
                y += height
        return made

    def _box(self, index: int) -> QRectF:
        return next(row.box for row in self.rows() if row.question == index)

    def fit(self) -> None:
        """Take the height that the due questions need."""
        self.setFixedHeight(self._height())
        question = self.due()[self.at]
        self.moved.emit(round(self._box(self.at).center().y()))
        self.setAccessibleName(f"Safety question {self.at + 1}: {question.text}. Y yes, N no.")

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """The words wrap anew."""
        super().resizeEvent(event)
        self.setFixedHeight(self._height())

    def answer(self, key: str, yes: bool) -> None:
        """Answer one question; follow-up questions come and go with it."""
        self.answers[key] = yes
        self.same.discard(key)
        kept = {q.id for q in self.due()}
        self.answers = {k: v for k, v in self.answers.items() if k in kept}
        self._changed()

    def rest_no(self, group: str = "") -> None:
        """No to everything in a group, or in all that were begun, that has no answer yet."""
        for question in self.table.unanswered(self.answers):
            if group in ("", question.group):
                self.answers[question.id] = False
        self._changed()

    def _changed(self) -> None:
        self.fit()
        self.update()
        self.answered.emit()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Y, N, arrows; G says no to the rest of the group."""
        if event is None:
            return
        due = self.due()
        key = event.text().lower()
        if key in ("y", "n"):
            self.answer(due[self.at].id, key == "y")
            self.at = min(self.at + 1, len(self.due()) - 1)
        elif key == "s" and due[self.at].id in self.cleared:
            question = due[self.at].id
            self.answer(question, True)
            self.same.add(question)
            self.at = min(self.at + 1, len(self.due()) - 1)
        elif key == "g":
            group = due[self.at].group
            self.rest_no(group)
            after = [n for n, q in enumerate(self.due()) if n > self.at and q.group != group]
            self.at = after[0] if after else self.at
        elif event.key() in (Qt.Key.Key_Down, Qt.Key.Key_Up):
            step = 1 if event.key() == Qt.Key.Key_Down else -1
            self.at = min(max(self.at + step, 0), len(due) - 1)
        elif event.key() in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            self._across()
        else:
            super().keyPressEvent(event)
            return
        self.fit()
        self.update()

    def _across(self) -> None:
        """To the question beside, in the other column."""
        here = self._box(self.at)
        others = [r for r in self.rows() if r.question >= 0 and abs(r.box.left() - here.left()) > 8]
        if others:
            self.at = min(others, key=lambda r: abs(r.box.center().y() - here.center().y())).question

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Yes or no under the pointer, or no to a group."""
        if event is None:
            return
        row = next((r for r in self.rows() if r.box.contains(event.position())), None)
        if row is None:
            return
        from_right = row.box.right() - event.position().x()
        if row.question < 0:
            if from_right < ANSWERS:
                self.rest_no(row.group)
            return
        self.at = row.question
        if from_right < 84:
            self.answer(self.due()[row.question].id, from_right >= 42)
        self.update()

    def paintEvent(self, _: QPaintEvent | None) -> None:
        """Text, yes and no; the answer is filled."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        due, left = self.due(), {q.group for q in self.table.unanswered(self.answers)}
        for row in self.rows():
            if row.question < 0:
                self._paint_head(painter, row, row.group in left)
            else:
                self._paint_question(painter, row.box, due[row.question], row.question == self.at)

    def _paint_head(self, painter: QPainter, row: _Row, is_open: bool) -> None:
        painter.setFont(theme.font(theme.SMALL, bold=True))
        painter.setPen(theme.colour("muted"))
        painter.drawText(row.box, Qt.AlignmentFlag.AlignVCenter, GROUPS.get(row.group, sentence_case(row.group)))
        if is_open:
            painter.setFont(theme.font())
            painter.setPen(theme.colour("accent"))
            right = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
            painter.drawText(row.box.adjusted(0, 0, -4, 0), right, "no to these")

    def _paint_question(self, painter: QPainter, box: QRectF, question: SafetyQuestion, current: bool) -> None:
        painter.setPen(QPen(theme.colour("line"), 1))
        painter.drawLine(box.bottomLeft(), box.bottomRight())
        painter.setFont(theme.font())
        painter.setPen(theme.colour("ink"))
        room = box.adjusted(INDENT if question.after else 0, 0, -ANSWERS, 0)
        painter.drawText(room, Qt.AlignmentFlag.AlignVCenter | Qt.TextFlag.TextWordWrap, self._words(question))
        for n, (words, yes) in enumerate((("yes", True), ("no", False))):
            cell = QRectF(box.right() - 84 + 42 * n, box.top() + 2, 40, ROW - 4)
            chosen = self.answers.get(question.id) is yes
            role = "caution" if yes else "muted"
            painter.setPen(QPen(theme.colour(role if chosen else "line"), 1))
            painter.setBrush(theme.colour(role if chosen else "panel"))
            painter.drawRoundedRect(cell, 3, 3)
            painter.setPen(theme.colour("on_accent" if chosen else "ink"))
            painter.drawText(cell, Qt.AlignmentFlag.AlignCenter, words)
        if self.hasFocus() and current:
            painter.setPen(QPen(theme.colour("accent"), 2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(box.adjusted(-3, 1, 1, -1), 3, 3)
