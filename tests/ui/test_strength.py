"""The strength run and the order of the visit on the real window."""

import json
from dataclasses import replace

import hands
import numpy as np
import pytest
from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from tuning.core.entries import Status
from tuning.core.errors import BadInput, Refused
from tuning.core.judging.comparison import compare_change, compare_sides
from tuning.core.judging.trial_rule import TrialRule
from tuning.core.strength.trials import (
    USUAL,
    Mode,
    RatioBand,
    StrengthTrials,
    least_difference,
    observe,
    ratio,
    what_resolves,
)
from tuning.core.types import LEGS, NotMeasured, Observation, Side
from tuning.demo.simulated_gauge import Profile, Push, SimulatedDynamometer, recorded
from tuning.drawings.strength_pictures import is_drawn, test_picture
from tuning.knowledge import load
from tuning.records.settings import Settings
from tuning.ui.strength.live import GaugePhase
from tuning.ui.strength.profile import FormulaDialog
from tuning.ui.visit_order.dialog import PlanDialog

KNOWLEDGE = load()
FORCES = {"hip-abd": 180, "hip-add": 170, "hip-er": 120, "hip-ir": 130, "hip-flex": 200, "hip-ext": 210}


class Keys(QObject):
    """Counts what was really pressed, by key."""

    def __init__(self) -> None:
        super().__init__()
        self.pressed: set[int] = set()
        self.keys = self.clicks = 0
        QApplication.instance().installEventFilter(self)

    def eventFilter(self, target: QObject, event: QEvent) -> bool:
        if event.type() == QEvent.Type.KeyPress and target is QApplication.focusWidget():
            self.pressed.add(event.key())
            self.keys += 1
        self.clicks += event.type() == QEvent.Type.MouseButtonPress
        return False


@pytest.fixture
def strength(window, patient):
    """A fresh visit of the choir conductor on the strength stage: NONE, no side involved."""
    patient("choir conductor", "intake")
    window.new_visit()
    hands.record_screen(window)
    window.go("strength")
    hands.settle()
    return window.page("strength")


def test_the_thirteen_efforts_take_digits_point_and_enter_only(window, strength):
    state, typed = strength.state, []
    counted = Keys()
    for _ in range(13):
        test, side = state.test_id, state.side
        force = FORCES.get(test, 240) * (0.8 if (test, side) == ("hip-abd", Side.LEFT) else 1.0)
        for n in range(3):
            text = f"{force + 1.5 * n:.1f}"
            typed.append(text)
            QTest.keyClicks(QApplication.focusWidget(), text)
            QTest.keyClick(QApplication.focusWidget(), Qt.Key.Key_Return)
            if state.asking_pain:  # after each squeeze
                assert "0 to 10" in strength.hint.text()
                QTest.keyClicks(QApplication.focusWidget(), str(2 + n))
                QTest.keyClick(QApplication.focusWidget(), Qt.Key.Key_Return)
    QApplication.instance().removeEventFilter(counted)
    allowed = {*range(Qt.Key.Key_0, Qt.Key.Key_9 + 1), Qt.Key.Key_Period, Qt.Key.Key_Return}
    print(f"13 efforts, 39 trials and three pains: {counted.keys} keys, no mouse")
    assert counted.keys == sum(map(len, typed)) + 39 + 6 and not counted.clicks and counted.pressed <= allowed
    rows = {r.measure.id: r for r in window.workspace.comparisons()}
    assert rows["hip-abd"].verdict.word.value == "marked" and rows["hip-abd"].verdict.d > 0
    assert all(rows[t].left.trials.size == rows[t].right.trials.size == 3 for t in FORCES)
    assert strength.stack.currentIndex() == 1 and not state.order.open_stops("strength")
    hands.settle()
    assert state.squeeze()[1:] == (4, 1, "reduce") and len(strength.summary.view.rows()) == 6
    assert [name for name, _ in state.ratios()] == ["adduction : abduction", "external : internal rotation"]


