"""The one thing that was changed in a clip, and what the changes of a visit did."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtWidgets import QComboBox

from tuning.core.movement.cue_effects import SHIFT, CueEffect, causes
from tuning.core.types import Observation
from tuning.ui.picture.tracking_state import TrackingState
from tuning.ui.workspace import Workspace


def found_causes(space: Workspace) -> list[CueEffect]:
    """Each changed clip of the visit against the newest plain one."""
    seen = [o for o in space.entries(Observation) if o.measure_id == SHIFT and o.measured is not None and o.capture]
    plain = [o for o in seen if not o.setup.changed]
    if not plain:
        return []
    changed = {o.setup.changed: o for o in seen if o.setup.changed}
    return causes(space.knowledge.measures[SHIFT], plain[-1], changed)


class ChangedBox(QComboBox):
    """Says what was changed in the open clip; kept with the clip and with everything measured in it."""

    def __init__(self, space: Workspace, following: TrackingState) -> None:
        super().__init__()
        self._space, self._following = space, following
        self.setMaximumWidth(176)
        self.addItem("nothing changed", "")
        for change in space.knowledge.reasoning.changes.values():
            self.addItem(f"changed: {change.name}", change.id)
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
