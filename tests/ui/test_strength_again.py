"""Strength repeated: the protocol of last time by one key, pads, the squeeze, skipping, trials of the clinic."""

from __future__ import annotations

import hands
import numpy as np
import pytest
from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from tuning.core.errors import BadInput, Refused
from tuning.core.strength.gauge_trace import BREAK_RULES, read_effort
from tuning.core.strength.protocol import last_protocol
from tuning.core.strength.trials import Mode
from tuning.core.types import LEGS, NotMeasured, Side
from tuning.ui.visit_order.state import KEPT

LEFT, RIGHT = LEGS
FORCES = {"hip-abd": "180", "hip-add": "170", "hip-er": "120", "hip-ir": "130", "hip-flex": "200", "hip-ext": "210"}
LEVERS = {"hip-abd": "78", "hip-add": "77", "hip-er": "38", "hip-ir": "38", "hip-flex": "40", "hip-ext": "76"}


class Keys(QObject):
    """Counts the keys that reach a focused widget."""

    def __init__(self) -> None:
        super().__init__()
        self.count = 0
        QApplication.instance().installEventFilter(self)

    def eventFilter(self, target: QObject, event: QEvent) -> bool:
        self.count += event.type() == QEvent.Type.KeyPress and target is QApplication.focusWidget()
        return False

    def end(self) -> int:
        QApplication.instance().removeEventFilter(self)
        return self.count


def press(*keys: Qt.Key) -> None:
    for key in keys:
        QTest.keyClick(QApplication.focusWidget(), key)


def type_(text: str) -> None:
    QTest.keyClicks(QApplication.focusWidget(), text)


@pytest.fixture
def strength(window, patient):
    """A fresh visit of the choir conductor: NONE, no side involved; one trial a test in this clinic."""
    patient("choir conductor", "intake")
    window.new_visit()
    hands.record_screen(window)
    window.go("strength")
    hands.settle()
    page = window.page("strength")
    page.state.set_count(1)
    return page


def battery(page, with_levers: bool) -> None:
    """Thirteen values by keys; levers typed once for each test where they are not known."""
    state, typed = page.state, set()
    for _ in range(13):
        test = state.test_id
        if with_levers and test in LEVERS and test not in typed:
            typed.add(test)
            page.setup.lever.setFocus()  # by Shift+Tab on a real desk: counted as one key
            press(Qt.Key.Key_Shift)
            page.setup.lever.selectAll()
            type_(LEVERS[test])
            press(Qt.Key.Key_Return)
            page.number.setFocus()
            press(Qt.Key.Key_Shift)
        type_(FORCES.get(test, "240"))
        press(Qt.Key.Key_Return)
        if state.asking_pain:
            type_("1")
            press(Qt.Key.Key_Return)
    hands.settle()


def next_visit(window):
    window.new_visit()
    hands.record_screen(window)
    window.go("strength")
    hands.settle()
    page = window.page("strength")
    page.stack.setCurrentIndex(0)
    page.number.setFocus()
    return page


def test_thirteen_values_again_take_at_most_seven_tenths_of_the_keys(window, strength):
    state = strength.state
    strength.number.setFocus()
    counted = Keys()
    battery(strength, with_levers=True)
    first = counted.end()
    assert not state.order.open_stops("strength")
    before = {(o.measure_id, o.side): o.setup for o in window.workspace.observations() if o.measure_id in FORCES}
    page = next_visit(window)
    counted = Keys()
    QTest.keyClick(window, Qt.Key.Key_L, Qt.KeyboardModifier.ControlModifier)
    battery(page, with_levers=False)
    again = counted.end() + 1
    print(f"13 values: {first} keys the first time, {again} repeated ({100 * again / first:.0f} %)")
    assert again <= 0.7 * first and not page.state.order.open_stops("strength")
    now = {(o.measure_id, o.side): o.setup for o in window.workspace.observations() if o.measure_id in FORCES}
    assert now == before, "positions, levers, pads, mode and fixation are those of last time"


