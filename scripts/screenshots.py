"""Takes the pictures in docs/screenshots from the demo clinic: `python scripts/screenshots.py [FOLDER]`."""

from __future__ import annotations

import os
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PyQt6.QtCore import QDeadlineTimer, QEventLoop
from PyQt6.QtWidgets import QApplication, QWidget

from tuning.core.test_definitions import TestDefinition
from tuning.demo.clinic import build_clinic
from tuning.demo.devices import simulated_devices
from tuning.ui import theme
from tuning.ui.app import build_window, open_record
from tuning.ui.preferences import PreferencesDialog
from tuning.ui.reports.dialog import ReportDialog
from tuning.ui.visit_order.dialog import PlanDialog
from tuning.ui.window import MainWindow

if any(word.startswith("-") for word in sys.argv[1:]):
    sys.exit(__doc__)
TARGET = Path(sys.argv[1] if len(sys.argv) > 1 else Path(__file__).parent.parent / "docs" / "screenshots")


def settle(milliseconds: int = 700) -> None:
    """Let frames arrive and layouts settle."""
    deadline = QDeadlineTimer(milliseconds)
    while not deadline.hasExpired():
        QApplication.processEvents(QEventLoop.ProcessEventsFlag.AllEvents, 20)


def safety_leaf(window: MainWindow) -> None:
    """The safety screen."""
    window.page("intake").open_leaf("Safety")


def middle_of_stance(window: MainWindow) -> None:
    """The middle of a left stance."""
    window.page("movement").bench.go(60)
    settle(1500)


def arrived(window: MainWindow) -> None:
    """A clip whose frame is on the screen."""
    settle(1500)


def whole_visit(window: MainWindow) -> QWidget:
    """The order of a first visit."""
    window.order.choose(list(window.order.templates()[-1].tests))
    return PlanDialog(window, window.workspace, window.order, window.stages)


def pushing(window: MainWindow) -> None:
    """The plates in the middle of a push."""
    window.page("force").state.choose("squat-iso")
    window.page("force").state.reason = "isometric and pain-free, no jump"
    window.page("force").toggle_record()
    settle(4200)


def a_letter(window: MainWindow) -> QWidget:
    """The summary, ready to be kept."""
    return ReportDialog(window, window.workspace)


def another_band(window: MainWindow) -> QWidget:
    """A threshold about to be changed, with what it would alter."""
    dialog = PreferencesDialog(window, window.workspace)
    dialog.sections.setCurrentRow(dialog.sections.count() - 1)
    dialog.search.setText("knee to wall")
    dialog.fields["band.knee-to-wall"].setValue(20.0)
    dialog.show_effect()
    return dialog


SHOTS: tuple[tuple[str, str, str, Callable[[MainWindow], QWidget | None]], ...] = (
    ("intake", "glassblower", "intake", lambda w: w.page("intake").open_leaf("Shoes")),
    ("safety", "choir conductor", "intake", safety_leaf),
    ("standing", "choir conductor", "standing", lambda w: w.page("standing").open_test(test(w, "knee-crease-level"))),
    ("mobility", "glassblower", "mobility", lambda w: w.page("mobility").open_test(test(w, "knee-to-wall"))),
    ("picture-rear", "glassblower", "movement", middle_of_stance),
    ("picture-front", "potter", "movement", arrived),
    ("strength", "glassblower", "strength", lambda w: w.page("strength").state.choose("hip-er:left")),
    ("visit-plan", "ferry deckhand", "strength", whole_visit),
    ("force-live", "glassblower", "force", pushing),
    ("force-all", "glassblower", "force", lambda w: w.page("force").show_view("All tests")),
    ("reasoning", "glassblower", "reasoning", lambda w: w.page("reasoning").state.choose(pattern=3)),
    ("programme", "glassblower", "programme", lambda w: w.page("programme").open_view(0)),
    ("programme-week", "glassblower", "programme", lambda w: w.page("programme").open_view(1)),
    ("programme-session", "glassblower", "programme", lambda w: w.page("programme").open_view(2)),
    ("programme-log", "glassblower", "programme", lambda w: w.page("programme").open_view(3)),
    ("review", "glassblower", "review", lambda w: w.page("review").list.setFocus()),
    ("letter", "glassblower", "review", a_letter),
    ("preferences", "glassblower", "review", another_band),
)
"""File, patient, stage and what is done there; a returned dialog is taken in place of the window."""


def test(window: MainWindow, name: str) -> TestDefinition:
    """A test by its id."""
    return window.workspace.knowledge.tests[name]


def take(widget: QWidget, name: str) -> None:
    """Keep the picture of a widget once it stands still; what goes on moving is taken as it is after a second."""
    before, now = None, widget.grab().toImage()
    for _ in range(5):
        if now == before:
            break
        settle(200)
        before, now = now, widget.grab().toImage()
    now.save(str(TARGET / f"{name}.png"))


def main() -> None:
    """One picture a main view."""
    app = QApplication([])
    theme.apply(app)
    TARGET.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as folder:
        build_clinic(Path(folder))
        window = build_window(open_record(Path(folder)), lambda _: simulated_devices())
        window.resize(1280, 800)
        window.show()
        settle()
        take(window, "day-list")
        people = {p.occupation: p for p in window.workspace.record.patients()}
        for name, occupation, stage, prepare in SHOTS:
            window.open_patient(people[occupation])
            window.go(stage)
            settle()
            dialog = prepare(window)
            if dialog is not None:
                dialog.show()
            settle()
            take(dialog or window, name)
            if dialog is not None:
                dialog.close()
            window.page("force").leave()
        window.close()
        for left in app.topLevelWidgets():  # gone before the application is
            left.deleteLater()
        settle(100)


if __name__ == "__main__":
    main()
