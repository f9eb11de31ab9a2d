"""What CONTRIBUTING.md says can be added by knowledge files alone is added so, and used."""

from __future__ import annotations

import re
import shutil
from pathlib import Path

import hands
import pytest

from tuning.core.types import Side
from tuning.demo.devices import simulated_devices
from tuning.knowledge import FOLDER, load
from tuning.records import Record
from tuning.ui.window import MainWindow
from tuning.ui.workspace import Workspace

BOOK = (Path(__file__).parents[2] / "CONTRIBUTING.md").read_text()
RECIPES = re.findall(r"`knowledge/([\w/]+\.toml)`\n\n```toml\n(.*?)```", BOOK, re.DOTALL)


@pytest.fixture(scope="module")
def tables(tmp_path_factory):
    folder = tmp_path_factory.mktemp("book") / "knowledge"
    shutil.copytree(FOLDER, folder, ignore=shutil.ignore_patterns("__pycache__"))
    for name, text in RECIPES:
        with (folder / name).open("a") as file:
            file.write(f"\n{text}")
    return load(folder)


def test_a_hand_held_test_of_knowledge_files_alone_is_ordered_done_and_judged(qtbot, demo_folder, tmp_path, tables):
    folder = Path(shutil.copytree(demo_folder, tmp_path / "clinic"))
    window = MainWindow(Workspace(Record(folder), tables, simulated_devices()))
    qtbot.addWidget(window)
    window.show()
    people = {p.occupation: p for p in window.workspace.record.patients()}
    window.open_patient(people["choir conductor"])
    window.go("strength")
    state = window.page("strength").state
    window.order.choose(["toe-flex"])
    for side in (Side.RIGHT, Side.LEFT):
        state.choose(f"toe-flex:{side.value}")
        window.grab()
        assert (state.test_id, state.side) == ("toe-flex", side)
        for force in (52, 50, 51) if side is Side.RIGHT else (31, 30, 32):
            state.enter(str(force))
        hands.settle()
    [row] = [r for r in window.workspace.comparisons() if r.measure.id == "toe-flex"]
    assert (row.left.measured, row.right.measured) == (31, 51) and "left" in row.sentence
    window.close()


def test_an_exercise_of_knowledge_files_alone_stands_in_its_ladder(tables):
    assert [rung.id for rung in tables.ladders["ankle"].rungs][-1] == "am-3-lunge-deep"
