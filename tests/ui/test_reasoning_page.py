"""Reasoning under hands: patterns, the balance, tests by digit, overrule and undo, programme, summary, trail."""

from __future__ import annotations

import hands
import numpy as np
import pytest
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtTest import QTest

from tuning.core.entries import Note
from tuning.core.reasoning.evidence import Label
from tuning.core.types import LEGS, Observation, Role, Setup
from tuning.knowledge import FOLDER, for_clinic
from tuning.ui import theme
from tuning.ui.app import build_window, open_record
from tuning.ui.reasoning.dialogs import OverruleDialog, SummaryDialog, TrailDialog
from tuning.ui.reasoning.next_test_panel import OptionCard

LEFT, RIGHT = LEGS


@pytest.fixture
def page(window, patient):
    """The deckhand: a knee that falls in on the left."""
    patient("ferry deckhand", "reasoning")
    hands.settle()
    return window.page("reasoning")


def put(space, measure, left, right, **more):
    """Values of both legs, three trials each."""
    with space.action("measure") as act:
        for side, value in ((LEFT, left), (RIGHT, right)):
            act.add(Observation(measure, side, value, np.full(3, float(value)), "mean", **more))


def labels(page):
    return {sheet.factor.id: sheet.label for sheet in page.state.balance.sheets}


def key(page, which):
    QTest.keyClick(page.view, which)
    hands.settle()


def test_a_pattern_is_named_and_new_findings_turn_its_balance(window, page):
    assert page.title.text() == "Left dynamic knee valgus"
    assert "step-down" in page.about.text() and "standing line not known" in page.about.text()
    assert labels(page)["hip-abductor-strength"] is Label.LIKELY
    put(window.workspace, "hip-abd", 110, 170)
    hands.settle()
    assert labels(page)["hip-abductor-strength"] is Label.SUPPORTED
    window.workspace.undo.undo()
    assert labels(page)["hip-abductor-strength"] is Label.LIKELY


def test_keys_go_through_factors_and_lines_and_open_what_they_rest_on(window, page):
    page.view.setFocus()
    first = page.state.sheet.factor.id
    key(page, Qt.Key.Key_Down)
    assert page.state.sheet.factor.id != first
    key(page, Qt.Key.Key_Up)
    assert page.state.sheet.factor.id == first
    key(page, Qt.Key.Key_Right)
    assert page.state.chip == 1
    key(page, Qt.Key.Key_Left)
    assert page.state.chosen_chip.look.there
    key(page, Qt.Key.Key_Return)
    assert window.stage == "movement" and window.page("movement").on_bench, "its frame"


def test_a_click_on_a_hollow_chip_goes_to_its_test(window, page):
    page.view.grab()
    hollow = next(p for p in page.view._placed if p.factor > 0)
    at = hollow.box.center().toPoint()
    QTest.mouseClick(page.view, hands.LEFT, hands.NONE, at)
    assert page.state.factor == hollow.factor
    page.view.grab()
    again = next(p for p in page.view._placed if (p.factor, p.chip) == (hollow.factor, page.state.chip))
    QTest.mouseClick(page.view, hands.LEFT, hands.NONE, again.box.center().toPoint())
    assert window.stage != "reasoning" or "trial of cause" in window.status.message.text()


def test_a_digit_starts_a_test(window, page):
    options = page.state.options()
    cards = page.next.findChildren(OptionCard)
    assert 0 < len(options) <= 3 and len([c for c in cards if c.isVisible()]) == len(options)
    wanted = next(n for n, option in enumerate(options) if not option.change)
    key(page, Qt.Key(Qt.Key.Key_1 + wanted))
    assert window.stage == options[wanted].stage