def test_the_last_protocol_brings_everything_back_and_ghosts_the_values(window, strength):
    state = strength.state
    window.order.choose(["hip-flex", "hip-abd"])
    window.order.use_position("hip-flex", "sitting")
    state.set_count(2)
    for test, side in (("hip-flex", LEFT), ("hip-flex", RIGHT), ("hip-abd", LEFT), ("hip-abd", RIGHT)):
        state.choose(f"{test}:{side.value}")
        state.set_pad("ankle")
        state.set_lever("80")
        state.set_fixation("belt")
        if not state.trials(side.other).size:
            state.set_mode(Mode.BREAK)
        state.enter("41.5 lbf" if side is LEFT else "200 N")
        state.enter("42 lbf" if side is LEFT else "201 N")
    page = next_visit(window)
    state = page.state
    assert state.mode is Mode.MAKE and state.fixation == "hand", "a new visit begins with what is usual"
    QTest.keyClick(window, Qt.Key.Key_L, Qt.KeyboardModifier.ControlModifier)
    state.choose("hip-flex:left")
    assert (state.position, state.pad, state.lever(LEFT), state.mode, state.fixation, state.wanted) == (
        "sitting", "ankle", 0.8, Mode.BREAK, "belt", 2
    )  # fmt: skip
    assert list(window.order.standing_choice()["tests"]) == ["hip-flex", "hip-abd"]
    assert page.number.placeholderText().startswith("last") and state.ghost() == pytest.approx(184.6, abs=0.1)
    assert "Hold there" in state.cue
    state.enter("190 N")
    assert state.ghost() == pytest.approx(186.8, abs=0.1), "trial by trial"
    again = window.workspace.record.case(window.workspace.case.patient.uid, window.workspace.case.visit.uid)
    assert last_protocol(again, {"hip-flex", "hip-abd"}, KEPT).trials("hip-flex") == 2


def test_without_an_earlier_visit_there_is_nothing_to_repeat(window, strength):
    with pytest.raises(BadInput, match="No earlier visit"):
        strength.state.repeat_last()


def test_a_pad_moved_to_the_knee_asks_a_new_lever_and_is_not_compared_with_the_ankle(window, strength):
    state = strength.state
    window.order.choose(["hip-abd"])
    state.choose("hip-abd:left")
    state.set_lever("80")
    state.set_pad("knee")
    assert state.pad == "knee" and state.lever(LEFT) is None
    state.enter("150")
    with pytest.raises(BadInput, match="strike them out"):
        state.set_pad("ankle")
    assert state.observation(LEFT, "hip-abd").setup.pad == "knee"
    other = [o for o in window.workspace.observations() if o.measure_id == "hip-abd"]
    assert other[0].setup.pad == "knee" and state.pad == "knee", "the other leg is tested alike"


def test_every_squeeze_asks_its_pain_and_six_ends_them(window, strength):
    state, said = strength.state, []
    state.stopped.connect(said.append)
    window.order.choose(["squeeze-5s"])
    state.set_count(3)
    state.choose("squeeze-5s")
    for force, pain in (("240", "3"), ("238", "6")):
        state.enter(force)
        assert state.asking_pain
        with pytest.raises(BadInput):
            state.enter("11")
        state.enter(pain)
    assert said and "no further trial" in said[-1]
    seen = state.observation(Side.NONE, "squeeze-5s")
    state.choose("squeeze-5s")
    assert state.pains(Side.NONE) == (3, 6)
    [kept] = [o for o in window.workspace.observations() if o.measure_id == "squeeze-pain"]
    assert (kept.trials.tolist(), kept.value, seen.pain, seen.setup.pad) == ([3.0, 6.0], 6.0, 6, "ankle")


def test_enter_on_an_untested_effort_asks_once(window, strength):
    state, said = strength.state, []
    state.stopped.connect(said.append)
    here = state.effort_id
    strength.number.setFocus()
    press(Qt.Key.Key_Return)
    assert state.effort_id == here and "Enter once more" in said[0] and "Enter once more" in strength.hint.text()
    press(Qt.Key.Key_Return)
    assert state.effort_id != here and len(said) == 1
    there = state.effort_id
    press(Qt.Key.Key_Return)
    assert state.effort_id == there and len(said) == 2, "each effort asks for itself"
    type_("150")
    press(Qt.Key.Key_Return)
    assert state.effort_id != there


def test_the_trials_of_the_clinic_are_one_to_three(window, strength):
    state = strength.state
    for count in (1, 2, 3):
        state.set_count(count)
        assert state.wanted == count and window.order.progress(state.order.stops("strength")[0].effort)[1] == count
        strength.summary.refresh()
        assert strength.summary.count.currentData() == count


def test_ankle_turns_take_no_lever_and_words_fit_the_position(window, strength):
    state = strength.state
    window.order.choose(["ankle-inv", "hip-flex", "knee-flex"])
    state.choose("ankle-inv:left")
    assert state.lever(LEFT) is None and not strength.setup.lever.isVisible()
    state.enter("90")
    assert {o.measure_id for o in window.workspace.observations()} >= {"ankle-inv"}
    assert not [o for o in window.workspace.observations() if o.measure_id == "ankle-inv-torque"]
    for test, position, words in (
        ("hip-flex", "supine", "toward your chest"),
        ("hip-flex", "sitting", "knee up"),
        ("knee-flex", "sitting", "under the bed"),
        ("knee-flex", "prone", "buttock"),
    ):
        window.order.use_position(test, position)
        state.choose(f"{test}:left")
        assert words in state.cue, (test, position)


