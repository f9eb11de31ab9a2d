"""The number and the day of each surgeon's limit that was told: what they leave open stays open."""

from __future__ import annotations

from collections.abc import Mapping

from PyQt6.QtWidgets import QGridLayout, QWidget

from tuning.core.dates import named_day
from tuning.core.entries import Screen
from tuning.core.gate.limits import LimitFacts, limits_from_answers
from tuning.core.gate.triage import SafetyTable
from tuning.core.units import parse_number
from tuning.ui.widgets import TextField, label


class LimitFields(QWidget):
    """A line for every limit; hidden while its question is not yes."""

    def __init__(self, table: SafetyTable) -> None:
        super().__init__()
        self._table = table
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(10)
        grid.setVerticalSpacing(3)
        self.numbers: dict[str, TextField] = {}
        self.until: dict[str, TextField] = {}
        self._rows: dict[str, list[QWidget]] = {}
        for row, limit in enumerate(table.limits):
            number, until = TextField(), TextField()
            number.setPlaceholderText(f"to how many {limit.unit}?")
            number.setAccessibleName(f"Number of the limit: {limit.name}")
            until.setPlaceholderText("until when, for example 12.3.2027; asked again then")
            until.setAccessibleName(f"Day of the limit: {limit.name}")
            number.setFixedWidth(190)
            parts: list[QWidget] = [label(f"Limit: {limit.name}"), number, until]
            if not limit.unit:  # nothing fast knows no number
                parts.remove(number)
                number.hide()
            for part in parts:
                grid.addWidget(part, row, (0 if part is parts[0] else 2 if part is until else 1))
            self.numbers[limit.id], self.until[limit.id], self._rows[limit.id] = number, until, parts
        grid.setColumnStretch(2, 1)
        self.follow({})

    def follow(self, answers: Mapping[str, bool]) -> None:
        """Show the lines of the limits that are told."""
        told = limits_from_answers(answers)
        for key, parts in self._rows.items():
            for part in parts:
                part.setVisible(key in told)
        self.setVisible(bool(told))

    def show_screen(self, screen: Screen | None) -> None:
        """What a screen holds; nothing without one."""
        for key, line in self.numbers.items():
            number = screen.numbers.get(key) if screen is not None else None
            line.setText("" if number is None else f"{number:g}")
        for key, line in self.until.items():
            day = screen.until.get(key) if screen is not None else None
            line.setText("" if day is None else f"{day:%-d.%-m.%Y}")

    def facts(self) -> LimitFacts:
        """Numbers and days of the lines that are shown. Raises BadInput for what is neither."""
        numbers, until = {}, {}
        for limit in self._table.limits:
            number, day = self.numbers[limit.id], self.until[limit.id]
            if not number.isHidden() and number.text().strip():
                numbers[limit.id] = parse_number(number.text(), limit.unit, {limit.unit: 1.0}, limit.name)
            if not day.isHidden() and day.text().strip():
                until[limit.id] = named_day(day.text(), limit.name)
        return LimitFacts(numbers, until)