def test_a_closed_test_is_not_offered(window, page):
    offered = {o.id for o in page.state.options()}
    panel = window.page("intake").safety
    panel.list.answer("surgeon", True)
    for limit in window.workspace.knowledge.safety.limits:
        if limit.demand in ("weight", "knee"):
            panel.list.answer(limit.id, True)
    panel.list.rest_no()
    panel.record()
    now = {o.id for o in page.state.options()}
    closed = {t for t in offered if t in page.state.tests.tests and "knee" in page.state.tests.tests[t].demands}
    assert not closed & now


def test_a_label_is_overruled_with_a_reason_and_taken_back(qtbot, window, page):
    dialog = OverruleDialog(page, page.state)
    qtbot.addWidget(dialog)
    dialog.label.setCurrentText("unlikely")
    dialog.keep()
    assert "needs a reason" in dialog.sentence.text() and labels(page)["hip-abductor-strength"] is Label.LIKELY
    dialog.reason.setText("strong on the table, seen twice")
    dialog.keep()
    assert labels(page)["hip-abductor-strength"] is Label.UNLIKELY
    sheet = page.state.balance.sheet("hip-abductor-strength")
    assert sheet.overruled == "strong on the table, seen twice"
    window.workspace.undo.undo()
    assert labels(page)["hip-abductor-strength"] is Label.LIKELY
    window.workspace.undo.redo()
    page.state.choose_factor("hip-abductor-strength")
    page.state.overrule(None, "")
    assert labels(page)["hip-abductor-strength"] is Label.LIKELY


def test_only_a_clinician_overrules(window, page, monkeypatch):
    monkeypatch.setattr(type(window.workspace), "role", property(lambda _: Role.STUDENT))
    with pytest.raises(Exception, match="licensed clinician"):
        page.state.overrule(Label.UNLIKELY, "because")


def test_a_likely_factor_goes_to_the_programme_and_an_untested_one_does_not(window, page):
    page.view.setFocus()
    key(page, Qt.Key.Key_Down)
    key(page, Qt.Key.Key_P)
    assert window.stage == "reasoning" and "only supported and likely" in window.status.message.text()
    page.view.setFocus()
    key(page, Qt.Key.Key_Up)
    key(page, Qt.Key.Key_P)
    assert window.stage == "programme"
    assert "Hip abductor weakness, left (likely)" in window.page("programme").factors.text()


def test_the_summary_is_plain_and_can_be_kept(qtbot, window, page):
    dialog = SummaryDialog(page, page.state)
    qtbot.addWidget(dialog)
    assert "Hip abductor weakness: likely" in dialog.text() and "not proved" in dialog.text()
    patient_words = page.state.texts()[1].lower()
    for word in ("diagnos", "disease", "syndrome", "dysfunction", "abnormal", "impingement"):
        assert word not in patient_words + dialog.text().lower()
    dialog.keep()
    assert [n.stage for n in window.workspace.entries(Note)] == ["reasoning"]


def test_the_trail_tells_what_changed_a_suspicion(qtbot, window, page):
    space = window.workspace
    put(space, "hip-abd", 110, 170)
    window.new_visit()
    window.go("intake")
    hands.settle()
    window.page("intake").safety.nothing_new.click()
    put(space, "hip-abd", 170, 171)
    turns = [t for t in page.state.turns() if t.factor == "Hip abductor weakness" and t.pattern == "knee-in"]
    assert [t.now for t in turns][-1] is Label.SUPPORTED and turns[-1].before is None
    assert turns[0].now is not Label.SUPPORTED and turns[0].before is Label.SUPPORTED
    dialog = TrailDialog(page, page.state.turns())
    qtbot.addWidget(dialog)


def test_a_trial_of_cause_on_the_screen_speaks_for_the_foot(window, page):
    space = window.workspace
    plain = [o for o in space.observations() if o.measure_id == "step-down-fppa" and o.side is LEFT][-1]
    for changed, values in (("foot-set", [3.0, 3.2, 3.1]), ("", list(plain.trials))):
        with space.action("film again") as act:
            act.add(Observation("step-down-fppa", LEFT, float(np.mean(values)), np.array(values), "mean", "clip",
                                setup=Setup(task="step-down", changed=changed)))  # fmt: skip
    hands.settle()
    assert labels(page)["foot-control"] in (Label.LIKELY, Label.SUPPORTED)
    assert "foot set" in page.next.response_words.text() and "less while changed" in page.next.response_words.text()