def overcome() -> tuple[np.ndarray, np.ndarray]:
    """A break test: a hold of 1.6 s at 200 N, then 260 N as it is overcome, then it gives way at once."""
    t = np.arange(0, 5, 0.01)
    f = np.interp(t, [0, 0.6, 1.0, 2.6, 2.9, 2.95, 5], [0, 0, 200, 200, 260, 20, 0])
    return t, f + np.random.default_rng(3).normal(0, 0.4, t.size)


def test_a_break_that_gives_way_is_a_fault_only_of_a_make_test():
    make, broke = read_effort(*overcome()), read_effort(*overcome(), BREAK_RULES)
    assert not make.valid and broke.valid and broke.peak == pytest.approx(make.peak)
    t, f = overcome()
    early = np.where(t > 0.55, f + 0.2 * 260 * (t < 0.6), 60.0)
    assert not read_effort(t, early, BREAK_RULES).valid, "pre-tension stays a fault"
    assert not isinstance(broke, NotMeasured)


def test_a_break_test_stays_barred_while_a_limit_stands(window, patient):
    patient("beekeeper", "strength")
    with pytest.raises(Refused, match="barred"):
        window.page("strength").state.set_mode(Mode.BREAK)


def test_the_unit_of_a_repeated_protocol_never_reaches_the_next_patient(window, strength, patient):
    """The box beside the field, a bare number and the record say the same unit, whoever is open."""
    window.order.choose(["hip-abd"])
    strength.state.choose("hip-abd:left")
    strength.state.enter("41.5 lbf")
    page = next_visit(window)
    QTest.keyClick(window, Qt.Key.Key_L, Qt.KeyboardModifier.ControlModifier)
    hands.settle()
    page.state.choose("hip-abd:left")
    assert page.state.unit == page.unit.currentText() == "lbf" and page.number.placeholderText() == "last 41.5 lbf"
    patient("potter", "intake")
    window.new_visit()
    hands.record_screen(window)
    window.go("strength")
    hands.settle()
    assert page.state.unit == page.unit.currentText() == "N" and page.number.placeholderText() == ""
    assert page.state.protocol is None and page.state.mode is Mode.MAKE
    before = (page.state.test_id, page.state.side)
    page.state.enter("41.5")
    kept = [(o.measure_id, o.side, o.trials.tolist()) for o in window.workspace.observations()]
    assert (*before, [41.5]) in kept


def test_people_that_cannot_be_read_are_not_told_as_an_empty_clinic(window, monkeypatch):
    from PyQt6.QtWidgets import QLabel

    from tuning.core.errors import EnvironmentFault

    def refuse() -> None:
        raise EnvironmentFault("The disk refused to read.")

    window.workspace.record.add_person("A write, so that the list is read again", "trainer")
    monkeypatch.setattr(window.workspace.record, "digests", refuse)
    window.go_home()
    told = [label.text() for label in window.day_list.findChildren(QLabel)]
    assert "The disk refused to read." in told and not any("Nobody is here" in text for text in told)


def test_a_retest_on_the_wrong_leg_is_asked_about_before_it_is_kept(window, strength):
    """The first trial of the second leg tells; the same number once more is meant, and is not asked about again."""
    for side, forces in ((LEFT, ("118", "121")), (RIGHT, ("181", "179"))):
        strength.state.choose("hip-abd:" + side.value)
        for force in forces:
            strength.state.enter(force)
    page = next_visit(window)
    page.state.choose("hip-abd:left")
    page.state.enter("180")
    page.state.choose("hip-abd:right")
    page.number.setFocus()
    type_("120")
    press(Qt.Key.Key_Return)
    assert page.state.trials(RIGHT).size == 0 and page.number.text() == "120", "kept in its field"
    assert "Left and right look exchanged" in page.hint.text() and "left 180 N" in page.hint.text()
    press(Qt.Key.Key_Return)
    page.state.choose("hip-abd:right")
    assert page.state.trials(RIGHT).tolist() == [120.0]
    page.state.enter("122")
    assert page.state.trials(RIGHT).size == 2


def test_a_clear_difference_says_that_no_further_push_is_needed(strength):
    strength.state.set_count(3)
    strength.state.choose("hip-abd:right")
    for force in ("240", "236", "243"):
        strength.state.enter(force)
    strength.state.choose("hip-abd:left")
    strength.number.setFocus()
    for force, said in (("200", False), ("120", False)):
        type_(force)
        press(Qt.Key.Key_Return)
        assert ("another trial is not likely to change" in strength.hint.text()) is said, force
    strength.state.strike_last()
    strength.state.strike_last()
    type_("120")
    press(Qt.Key.Key_Return)
    assert strength.hint.text().startswith("Marked (error ±")
    assert "another trial is not likely to change the verdict" in strength.hint.text()
    assert strength.state.effort_id == "hip-abd:left", "the clinician decides"
