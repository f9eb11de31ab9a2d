"""Beside the picture: what to mark next, the references, and what the marks say."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QPushButton, QScrollArea, QVBoxLayout, QWidget

from tuning.core.errors import BadInput
from tuning.core.judging.measures import Measure
from tuning.core.judging.verdict import Z95
from tuning.core.pictures.landmarks import landmark_name
from tuning.core.pictures.marks import CLICK_SD_PX, UNLEVELLED_SD_DEG, Level, MarkReading, PictureKind
from tuning.core.types import LEGS, NotMeasured, Side
from tuning.core.units import format_signed, parse_length, sentence_case, unit_suffix
from tuning.ui import theme
from tuning.ui.picture.mark_state import LENGTH, REFERENCES, MarkState
from tuning.ui.symbols import SideSign
from tuning.ui.widgets import TextField, button, clear_layout, label, separator, set_role

DEVIATION = "-deviation"


class SidePanel(QWidget):
    """Three blocks: marks, references, readings."""

    def __init__(self, board: MarkState, measures: dict[str, Measure]) -> None:
        super().__init__()
        self.board, self._measures = board, measures
        self.setFixedWidth(344)
        self._buttons: dict[str, QPushButton] = {}
        self._picture_kind: PictureKind | None = None
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        self.next = label("", theme.BODY, bold=True, role="accent", wrap=True)
        column.addWidget(self.next)
        self._grid = QGridLayout()
        self._grid.setHorizontalSpacing(8)
        self._grid.setVerticalSpacing(2)
        column.addLayout(self._grid)
        self._build_references(column)
        self._build_readings(column)
        # Many changes in one go (a drag, a commit) are shown once.
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.timeout.connect(self.refresh)
        board.changed.connect(self._soon.start)

    def _build_references(self, column: QVBoxLayout) -> None:
        column.addWidget(separator())
        column.addWidget(label("Level and length", bold=True))
        row = QHBoxLayout()
        row.setSpacing(6)
        for what, tip in (
            (Level.PLUMB.value, "Mark two points of something that hangs or stands upright"),
            (Level.FLOOR.value, "Counts only when the camera stands square to it"),
            (LENGTH, "Mark the two ends of a known length in the plane of the marks"),
        ):
            self._buttons[what] = button(what, partial(self._choose, what), tip=tip)
            self._buttons[what].setStyleSheet("padding: 5px 8px;")
            row.addWidget(self._buttons[what])
        self.length = TextField()
        self.length.setPlaceholderText("40 cm")
        self.length.setAccessibleName("True length")
        self.length.setMaximumWidth(76)
        self.length.textChanged.connect(self._length_typed)
        row.addWidget(self.length)
        column.addLayout(row)
        self.level_text = label(role="muted", wrap=True)
        column.addWidget(self.level_text)
        column.addWidget(separator())

    def _build_readings(self, column: QVBoxLayout) -> None:
        self._readings = QVBoxLayout()
        self._readings.setSpacing(0)
        self.note = label(role="muted", wrap=True)
        inner = QWidget()
        list_column = QVBoxLayout(inner)
        list_column.setContentsMargins(0, 0, 8, 0)
        list_column.setSpacing(6)
        self.over_clip = QVBoxLayout()
        self.over_clip.setSpacing(2)
        list_column.addLayout(self.over_clip)
        self.readings_head = label("What these markers show", bold=True)
        list_column.addWidget(self.readings_head)
        list_column.addLayout(self._readings)
        list_column.addWidget(self.note)
        list_column.addStretch(1)
        area = QScrollArea()
        area.setWidget(inner)
        area.setWidgetResizable(True)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        column.addWidget(area, 1)

    def _choose(self, key: str) -> None:
        self.board.choose(key)
        if key == LENGTH and self.board.length_m <= 0:
            self.length.setFocus()

    def _length_typed(self, text: str) -> None:
        try:
            self.board.length_m = parse_length(text, "cm") if text.strip() else 0.0
            self.length.setToolTip("")
            set_role(self.length, wrong=False)
        except BadInput as err:
            self.board.length_m = 0.0
            self.length.setToolTip(str(err))

    def _build_marks(self) -> None:
        clear_layout(self._grid)
        self._picture_kind = self.board.picture_kind
        self._buttons = {key: made for key, made in self._buttons.items() if key in REFERENCES}
        first = self._first_side()
        middle = [n for n in self.board.landmarks() if not n.endswith(("_left", "_right"))]
        for column, side in enumerate((first, first.other)):
            head = QHBoxLayout()
            head.setSpacing(8)
            head.addWidget(SideSign(side, 6))
            head.addWidget(label(side.value, role=side.value))
            head.addStretch(1)
            names = [n for n in self.board.landmarks() if n.endswith(f"_{side.value}")]
            if names:
                self._grid.addLayout(head, 0, column)
            for line, name in enumerate(names, start=1):
                self._grid.addWidget(self._mark_button(name, f"{landmark_name(name)}, {side.value}"), line, column)
        first_free = 1 + len(self.board.landmarks()) // 2
        for n, name in enumerate(middle):
            self._grid.addWidget(self._mark_button(name, landmark_name(name)), first_free + n // 2, n % 2)

    def _first_side(self) -> Side:
        """The side in the left column: the one on the left of the picture."""
        left = self.board.picture_kind.image_left
        return Side.LEFT if left is Side.NONE else left

    def _mark_button(self, name: str, spoken: str) -> QPushButton:
        made = button(landmark_name(name), partial(self._choose, name), "link")
        tight = len(self.board.landmarks()) > 12
        made.setFixedHeight(24 if tight else 32)
        if tight:
            made.setStyleSheet("padding: 0 4px; min-height: 22px;")
        made.setAccessibleName(spoken)
        self._buttons[name] = made
        return made

    def refresh(self) -> None:
        """Follow the board."""
        board = self.board
        if board.capture is None:
            return
        if self._picture_kind is not board.picture_kind:
            self._build_marks()
        points = board.points()
        for key, made in self._buttons.items():
            if key in board.landmarks():
                made.setText(("● " if key in points else "○ ") + landmark_name(key))
            chosen = board.chosen.split(":")[0] == key
            if made.property("chosen") != chosen:
                set_role(made, chosen=chosen)
        self.next.setText(self._next_words())
        self._show_level()
        self._show_readings(board.readings())

    def _next_words(self) -> str:
        board = self.board
        key = board.chosen.split(":")[0]
        if not key:
            return "All marks that the measures need are placed"
        if key in (Level.PLUMB.value, Level.FLOOR.value, LENGTH):
            return f"Click both ends of the {key}" if board.waiting else f"{key}: drag or nudge an end"
        side = next((s.value for s in LEGS if key.endswith(s.value)), "")
        verb = "Click" if board.waiting else "Placed:"
        if board.optional and board.waiting:
            verb = "If it is seen (Escape leaves it out):"
        return f"{verb} {landmark_name(key)}, {side}" if side else f"{verb} {landmark_name(key)}"

    def _show_level(self) -> None:
        context = self.board.context()
        if context.level is None:
            more = Z95 * UNLEVELLED_SD_DEG
            text = (
                f"No level reference: tilts are not corrected for camera roll and carry ±{more:.1f}° for it. "
                "Joint angles do not need it."
            )
        else:
            lean = context.level.roll()
            way = "clockwise" if lean > 0 else "anticlockwise"
            text = (
                f"By the {context.level.kind.value} the picture is turned {abs(lean):.1f}° {way}; tilts are corrected."
            )
            if context.level.kind is Level.FLOOR:
                text += " A floor edge counts only when the camera stands square to it."
        if context.scale is not None:
            text += f" Length {100 * context.scale.length_m:.4g} cm marked."
        self.level_text.setText(text)

    def _show_readings(self, readings: list[MarkReading]) -> None:
        clear_layout(self._readings)
        by_id: dict[str, dict[Side, MarkReading]] = {}
        for reading in readings:
            by_id.setdefault(reading.measure_id, {})[reading.side] = reading
        for measure_id, sides in by_id.items():
            if measure_id.endswith(DEVIATION) and measure_id.removesuffix(DEVIATION) in by_id:
                continue  # told in words beside its angle
            deviations = by_id.get(f"{measure_id}{DEVIATION}", {})
            self._readings.addWidget(ReadingRow(self._measures[measure_id], sides, deviations, self._first_side()))
        notes = dict.fromkeys(r.note for r in readings if r.note and not r.note.startswith("no level"))
        waiting = "" if readings else "Nothing yet: a measure appears as soon as its own marks are placed."
        self.note.setText(waiting or "; ".join(notes))


class ReadingRow(QWidget):
    """One measure: a value a side with the error that marking adds."""

    def __init__(
        self, measure: Measure, sides: dict[Side, MarkReading], deviations: dict[Side, MarkReading], first: Side
    ) -> None:
        super().__init__()
        self._measure, self._sides = measure, sides
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setObjectName("reading")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setAccessibleName(measure.name)
        self.setToolTip("F1: how this was worked out")
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 6, 0, 4)
        column.setSpacing(0)
        column.addWidget(label(measure.name))
        refusals = {r.value.detail for r in sides.values() if isinstance(r.value, NotMeasured)}
        if len(refusals) == 1 and all(isinstance(r.value, NotMeasured) for r in sides.values()):
            column.addWidget(label(f"not measured: {refusals.pop()}", role="muted", wrap=True))
            return
        row = QHBoxLayout()
        row.setSpacing(8)
        for side in (Side.NONE, first, first.other):
            if side not in sides:
                continue
            if side is not Side.NONE:
                row.addWidget(SideSign(side, 6))
            unit = unit_suffix(measure.unit)
            row.addLayout(self._value(sides[side], deviations.get(side), unit), 1)
        row.addStretch(0)
        column.addLayout(row)

    @property
    def title(self) -> str:
        """Heading of the explanation."""
        return self._measure.name

    def explanation(self) -> str:
        """What F1 shows: definition, sign, marks and the error that placing them adds."""
        m = self._measure
        lines = [m.definition, f"Sign: {m.sign}."]
        for side, reading in self._sides.items():
            name = "Value" if side is Side.NONE else sentence_case(side.value)
            if isinstance(reading.value, NotMeasured):
                lines.append(f"{name}: not measured, {reading.value.detail}.")
                continue
            marks = ", ".join(_spoken(mark) for mark in reading.marks)
            note = f" {sentence_case(reading.note)}." if reading.note else ""
            lines.append(
                f"{name}: {format_signed(reading.value, m.decimals)} {m.unit} from {marks}; placing the marks adds "
                f"±{reading.expected_error or 0:.1f} {m.unit} (95 %).{note}"
            )
        lines.append("The marking error comes from the distance between the marks and the click error of a mark")
        lines[-1] += f" ({CLICK_SD_PX:g} px, SD per axis, practice judgement, editable; more when zoomed out)."
        lines.append(f"Error of the method, used for the verdict: SEM {m.sem:g} {m.comparison_unit} ({m.sem_source}).")
        return "\n\n".join(lines)

    def _value(self, reading: MarkReading, deviation: MarkReading | None, unit: str) -> QVBoxLayout:
        box = QVBoxLayout()
        box.setSpacing(0)
        if isinstance(reading.value, NotMeasured):
            box.addWidget(label(f"not measured: {reading.value.detail}", role="muted", wrap=True))
            return box
        line = QHBoxLayout()
        line.setSpacing(6)
        value = label(f"{format_signed(reading.value, 1)}{unit}", theme.LARGE)
        value.setObjectName(f"value-{reading.measure_id}-{reading.side.value}")
        line.addWidget(value)
        line.addWidget(label(f"±{reading.expected_error or 0:.1f}", role="muted"))
        line.addStretch(1)
        box.addLayout(line)
        meaning = _meaning(reading, deviation)
        if meaning:
            box.addWidget(label(meaning, role="muted"))
        return box


def _spoken(mark: str) -> str:
    """A landmark with its side in words."""
    side = mark.rpartition("_")[2]
    return f"{landmark_name(mark)} {side}" if side in ("left", "right") else landmark_name(mark)


def _meaning(reading: MarkReading, deviation: MarkReading | None) -> str:
    """Which way the number points, in words."""
    if deviation is None or not isinstance(deviation.value, float) or abs(deviation.value) < 0.05:
        return reading.meaning
    return f"{deviation.meaning.replace('knee ', f'knee {abs(deviation.value):.1f}° ')}"