def test_a_force_that_cannot_be_meant_is_asked_about_once_and_kept_when_meant(strength):
    state, field = strength.state, strength.number

    def typed(text: str) -> list[float]:
        field.clear()
        hands.type_enter(field, text)
        return list(state.trials(Side.LEFT))

    state.choose("hip-er:left")
    assert typed("1180") == [] and "more than can be held by hand" in strength.hint.text() and field.text() == "1180"
    assert typed("118") == [118.0]
    assert typed("12") == [118.0] and "far from the other trials" in strength.hint.text()
    assert typed("13") == [118.0], "another number is another question"
    assert typed("13") == [118.0, 13.0]
    typed("40")
    state.choose("hip-er:left")
    assert list(state.trials(Side.LEFT)) == [118.0, 13.0, 40.0], "beside 66 N at the middle nothing speaks against 40 N"


def test_what_was_asked_about_one_person_is_asked_about_the_next(window, strength, patient):
    for occupation in ("choir conductor", "potter"):
        if occupation == "potter":
            patient(occupation, "intake")
            window.new_visit()
            hands.record_screen(window)
            window.go("strength")
        strength.state.choose("hip-er:left")
        hands.type_enter(strength.number, "1180")
        assert not strength.state.trials(Side.LEFT).size and "more than can be held" in strength.hint.text(), occupation
        strength.number.clear()


def test_the_gauge_catches_a_valid_effort_and_refuses_a_slipped_one(qtbot, strength):
    strength.device.setCurrentText("gauge")
    page, live = strength, strength.live

    class Fast(SimulatedDynamometer):
        """The same stand-in with the whole effort at once."""

        def __init__(self, push):
            super().__init__(Profile(push.plateau))
            self.push = push

        def start(self):
            self._samples, _ = recorded(self.push, np.random.default_rng(7))
            self._given, self._started = 0, -60.0

        def read(self):
            new, self._samples = self._samples, self._samples[:0]
            return new

    live._counter.setInterval(1)
    live.use(Fast(Push(plateau=180.0)))
    QTest.keyClick(page.number, Qt.Key.Key_Space)
    assert live.phase is GaugePhase.COUNTING and page.picture_side.currentWidget() is live
    qtbot.waitUntil(lambda: live.phase is GaugePhase.SHOWN)
    assert page.number.text().endswith(" N") and "best second" in page.hint.text()
    QTest.keyClick(page.number, Qt.Key.Key_Return)
    seen = page.state.observation(page.state.side)
    assert seen.method == "gauge" and seen.measured == pytest.approx(182, rel=0.02)
    assert len(seen.evidence.traces[0]["n"]) > 400 and seen.evidence.traces[0]["faults"] == ""
    live.use(Fast(Push(plateau=180.0, slip=0.4)))
    QTest.keyClick(page.number, Qt.Key.Key_Space)
    qtbot.waitUntil(lambda: live.phase is GaugePhase.SHOWN)
    assert "pad slipped" in page.hint.text() and page.number.text() == ""
    assert page.state.trials(page.state.side).size == 1
    page.keep_anyway.click()
    seen = page.state.observation(page.state.side)
    assert seen.trials.size == 2 and "kept anyway: the pad slipped" in seen.quality_reason
    page.state.strike_last()
    assert page.state.trials(page.state.side).size == 1


def test_make_and_break_are_never_mixed_and_other_positions_never_compared(strength):
    state = strength.state
    state.choose("hip-er:right")
    hands.type_enter(strength.number, "120")
    with pytest.raises(BadInput, match="never mixed"):
        state.set_mode(Mode.BREAK)
    state.choose("hip-ir:right")
    state.set_mode(Mode.BREAK)
    hands.type_enter(strength.number, "150")
    assert Mode(state.observation(Side.RIGHT, "hip-ir").setup.mode).contraction.startswith("eccentric")
    ratios = dict(state.ratios())["external : internal rotation"][Side.RIGHT]
    assert isinstance(ratios, NotMeasured) and "never set against" in ratios.detail
    state.choose("hip-er:left")
    state.order.use_position("hip-er", "sitting")
    assert state.position == "sitting"
    hands.type_enter(strength.number, "118")
    assert "not compared: sitting against prone" in state.comparison("hip-er").sentence
    state.choose("hip-er:right")
    hands.type_enter(strength.number, "121")
    assert "trials prone" in strength.hint.text() and state.trials(Side.RIGHT).size == 1
    state.set_lever("0.4 m")
    assert state.observation(Side.RIGHT).setup.position == "prone", "what was done stays as it was done"


