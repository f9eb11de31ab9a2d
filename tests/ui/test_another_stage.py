"""A stage that nobody knows of, added by its page, its test and one row: the window takes it in everywhere."""

from __future__ import annotations

import shutil
from dataclasses import replace

import hands
import numpy as np
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QAbstractButton, QListWidget, QVBoxLayout

from tuning.core.next_step import NextStep, missing_side, rows_of
from tuning.core.target import Target
from tuning.core.types import Observation, Side
from tuning.demo.devices import simulated_devices
from tuning.knowledge import load
from tuning.records import Record
from tuning.ui.actions import CommandList
from tuning.ui.stage import StageAction, StagePage, StageSpec
from tuning.ui.stages import STAGES
from tuning.ui.visit_order.dialog import PlanDialog
from tuning.ui.widgets import label
from tuning.ui.window import MainWindow
from tuning.ui.workspace import Workspace


class Grips(StagePage):
    """A stage of one number a side."""

    def __init__(self, desk):
        super().__init__()
        self.space, self.asked, self.waved = desk.space, [], 0
        column = QVBoxLayout(self)
        column.addWidget(label("How many fingers close round the rail?"))

    def show_target(self, target: Target):
        self.asked.append(target)

    def wave(self):
        self.waved += 1


def next_grip(case, tables):
    row = next((r for r in rows_of(case, tables, "grips") if missing_side(r)), None)
    if row is None:
        return None
    return NextStep(Target("grips", "rail-grip", missing_side(row)), f"Rail grip, {missing_side(row).value}")


GRIPS = StageSpec(
    "grips",
    "Grips",
    6,
    Grips,
    plannable=True,
    ledger=True,
    urgent=next_grip,
    next_step=next_grip,
    actions=(StageAction("Wave to the ferry", "Ctrl+Shift+W", lambda page: page.wave()),),
)


@pytest.fixture
def window(qtbot, demo_folder, tmp_path):
    """The window with one row more, on tables with one test and one measure more."""
    folder = tmp_path / "clinic"
    shutil.copytree(demo_folder, folder)
    tables = load()
    test = replace(tables.tests["knee-to-wall"], id="rail-grip", stage="grips", name="Rail grip", questions=())
    like = tables.measures["knee-to-wall"]
    measure = replace(like, id="rail-grip", name="Rail grip", stage="grips")
    tables = replace(tables, tests={**tables.tests, test.id: test}, measures={**tables.measures, measure.id: measure})
    shown = MainWindow(Workspace(Record(folder), tables, simulated_devices()), (*STAGES, GRIPS))
    qtbot.addWidget(shown)
    shown.show()
    shown.activateWindow()
    qtbot.waitUntil(shown.isActiveWindow)
    yield shown
    shown.close()


def test_one_row_brings_a_stage_into_line_keys_search_planner_ledger_and_next_step(qtbot, window):
    people = {p.occupation: p for p in window.workspace.record.patients()}
    window.open_patient(people["potter"])
    place = [spec.id for spec in window.stages].index("grips") + 1
    assert "Grips" in " ".join(b.text() for b in window.header.findChildren(QAbstractButton))
    QTest.keyClick(window, getattr(Qt.Key, f"Key_{place % 10}"), Qt.KeyboardModifier.AltModifier)
    assert window.stage == "grips" and isinstance(window.page("grips"), Grips)
    QTest.keyClick(window, Qt.Key.Key_W, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
    assert window.page("grips").waved == 1
    window.go("intake")
    QTest.keyClick(window, Qt.Key.Key_W, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
    assert window.page("grips").waved == 1, "its key is its own"

    found = CommandList(window, [*window.actions_list, *window.cupboard.everything()])
    qtbot.addWidget(found)
    names = [action.name for action in found._actions]
    assert {"Go to Grips", "Wave to the ferry", "Test: Rail grip"} <= set(names)

    plan = PlanDialog(window, window.workspace, window.order, window.stages)
    qtbot.addWidget(plan)
    listed = plan.findChild(QListWidget)
    assert {"Grips", "Rail grip"} <= {listed.item(n).text() for n in range(listed.count())}
    window.order.choose(["rail-grip"])
    window.open(window.order.target(window.order.order.stops[0].effort.id))
    assert window.stage == "grips" and window.page("grips").asked[-1].test == "rail-grip"

    with window.workspace.action("a grip") as act:
        act.add(Observation("rail-grip", Side.RIGHT, 9.0, np.array([9.0])))
    hands.settle()
    assert window.status.step.text().startswith("Rail grip, left")
    window.go("intake")
    QTest.keyClick(window, Qt.Key.Key_F2)
    assert window.stage == "grips" and window.page("grips").asked[-1].side is Side.LEFT
    assert {row.measure.id for row in window.workspace.comparisons()} >= {"rail-grip"}
