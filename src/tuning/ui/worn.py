"""Says what is worn in the tests from now on: every value taken carries it until it is taken off."""

from __future__ import annotations

from PyQt6.QtWidgets import QWidget

from tuning.core.entries import Form
from tuning.core.errors import BadInput
from tuning.core.intake.worn import KIND, NOTHING, THINGS, worn_now
from tuning.core.types import Side
from tuning.ui.patient_forms import FieldsDialog
from tuning.ui.workspace import Workspace

SIDES = (Side.LEFT, Side.RIGHT, Side.BOTH)


class WornDialog(FieldsDialog):
    """Thing and side."""

    def __init__(self, parent: QWidget | None, space: Workspace) -> None:
        super().__init__(parent, "Worn in the tests from now on", "Keep")
        self._space = space
        assert space.case is not None
        what, side = worn_now(space.case)
        self.what = self.choice("Worn", [NOTHING, *THINGS])
        self.side = self.choice("Side", [one.value for one in SIDES])
        self.what.setCurrentText(what or NOTHING)
        self.side.setCurrentText((side if side in SIDES else Side.BOTH).value)

    def check(self) -> None:
        """Keep it. Raises TuningError where it cannot be kept."""
        what = self.what.currentText()
        if what not in (NOTHING, *THINGS):
            raise BadInput(f"Worn: choose one of {', '.join(THINGS)}.")
        with self._space.action("what is worn in the tests") as act:
            act.add(Form(KIND, {"what": what, "side": self.side.currentText()}))