def test_pain_makes_a_force_pain_limited_and_the_test_comes_last(strength):
    state = strength.state
    state.choose("hip-flex:left")
    hands.type_enter(strength.number, "140")
    hands.type_enter(strength.setup.pain, "11")
    assert "0 to 10" in strength.hint.text() and state.pain(Side.LEFT) is None
    strength.setup.pain.clear()
    hands.type_enter(strength.setup.pain, "5")
    state.choose("hip-flex:right")
    hands.type_enter(strength.number, "200")
    row = state.comparison("hip-flex")
    assert "pain-limited (left 5/10), not weak" in row.sentence and isinstance(row.verdict, NotMeasured)
    assert all(e.last for e in state.order.order.efforts if e.test == "hip-flex")


def test_an_effort_may_end_without_a_force_and_is_no_zero(strength):
    state = strength.state
    first = state.effort_id
    state.end(Status.PAIN)
    assert state.effort_id != first and first not in [s.effort.id for s in state.order.open_stops("strength")]
    state.choose(first)
    hands.settle()
    assert "stopped for pain" in strength.spread.text() and not state.trials(state.side).size
    hands.type_enter(strength.number, "150")
    assert state.ending() == "", "a force takes the ending back"


def test_the_summary_rule_and_the_formula_are_settings_that_stay(window, strength, open_on):
    state = strength.state
    for side, trials in ((Side.RIGHT, "200 180 190"), (Side.LEFT, "150 160 170")):
        state.choose(f"hip-abd:{side.value}")
        for text in trials.split():
            hands.type_enter(strength.number, text)
    state.set_rule(TrialRule.BEST)
    assert (
        state.observation(Side.RIGHT, "hip-abd").measured == 200
        and state.observation(Side.LEFT, "hip-abd").measured == 170
    )
    assert state.difference("hip-abd") == "+15 %"
    state.set_formula("index")
    assert state.difference("hip-abd") == "+8 %"
    assert [v for _, _, v, _ in state.formulas("hip-abd")] == ["+15.0 %", "+8.1 %", "+16.2 %"]
    dialog = FormulaDialog(strength, state)
    assert dialog.layout().count() > 10
    folder = window.workspace.record.folder
    window.close()
    again = open_on(folder)
    assert again.page("strength").state.rule is TrialRule.BEST and again.page("strength").state.formula == "index"


def test_what_is_changed_for_one_test_leaves_every_other_as_it_was_written(window, strength):
    """Another clinician changes fixation, lever, one trial and the clinic's rule: authors and set-ups stay."""
    state, space = strength.state, window.workspace

    def type_both(test, force):
        for side in LEGS:
            state.choose(f"{test}:{side.value}")
            for n in range(3):
                state.enter(f"{force + 4 * n}")

    state.set_fixation("hand")
    type_both("hip-abd", 180)

    def told(entry):
        return entry.person, entry.setup, entry.value, entry.reason

    written = {o.uid: told(o) for o in space.entries(Observation) if o.measure_id.startswith("hip-abd")}
    first = space.person
    space.choose_person(space.record.add_person("Nora Quay", space.person.role.value))
    state.set_fixation("belt")
    type_both("hip-er", 120)
    state.set_lever("0.4")
    state.set_rule(TrialRule.BEST)
    state.strike_last()
    now = {o.uid: told(o) for o in space.entries(Observation) if o.uid in written}
    assert now == written and {who for who, *_ in now.values()} == {first.uid}
    row = next(r for r in space.comparisons() if r.measure.id == "hip-abd")
    assert row.left.value == 188 and row.left.setup.fixation == "hand", "the rule reads anew, nothing is rewritten"
    mine = [o for o in space.entries(Observation) if o.measure_id == "hip-er"]
    assert {o.setup.fixation for o in mine} == {"belt"} and {o.person for o in mine} == {space.person.uid}


