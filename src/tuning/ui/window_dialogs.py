"""What stands beside every stage: commands, keys, notes, the letter, preferences."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from datetime import UTC, datetime
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from tuning.core.preferences import BACKUP_DAILY, BACKUP_FOLDER, DECLARED
from tuning.core.search import Findable
from tuning.core.target import Target
from tuning.knowledge.gate_acts import not_proposed
from tuning.records.backup import Backup, backup, due, thin_out
from tuning.ui.actions import CommandList, KeySheet
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
        CommandList(self._window, self.everything(), self._space.knowledge.search.same).exec()

    def everything(self) -> list[Findable]:
        """Everything that can be opened or done: actions, pages, tests, measures, exercises, people, preferences."""
        window, words = self._window, self._space.knowledge.search
        pages = {f"Go to {spec.name}": words.pages.get(spec.id, ()) for spec in window.stages}
        found = [
            Findable("page" if a.name in pages else "action", a.name, a.run,
                     (*words.actions.get(a.name, ()), *pages.get(a.name, ())), a.key)
            for a in window.actions_list
        ]  # fmt: skip
        if self._space.case is not None:
            found += [*self._of_stages(), *self._tests(), *self._measures()]
        found += [
            Findable("preference", f"Preference: {one.name}", self.preferences, (one.section, one.help))
            for one in DECLARED
        ]
        people = self._space.record.patients()
        return found + [Findable("person", f"Person: {p.name}", partial(window.reception.receive, p)) for p in people]

    def _of_stages(self) -> Iterator[Findable]:
        """Actions of every stage, exercises and factors."""
        window, knowledge = self._window, self._space.knowledge
        words = knowledge.search
        for spec in window.stages:
            for one in spec.actions:
                run = partial(self._do_there, spec, one)
                yield Findable("action", one.name, run, words.actions.get(one.name, ()), one.key)
            for name, target in spec.finds(knowledge):
                run = partial(window.open, target)
                if target.rung:
                    ladder = knowledge.ladder_of(target.rung)
                    around = (ladder.name, *words.ladders.get(ladder.id, ()))
                    yield Findable("exercise", name, run, words.rungs.get(target.rung, ()), around=around)
                else:
                    yield Findable("factor", name, run, words.factors.get(target.factor, ()))

    def _tests(self) -> Iterator[Findable]:
        """Tests, clips and recordings; what the gate or the person keeps out says why and comes after the others."""
        window, knowledge, space = self._window, self._space.knowledge, self._space
        status, facts = space.plan_status(), space.facts()

        def why_not(test_id: str) -> str:
            """Why it cannot be done now."""
            return not_proposed(knowledge, status, facts, test_id) if status is not None else ""

        named = (*((t.stage, t.id, t.name, (t.short, t.plain)) for t in knowledge.tests.values()),
                 *((c.stage, c.id, c.name, ()) for c in knowledge.order.clip))  # fmt: skip
        for stage, test_id, name, more in named:
            run = partial(window.open, Target(stage, test_id))
            also = (*more, *knowledge.search.tests.get(test_id, ()))
            yield Findable("test", f"Test: {name}", run, also, blocked=partial(why_not, test_id))

    def _measures(self) -> Iterator[Findable]:
        """Each measure by its name, where it is measured."""
        window, knowledge = self._window, self._space.knowledge
        for measure in knowledge.measures.values():
            test = knowledge.test_of(measure.id)
            target = Target(test.stage, test.id) if test is not None else Target(measure.stage)
            also = (measure.short, measure.plain, *knowledge.search.measures.get(measure.id, ()))
            yield Findable("measure", f"Measure: {measure.name}", partial(window.open, target), also)

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

    def help(self, key: str = "") -> None:
        """The help pages, one of them open."""
        from tuning.exchange.html.handbook import help_pages
        from tuning.ui.help_dialog import HelpDialog

        knowledge = self._space.knowledge
        HelpDialog(self._window, help_pages(knowledge), knowledge.search.same, key).exec()

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
