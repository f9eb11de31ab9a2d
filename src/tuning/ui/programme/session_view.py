"""A session in the clinic: the figure at tempo, the count, the rest; after each set a few keys say how it was."""

from __future__ import annotations

from dataclasses import asdict, dataclass, field

from PyQt6.QtCore import QRectF, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QApplication, QHBoxLayout, QSizePolicy, QVBoxLayout, QWidget

from tuning.core.entries import PlanItem
from tuning.core.preferences import MUTE
from tuning.core.programme.coaching import Coaching, coaching_of, faults_by_count
from tuning.core.programme.dose import BREATH_S, Dose, breath_at
from tuning.core.programme.ladders import Fault, Rung
from tuning.core.programme.log_mapping import ALARMS, set_of
from tuning.core.programme.routines import by_routine, in_rounds
from tuning.core.types import LEGS, Side
from tuning.ui import theme
from tuning.ui.programme.animated_figure import MovingFigure, phase_at
from tuning.ui.programme.plan_controller import done_of
from tuning.ui.programme.state import ProgrammeState
from tuning.ui.widgets import label
from tuning.ui.workspace import Workspace

HUGE, LOW_PX = 80, 600
TICK_MS = 100
ALARM_KEYS = dict(zip("GCSUDK", ALARMS, strict=True))
"""Giving way, catch, swelling, numb, dizzy, painkiller."""
READY_KEYS = "V ticks the next check · Space starts · Enter ends the set · Backspace goes one set back · M mutes"
RUNNING_KEYS = (
    "0-9 a fault is seen: its cue is shown, and it counts; - takes it back · Space pauses · Enter ends the set"
)
ASKING_KEYS = (
    "0-9 pain (T for 10) · + and - faulty repetitions · F felt there, N not felt, W felt elsewhere · G gave way, "
    "C catch, S swelling, U numb, D dizzy, K painkiller · X done with less range or load than before · "
    "Enter keeps the set · Backspace goes one set back"
)
"""The keys that do something now; no others are shown."""


@dataclass
class SetAnswer:
    """How a set was."""

    pain: int | None = None
    faulty: int = 0
    faults: list[str] = field(default_factory=list)
    """Ids of the faults that were seen, each as often as it was."""
    spoilt: set[int] = field(default_factory=set)
    """Repetitions that had one: two faults of one repetition spoil one."""
    felt: str = "there"
    alarms: set[str] = field(default_factory=set)
    cut: bool = False
    """Whether range, zone or load was taken back in this session: its pain tells whether that was enough."""


@dataclass(frozen=True)
class SessionSet:
    """One set of one side of an item."""

    item: PlanItem
    rung: Rung
    dose: Dose
    side: Side
    number: int

    @property
    def sets(self) -> int:
        """Of this side."""
        return self.dose.sets + (self.dose.extra if self.side in (self.item.first_side, Side.NONE) else 0)


