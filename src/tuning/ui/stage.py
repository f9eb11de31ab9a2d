"""What a stage is to the window: one row that says everything, and the page that it makes when first opened."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from pathlib import Path

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QWidget

from tuning.core.case import Case
from tuning.core.next_step import NextStep, counted
from tuning.core.target import Target
from tuning.core.types import Side
from tuning.knowledge import Knowledge
from tuning.ui.visit_order.state import OrderState
from tuning.ui.workspace import Workspace


@dataclass(frozen=True)
class StageContext:
    """What a page is given to work with."""

    space: Workspace
    order: OrderState


class StagePage(QWidget):
    """The work surface of a stage. What a page does not need it leaves as it is here."""

    refused = pyqtSignal(str)
    message = pyqtSignal(str)
    job_started = pyqtSignal(object)
    plan_wanted = pyqtSignal()
    target_wanted = pyqtSignal(object)
    letter_wanted = pyqtSignal(str)

    def enter(self) -> None:
        """The stage is shown."""

    def leave(self) -> None:
        """Another stage is opened, or the case is closed: stop what runs."""

    def release_files(self) -> None:
        """The case is closed: let go of open files."""

    def unfinished(self) -> str:
        """What would be lost if the window closed now, in words; empty when nothing would."""
        return ""

    def take_file(self, path: Path) -> bool:
        """Take a file that came in; False where this stage takes none."""
        return False

    def show_target(self, target: Target) -> None:
        """Go to what a target names within this stage."""

    def choose_side(self, side: Side) -> None:
        """F5 and F6."""

    def back(self) -> None:
        """Alt+Left."""


@dataclass(frozen=True)
class StageAction:
    """Something a stage can do. With `owners` the key works only while one of those widgets has the focus."""

    name: str
    key: str
    run: Callable[[StagePage], object]
    owners: Callable[[StagePage], tuple[QWidget, ...]] | None = None


Progress = Callable[[Case, Knowledge], NextStep | None]


def place_key(place: int) -> str:
    """The key of the stage at a place of the visit, from 1; the tenth has 0, those behind it none."""
    return f"Alt+{place % 10}" if place <= 10 else ""


def nothing(_: Case, __: Knowledge) -> NextStep | None:
    """A stage that never asks for the next step."""
    return None


def no_more(_: Knowledge) -> Iterable[tuple[str, Target]]:
    """A stage that holds nothing to be found but its tests."""
    return ()


@dataclass(frozen=True)
class StageSpec:
    """One stage. A new stage is its packages and one such row; nothing else names it.

    `page` imports what it needs when it is called. `guarded` stages test or load: a RED locks
    them. `wide` ones fold figure and ledger away. `plannable` ones have tests in the order of a
    visit. `ledger` ones have rows there. A stage without a page tells its `promise`.
    """

    id: str
    name: str
    order: int
    page: Callable[[StageContext], StagePage] | None = None
    promise: str = ""
    guarded: bool = False
    wide: bool = False
    plannable: bool = False
    ledger: bool = False
    count: Callable[[Case, Knowledge], int] | None = None
    urgent: Progress = nothing
    next_step: Progress = nothing
    actions: tuple[StageAction, ...] = ()
    keys: tuple[tuple[str, str], ...] = field(default=())
    finds: Callable[[Knowledge], Iterable[tuple[str, Target]]] = no_more
    """What else the search finds, by name, and where it is; tests are found without it."""

    @property
    def built(self) -> bool:
        """True when the stage can be opened."""
        return self.page is not None

    def counted(self, case: Case, tables: Knowledge) -> int:
        """The number on the visit line."""
        return (self.count or counted(self.id))(case, tables)
