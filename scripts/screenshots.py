"""Takes the pictures in docs/screenshots from the demo clinic: `python scripts/screenshots.py [FOLDER]`."""

from __future__ import annotations

import os
import sys
import tempfile
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PyQt6.QtCore import QDeadlineTimer, QEventLoop
from PyQt6.QtWidgets import QApplication

from tuning.core.types import Side
from tuning.demo.clinic import build_clinic
from tuning.ui import theme
from tuning.ui.app import open_window
from tuning.ui.order.dialog import PlanDialog
from tuning.ui.picture.before_after import BeforeAfter, takes

TARGET = Path(sys.argv[1] if len(sys.argv) > 1 else Path(__file__).parent.parent / "docs" / "screenshots")


def settle(app: QApplication, milliseconds: int = 700) -> None:
    """Let frames arrive and layouts settle."""
    deadline = QDeadlineTimer(milliseconds)
    while not deadline.hasExpired():
        app.processEvents(QEventLoop.ProcessEventsFlag.AllEvents, 20)


def main() -> None:
    """One picture a main view."""
    app = QApplication([])
    theme.apply(app)
    TARGET.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as folder:
        build_clinic(Path(folder))
        window = open_window(Path(folder))
        window.resize(1280, 800)
        window.show()
        settle(app)
        window.grab().save(str(TARGET / "day-list.png"))
        people = {p.occupation: p for p in window.workspace.record.patients()}
        for occupation, stage, name in (
            ("glassblower", "intake", "intake"),
            ("choir conductor", "intake", "safety"),
            ("choir conductor", "standing", "standing"),
            ("choir conductor", "standing", "standing-photo"),
            ("glassblower", "mobility", "mobility"),
            ("glassblower", "movement", "picture-rear"),
            ("glassblower", "movement", "before-after"),
            ("potter", "movement", "picture-front"),
            ("choir conductor", "movement", "picture-side"),
            ("ferry deckhand", "movement", "movement-eye"),
            ("glassblower", "strength", "strength"),
            ("glassblower", "strength", "strength-profile"),
            ("ferry deckhand", "strength", "visit-plan"),
            ("glassblower", "force", "force-live"),
            ("glassblower", "force", "force-trace"),
            ("glassblower", "force", "force-all"),
            ("glassblower", "programme", "programme"),
        ):
            window.open_patient(people[occupation])
            window.go(stage)
            if name == "intake":
                window.intake.open_leaf("Shoes")
            if name == "safety":
                window.intake.open_leaf("Safety")
            if name == "standing":
                window.standing.open_test(window.workspace.knowledge.tests["knee-crease-level"])
            if name == "standing-photo":
                window.standing.show_bench()
            if name == "mobility":
                window.mobility.open_test(window.workspace.knowledge.tests["knee-to-wall"])
            settle(app)
            if name == "movement-eye":
                window.moving.show_walk()
                window.moving.open_test(window.workspace.knowledge.tests["step-down"])
            if name == "picture-rear":  # in the middle of a left stance
                window.movement.go(60)
            if name.startswith("picture"):
                settle(app, 1500)
            settle(app, 300)
            if name == "before-after":
                movement = window.movement
                found = takes(window.workspace, "rear", "rear-gait", Side.NONE)
                dialog = BeforeAfter(movement, window.workspace, found[-1], found[:-1])
                dialog.resize(1280, 800)
                dialog.show()
                settle(app)
                dialog.grab().save(str(TARGET / f"{name}.png"))
                dialog.close()
                continue
            if name == "force-live":
                window.force.state.choose("squat-iso")
                window.force.state.reason = "isometric and pain-free, no jump"
                window.force.toggle_record()
                settle(app, 4200)
            if name == "force-trace":
                window.force.show_view("Trace")
                window.force.trace.look_at(1.8, 2.6)
            if name == "force-all":
                window.force.show_view("All tests")
            if name == "strength":
                window.strength.state.choose("hip-er:left")
            if name == "strength-profile":
                window.strength.toggle_summary()
            settle(app, 300)
            if name == "visit-plan":
                window.order.choose(list(window.order.templates()[-1].tests))
                plan = PlanDialog(window, window.workspace, window.order)
                plan.show()
                settle(app)
                plan.grab().save(str(TARGET / f"{name}.png"))
                plan.close()
                continue
            window.grab().save(str(TARGET / f"{name}.png"))
            if name == "strength-profile":
                window.strength.toggle_summary()
            window.force.stop()
        window.close()


main()