def test_a_lever_is_offered_for_the_other_leg_and_follows_a_correction(window, strength):
    state = strength.state
    state.choose("hip-abd:left")
    state.set_lever("78")
    state.set_lever("38")
    assert state.lever(Side.LEFT) == state.lever(Side.RIGHT) == 0.38, "a slip that was put right is not offered"
    state.choose("hip-abd:right")
    state.set_lever("0.4")
    assert (state.lever(Side.LEFT), state.lever(Side.RIGHT)) == (0.38, 0.4), "typed for each, each keeps its own"


def test_planning_a_visit_over_all_stages(qtbot, window, strength):
    space, order = window.workspace, window.order
    dialog = PlanDialog(window, space, order, window.stages)
    qtbot.addWidget(dialog)
    dialog.show()
    template = next(t for t in order.templates() if t.name == "knee pain")
    dialog._take(list(template.tests))
    assert "turns" in dialog.cost.text() and order.chosen_by_hand
    assert window.status.step.text().startswith(order.open_stops()[0].effort.name)
    ids = [s.effort.id for s in order.order.stops]
    dialog._drag("knee-crease-level", len(ids))
    assert "cannot both come before" in dialog.told.text(), "posture stays before loading"
    dialog._skip("figure4-shin")
    assert [e.id for e in order.skipped()] == ["figure4-shin"]
    space.undo.undo()
    assert not order.skipped()
    dialog.name.setText("knee pain")
    dialog._save()
    assert "name of its own" in dialog.told.text()
    dialog.name.setText("our knees")
    dialog._save()
    assert "our knees" in [t.name for t in order.templates()]
    dialog.board.chosen.emit("knee-ext:left")
    dialog.board.chosen.emit("knee-ext:left")
    window.open(order.target("knee-ext:left"))
    assert window.stage == "strength" and window.page("strength").state.effort_id == "knee-ext:left"
    order.choose(["plates-squat-iso", "hip-abd"])
    window.open(order.target("plates-squat-iso"))
    assert window.stage == "force" and window.page("force").state.test_id == "squat-iso"
    order.choose(list(template.tests))
    window.open(order.target("figure4-shin"))
    assert window.stage == "mobility" and window.page("mobility").state.step.test.id == "figure4-shin"


def test_an_effort_is_dragged_and_left_out_on_the_board(window, strength):
    board, order = strength.board, window.order
    cells = {c.stop.effort.id: c for c in board.cells()}
    ids = [s.effort.id for s in order.order.stops]
    start, end = cells[ids[-2]].box.center().toPoint(), cells[ids[0]].box.topLeft().toPoint()
    QTest.mousePress(board, hands.LEFT, hands.NONE, start)
    QTest.mouseMove(board, end)
    QTest.mouseRelease(board, hands.LEFT, hands.NONE, end)
    moved = [s.effort.id for s in order.order.stops]
    assert moved.index(ids[-2]) < moved.index(ids[0])
    window.workspace.undo.undo()
    assert [s.effort.id for s in order.order.stops] == ids
    QTest.mouseClick(board, hands.LEFT, hands.NONE, cells[ids[3]].box.center().toPoint())
    assert strength.state.effort_id == ids[3]
    board.setFocus()
    QTest.keyClick(board, Qt.Key.Key_Delete)
    assert ids[3] not in [s.effort.id for s in order.order.stops]


def test_a_surgeons_limit_locks_strength_too(window, patient):
    patient("beekeeper", "strength")
    state = window.page("strength").state
    window.order.choose(["knee-ext", "hip-abd", "ankle-df"])
    locked = [name for name, _ in window.order.locked]
    assert locked == ["Knee extension, right"], "abduction goes on with the pad above the knee, on both legs alike"
    state.choose("hip-abd:left")
    assert state.pad == "knee" and "above the lateral femoral condyle" in state.test.pad_named(state.pad).text
    window.order.use_pad("hip-abd", "ankle")
    locked = [name for name, _ in window.order.locked]
    assert locked == ["Knee extension, right", "Hip abduction, right"], "a pad at the ankle pulls at the knee"
    state.choose("hip-abd:left")
    with pytest.raises(Refused, match="barred while a surgeon"):
        state.set_mode(Mode.BREAK)


# the arithmetic beside the window


def seen(test, side, trials, **setup):
    values = np.array(trials, float)
    pain = setup.pop("pain", None)
    how = replace(USUAL, body_mass_kg=80.0, **setup)
    return observe(StrengthTrials(test, side, values, tuple(map(str, trials)), setup=how, pain=pain))[0]