def test_patterns_stand_on_their_side_of_the_figure(qtbot, window, page):
    """Seen from behind, left is left: the same findings with the legs exchanged move the mark over."""

    def places():
        return {
            (b.seen.pattern.id, b.seen.side): page.patterns.figure._place(b).x() for b in page.state.conclusion.balances
        }

    middle = page.patterns.figure._box().center().x()
    assert all((x < middle) == (side is LEFT) for (_, side), x in places().items() if side in LEGS)
    before = page.patterns.figure.grab().toImage()
    put(window.workspace, "step-down-fppa", 3, 18, method="clip")
    hands.settle()
    assert page.state.conclusion.of("knee-in", RIGHT) is not None
    assert all((x < middle) == (side is LEFT) for (_, side), x in places().items() if side in LEGS)
    assert page.patterns.figure.grab().toImage() != before
    knee = page.state.conclusion.of("knee-in", RIGHT)
    at = page.patterns.figure._place(knee)
    QTest.mouseClick(page.patterns.figure, hands.LEFT, hands.NONE, at.toPoint())
    assert page.title.text() == "Right dynamic knee valgus"


def test_evidence_for_stands_right_of_the_axis_and_against_left(window, page):
    put(window.workspace, "hip-abd", 170, 171, setup=Setup(fixation="belt"))
    hands.settle()
    page.state.choose_factor("hip-abductor-strength")
    image = page.view.grab().toImage()
    axis = page.view._axis
    sheets = page.state.balance.sheets
    ways = set()
    for placed in page.view._placed:
        sheet = sheets[placed.factor]
        chip = [*sheet.fired, *sheet.untested][placed.chip]
        ways.add((chip.line.sign, chip.look.there))
        middle = placed.box.center()
        wash = image.pixelColor((middle + QPointF(0, 10)).toPoint())
        if chip.look.there and chip.counted:
            assert wash == theme.colour("accent_wash" if chip.line.sign > 0 else "skin")
        others = [p.box.center().x() for p in page.view._placed if p is not placed]
        assert others
    left = [p for p in page.view._placed if [*sheets[p.factor].fired, *sheets[p.factor].untested][p.chip].line.sign < 0]
    right = [p for p in page.view._placed if p not in left]
    assert axis is not None and max(p.box.right() for p in left) < min(p.box.left() for p in right)
    assert {(1, True), (-1, True), (1, False)} <= ways


def test_under_red_nothing_is_reasoned(window, page):
    panel = window.page("intake").safety
    panel.list.answer("saddle", True)
    panel.record()
    hands.settle()
    found = page.state.conclusion
    assert found.refer and not found.balances and not page.state.options()
    window.go("reasoning")
    hands.settle()
    assert page.title.text() == "Refer" and "red flag" in page.empty.text().lower()


def test_the_screen_says_whose_table_it_is_and_a_broken_one_locks_nobody_out(qtbot, window, page, tmp_path):
    own = tmp_path / "own"
    own.mkdir()
    text = (FOLDER / "reasoning.toml").read_text()
    (own / "reasoning.toml").write_text(f'set_by = "R. Falk"\n{text}')
    window.workspace._clinic.shipped = for_clinic(own)
    page.refresh()
    assert "R. Falk" in page.own_table.text()
    folder = tmp_path / "record"
    (folder / "knowledge").mkdir(parents=True)
    (folder / "knowledge" / "reasoning.toml").write_text(text.replace('measures = ["hip-abd"]', 'measures = ["hip"]'))
    record = open_record(folder)
    other = build_window(record)
    qtbot.addWidget(other)
    assert "break a rule" in other.status.message.text()
    assert other.workspace.knowledge.reasoning.set_by == ""
    record.close()
