"""State of a guided run through hands-on tests: step, look, answers. Needs no window."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtCore import QObject, pyqtSignal

from tuning.core.entries import Answer, Ending, Status
from tuning.core.errors import BadInput
from tuning.core.gate.permission import GateAct, Permission, require_permission
from tuning.core.judging.comparison import against_reference, compare_sides, judge_value
from tuning.core.judging.measures import Compare, Measure
from tuning.core.standing.level_suspicion import proposed_grade
from tuning.core.test_definitions import (
    AnswerKind,
    TestDefinition,
    WalkStep,
    answer_is_complete,
    answer_may_continue,
    observed,
    read_grades,
    read_number,
    read_signed,
    steps_of,
)
from tuning.core.types import LEGS, NotMeasured, Observation, Side
from tuning.core.units import format_signed, unit_suffix
from tuning.knowledge.gate_acts import act_of_test
from tuning.ui.change_set import ChangeSet
from tuning.ui.picture.changed_condition import found_causes
from tuning.ui.workspace import Workspace

MOST_TRIALS, MOST_PAIN = 5, 10
EYE = "by eye"


class RunState(QObject):
    """What stands in the record is the state; only the place in the walk is kept here."""

    changed = pyqtSignal()
    walked = pyqtSignal()
    """The last step of a look was answered."""

    def __init__(self, workspace: Workspace, stage: str, looks: int) -> None:
        super().__init__()
        self.workspace, self.stage, self.looks = workspace, stage, looks
        self.tests = [t for t in workspace.knowledge.tests.values() if t.stage == stage]
        self.steps: list[WalkStep] = []
        self.index, self.look, self.pending = 0, 1, ""
        self.reason = ""
        workspace.content_changed.connect(self.changed)
        workspace.case_changed.connect(self.begin)
        self.begin()

    def begin(self) -> None:
        """Take up the walk where it was left, the uninvolved leg first."""
        patient = self.workspace.patient
        involved = patient.involved if patient is not None else Side.NONE
        walk = [t for t in self.tests if not t.extra]
        self.steps = steps_of([*walk, *(t for t in self.tests if t.extra)], self.measures, involved.other)
        self.pending = self.reason = ""
        self.look = next((n for n in range(1, self.looks) if not self._looked(n)), self.looks)
        self.index = next((i for i, s in enumerate(self._walk()) if not self.answered(s, self.look)), 0)
        self.changed.emit()

    @property
    def measures(self) -> dict[str, Measure]:
        """All measures by id."""
        return self.workspace.knowledge.measures

    @property
    def step(self) -> WalkStep:
        """Where the walk stands."""
        return self.steps[self.index]

    def _walk(self) -> list[WalkStep]:
        return [s for s in self.steps if not s.test.extra]

    def _looked(self, look: int) -> bool:
        return all(self.answered(step, look) for step in self._walk())

    # reading

    @staticmethod
    def act(step: WalkStep) -> GateAct:
        """What a step asks of the gate."""
        return act_of_test(step.test, step.side)

    def permission(self, step: WalkStep) -> Permission:
        """Whether a step may be done now."""
        return self.workspace.may(self.act(step))

    def lock(self, step: WalkStep) -> str:
        """Why a step is locked; empty when it is not."""
        found = self.permission(step)
        return found.sentence if found.locked else ""

    def locked(self, test: TestDefinition) -> bool:
        """Whether all of a test is locked."""
        mine = [s for s in self.steps if s.test is test]
        return bool(mine) and all(self.lock(s) for s in mine)

    def observation(self, measure_id: str, side: Side) -> Observation | None:
        """The newest standing observation by hand or eye; photographs do not count here."""
        rows = self._rows(measure_id, side)
        return rows[-1] if rows else None

    def trials(self, measure_id: str, side: Side) -> list[float]:
        """Looks or trials so far, oldest first."""
        seen = self.observation(measure_id, side)
        return [] if seen is None else [float(t) for t in seen.trials]

    def choice(self, step: WalkStep) -> Answer | None:
        """The standing answer to a choice."""
        found = [
            a for a in self.workspace.answers(step.test.id) if a.side is step.side and a.question == step.question.key
        ]
        if step.question.condition:
            return found[-1] if found else None
        under = self.under(step.test)
        here = [a for a in found if a.under == under] or [a for a in found if not a.under]
        return here[-1] if here else None

    def under(self, test: TestDefinition, newest: Answer | None = None) -> str:
        """The conditions that hold now for a test, such as “to the side · 20 cm”; empty where it has none."""
        told = {a.question: a.option for a in (*self.workspace.answers(test.id), *([newest] if newest else []))}
        return " · ".join(told[q.key] for q in test.questions if q.condition and q.key in told)

    def other_conditions(self, test: TestDefinition) -> list[str]:
        """Conditions that the test was answered under before, in this visit, beside those of now."""
        under = [a.under for a in self.workspace.answers(test.id) if a.under and a.under != self.under(test)]
        return list(dict.fromkeys(under))

    def ending(self, test: TestDefinition, side: Side = Side.NONE) -> Status | None:
        """How a test ended on a side when it was not done as asked; on no side: how all of it did."""
        found = [e for e in self.workspace.endings(test.id) if e.side in (side, Side.NONE)]
        return found[-1].status if found else None

    def answered(self, step: WalkStep, look: int = 1) -> bool:
        """Whether a step has its answer in a look."""
        if self.ending(step.test, step.side) is not None or self.lock(step):
            return True
        question = step.question
        if question.ask is AnswerKind.CHOICE:
            chosen = self.choice(step)
            return chosen is not None and chosen.looks >= look
        if question.ask is AnswerKind.NUMBER:
            return len(self.trials(question.measure, step.side)) >= question.trials
        by_eye = len(self.trials(question.measure, self._sides(step)[0]))
        by_number = len(self.trials(question.number, Side.NONE)) if question.number else 0
        return max(by_eye, by_number) >= look

    def _sides(self, step: WalkStep) -> tuple[Side, ...]:
        return LEGS if step.question.ask is AnswerKind.GRADES else (Side.NONE,)

    def panel_text(self, test: TestDefinition) -> str:
        """What stands for a test with a panel of its own, short."""
        measure = self.measures[test.id]
        sides = LEGS if measure.paired else (Side.NONE,)
        seen = [self.observation(measure.id, side) for side in sides]
        if not any(seen):
            return ""
        shown = ["–" if o is None or o.measured is None else measure.text(o.measured) for o in seen]
        return " | ".join(shown) + ("" if measure.unit == "points" else f" {measure.unit}")

    def done(self, test: TestDefinition, look: int = 1) -> bool:
        """Whether all steps of a test are answered in a look."""
        steps = [s for s in self.steps if s.test is test]
        return bool(steps) and all(self.answered(s, look) for s in steps)

    def proposal(self) -> tuple[str, str] | None:
        """What a photograph proposes for the grade: its words and the answer that Enter accepts."""
        question = self.step.question
        measure = self.measures.get(question.proposed_by)
        if measure is None:
            return None
        photo = {
            o.side: o.value
            for o in self.workspace.observations()
            if o.measure_id == measure.id and o.marking_sd is not None and not isinstance(o.value, NotMeasured)
        }
        if not photo:
            return None
        unit, chain = unit_suffix(measure.unit), self.workspace.knowledge.chain
        if question.ask is AnswerKind.SIGNED:
            value = photo.get(Side.NONE)
            if value is None:
                return None
            grade = proposed_grade(chain, value, measure.unit)
            told = f"{measure.more[0 if value > 0 else 1]} by {abs(value):.1f}{unit}"
            return told, f"{'R' if grade > 0 else 'L'}{abs(grade)}" if grade else "0"
        if set(photo) < set(LEGS):
            return None
        grades = {side: max(0, proposed_grade(chain, photo[side], measure.unit)) for side in LEGS}
        told = ", ".join(f"{side.value} {format_signed(photo[side], 1)}{unit}" for side in LEGS)
        left, right = grades[Side.LEFT], grades[Side.RIGHT]
        return told, "0" if left == right == 0 else f"LR{left}{right}"

    def verdict(self, step: WalkStep) -> list[str]:
        """What the answers of a step mean so far, one sentence a line."""
        question = step.question
        if question.ask is AnswerKind.CHOICE:
            return self._told_by_clips(step)
        lines = []
        wanted = [m for m in (question.measure, question.number) if m]
        for measure in (self.measures[m] for m in wanted):
            if measure.paired:
                left, right = (self.observation(measure.id, side) for side in LEGS)
                row = compare_sides(measure, left, right) if left and right else None
            else:
                one = self.observation(measure.id, Side.NONE)
                row = judge_value(measure, one) if one and measure.compare is not Compare.ALONE else None
            if row is not None and not isinstance(row.verdict, NotMeasured):
                lines.append(f"{row.verdict.word.value}: {row.sentence} ({row.error_text})")
            for side in LEGS if measure.paired else (Side.NONE,):
                seen = self.observation(measure.id, side)
                found = against_reference(measure, seen, self.workspace.who) if seen is not None else None
                if found is not None:
                    name = f"{side.value} " if side in LEGS else ""
                    lines.append(f"{name}{found[0]} ({found[1].source})")
        return lines

    def _told_by_clips(self, step: WalkStep) -> list[str]:
        """What clips of this visit say to a choice: repetitions with the fault, or what a change did."""
        if step.test.finds_cause:
            return [c.sentence for c in found_causes(self.workspace) if c.changed == step.question.key]
        kept = self.choice(step)
        if kept is None or not kept.out_of:
            return []
        return [f"clip: seen in {kept.count} of {kept.out_of} repetitions"]

    # moving

    def go(self, index: int) -> None:
        """To a step."""
        self.index, self.pending = min(max(index, 0), len(self.steps) - 1), ""
        self.changed.emit()

    def go_test(self, test: TestDefinition) -> None:
        """To the first open step of a test."""
        mine = [i for i, s in enumerate(self.steps) if s.test is test]
        if mine:
            self.go(next((i for i in mine if not self.answered(self.steps[i], self.look)), mine[0]))

    def back(self) -> None:
        """One step back."""
        self.go(self.index - 1)

    def forward(self) -> None:
        """To the next step; after the last one of the walk its end is told."""
        at_end = self.index + 1 >= len(self.steps) or (
            self.steps[self.index + 1].test.extra and not self.step.test.extra
        )
        if at_end:
            self.pending = ""
            self.changed.emit()
            self.walked.emit()
        else:
            self.go(self.index + 1)

    def choose_side(self, side: Side) -> None:
        """The same question on a side."""
        for index, step in enumerate(self.steps):
            if step.test is self.step.test and step.question is self.step.question and step.side is side:
                self.go(index)

    def begin_look(self, look: int) -> None:
        """Start a look at the feet."""
        self.look = look
        self.go(0)

    # answering

    def press(self, key: str) -> bool:
        """One key of a one-key answer; True when it was taken."""
        ask = self.step.question.ask
        if ask is AnswerKind.CHOICE:
            if not (key.isdigit() and 1 <= int(key) <= len(self.step.question.options)):
                return False
            self.answer(self.step.question.options[int(key) - 1])
            return True
        if ask is AnswerKind.NUMBER:
            return False
        keys = self.pending + key.upper()
        if answer_is_complete(keys):
            self.answer(keys)
            return True
        if not answer_may_continue(keys):
            keys = key.upper() if answer_may_continue(key.upper()) else ""
        self.pending = keys
        self.changed.emit()
        return bool(keys)

    def accept(self) -> None:
        """Enter: the photo's proposal on the first look, unchanged on the second. Raises BadInput."""
        step = self.step
        if self.answered(step, self.look):
            self.forward()
            return
        before = self._before(step)
        proposal = self.proposal()
        if self.look > 1 and before is not None:
            self.answer(before)
        elif proposal is not None:
            self.answer(proposal[1], method="photo, accepted")
        elif step.question.ask is AnswerKind.CHOICE:
            raise BadInput(f"Press 1 to {len(step.question.options)}.")
        elif step.question.ask is AnswerKind.NUMBER:
            raise BadInput(f"Type the number and press Enter; {Status.UNABLE.value} and others have their buttons.")
        elif step.question.ask is AnswerKind.GRADES:
            raise BadInput("Press 0 for none, or a side and a grade: R2, L1, B2 for both.")
        else:
            raise BadInput("Press 0 for level, or the side and a grade: R2 or L1.")

    def _before(self, step: WalkStep) -> str | None:
        """The answer of the look before, as it would be typed."""
        if step.question.ask is AnswerKind.CHOICE:
            chosen = self.choice(step)
            return None if chosen is None else chosen.option
        grades = [self.trials(step.question.measure, side) for side in self._sides(step)]
        if not all(grades):
            return None
        last = [round(g[-1]) for g in grades]
        if step.question.ask is AnswerKind.GRADES:
            return f"LR{last[0]}{last[1]}"
        return f"{'R' if last[0] > 0 else 'L'}{abs(last[0])}" if last[0] else "0"

    def answer(self, text: str, method: str = EYE) -> None:
        """Keep an answer to the current step and go on. Raises BadInput; nothing is lost."""
        reason = self._permit()
        step, question = self.step, self.step.question
        if question.ask is AnswerKind.CHOICE:
            self._keep_choice(step, text, reason)
        elif question.ask is AnswerKind.NUMBER:
            self._keep_number(step, text)
            return
        else:
            grades = read_grades(text) if question.ask is AnswerKind.GRADES else {Side.NONE: read_signed(text)}
            with self.workspace.action(step.test.name) as act:
                for side, grade in grades.items():
                    looks = [*self.trials(question.measure, side)[: self.look - 1], float(grade)]
                    seen = observed(self.measures[question.measure], side, looks, method, reason=reason)
                    act.replace(seen, *self._rows(question.measure, side))
                self._strike_endings(act)
        self.forward()

    @property
    def needs_reason(self) -> bool:
        """True when the gate asks a licensed clinician for a reason."""
        return self.permission(self.step).asks

    def _permit(self) -> str:
        """The reason to keep; empty where none is asked. Raises Refused."""
        return require_permission(self.act(self.step), self.workspace.facts(), self.reason)

    def _strike_endings(self, act: ChangeSet) -> None:
        """An answer also takes back that this side of the test had ended without one."""
        side = self.step.side
        ends = self.workspace.endings(self.step.test.id)
        act.strike(*(e for e in ends if side is Side.NONE or e.side in (side, Side.NONE)))

    def _keep_choice(self, step: WalkStep, option: str, reason: str) -> None:
        under = "" if step.question.condition else self.under(step.test)
        answer = Answer(step.test.id, step.question.key, step.side, option, self.look, reason=reason, under=under)
        before = self.choice(step)
        other_way = before is not None and before.capture and before.under != under  # ticked in a clip: it stays
        with self.workspace.action(step.test.name) as act:
            act.replace(answer, None if other_way else before)
            self._strike_endings(act)
            for side in LEGS if step.side is Side.NONE else (step.side,):
                self._put_score(act, step.test, side, answer)

    def _put_score(self, act: ChangeSet, test: TestDefinition, side: Side, newest: Answer) -> None:
        """What the answers of a side add up to, in the place of what they added up to before."""
        if test.score is None:
            return
        given, under = [*self.workspace.answers(test.id), newest], self.under(test, newest)
        asked = {q.key for q in test.questions if q.condition}
        answers = {
            a.question: a.option
            for a in given
            if a.side in (side, Side.NONE) and (a.question in asked or a.under in (under, ""))
        }
        points, setup = test.score.of(answers), test.score.setup(answers)
        wanted = (setup.region, setup.step_height_m)
        before = [o for o in self._rows(test.score.measure, side) if (o.setup.region, o.setup.step_height_m) == wanted]
        if points is None:
            act.strike(*before)
            return
        act.replace(
            observed(self.measures[test.score.measure], side, [points], EYE, setup, reason=newest.reason), *before
        )

    def _keep_number(self, step: WalkStep, text: str) -> None:
        measure = self.measures[step.question.measure]
        trials = self.trials(measure.id, step.side)
        if len(trials) >= MOST_TRIALS:
            raise BadInput(f"{MOST_TRIALS} trials are saved already; strike one out or continue.")
        self._write_trials(measure, step.side, [*trials, read_number(text, measure)])
        if len(trials) + 1 == step.question.trials:
            self.forward()

    def keep_height(self, text: str) -> None:
        """A number typed beside a grade, for this look. Raises BadInput."""
        self._permit()
        measure = self.measures[self.step.question.number]
        looks = self.trials(measure.id, Side.NONE)[: self.look - 1]
        self._write_trials(measure, Side.NONE, [*looks, read_number(text, measure)])

    def hurting(self) -> WalkStep | None:
        """The movement that pain is typed for: the one on screen once it is answered, else the one before."""
        near = [s for s in (self.step, self.steps[self.index - 1] if self.index else None) if s is not None]
        return next((s for s in near if s.test is self.step.test and self._given(s)), None)

    def _given(self, step: WalkStep) -> list[Observation | Answer]:
        """What stands for a step and may carry its pain."""
        question = step.question
        if question.ask is AnswerKind.CHOICE:
            chosen = None if question.condition else self.choice(step)
            return [] if chosen is None else [chosen]
        if question.ask is AnswerKind.GRADES:  # one look at both legs: nobody could say which of them hurt
            return []
        return list(self._rows(question.measure, step.side)[-1:])

    def pain_of(self, step: WalkStep) -> int | None:
        """Pain 0-10 that was typed for a step; None where nobody asked."""
        return max((one.pain for one in self._given(step) if one.pain is not None), default=None)

    def keep_pain(self, text: str) -> None:
        """Pain with the movement that was answered last, 0-10. Raises BadInput."""
        step = self.hurting()
        if step is None:
            raise BadInput("Answer first; then type how much the movement hurt.")
        if not text.strip().isdigit() or int(text) > MOST_PAIN:
            raise BadInput(f"Pain is a whole number from 0 to {MOST_PAIN}.")
        with self.workspace.action(f"{step.test.name}: pain") as act:
            for one in self._given(step):
                act.replace(replace(one, pain=int(text)), one)
        self.changed.emit()

    def strike_last(self) -> None:
        """Take the last trial of a number out."""
        step = self.step
        trials = self.trials(step.question.measure, step.side)
        if step.question.ask is AnswerKind.NUMBER and trials:
            self._write_trials(self.measures[step.question.measure], step.side, trials[:-1])

    def _write_trials(self, measure: Measure, side: Side, trials: list[float]) -> None:
        rows = self._rows(measure.id, side)
        pain = rows[-1].pain if rows else None
        # A trial less puts right what stands: it asks nobody and keeps the reason that was given.
        kept = rows[-1].reason if rows else ""
        grown = not rows or len(trials) > rows[-1].trials.size
        reason = self._permit() if grown else kept
        with self.workspace.action(measure.name) as act:
            if trials:
                act.replace(replace(observed(measure, side, trials, "typed", reason=reason or kept), pain=pain), *rows)
            else:
                act.strike(*rows)
            self._strike_endings(act)

    def _rows(self, measure_id: str, side: Side) -> list[Observation]:
        return [
            o
            for o in self.workspace.observations()
            if o.measure_id == measure_id and o.side is side and o.marking_sd is None
        ]

    def end(self, status: Status) -> None:
        """The test ends without the answers asked for; the reason is kept, never a zero."""
        test, side = self.step.test, self.step.side
        with self.workspace.action(f"{test.name}: {status.value}") as act:
            act.add(Ending(test.id, side, status))
        rest = [i for i, s in enumerate(self.steps) if i > self.index and not (s.test is test and s.side is side)]
        if side is Side.NONE:
            rest = [i for i in rest if self.steps[i].test is not test]
        if rest and not (self.steps[rest[0]].test.extra and not test.extra):
            self.go(rest[0])
        else:
            self.changed.emit()
            self.walked.emit()