class SessionView(QWidget):
    """Keys only; text to be read from two metres."""

    refused = pyqtSignal(str)

    def __init__(self, workspace: Workspace, state: ProgrammeState) -> None:
        super().__init__()
        self._workspace, self._state = workspace, state
        self.turns: list[SessionSet] = []
        self.at = 0
        self.answers: dict[int, SetAnswer] = {}
        self._visit = ""
        self.asking = False
        self.checked = 0
        """Checks of the set-up that were ticked."""
        self.seconds, self.rest = 0.0, 0.0
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Session")
        self._timer = QTimer(self)
        self._timer.setInterval(TICK_MS)
        self._timer.timeout.connect(self.tick)
        self.figure = MovingFigure()
        self.faults = label("", theme.BODY, wrap=True)
        self.faults.setAccessibleName("Faults and their keys")
        self.cue = label("", theme.TITLE, bold=True, role="accent", wrap=True)
        self.steps = label("", theme.BODY, wrap=True)
        self.name = label("", theme.TITLE, bold=True, wrap=True)
        self.turn = label("", theme.LARGE, role="muted")
        self.word = label("", HUGE, bold=True)
        self.count = label("", HUGE)
        self.answer = label("", theme.TITLE, wrap=True)
        self.then = label("", theme.BODY, role="muted", wrap=True)
        self.bar = RestBar()
        self.dose = label("", theme.BODY, role="muted", wrap=True)
        self.help = label(READY_KEYS, role="muted", wrap=True)
        right = QVBoxLayout()
        right.setSpacing(10)
        self.care = label("", theme.BODY, role="caution", wrap=True)
        self.setup = label("", theme.BODY, role="muted", wrap=True)
        for part in (
            self.name,
            self.turn,
            self.care,
            self.setup,
            self.steps,
            self.dose,
            self.cue,
            self.word,
            self.count,
            self.bar,
            self.answer,
        ):
            right.addWidget(part)
        right.addStretch(1)
        right.addWidget(self.then)
        right.addSpacing(8)
        right.addWidget(self.help)
        row = QHBoxLayout(self)
        row.setContentsMargins(28, 8, 28, 14)
        row.setSpacing(28)
        left = QVBoxLayout()
        left.addWidget(self.figure, 1)
        left.addWidget(self.faults)
        row.addLayout(left, 1)
        row.addLayout(right, 1)

    # what is to be done

    def refresh(self) -> None:
        """Follow the plan; a session that was begun goes on."""
        visit = self._workspace.visit.uid if self._workspace.visit is not None else ""
        turns = self._planned()
        begun = bool(self.answers) and visit == self._visit
        if not begun and [_key(t) for t in turns] != [_key(t) for t in self.turns]:
            self.stop()
            self.turns, self.at, self.answers, self.asking = turns, 0, {}, False
            self.seconds, self.rest, self.checked = 0.0, 0.0, 0
        self._visit = visit
        self._show()

    def _planned(self) -> list[SessionSet]:
        """Sets in the order in which they are done: sides in turn, the poorer first and once more at the end."""
        made = []
        for item in by_routine(self._workspace.plan()):
            if self._state.course.status.resting(item):
                continue
            rung, dose = self._workspace.knowledge.rung(item.rung), self._state.course.dose_now(item)
            sides = (item.first_side, item.first_side.other) if rung.sides == LEGS else (Side.NONE,)
            for number in range(1, dose.sets + 1):
                made += [SessionSet(item, rung, dose, side, number) for side in sides]
            more = range(dose.sets + 1, dose.sets + dose.extra + 1)
            made += [SessionSet(item, rung, dose, sides[0], number) for number in more]
        return in_rounds(made, self._circuit, lambda one: one.number)

    def _circuit(self, one: SessionSet) -> str:
        """Name of the circuit that a set is done in; empty for what is done by itself."""
        routine = self._workspace.knowledge.routines.get(one.item.routine)
        return routine.id if routine is not None and routine.circuit else ""

    @property
    def current(self) -> SessionSet | None:
        """The set that is on."""
        return self.turns[self.at] if self.at < len(self.turns) else None

    @property
    def running(self) -> bool:
        """Whether the clock runs."""
        return self._timer.isActive()

    @property
    def begun(self) -> bool:
        """Whether a set is being done: digits are faults then, pain afterwards, and pages before it."""
        return not self.asking and self.rest == 0 and (self.running or self.seconds > 0)

    def stop(self) -> None:
        """Pause."""
        self._timer.stop()

    def unfinished(self) -> str:
        """Sets that were answered and not kept."""
        return "a session that is not saved" if self.answers else ""

    # clock

    def tick(self) -> None:
        """A tenth of a second."""
        turn = self.current
        if turn is None:
            return
        step = TICK_MS / 1000
        if self.rest > 0:
            self.rest = max(0.0, self.rest - step)
            if self.rest == 0:
                self._sound()
            self._show()
            return
        before = phase_at(self.seconds, turn.dose)[2]
        self.seconds += step
        if turn.dose.reps and phase_at(self.seconds, turn.dose)[2] != before:
            self._sound()
        if self.seconds >= turn.dose.set_s and not self.asking:
            self._end_set()
        self._show()

    def _sound(self) -> None:
        if not self._workspace.settings.get(MUTE, False):
            QApplication.beep()

    def _end_set(self) -> None:
        self.asking = True
        self.answers.setdefault(self.at, SetAnswer(cut=self._was_cut()))
        self._timer.stop()
        self._sound()

    def _was_cut(self) -> bool:
        """What was taken back in an earlier set of the same exercise stays so."""
        uid = self.turns[self.at].item.uid
        return any(a.cut for n, a in self.answers.items() if n < self.at and self.turns[n].item.uid == uid)

    # keys

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Everything is a key."""
        enter = event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter)
        if enter and self.current is None and self.answers:  # the disk refused it: once more
            self._keep()
            self._show()
            return
        if event is None or self.current is None:
            super().keyPressEvent(event)
            return
        key, text = event.key(), event.text().upper()
        if key == Qt.Key.Key_Space:
            self._timer.stop() if self.running else self._timer.start()
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._enter()
        elif key == Qt.Key.Key_Backspace:
            self.at, self.asking, self.rest, self.checked = max(0, self.at - 1), False, 0.0, 0
        elif text == "V" and not (self.asking or self.begun):
            self.checked += 1
        elif text == "M":
            with self._workspace.trying():
                self._workspace.settings.set(MUTE, not self._workspace.settings.get(MUTE, False))
        elif self._answered(text) if self.asking else self.begun and self._seen(text):
            pass
        else:
            super().keyPressEvent(event)
            return
        self._show()

    def _enter(self) -> None:
        if not self.asking:
            self._end_set()
            return
        answer = self.answers[self.at]
        if answer.pain is None:
            self.refused.emit("Say the peak pain of the set first: 0 to 9, T for 10.")
            return
        turn = self.turns[self.at]
        course, rules = self._state.course, self._workspace.knowledge.progression
        told = set_of(done_of(turn.item, turn.side, course.today, pain=answer.pain, alarms=tuple(answer.alarms)))
        self.asking, self.seconds, self.checked = False, 0.0, 0
        self.at += 1
        if told.alarms(rules):
            self._leave_out(turn, everything=told.nervous)
            self.refused.emit("Stop this exercise: ask the safety screen again before anything else.")
        elif answer.pain > rules.pain.most[course.pain_school()] and not answer.cut:
            self.refused.emit(f"Pain {answer.pain}/10: take back range, zone or load now, and press X at the next set.")
        if self.current is None:
            self._keep()
            return
        self.rest = float(turn.dose.rest_s)
        self._timer.start()

    def _leave_out(self, turn: SessionSet, everything: bool) -> None:
        """An alarm ends the exercise, numbness or dizziness the session: the other sets are not done."""
        kept = [t for n, t in enumerate(self.turns) if n < self.at or (t.item.uid != turn.item.uid and not everything)]
        self.turns = kept

    def _seen(self, text: str) -> bool:
        """A fault was seen in a repetition: it counts, and its cue is shown; minus takes the last one back."""
        if text == "-" and self.at in self.answers:
            self._change_faulty(self.answers[self.at], -1)
            return True
        taught, place = self._taught(), (int(text) - 1) % 10 if text.isdigit() else 10  # 0 is the tenth
        if taught is None or place >= len(taught.faults):
            return False
        answer = self.answers.setdefault(self.at, SetAnswer(cut=self._was_cut()))
        answer.faults.append(taught.faults[place].id)
        turn = self.turns[self.at]
        repetition = phase_at(self.seconds, turn.dose)[2] if turn.dose.reps else -len(answer.faults)
        if repetition not in answer.spoilt:
            answer.spoilt.add(repetition)
            self._change_faulty(answer, 1)
        return True

    def _change_faulty(self, answer: SetAnswer, by: int) -> None:
        """One faulty repetition more or less; one less takes back the last fault that was named, too."""
        if by < 0:
            del answer.faults[-1:]
            answer.spoilt = answer.spoilt if answer.faults else set()
        most, least = self.turns[self.at].dose.reps or 10, min(1, len(answer.faults))
        answer.faulty = min(most, max(least, answer.faulty + by))

    def _taught(self) -> Coaching | None:
        """How the exercise of this set is taught to this person."""
        turn = self.current
        if turn is None:
            return None
        knowledge, case = self._workspace.knowledge, self._workspace.case
        ladder = knowledge.ladder_of(turn.rung.id)
        entries = case.entries if case is not None else ()
        return coaching_of(turn.rung, ladder, knowledge.faults, entries, turn.side, turn.dose)

    def _answered(self, text: str) -> bool:
        answer = self.answers[self.at]
        if text.isdigit():
            answer.pain = int(text)
        elif text == "T":
            answer.pain = 10
        elif text in "+-" and text:
            self._change_faulty(answer, 1 if text == "+" else -1)
        elif text in "FNW" and text:
            answer.felt = {"F": "there", "N": "not", "W": "elsewhere"}[text]
        elif text in ALARM_KEYS:
            answer.alarms ^= {ALARM_KEYS[text]}
        elif text == "X":
            answer.cut = not answer.cut
        else:
            return False
        return True

    def _keep(self) -> None:
        """Everything that was done, one line a side of each exercise: the worst pain, all alarms."""
        self.stop()
        lines = []
        done: dict[tuple[str, Side], list[tuple[SessionSet, SetAnswer]]] = {}
        for n, answer in self.answers.items():
            if n < len(self.turns) and answer.pain is not None:
                turn = self.turns[n]
                done.setdefault((turn.item.uid, turn.side), []).append((turn, answer))
        for sets in done.values():
            turn = sets[0][0]
            asked = sum((t.dose.reps or 10) for t, _ in sets)
            before = [a.pain or 0 for _, a in sets if not a.cut]
            after = [a.pain or 0 for _, a in sets if a.cut]
            faulty = round(100 * sum(a.faulty for _, a in sets) / asked, 1)
            lines.append(
                done_of(
                    turn.item, turn.side, self._state.course.today, sets=len(sets), dose=asdict(turn.dose),
                    pain=max(before or after), after_cut=max(after, default=None) if before else None, faulty=faulty,
                    faults=faults_by_count([f for _, a in sets for f in a.faults], self._own_faults(turn.rung)),
                    felt=all(a.felt == "there" for _, a in sets), wrong=any(a.felt == "elsewhere" for _, a in sets),
                    alarms=tuple(x for x in ALARMS if any(x in a.alarms for _, a in sets)), supervised=True,
                )
            )  # fmt: skip
        with self._workspace.trying():
            if lines:
                self._state.course.log(*lines)
            self.answers, self.at = {}, 0  # only now: what could not be saved stays answered
            self.refresh()

    def _own_faults(self, rung: Rung) -> list[Fault]:
        return [self._workspace.knowledge.faults[key] for key in rung.faults]

    # showing

    def _show_coaching(self, turn: SessionSet, taught: Coaching) -> None:
        """Steps on the first set, the keys of the faults, and the one cue that matters now."""
        self.steps.setText("\n".join([*taught.steps, taught.feel]))
        seen = self.answers[self.at].faults if self.at in self.answers else []
        lines = [
            f"{n % 10}  {fault.sign}{_times(seen.count(fault.id))}" for n, fault in enumerate(taught.faults, start=1)
        ]
        self.faults.setText("\n".join(lines))
        now = next((fault for fault in taught.faults if seen and fault.id == seen[-1]), None)
        last = f"Begin with: {taught.last.cue}" if taught.last is not None else ""
        self.cue.setText(now.cue if now is not None else last)
        self.cue.setVisible(bool(self.cue.text()) and not self.asking)
        before = turn.number == 1 and not (self.begun or self.asking)
        for part in (self.setup, self.steps):  # what is read before the first repetition gives way to what corrects it
            part.setVisible(before)
        self.then.setVisible(not before or self.height() >= LOW_PX)
        self.help.setText(ASKING_KEYS if self.asking else RUNNING_KEYS if self.begun else READY_KEYS)
        self.count.setVisible(not before)
        # Before the first repetition there is much to read, and in a low window little room: nothing of the cue is cut.
        small = before or self.height() < LOW_PX
        self.cue.setFont(theme.font(theme.LARGE if small else theme.TITLE, bold=True))
        self.word.setFont(theme.font(theme.LARGE if before else HUGE, bold=True))

    def _show(self) -> None:
        turn = self.current
        self.figure.setVisible(turn is not None)
        if turn is None:
            self.help.setText("")
            unsaved = "All sets are answered and not saved yet. Enter saves them." if self.answers else "Done."
            self.then.setVisible(True)
            self.count.setVisible(True)
            self.name.setText("The plan is empty: choose a rung under Ladders (1)." if not self.turns else unsaved)
            for part in (
                self.turn, self.word, self.count, self.answer, self.dose, self.care, self.setup, self.steps, self.cue,
                self.faults,
            ):  # fmt: skip
                part.setText("")
            self.then.setText(self._resting_words())
            self.bar.show_rest(0, 1)
            return
        self.name.setText(turn.rung.name)
        side = f"{turn.side.value} leg · " if turn.side in LEGS else ""
        self.turn.setText(f"{side}set {turn.number} of {turn.sets}")
        self.dose.setText(turn.dose.text)
        ladder = self._workspace.knowledge.ladder_of(turn.rung.id)
        care = self._state.course.status.cautions_of(ladder)
        self.care.setVisible(bool(care))
        self.care.setText("Take care: " + "; ".join(care) + ".")
        taught = self._taught()
        assert taught is not None
        marked = [f"{'●' if n < self.checked else '○'} {check}" for n, check in enumerate(taught.set_up)]
        self.setup.setText("\n".join(marked))
        self._show_coaching(turn, taught)
        if self.figure.accessibleName() != f"Drawn: {turn.rung.name}" + (
            f", {turn.side.value}" if turn.side in LEGS else ""
        ):
            self.figure.show_rung(turn.rung, turn.rung.pose(turn.item.variant), turn.dose, turn.side)
        self.bar.show_rest(self.rest, turn.dose.rest_s)
        if self.rest > 0:
            self.word.setText("rest")
            self.count.setText(f"{self.rest:.0f} s")
        elif self.asking:
            self.word.setText("how was it?")
            self.count.setText("")
        else:
            self.word.setText(self._word(turn))
            self.count.setText(self._count(turn))
            self.figure.at(self.seconds)
        if self.count.isHidden() and self.count.text():
            self.word.setText(f"{self.word.text()} · {self.count.text()}")
        self.answer.setText(self._answer_words())
        self.answer.setVisible(self.asking)
        self.then.setText(self._then_words())

    def _resting_words(self) -> str:
        """Exercises of the plan that are not to be done now, and why."""
        if self._workspace.case is None:
            return ""
        status = self._state.course.status
        resting = [(status.rung(item).name, status.resting(item)) for item in status.items]
        return "\n".join(f"Not now: {name} ({why})" for name, why in resting if why)

    def _then_words(self) -> str:
        """The next three sets."""
        told = []
        for turn in self.turns[self.at + 1 : self.at + 4]:
            side = f", {turn.side.value}" if turn.side in LEGS else ""
            told.append(f"{turn.rung.name}{side}, set {turn.number}")
        left = len(self.turns) - self.at - 4
        return "Then: " + "\n".join(told) + (f"\nand {left} more" if left > 0 else "") if told else "The last set."

    def _word(self, turn: SessionSet) -> str:
        if not self.running and self.seconds == 0:
            return "ready"
        if turn.dose.reps:
            return {"lower": "down", "hold": "stay", "rise": "up"}[phase_at(self.seconds, turn.dose)[0]]
        if turn.dose.breaths:
            return breath_at(self.seconds)
        return "hold"

    def _count(self, turn: SessionSet) -> str:
        if turn.dose.reps:
            return f"{min(turn.dose.reps, phase_at(self.seconds, turn.dose)[2] + 1)} of {turn.dose.reps}"
        if turn.dose.breaths:
            return f"breath {min(turn.dose.breaths, int(self.seconds // BREATH_S) + 1)} of {turn.dose.breaths}"
        return f"{max(0.0, turn.dose.set_s - self.seconds):.0f} s"

    def _answer_words(self) -> str:
        if not self.asking:
            return ""
        answer = self.answers[self.at]
        pain = "pain ?" if answer.pain is None else f"pain {answer.pain} of 10"
        felt = {"there": "felt there", "not": "not felt there", "elsewhere": "felt elsewhere"}[answer.felt]
        cut = ["after the cut"] if answer.cut else []
        told = [pain, f"{answer.faulty} faulty", felt, *cut, *sorted(answer.alarms)]
        return " · ".join(told)


def _times(count: int) -> str:
    return f"  × {count}" if count else ""


def _key(turn: SessionSet) -> tuple[str, Side, int]:
    return turn.item.uid, turn.side, turn.number


class RestBar(QWidget):
    """How much of the rest is left."""

    def __init__(self) -> None:
        super().__init__()
        self._share = 0.0
        self.setFixedHeight(14)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def show_rest(self, left: float, whole: float) -> None:
        """Seconds left of the whole rest."""
        self._share = left / whole if whole else 0.0
        self.setAccessibleName(f"Rest, {left:.0f} s left")
        self.update()

    def paintEvent(self, _: QPaintEvent | None) -> None:
        """A bar that empties."""
        if not self._share:
            return
        painter = QPainter(self)
        painter.setPen(QPen(theme.colour("line"), 1))
        box = QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5)
        painter.drawRect(box)
        painter.fillRect(QRectF(box.left(), box.top(), box.width() * self._share, box.height()), theme.colour("accent"))
