"""How a clip was taken: everything that makes two clips alike or unlike, in one dialog."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from PyQt6.QtWidgets import QComboBox, QLineEdit, QWidget

from tuning.core.entries import Treatment
from tuning.core.intake.worn import THINGS, worn_words
from tuning.core.preferences import LENGTH_UNIT, MASS_UNIT
from tuning.core.types import LEGS, Setup, Side
from tuning.core.units import parse_load, parse_speed, parse_step_height, parse_turn_out, shown_length, shown_mass
from tuning.ui.patient_forms import FieldsDialog
from tuning.ui.picture.tracking_state import TrackingState
from tuning.ui.workspace import Workspace

NOT_TOLD = "not told"
GAITS, SHOES = ("walk", "run"), ("barefoot", "shod")
REACHES = ("forward", "to the side", "backward", "across behind")
NONE_BEFORE = "nothing"
KMH = 3.6


class TagsDialog(FieldsDialog):
    """Says how the open clip was taken; kept with the clip and with everything measured in it."""

    def __init__(self, parent: QWidget | None, space: Workspace, following: TrackingState) -> None:
        super().__init__(parent, "How this clip was taken", "Keep")
        self._following = following
        setup = following.facts().setup
        treatments = [entry.what for entry in space.entries(Treatment)]
        self.gait = self._choice("Walk or run", GAITS, setup.gait)
        self.speed = self._line("Speed", "9 km/h or 2.5 m/s", setup.speed_m_s and f"{setup.speed_m_s * KMH:.3g} km/h")
        self.shoes = self._choice("Shoes", SHOES, setup.shoes)
        worn = [worn_words(one, side) for one in THINGS for side in (*LEGS, Side.BOTH)]
        self.worn = self._choice("Worn", worn, setup.worn)
        self._mass, self._length = space.prefer(MASS_UNIT), space.prefer(LENGTH_UNIT)
        height = setup.step_height_m and shown_length(setup.step_height_m, self._length)
        self.step = self._line("Height of the step or seat", shown_length(0.2, self._length), height)
        self.reach = self._choice("Reach of the free leg", REACHES, setup.reach)
        load = setup.load_kg and shown_mass(setup.load_kg, self._mass)
        self.load = self._line("Load of a bar or weight", shown_mass(20, self._mass), load)
        self.stands(self.step, setup.step_height_m)
        self.stands(self.load, setup.load_kg)
        turn_out = None if setup.turn_out_deg is None else f"{setup.turn_out_deg:g}°"
        self.turn_out = self._line("Feet turned out", "15°", turn_out)
        self.band = self._line("Band", "light, above the knees", setup.band)
        self.cue = self._line("Cue that was given", "knee over the second toe", setup.cue)
        self.treatment = self._choice("Done just before", (*dict.fromkeys(treatments),), setup.treatment, NONE_BEFORE)
        if not treatments:
            self.treatment.setToolTip("Treatments of this visit are written down with F9")

    def _line(self, name: str, hint: str, value: str | float | None) -> QLineEdit:
        made = self.line(name, hint)
        made.setText(str(value or ""))
        return made

    def _choice(self, name: str, options: Sequence[str], value: str, none: str = NOT_TOLD) -> QComboBox:
        known = [*options, *([value] if value and value not in options else [])]
        made = self.choice(name, [none, *known])
        made.setCurrentText(value or none)
        return made

    def _chosen(self, box: QComboBox) -> str:
        return box.currentText() if box.currentIndex() > 0 else ""

    def setup(self) -> Setup:
        """The set-up as it is typed. Raises BadInput with what would be accepted."""
        speed, turn_out = self.speed.text().strip(), self.turn_out.text().strip()
        return replace(
            self._following.facts().setup,
            gait=self._chosen(self.gait),
            speed_m_s=parse_speed(speed) if speed else None,
            shoes=self._chosen(self.shoes),
            worn=self._chosen(self.worn),
            step_height_m=self.number(self.step, parse_step_height, self._length),
            reach=self._chosen(self.reach),
            load_kg=self.number(self.load, parse_load, self._mass),
            turn_out_deg=parse_turn_out(turn_out) if turn_out else None,
            band=self.band.text().strip(),
            cue=self.cue.text().strip(),
            treatment=self._chosen(self.treatment),
        )

    def check(self) -> None:
        """Keep what is typed; what cannot be read stays in its field. Raises BadInput."""
        facts = self._following.facts()
        self._following.say(replace(facts, setup=self.setup()), "how the clip was taken")
