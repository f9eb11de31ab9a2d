"""What somebody says of a clip: the one thing that was changed in it, the load of a bar, how the feet stood."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QWidget

from tuning.core.errors import BadInput
from tuning.core.movement.causes import SHIFT, Cause, causes
from tuning.core.types import Observation
from tuning.core.units import parse_number
from tuning.ui.picture.following import Following
from tuning.ui.widgets import EntryField
from tuning.ui.workspace import Workspace


def found_causes(space: Workspace) -> list[Cause]:
    """Each changed clip of the visit against the newest plain one."""
    seen = [o for o in space.entries(Observation) if o.measure_id == SHIFT and o.measured is not None and o.capture]
    plain = [o for o in seen if not o.setup.changed]
    if not plain:
        return []
    changed = {o.setup.changed: o for o in seen if o.setup.changed}
    return causes(space.knowledge.measures[SHIFT], plain[-1], changed)


class ChangedBox(QComboBox):
    """Says what was changed in the open clip; kept with the clip and with everything measured in it."""

    def __init__(self, space: Workspace, following: Following) -> None:
        super().__init__()
        self._space, self._following = space, following
        self.addItem("squatted as usual", "")
        for test in space.knowledge.tests.values():
            for question in test.questions if test.finds_cause else ():
                self.addItem(f"changed: {question.text.lower()}", question.key)
        self.setAccessibleName("What was changed in this clip")
        self.activated.connect(lambda _: self._keep())

    def refresh(self) -> None:
        """Follow the record."""
        self.setCurrentIndex(max(0, self.findData(self._following.facts().setup.changed)))

    def _keep(self) -> None:
        facts = self._following.facts()
        if self._following.capture is not None:
            setup = replace(facts.setup, changed=self.currentData())
            self._following.say(replace(facts, setup=setup), "what was changed")


MOST_LOAD_KG, MOST_TURN_OUT_DEG = 400.0, 60.0
"""Beyond these a typed number is a slip (practice judgement, editable)."""


class StanceFields(QWidget):
    """Bar load and turn-out of the feet in a squat from the side: both change what the picture says."""

    def __init__(self, space: Workspace, following: Following) -> None:
        super().__init__()
        self._space, self._following = space, following
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        self.load = self._field("bar, kg", "Load of the bar, kilograms", "load_kg")
        self.turn_out = self._field("feet out, °", "Feet turned out, degrees", "turn_out_deg")
        for field in (self.load, self.turn_out):
            row.addWidget(field)

    def _field(self, hint: str, name: str, fact: str) -> EntryField:
        field = EntryField()
        field.setFixedWidth(86)
        field.setPlaceholderText(hint)
        field.setToolTip(f"{name}. Enter keeps it; empty means not told.")
        field.setAccessibleName(name)
        field.editingFinished.connect(lambda: self._keep(fact, field.text().strip()))
        return field

    def refresh(self) -> None:
        """Follow the record; what is being typed stays."""
        setup = self._following.facts().setup
        for field, value, unit in ((self.load, setup.load_kg, " kg"), (self.turn_out, setup.turn_out_deg, "°")):
            if not field.isModified():
                field.setText("" if value is None else f"{value:g}{unit}")

    def _keep(self, fact: str, text: str) -> None:
        field = self.load if fact == "load_kg" else self.turn_out
        if not field.isModified() or self._following.capture is None:
            return
        try:
            value = self._parsed(fact, text) if text else None
        except BadInput as err:
            self._space.refused.emit(str(err))
            field.selectAll()
            return
        facts = self._following.facts()
        told: dict[str, Any] = {fact: value}
        said = "bar load" if fact == "load_kg" else "turn-out of the feet"
        if self._following.say(replace(facts, setup=replace(facts.setup, **told)), said):
            field.setModified(False)
            self.refresh()

    @staticmethod
    def _parsed(fact: str, text: str) -> float:
        if fact == "load_kg":
            value = parse_number(text, "kg", {"kg": 1.0}, "bar load")
            if not 0 <= value <= MOST_LOAD_KG:
                raise BadInput(f"A bar load lies between 0 and {MOST_LOAD_KG:.0f} kg.")
            return value
        value = parse_number(text, "°", {"°": 1.0}, "turn-out")
        if abs(value) > MOST_TURN_OUT_DEG:
            raise BadInput(f"Feet turn out at most {MOST_TURN_OUT_DEG:.0f}°.")
        return value
