"""What stands beside every stage: commands, keys, notes, the letter, preferences."""

from __future__ import annotations

from collections.abc import Callable
from datetime import UTC, datetime
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from tuning.core.preferences import BACKUP_DAILY, BACKUP_FOLDER
from tuning.core.target import Target
from tuning.records.backup import Backup, backup, due, thin_out
from tuning.ui.actions import Action, CommandList, KeySheet
from tuning.ui.jobs import Job
from tuning.ui.notes import NotesDialog
from tuning.ui.stage import StageAction, StageSpec
from tuning.ui.worn import WornDialog

if TYPE_CHECKING:
    from tuning.ui.window import MainWindow


class WindowDialogs:
    """Opens the dialogs of the window."""

    def __init__(self, window: MainWindow) -> None:
        self._window, self._space = window, window.workspace

    def commands(self) -> None:
        """The command list."""
        CommandList(self._window, [*self._window.actions_list, *self.everything()]).exec()

    def everything(self) -> list[Action]:
        """Every action of every stage, what it finds, every test and person by name."""
        found: list[Action] = []
        window, knowledge = self._window, self._space.knowledge
        if self._space.case is not None:
            for spec in window.stages:
                found += [Action(a.name, a.key, partial(self._do_there, spec, a)) for a in spec.actions]
                found += [Action(name, "", partial(window.open, target)) for name, target in spec.finds(knowledge)]
            for test in knowledge.tests.values():
                found.append(Action(f"Test: {test.name}", "", partial(window.open, Target(test.stage, test.id))))
            for clip in knowledge.order.clip:
                found.append(Action(f"Test: {clip.name}", "", partial(window.open, Target(clip.stage, clip.id))))
        people = self._space.record.patients()
        return found + [Action(f"Person: {p.name}", "", partial(window.reception.receive, p)) for p in people]

    def _do_there(self, spec: StageSpec, action: StageAction) -> None:
        """Go to a stage and do something of it there."""
        window = self._window
        if window.stage != spec.id:
            window.go(spec.id)
        if window.stage == spec.id:
            action.run(window.page(spec.id))

    def keys(self) -> None:
        """The keys of this screen."""
        window = self._window
        rows = [(a.key, a.name) for a in window.actions_list if a.key]
        spec = window.specs.get(window.stage)
        if spec is not None:
            rows += [(a.key, a.name) for a in spec.actions if a.key] + list(spec.keys)
        KeySheet(window, rows).exec()

    def notes(self) -> None:
        """Write a note or a treatment, and read what was written before."""
        if self._space.case is not None:
            names = {spec.id: spec.name for spec in self._window.stages}
            NotesDialog(self._window, self._space, self._window.stage, names).exec()

    def worn(self) -> None:
        """What is worn in the tests from now on."""
        if self._space.case is not None:
            WornDialog(self._window, self._space).exec()

    def letter(self, kind: str = "") -> None:
        """The summary, ready to be kept; other reports beside it."""
        if self._space.case is None:
            return
        from tuning.ui.reports.dialog import ReportDialog

        dialog = ReportDialog(self._window, self._space, kind)
        dialog.evidence_wanted.connect(self._window.open)
        dialog.exec()

    def preferences(self) -> None:
        """Schools, rules, thresholds, letters, look."""
        from tuning.ui.preferences import PreferencesDialog

        if PreferencesDialog(self._window, self._space).exec():
            self._window.rebuild()

    def protection(self) -> None:
        """Set, change or take off the passphrase; the record is closed and opened again for it."""
        from tuning.ui.protection import ProtectionDialog

        dialog = ProtectionDialog(self._window, self._space.record.folder)
        if dialog.exec() and dialog.deed is not None:
            self._window.reseal_wanted.emit(dialog.deed)

    # backups

    def back_up(self) -> None:
        """Back up into the clinic's folder, while everybody goes on working."""
        folder = str(self._space.prefer(BACKUP_FOLDER))
        if not folder:
            self._window.status.say("Say in Preferences (Ctrl+,), Record, where backups go.", caution=True)
            return
        source, into = self._space.record.folder, Path(folder)

        def work(tick: Callable[[float], None]) -> Backup:
            """In the pool."""
            tick(0.0)
            made = backup(source, into)
            thin_out(into)
            return made

        job = Job("Backing up", work)
        job.done.connect(self._tell_backup)
        self._window.jobs.start(job)

    def back_up_if_due(self) -> None:
        """Once a day, by itself, where a folder is told."""
        folder = str(self._space.prefer(BACKUP_FOLDER))
        if (
            folder
            and not self._space.record.read_only
            and self._space.prefer(BACKUP_DAILY)
            and due(Path(folder), datetime.now(UTC))
        ):
            self.back_up()

    def _tell_backup(self, made: Backup) -> None:
        lost = f"; {len(made.lost)} files were missing already" if made.lost else ""
        self._window.status.say(f"Backed up to {made.folder}{lost}.", caution=bool(made.lost))
