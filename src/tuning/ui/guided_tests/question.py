"""The question of a step and its answer: one key where one key is enough."""

from __future__ import annotations

import time
from collections.abc import Callable
from functools import partial

from PyQt6.QtCore import Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from tuning.core.entries import Status
from tuning.core.errors import TuningError
from tuning.core.test_definitions import GRADES, AnswerKind, grade_words
from tuning.core.types import LEGS, Side
from tuning.core.units import format_signed, sentence_case
from tuning.ui import theme
from tuning.ui.guided_tests.state import RunState
from tuning.ui.symbols import SideSign
from tuning.ui.widgets import EntryField, Flow, button, clear_layout, label, set_role

ENDINGS = {"U": Status.UNABLE, "P": Status.PAIN, "V": Status.INVALID, "S": Status.NOT_DONE}
HINTS = {
    AnswerKind.GRADES: "0 none · R, L or B and 1-3 · LR13 left 1, right 3",
    AnswerKind.SIGNED: "0 level · R or L and 1-3",
    AnswerKind.CHOICE: "press the number",
    AnswerKind.NUMBER: "number, Enter; units may be typed",
}


class QuestionPanel(QWidget):
    """Takes single keys while it has the focus; a number field swallows them."""

    refused = pyqtSignal(str)

    def __init__(self, state: RunState) -> None:
        super().__init__()
        self._state = state
        self._side = Side.NONE
        self._shown: tuple[int, int] | None = None
        self.answers: dict[str, QPushButton] = {}
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self._build()
        state.changed.connect(self.refresh)

    def _build(self) -> None:
        self._make_words()
        self._make_fields()
        ask = QHBoxLayout()
        ask.setSpacing(8)
        ask.addLayout(self._sign)
        ask.addWidget(self.asked, 1)
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 0, 0, 0)
        column.setSpacing(6)
        for part in (self.where, self.name, self.look, self.mistake, self.caution, self.reason):
            column.addWidget(part)
        column.addSpacing(4)
        column.addLayout(ask)
        column.addLayout(self._answers)
        fields: list[QWidget] = [self.number, self.clock, self.measured, self.pain]
        words: list[QWidget] = [self.proposal, self.hint, self.so_far, self.strike, self.meaning, self.suggests]
        for widget in (*fields, *words):
            column.addWidget(widget)
        column.addStretch(1)

    def _make_words(self) -> None:
        self.where = label(role="muted")
        self.name = label("", theme.LARGE, bold=True, wrap=True)
        self.look = label("", theme.BODY, wrap=True)
        self.mistake = label(role="muted", wrap=True)
        self.caution = label(role="caution", wrap=True)
        self.asked = label("", theme.BODY, bold=True, wrap=True)
        self.proposal = label(role="accent", wrap=True)
        self.hint = label(role="muted", wrap=True)
        self.so_far = label("", theme.BODY, wrap=True)
        self.meaning = label(role="muted", wrap=True)
        self.suggests = label(role="muted", wrap=True)

    def _make_fields(self) -> None:
        self._sign, self._answers = QHBoxLayout(), QGridLayout()
        self._sign.setSpacing(8)
        self._answers.setSpacing(6)
        self.number = EntryField()
        self.number.setObjectName("number")
        self.number.setFont(theme.font(theme.TITLE))
        self.number.setFixedHeight(64)
        self.number.returnPressed.connect(self._number_entered)
        self.measured = EntryField()
        self.measured.returnPressed.connect(self._height_entered)
        self.pain = EntryField()
        self.pain.returnPressed.connect(self._pain_entered)
        self.reason = EntryField()
        self.reason.setPlaceholderText("Reason for testing anyway (saved with the answer)")
        self.reason.setAccessibleName("Reason under AMBER")
        self.reason.textEdited.connect(self._reason_typed)
        self.reason.returnPressed.connect(self._focus_answer)
        self.clock = button("", self._clock_pressed)
        self.now = time.monotonic
        """Where the watch looks for the time, s."""
        self._running: float | None = None
        self._ticking = QTimer(self)
        self._ticking.setInterval(100)
        self._ticking.timeout.connect(self._tick)
        self.strike = button("Strike out last trial", lambda: self._do(self._state.strike_last), "link", "Also Ctrl+Z")
        self.endings = QWidget()
        row = Flow(gap=4)
        self.endings.setLayout(row)
        for key, status in ENDINGS.items():
            words = "skip" if status is Status.NOT_DONE else status.value
            row.addWidget(
                button(f"{words} {key}", partial(self._end, status), "link", "The test ends so; never a zero")
            )

    # showing

    def refresh(self) -> None:
        """Follow the state."""
        state = self._state
        if not self.isVisible() or not state.steps:
            return
        test = state.step.test
        place = (state.index, state.look)
        moved, self._shown = place != self._shown, place
        if moved:
            self._side = Side.NONE
            self._stop_watch()
            self.number.clear()
            self.measured.clear()
            self.pain.clear()
            self._say("")
        steps = [s for s in state.steps if s.test is test]
        count = f" · question {steps.index(state.step) + 1} of {len(steps)}" if len(steps) > 1 else ""
        self.where.setText(f"{test.view} · {test.station}{count}")
        self.name.setText(test.name)
        self.look.setText(f"{test.look} {test.compare}")
        self.mistake.setText(f"Easy mistake: {test.mistake}.")
        lock = state.lock(state.step)
        care = f"Locked. {sentence_case(lock)}. Enter goes on." if lock else state.workspace.care(test)
        self._set(self.caution, care)
        self._set(self.suggests, f"If found: {test.suggests}")
        self.reason.setVisible(state.needs_reason)
        if self.reason.text() != state.reason:
            self.reason.setText(state.reason)
        self._show_question()
        self._show_answer()
        if moved:
            if state.needs_reason and not state.reason:
                self.reason.setFocus()
            else:
                self._focus_answer()

    @staticmethod
    def _set(line: QLabel, text: str) -> None:
        line.setText(text)
        line.setVisible(bool(text))

    def _show_question(self) -> None:
        state = self._state
        step, question = state.step, state.step.question
        clear_layout(self._sign)
        side = f", {step.test.side_words(question, step.side)}" if step.side in LEGS else ""
        if step.side in LEGS:
            self._sign.addWidget(SideSign(step.side))
        measure = state.measures.get(question.measure)
        unit = f" ({measure.unit})" if question.ask is AnswerKind.NUMBER and measure is not None else ""
        self.asked.setText(f"{question.text}{side}{unit}")
        is_number = question.ask is AnswerKind.NUMBER
        self.number.setVisible(is_number)
        self.number.setAccessibleName(self.asked.text())
        self.strike.setVisible(is_number and bool(state.trials(question.measure, step.side)))
        self.clock.setVisible(is_number and measure is not None and measure.unit in ("s", "reps"))
        self._show_clock()
        self.measured.setVisible(bool(question.number))
        if question.number:
            unit = state.measures[question.number].unit
            self.measured.setPlaceholderText(f"N: measured instead, {unit}, right positive")
            self.measured.setAccessibleName(f"{state.measures[question.number].name}, {unit}, right positive")
        self._show_pain()
        self._show_buttons()

    def _show_pain(self) -> None:
        """The field for pain names the movement that it is about."""
        step = self._state.hurting()
        self.pain.setVisible(step is not None)
        if step is None:
            return
        side = f", {step.test.side_words(step.question, step.side)}" if step.side in LEGS else ""
        told = self._state.pain_of(step)
        kept = "" if told is None else f" · now {told}/10"
        self.pain.setPlaceholderText(f"H: hurts? 0-10 with “{step.question.text}{side}”{kept}")
        self.pain.setAccessibleName(f"Pain 0 to 10 with {step.question.text}{side}")

    def _show_buttons(self) -> None:
        clear_layout(self._answers)
        self.answers.clear()
        question = self._state.step.question
        if question.ask is AnswerKind.CHOICE:
            for n, option in enumerate(question.options):
                self._add_answer(f"{n + 1}  {option}", option, 0, n, partial(self._answer, option))
        elif question.ask is not AnswerKind.NUMBER:
            sides = [(Side.LEFT, "L"), (Side.RIGHT, "R")]
            if question.ask is AnswerKind.GRADES:
                sides.insert(1, (Side.BOTH, "B"))
            for n, (side, key) in enumerate(sides):
                self._add_answer(f"{key}  {side.value}", key, 0, n, partial(self._press, key))
            for n, words in enumerate(GRADES):
                self._add_answer(f"{n}  {words}", str(n), 1 + n // 2, n % 2, partial(self._press, str(n)))

    def _add_answer(self, words: str, key: str, row: int, column: int, act: partial[None]) -> None:
        made = button(words, act)
        made.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        made.setFixedHeight(34)
        made.setEnabled(not self._state.lock(self._state.step))
        self.answers[key] = made
        self._answers.addWidget(made, row, column)

    def _show_answer(self) -> None:
        state = self._state
        step, question = state.step, state.step.question
        for key, made in self.answers.items():
            set_role(made, chosen=key in state.pending)
        proposal = state.proposal()
        text = f"Photo: {proposal[0]}, that is {proposal[1]}. Enter accepts." if proposal else ""
        self._set(self.proposal, text if not state.answered(step, state.look) else "")
        self._set(self.so_far, self._so_far())
        self._set(self.meaning, "\n".join(state.verdict(step)))
        if question.ask is AnswerKind.CHOICE:
            chosen = state.choice(step)
            for option, made in self.answers.items():
                set_role(made, chosen=chosen is not None and chosen.option == option)

    def _so_far(self) -> str:
        state = self._state
        step, question = state.step, state.step.question
        ending = state.ending(step.test, step.side)
        if ending is not None:
            return f"On record: {ending.value}."
        if question.ask is AnswerKind.CHOICE:
            others = state.other_conditions(step.test)
            now = state.under(step.test)
            words = [f"Done {now}." if now else "", f"Also in this visit: {'; '.join(others)}." if others else ""]
            return " ".join(filter(None, words))
        if question.ask is AnswerKind.NUMBER:
            measure = state.measures[question.measure]
            trials = state.trials(measure.id, step.side)
            if not trials:
                return f"{question.trials} trials" if question.trials > 1 else ""
            shown = "  ".join(format_signed(t, measure.decimals) for t in trials)
            mean = format_signed(sum(trials) / len(trials), measure.decimals)
            return f"{shown} {measure.unit}   mean {mean}"
        told = []
        for side in LEGS if question.ask is AnswerKind.GRADES else (Side.NONE,):
            for n, grade in enumerate(state.trials(question.measure, side), start=1):
                where = side.value if side in LEGS else ("right" if grade > 0 else "left" if grade < 0 else "")
                told.append((n, f"{where} {grade_words(grade)}".strip()))
        looks = sorted({n for n, _ in told})
        lines = [f"look {n}: {', '.join(words for at, words in told if at == n)}" for n in looks]
        if question.number and state.trials(question.number, Side.NONE):
            measure = state.measures[question.number]
            values = "  ".join(format_signed(t, measure.decimals) for t in state.trials(measure.id, Side.NONE))
            lines.append(f"measured: {values} {measure.unit}")
        return "   ".join(lines)

    def _say(self, refusal: str) -> None:
        """A refusal stands where the hint was."""
        self.hint.setText(refusal or HINTS[self._state.step.question.ask])
        set_role(self.hint, role="caution" if refusal else "muted")

    # stopwatch and counter

    def _unit(self) -> str:
        measure = self._state.measures.get(self._state.step.question.measure)
        return measure.unit if measure is not None else ""

    def _show_clock(self) -> None:
        counting = self._unit() == "reps"
        self.clock.setText("Count one more" if counting else "Stop the watch" if self._running else "Start the watch")

    def _clock_pressed(self) -> None:
        """Counts one more, or starts and stops the watch; Enter in the field keeps the number."""
        if self._unit() == "reps":
            counted = self.number.text().strip()
            self.number.setText(str(int(counted) + 1 if counted.isdigit() else 1))
            return
        if self._running is None:
            self._running = self.now()
            self._ticking.start()
        else:
            self._tick()
            self._stop_watch()
            self.number.setFocus()
        self._show_clock()

    def _tick(self) -> None:
        if self._running is not None:
            self.number.setText(f"{self.now() - self._running:.1f}")

    def _stop_watch(self) -> None:
        self._running = None
        self._ticking.stop()

    # answering

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Grades, sides, numbers of choices, Enter, and the four endings."""
        if event is None or event.modifiers() & ~(
            Qt.KeyboardModifier.KeypadModifier | Qt.KeyboardModifier.ShiftModifier
        ):
            super().keyPressEvent(event)
            return
        key = event.text().upper()
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._do(self._state.accept)
        elif event.key() == Qt.Key.Key_Backspace:
            self._state.back()
        elif key == "N" and self._state.step.question.number:
            self.measured.setFocus()
        elif key == "H" and self.pain.isVisible():
            self.pain.setFocus()
        elif key in ENDINGS:
            self._end(ENDINGS[key])
        elif not (key and self._pressed(key)):
            super().keyPressEvent(event)

    def _pressed(self, key: str) -> bool:
        """True when the key was taken, or refused in a sentence."""
        taken: list[bool] = []
        return not self._do(lambda: taken.append(self._state.press(key))) or taken[0]

    def _press(self, key: str) -> None:
        self._pressed(key)
        self.setFocus()

    def _reason_typed(self, text: str) -> None:
        self._state.reason = text

    def _focus_answer(self) -> None:
        (self.number if self._state.step.question.ask is AnswerKind.NUMBER else self).setFocus()

    def _answer(self, text: str) -> None:
        self._do(lambda: self._state.answer(text))
        self.setFocus()

    def _end(self, status: Status) -> None:
        self._do(lambda: self._state.end(status))

    def _number_entered(self) -> None:
        text = self.number.text()
        if not text.strip():
            self._do(self._skip_on)
            return
        if self._do(lambda: self._state.answer(text)):
            self.number.clear()

    def _skip_on(self) -> None:
        """Enter on an empty field goes on with fewer trials, but not with none."""
        step = self._state.step
        if not self._state.trials(step.question.measure, step.side):
            self._state.accept()
        else:
            self._state.forward()

    def _height_entered(self) -> None:
        if self._do(lambda: self._state.keep_height(self.measured.text())):
            self.measured.clear()
            self.setFocus()
            self._state.forward()

    def _pain_entered(self) -> None:
        if self._do(lambda: self._state.keep_pain(self.pain.text())):
            self.pain.clear()
            self._focus_answer()

    def _do(self, act: Callable[[], object]) -> bool:
        try:
            act()
        except TuningError as err:
            self._say(str(err))
            self.refused.emit(str(err))
            return False
        self._say("")
        return True
