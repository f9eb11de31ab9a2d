"""Preferences: sections at the left, fields at the right; what a change alters stands below before it is taken over."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QDoubleSpinBox,
    QFileDialog,
    QHBoxLayout,
    QListWidget,
    QPlainTextEdit,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from tuning.core.errors import TuningError
from tuning.core.judging.trial_rule import TrialRule
from tuning.core.judging.verdict_changes import VerdictChange, altered
from tuning.core.preferences import (
    BACKUP_FOLDER,
    BAND,
    BY_KEY,
    DECLARED,
    RULE,
    SECTIONS,
    WATCHED_FOLDER,
    Preference,
    Type,
    band_of,
    with_bands,
)
from tuning.ui import theme
from tuning.ui.widgets import TextField, button, in_scroll, label, separator
from tuning.ui.workspace import Workspace

THRESHOLDS = "Thresholds"
FOLDERS = (BACKUP_FOLDER, WATCHED_FOLDER)
SHOWN = 12
"""Altered verdicts that are told one by one."""


class PreferencesDialog(QDialog):
    """Nothing is taken over before "Apply"; a field out of bounds says what would be accepted."""

    def __init__(self, parent: QWidget | None, space: Workspace) -> None:
        super().__init__(parent)
        self._space = space
        self.changes: dict[str, Any] = {}
        self.setWindowTitle("Preferences")
        self.resize(1000, 700)
        self.fields: dict[str, QWidget] = {}
        self.sections = QListWidget()
        self.sections.setFixedWidth(180)
        self.sections.setFont(theme.font(theme.BODY))
        self.sections.setAccessibleName("Sections")
        self.pages = QStackedWidget()
        for section in (*SECTIONS, THRESHOLDS):
            self.sections.addItem(section)
            self.pages.addWidget(in_scroll(self._page(section)))
        self.sections.currentRowChanged.connect(self.pages.setCurrentIndex)
        self.effect = label("", wrap=True)
        self.effect.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.wrong = label("", role="caution", wrap=True)
        self.reason = TextField()
        self.reason.setPlaceholderText("Why (saved in the audit trail)")
        self.reason.setAccessibleName("Reason for the change")
        self.take = button("Apply", self.take_over, "primary")
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.setInterval(150)
        self._soon.timeout.connect(self.show_effect)
        self._build()
        self.sections.setCurrentRow(0)
        self.show_effect()

    def _build(self) -> None:
        body = QHBoxLayout()
        body.setSpacing(20)
        body.addWidget(self.sections)
        body.addWidget(self.pages, 1)
        row = QHBoxLayout()
        row.addWidget(self.reason, 1)
        row.addWidget(button("Close", self.reject))
        row.addWidget(self.take)
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 16, 20, 16)
        column.setSpacing(8)
        column.addLayout(body, 1)
        column.addWidget(separator())
        column.addWidget(self.effect)
        column.addWidget(self.wrong)
        column.addLayout(row)

    # fields

    def _page(self, section: str) -> QWidget:
        inner = QWidget()
        column = QVBoxLayout(inner)
        column.setSpacing(4)
        if section == THRESHOLDS:
            self._thresholds(column)
        for one in DECLARED:
            if one.section == section:
                self._add(column, one, one.read(self._space.settings.values))
        column.addStretch(1)
        return inner

    def _thresholds(self, column: QVBoxLayout) -> None:
        note = (
            "The difference that matters, by measure; 0 for none. A change shows below which past verdicts it alters."
        )
        column.addWidget(label(note, role="muted", wrap=True))
        self.search = TextField()
        self.search.setPlaceholderText("Find a measure")
        self.search.setAccessibleName("Find a measure")
        column.addWidget(self.search)
        rows: list[tuple[str, QWidget]] = []
        for measure in self._space.shipped.measures.values():
            if measure.sem <= 0:
                continue
            now = self._space.knowledge.measures[measure.id].band or 0.0
            row = QWidget()
            inner = QVBoxLayout(row)
            inner.setContentsMargins(0, 0, 0, 0)
            inner.setSpacing(0)
            self._add(inner, band_of(measure), now)
            rows.append((measure.name.lower(), row))
            column.addWidget(row)
        self.search.textChanged.connect(lambda text: _narrow(rows, text))

    def _add(self, column: QVBoxLayout, one: Preference, now: Any) -> None:
        made = self._field(one, now)
        made.setAccessibleName(one.name)
        made.setToolTip(one.help)
        self.fields[one.key] = made
        restart = " Shows after the next start." if one.restart else ""
        words = QVBoxLayout()
        words.setSpacing(2)
        words.addWidget(label(one.name, theme.BODY))
        words.addWidget(label(f"{one.help}{restart}", role="muted", wrap=True))
        made.setMinimumWidth(160)
        line = QHBoxLayout()
        line.setContentsMargins(0, 4, 0, 8)
        line.setSpacing(24)
        line.addLayout(words, 3)
        line.addWidget(made, 2, Qt.AlignmentFlag.AlignVCenter)
        if one.key in FOLDERS:
            line.addWidget(button("Choose…", partial(self._choose_folder, one)))
        column.addLayout(line)

    def _field(self, one: Preference, now: Any) -> QWidget:
        put: Callable[[Any], None] = partial(self.set_value, one)
        if one.type is Type.CHOICE:
            choice = QComboBox()
            for value, words in one.options.items():
                choice.addItem(words, value)
            choice.setCurrentIndex(list(one.options).index(now))
            choice.activated.connect(lambda _: put(choice.currentData()))
            return choice
        if one.type is Type.SWITCH:
            switch = QCheckBox("on")
            switch.setFont(theme.font())
            switch.setChecked(now)
            switch.toggled.connect(put)
            return switch
        if one.type is Type.NUMBER:
            number = QDoubleSpinBox()
            number.setRange(one.low, one.high)
            number.setDecimals(1)
            number.setValue(now)
            number.setSuffix(f" {one.unit}" if one.unit else "")
            number.valueChanged.connect(put)
            return number
        if one.key in FOLDERS:
            line = TextField()
            line.setText(now)
            line.textChanged.connect(put)
            return line
        text = QPlainTextEdit(now)
        text.setFixedHeight(90)
        text.textChanged.connect(lambda: put(text.toPlainText()))
        return text

    def _choose_folder(self, one: Preference) -> None:
        found = QFileDialog.getExistingDirectory(self, one.name)
        line = self.fields[one.key]
        if found and isinstance(line, TextField):
            line.setText(found)

    # what a change does

    def set_value(self, one: Preference, value: Any) -> None:
        """Another value, not yet taken over; back to the present one it is no change."""
        try:
            checked = one.checked(value)
        except TuningError as err:
            self.wrong.setText(str(err))
            return
        self.wrong.setText("")
        if checked == self._now(one):
            self.changes.pop(one.key, None)
        else:
            self.changes[one.key] = checked
        self._soon.start()

    def _now(self, one: Preference) -> Any:
        if one.key.startswith(BAND):
            return self._space.knowledge.measures[one.key.removeprefix(BAND)].band or 0.0
        return one.read(self._space.settings.values)

    def effects(self) -> list[tuple[str, VerdictChange]]:
        """Every past verdict, of everybody, that the changes would alter, with the name of the person."""
        if not any(key == RULE or key.startswith(BAND) for key in self.changes):
            return []
        space = self._space
        values = {**space.settings.values, **self.changes}
        before = (space.knowledge.measures, space.rule)
        after = (with_bands(space.shipped.measures, values), TrialRule(BY_KEY[RULE].read(values)))
        ids = {m for m in after[0] if after[0][m] != before[0][m]}
        if before[1] != after[1]:
            ids |= {m.id for m in after[0].values() if m.by_clinic_rule}
        found = []
        for case in space.record.cases_with(ids):
            found += [(case.patient.name, one) for one in altered(case, before, after)]
        return found

    def show_effect(self) -> None:
        """Say what would change before it does."""
        self._soon.stop()
        self.take.setEnabled(bool(self.changes))
        if not self.changes:
            self.effect.setText("Nothing is changed yet.")
            return
        try:
            found = self.effects()
        except TuningError as err:
            self.effect.setText(str(err))
            return
        people = len({name for name, _ in found})
        whose = f"of {people} {'person' if people == 1 else 'people'}"
        count = f"{len(found)} past {'verdict' if len(found) == 1 else 'verdicts'} {whose} would change"
        lines = [f"{name}: {one.sentence}." for name, one in found[:SHOWN]]
        more = [f"and {len(found) - SHOWN} more."] if len(found) > SHOWN else []
        judged = any(key == RULE or key.startswith(BAND) for key in self.changes)
        head = (f"{count}." if found else "No past verdict changes.") if judged else "No verdict depends on it."
        self.effect.setText("\n".join([head, *lines, *more]))

    def take_over(self) -> None:
        """Keep the changes; another band or rule needs a reason."""
        judged = [key for key in self.changes if key == RULE or key.startswith(BAND)]
        if judged and not self.reason.text().strip():
            self.wrong.setText("Say why: another rule or threshold changes what past values mean.")
            self.reason.setFocus()
            return
        try:
            self._space.set_preferences(self.changes, self.reason.text())
        except TuningError as err:
            self.wrong.setText(str(err))
            return
        self.accept()


def _narrow(rows: list[tuple[str, QWidget]], text: str) -> None:
    for name, row in rows:
        row.setVisible(text.lower() in name)