def test_what_one_test_can_tell_by_hand_and_with_a_belt():
    # 1.96 sqrt(2 (SEM^2/2/k + SEM^2/4)): 8 % by hand and 6 % with a belt, three trials.
    assert least_difference(8, 3) == pytest.approx(1.96 * (2 * (32 / 3 + 16)) ** 0.5)
    assert least_difference(6, 3) == pytest.approx(10.7, abs=0.1)
    assert "14 % apart by hand, 11 % with a belt" in what_resolves(8, 6, 15, 3)
    assert "3 trials by hand or 2 trials with a belt would do" in what_resolves(8, 6, 15, 2)


BAND = RatioBand("hip-add", "hip-abd", "a : b", "test", low=0.8)


def test_ratios_carry_their_error_and_say_when_they_cannot_tell():
    upper, lower = seen("hip-add", Side.LEFT, [120.0]), seen("hip-abd", Side.LEFT, [200.0])
    found = ratio(upper, lower, 8.0, BAND)
    assert found.value == pytest.approx(0.6) and found.error == pytest.approx(0.6 * 1.96 * (2 * 0.0048) ** 0.5)
    assert found.words == "below 0.8"
    near = ratio(seen("hip-add", Side.LEFT, [150.0]), lower, 8.0, BAND)
    assert "cannot tell" in near.words
    hurt = ratio(
        seen("hip-add", Side.LEFT, [150.0], pain=4),
        lower,
        8.0,
        BAND,
    )
    assert isinstance(hurt, NotMeasured)


def test_unlike_efforts_are_refused_between_sides_and_between_days():
    measure = KNOWLEDGE.measures["hip-er"]
    one = seen("hip-er", Side.LEFT, [100.0], mode="make", position="prone")
    for other in (dict(mode="break", position="prone"), dict(mode="make", position="sitting")):
        row = compare_sides(measure, one, seen("hip-er", Side.RIGHT, [100.0], **other))
        assert isinstance(row.verdict, NotMeasured) and "not compared" in row.sentence
        change = compare_change(measure, one, seen("hip-er", Side.LEFT, [120.0], **other))
        assert isinstance(change.verdict, NotMeasured)


@pytest.mark.parametrize(("pain", "band"), [(0, 0), (2, 0), (3, 1), (5, 1), (6, 2), (10, 2)])
def test_pain_bands_at_their_edges(pain, band):
    table = load().strength
    assert table.pain_band(pain)[0] == band and table.pain_words.startswith("0-2 go on, 3-5 reduce, 6-10 pause")
    with pytest.raises(ValueError, match="0 to 10"):
        table.pain_band(11)


def test_every_strength_test_is_drawn_in_every_position_and_mirrors():
    for test in KNOWLEDGE.tests.values():
        if test.stage != "strength":
            continue
        assert test.cue and test.pad and test.arrow and test.demands and test.muscle
        for position in test.positions:
            assert is_drawn(test.picture, position), test.id
            left, right = (test_picture(test.picture, position, side) for side in LEGS)
            assert left.shapes == right.mirrored().shapes or test.id == "squeeze-5s"


def test_settings_survive_a_broken_file(tmp_path):
    settings = Settings(tmp_path)
    settings.set("strength.rule", "best")
    assert Settings(tmp_path).get("strength.rule", "mean") == "best"
    assert Settings(tmp_path).get("strength.rule", 3) == 3, "another type counts as not set"
    (tmp_path / "settings.json").write_text("{broken")
    assert Settings(tmp_path).get("strength.rule", "mean") == "mean"
    Settings(tmp_path).set("strength.unit", "lbf")
    assert (tmp_path / "settings.unreadable").read_text() == "{broken", "put aside before it is written over"
    one, other = Settings(tmp_path), Settings(tmp_path)
    one.set("a", 1)
    other.set("b", 2)
    assert (one.get("a", 0), one.get("b", 0), other.get("a", 0)) == (1, 2, 1), "two windows keep each other's settings"
    (tmp_path / "settings.json").write_text(json.dumps([1]))
    assert Settings(tmp_path).get("x", 1.0) == 1.0
