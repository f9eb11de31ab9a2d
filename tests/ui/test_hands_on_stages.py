"""Intake, Standing and Mobility on the real window: keys, counts, refusals, locks, trails."""

from datetime import date, timedelta
from pathlib import Path

import hands
import pytest
from pypdf import PdfReader
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QPushButton

from tuning.core.entries import Answer, Screen, Status
from tuning.core.errors import BadInput
from tuning.core.gate.permission import GateAct
from tuning.core.programme.ladders import act_of_rung
from tuning.core.reasoning.findings import findings
from tuning.core.standing.suspicion_progress import TRAIL
from tuning.core.types import LEGS, Observation, Side, Triage
from tuning.ui import exercise_figure
from tuning.ui.intake.history_panels import COMPLAINT
from tuning.ui.reports.dialog import ReportDialog

ALT = Qt.KeyboardModifier.AltModifier
LEFT_BUTTON = Qt.MouseButton.LeftButton

FIRST_LOOK = {
    "achilles-heel-tilt": "L2", "arch-profile": "L2", "knee-crease-level": "R2", "psis-level": "R2",
    "pelvis-crest-level": "R1", "scapula-position": "L1", "plumb-side": "2", "arm-resist-check": "1",
}  # fmt: skip


class Keys:
    """Presses keys on whatever has the focus and counts them."""

    def __init__(self):
        self.count = 0

    def press(self, text):
        for key in text:
            self.count += 1
            if key == "\n":
                QTest.keyClick(QApplication.focusWidget(), Qt.Key.Key_Return)
            else:
                QTest.keyClick(QApplication.focusWidget(), key)


def by_eye(window):
    return {
        (o.measure_id, o.side): o
        for o in window.workspace.observations()
        if o.measure_id.endswith("-eye") and o.marking_sd is None
    }


def _shown_buttons(window):
    trail = window.page("standing").trail
    return {b.text(): b for b in trail.findChildren(QPushButton) if b.isVisible()}


def test_the_whole_walk_by_keyboard(window, patient, capsys):
    patient("ferry deckhand", "standing")
    state = window.page("standing").state
    walk = [i for i, step in enumerate(state.steps) if not step.test.extra]
    first = Keys()
    for index in walk:
        assert state.index == index and QApplication.focusWidget() is window.page("standing").question
        first.press(FIRST_LOOK.get(state.step.test.id, "0"))
    assert "Look 1 is complete" in window.status.message.text()
    assert first.count < 60

    state.begin_look(2)
    window.page("standing").question.setFocus()
    second = Keys()
    for index in walk:
        assert state.index == index
        second.press("R3" if state.step.test.id == "knee-crease-level" else "\n")
    assert second.count == len(walk) + 1, "one key where nothing changed"
    with capsys.disabled():
        print(f"\nwalk: {len(walk)} questions, {first.count} keys on the first look, {second.count} on the second")

    seen = by_eye(window)
    assert list(seen["knee-crease-level-eye", Side.NONE].trials) == [2, 3]
    assert seen["knee-crease-level-eye", Side.NONE].measured == 2.5
    assert [seen["arch-profile-eye", side].measured for side in LEGS] == [2, 0]
    assert list(seen["head-tilt-eye", Side.NONE].trials) == [0, 0]

    hands.settle()
    assert "the foot that rolls in lowers this leg (left)" in window.page("standing").trail.text.text()
    assert "folded cloth" in window.status.step.text(), "the deciding look is the next step"
    buttons = _shown_buttons(window)
    buttons["levels out"].click()
    hands.settle()
    assert "folded cloth" not in window.status.step.text()
    assert "foot collapse on this side is supported" in window.page("standing").trail.next.text()
    kept = window.workspace.decisions(TRAIL)[-1]
    assert kept.inputs["facts"] and kept.outcome == "levels out" and kept.side is Side.LEFT
    asked = _shown_buttons(window)
    asked["agrees"].click()
    hands.settle()
    assert "Past trouble on the found side: agrees" in window.page("standing").trail.kept.text()


def test_back_undo_and_endings_that_are_never_a_zero(window, patient):
    patient("ferry deckhand", "standing")
    state, keys = window.page("standing").state, Keys()
    keys.press("L2")
    QTest.keyClick(QApplication.focusWidget(), Qt.Key.Key_Left, ALT)
    assert state.step.test.id == "achilles-heel-tilt"
    keys.press("LR13")
    assert [by_eye(window)["achilles-heel-tilt-eye", side].measured for side in LEGS] == [1, 3]
    QTest.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert [by_eye(window)["achilles-heel-tilt-eye", side].measured for side in LEGS] == [2, 0]
    assert state.step.test.id == "arch-profile"
    keys.press("P")
    assert ("arch-profile-eye", Side.LEFT) not in by_eye(window)
    assert window.workspace.endings("arch-profile")[-1].status is Status.PAIN
    state.back()
    keys.press("0")
    assert by_eye(window)["arch-profile-eye", Side.LEFT].measured == 0
    assert window.workspace.endings("arch-profile") == [], "an answer takes the ending back"


def test_a_wrong_key_is_refused_beside_the_question_and_moves_nothing(window, patient):
    patient("ferry deckhand", "standing")
    question, keys = window.page("standing").question, Keys()
    keys.press("7\n")
    assert window.page("standing").state.index == 0 and "R2, L1" in question.hint.text()
    keys.press("R9")
    assert window.page("standing").state.index == 0 and not by_eye(window)


def test_a_photograph_proposes_and_enter_accepts(window, patient):
    patient("choir conductor", "standing")
    test = window.workspace.knowledge.tests["knee-crease-level"]
    window.page("standing").open_test(test)
    hands.settle()
    assert "right higher by" in window.page("standing").question.proposal.text()
    Keys().press("\n")
    seen = by_eye(window)["knee-crease-level-eye", Side.NONE]
    assert seen.measured == 2 and seen.method == "photo, accepted"
    window.page("standing").show_bench()
    bench = window.page("standing").bench
    assert bench.isVisible() and len(bench.own_captures()) == 4
    hands.settle()
    window.page("standing").back()
    assert not bench.isVisible()
    assert "sway-back" in window.page("standing").trail.posture.text()
    assert "30 mm or more behind the hip" in window.page("standing").trail.posture.text(), "the rule is shown"


def test_foot_score_and_scales_by_keyboard(window, patient):
    patient("ferry deckhand", "standing")
    tests, panel = window.workspace.knowledge.tests, window.page("standing").foot_score
    window.page("standing").open_test(tests["foot-posture-score"])
    keys = Keys()
    keys.press("21" * 6)
    assert "left +12" not in panel.totals.text() and "left 12, highly pronated" in panel.totals.text()
    assert "right 6, pronated" in panel.totals.text()
    panel.keep_button.click()
    seen = {o.side: o.measured for o in window.workspace.observations() if o.measure_id == "foot-posture-score"}
    assert seen == {Side.LEFT: 12, Side.RIGHT: 6}

    window.page("standing").open_test(tests["two-scale-share"])
    scales = window.page("standing").scales
    hands.type_enter(scales.field, "20 21")
    assert "on record" in scales.hint.text() and scales.field.text() == "20 21"
    scales.field.clear()
    for typed in ("48,4 39.6", "47.9 40.1", "48.0 40.0"):
        hands.type_enter(scales.field, typed)
    share = next(o for o in window.workspace.observations() if o.measure_id == "two-scale-share")
    assert share.measured == pytest.approx(100 * (39.6 / 88 + 40.1 / 88 + 40 / 88) / 3)
    hands.settle()
    assert "left carries more" in scales.result.text() and "no lower hip" in scales.agreement.text()
    scales.take()
    assert len(scales._pairs()) == 4


def test_mobility_takes_trials_side_by_side_and_refuses_the_impossible(window, patient):
    patient("ferry deckhand", "mobility")
    page = window.page("mobility")
    page.open_test(window.workspace.knowledge.tests["knee-to-wall"])
    assert page.state.step.side is Side.LEFT, "the right side is involved, the left comes first"
    hands.type_enter(page.question.number, "-3")
    assert "0 to 30 cm" in page.question.hint.text() and page.question.number.text() == "-3"
    page.question.number.clear()
    for typed in ("10,5", "105 mm", "10.5"):
        hands.type_enter(page.question.number, typed)
    assert page.state.step.side is Side.RIGHT
    for typed in ("6", "6.5", "6.5"):
        hands.type_enter(page.question.number, typed)
    row = next(r for r in window.workspace.comparisons() if r.measure.id == "knee-to-wall")
    assert row.verdict.word.value == "marked" and row.verdict.d == pytest.approx(19 / 3 - 10.5)
    assert page.state.step.question.key == "heel"
    Keys().press("1")
    assert window.workspace.answers("knee-to-wall")[-1].option == "stays down"


def test_under_amber_a_maximal_test_by_eye_needs_a_clinician_and_a_reason(window, patient):
    patient("beekeeper", "movement")
    window.page("movement").show_walk()
    page, tests = window.page("movement"), window.workspace.knowledge.tests
    page.open_test(tests["heel-raise"])
    hands.settle()
    question = page.question
    assert question.reason.isVisible()
    hands.type_enter(question.number, "12")
    assert "type the reason" in question.hint.text() and not window.workspace.observations()
    question.reason.setFocus()
    QTest.keyClicks(question.reason, "surgeon agreed to raises")
    clinician = window.workspace.person
    window.workspace.choose_person(window.workspace.record.people()[1])
    hands.type_enter(question.number, "")
    question.number.setText("12")
    QTest.keyClick(question.number, Qt.Key.Key_Return)
    assert "licensed clinician" in question.hint.text() and not window.workspace.observations()
    window.workspace.choose_person(clinician)
    QTest.keyClick(question.number, Qt.Key.Key_Return)
    (seen,) = window.workspace.observations()
    assert seen.measured == 12 and seen.reason == "surgeon agreed to raises"
    page.open_test(tests["pelvis-hold-1leg"])
    hands.settle()
    assert not question.reason.isVisible(), "a quiet hold is no maximal test"


def test_a_surgeons_limit_locks_matching_tests_and_rungs_until_cleared(window, patient):
    patient("beekeeper", "movement")  # right knee: bend limited, nothing fast
    page, tests, space = window.page("movement"), window.workspace.knowledge.tests, window.workspace
    page.show_walk()
    page.open_test(tests["split-squat"])
    page.state.choose_side(Side.RIGHT)
    hands.settle()
    assert "right: knee flexion to 90°" in page.question.caution.text()
    Keys().press("1")
    assert "locked until cleared" in page.question.hint.text() and not space.observations()
    assert all(not page.state.lock(s) for s in page.state.steps if s.test.id == "heel-raise")
    sides = {s.side: bool(page.state.lock(s)) for s in page.state.steps if s.test.id == "chair-rise-1leg"}
    assert sides[Side.RIGHT] and not sides[Side.LEFT], "the sound leg may be tested"
    window.go("programme")
    state = window.page("programme").state
    assert "surgeon" not in state.locked(), "a hold at 45° is within 90°"
    state.choose(state.named("hb-3-bridge"))
    assert "knee flexion to 90°" in state.locked(), "a bridge bends the knee to 115°"
    with pytest.raises(BadInput, match="surgeon's limit"):
        state.write("wants to go on")
    window.page("intake").open_leaf("Safety")
    window.go("intake")
    hands.clear_finding(window, "limit-fast", "jumps allowed")
    assert space.limits().text.startswith("right: knee flexion to 90°"), "the other limit stays"
    assert "knee flexion" in state.locked()
    hands.clear_finding(window, "limit-knee", "full bend allowed")
    assert not space.limits() and "surgeon" not in state.locked()


# intake


def test_the_complaint_is_told_on_the_map_and_found_again(window, patient, open_on):
    patient("ferry deckhand", "intake")
    panel = window.page("intake").complaint
    window.page("intake").open_leaf("Complaint")
    hands.settle()
    QTest.mouseClick(panel.map, LEFT_BUTTON, pos=panel.map.place("back", 0.1, 0.48).toPoint())
    assert panel.site_head.text() == "1. outer hip, right"
    worst = panel.site.fields["worst"]
    hands.type_enter(worst.edit, "11")
    assert "0 to 10 is accepted" in worst.refusal.text() and worst.edit.text() == "11"
    worst.edit.clear()
    hands.type_enter(worst.edit, "6")
    goals = panel.form.lists["goals"]
    goals.add()
    hands.type_enter(goals.rows[0][0].edit, "walk the car deck")
    hands.type_enter(goals.rows[0][1].edit, "4,5")
    values = {o.measure_id: o for o in window.workspace.observations()}
    assert values["pain-worst"].measured == 6 and values["pain-worst"].side is Side.RIGHT
    assert values["intake-goals"].measured == 4.5
    folder = window.workspace.record.folder
    window.close()
    again = open_on(folder)
    again.open_patient(next(p for p in again.workspace.record.patients() if p.occupation == "ferry deckhand"))
    again.new_visit()
    site = again.workspace.form(COMPLAINT).data["sites"][0]
    assert (site["region"], site["side"], site["worst"]) == ("outer hip", "right", 6)
    assert again.page("intake").complaint.map.sites[0]["region"] == "outer hip"


def test_brushing_the_soles_measures_them(window, patient, tmp_path: Path):
    patient("ferry deckhand", "intake")
    window.page("intake").open_leaf("Shoes")
    hands.settle()
    shoes = window.page("intake").shoes
    shoes.brushes[2].click()
    inner = [shoes.map.zone_box(Side.RIGHT, f"{part} inner").center().toPoint() for part in ("heel", "middle", "front")]
    QTest.mousePress(shoes.map, LEFT_BUTTON, pos=inner[0])
    for at in inner:
        QTest.mouseMove(shoes.map, at)
        shoes.map._brush(at.toPointF())
    QTest.mouseRelease(shoes.map, LEFT_BUTTON, pos=inner[-1])
    row = next(r for r in window.workspace.comparisons() if r.measure.id == "shoe-wear")
    assert (row.left.measured, row.right.measured) == (0, 6)
    assert "right worn 2 grades further" in shoes.told.text()
    bad = tmp_path / "not a photo.jpg"
    bad.write_bytes(b"nothing")
    shoes.add_photo(bad)
    assert "cannot be read as a photograph" in window.status.message.text()


def answer(window, **answers):
    window.page("intake").open_leaf("Safety")
    hands.settle()
    for key, yes in answers.items():
        window.page("intake").safety.list.answer(key.replace("_", "-"), yes)


def test_the_screen_needs_every_answer_but_red_does_not_wait(window, patient):
    patient("ferry deckhand", "intake")
    window.new_visit()
    window.go("intake")
    panel = window.page("intake").safety
    answer(window, night=False)
    panel.record()
    assert "no answer yet" in window.status.message.text() and not window.workspace.asked_today
    answer(window, calf=True, calf_breath=True)
    assert panel.level.text() == "RED" and "breathlessness" in panel.why.text()
    panel.record()
    assert window.workspace.triage() is Triage.RED
    window.go("strength")
    assert window.stage == "intake"


@pytest.mark.parametrize("side", LEGS)
def test_a_place_tapped_on_one_leg_stands_on_the_referral_note_with_that_leg(window, patient, tmp_path: Path, side):
    """The front view faces us: the right leg of the person stands on the left of the picture."""
    patient("ferry deckhand", "intake")
    page = window.page("intake")
    page.open_leaf("Complaint")
    hands.settle()
    body = page.complaint.map
    place = body.place("front", -0.06 if side is Side.RIGHT else 0.06, 0.73)
    QTest.mouseClick(body, hands.LEFT, hands.NONE, place.toPoint())
    hands.type_enter(page.complaint.site.fields["now"].edit, "6")
    answer(window, saddle=True)
    page.safety.record()
    assert ReportDialog(window, window.workspace, "referral").write_file(tmp_path / "note.pdf")
    text = " ".join(" ".join(p.extract_text().split()) for p in PdfReader(tmp_path / "note.pdf").pages)
    assert f"knee, {side.value}: now 6/10" in text and f"knee, {side.other.value}: now 6/10" not in text


def test_nothing_at_a_later_visit_lifts_a_red_but_a_clearance(window, patient, tmp_path: Path):
    patient("ferry deckhand", "intake")
    answer(window, saddle=True)
    panel = window.page("intake").safety
    panel.record()
    panel.list.rest_no()
    answer(window, saddle=False)
    panel.record()
    assert window.workspace.entries(Screen)[-1].level == "NONE"
    assert window.workspace.triage() is Triage.RED, "a later NONE does not lift it"
    window.new_visit()
    window.go("intake")
    hands.settle()
    assert panel.again_row.isVisible()
    panel.nothing_new.click()
    assert window.workspace.triage() is Triage.RED
    note = tmp_path / "note.pdf"
    assert ReportDialog(window, window.workspace, "referral").write_file(note) and note.read_bytes().startswith(b"%PDF")
    panel.cleared_by.setText("Dr. Marsh")
    panel.result.setText("no cord sign")
    panel.cleared_on.setDate(date.today() + timedelta(days=2))
    panel.clear()
    assert "future" in window.status.message.text() and window.workspace.triage() is Triage.RED
    panel.cleared_on.setDate(date.today())
    panel.clear()
    assert window.workspace.triage() is Triage.NONE
    window.go("strength")
    assert window.stage == "strength"
    kept = window.workspace.entries(Screen)
    assert kept and all(s.who == "R. Falk" and s.answers for s in kept), "who answered is kept"


def test_a_quiet_later_visit_takes_one_click(window, patient):
    patient("ferry deckhand", "intake")
    window.new_visit()
    window.go("intake")
    window.page("intake").open_leaf("Safety")
    hands.settle()
    assert "Ask the safety screen" in window.status.step.text()
    window.page("intake").safety.nothing_new.click()
    assert window.workspace.triage() is Triage.NONE
    assert "Ask the safety screen" not in window.status.step.text()


def test_a_step_down_is_answered_anew_under_another_reach_and_both_stay(window, patient):
    patient("potter", "intake")
    window.new_visit()
    hands.record_screen(window)
    window.go("movement")
    page = window.page("movement")
    test, state = window.workspace.knowledge.tests["step-down"], page.state
    page.open_test(test)

    def tick(key: str, option: str, side: Side = Side.NONE) -> None:
        state.go(next(i for i, s in enumerate(state.steps) if s.test.id == test.id and s.question.key == key
                      and s.side is side))  # fmt: skip
        state.answer(option)

    def scores() -> dict[Side, float]:
        return {o.side: o.value for o in window.workspace.observations() if o.measure_id == "step-down-score"}

    tick("reach", "to the side")
    tick("height", "20 cm")
    marks = {"arms": "still", "trunk-once": "leans", "pelvis-once": "level", "steady": "steady"}
    for key, option in marks.items():
        tick(key, option, Side.LEFT)
    assert scores() == {}, "the knee is not told yet"
    tick("knee-once", "past the inner edge", Side.LEFT)
    assert scores() == {Side.LEFT: 3.0}
    tick("trunk-once", "upright", Side.LEFT)
    assert scores() == {Side.LEFT: 2.0}
    [kept] = [o for o in window.workspace.observations() if o.measure_id == "step-down-score"]
    assert (kept.setup.region, kept.setup.step_height_m, kept.method) == ("to the side", 0.2, "by eye")
    tick("knee-in", "every", Side.LEFT)
    QTest.keyClick(page.question, Qt.Key.Key_H)
    hands.type_enter(page.question.pain, "4")

    def answered(key: str) -> dict[str, str]:
        return {a.under: a.option for a in window.workspace.answers(test.id) if a.question == key}

    tick("reach", "to the front")
    place = next(s for s in state.steps if s.test.id == test.id and s.question.key == "knee-in" and s.side is Side.LEFT)
    assert not state.answered(place) and state.other_conditions(test) == ["to the side · 20 cm"]
    tick("knee-in", "absent", Side.LEFT)
    assert answered("knee-in") == {"to the side · 20 cm": "every", "to the front · 20 cm": "absent"}
    found = findings(window.workspace.case, window.workspace.knowledge.measures)
    assert found.answers["step-down", "knee-in", Side.LEFT].option == "every", "a fault in one direction is a fault"
    assert found.answers["step-down", "knee-in", Side.LEFT].pain == 4
    with window.workspace.action("faults") as act:
        act.add(Answer(test.id, "pelvis", Side.LEFT, "most", ticked=(0, 2), out_of=3, capture="clip"))
    tick("pelvis", "absent", Side.LEFT)
    assert answered("pelvis") == {"": "most", "to the front · 20 cm": "absent"}, "what a clip showed stays"
    tick("reach", "to the side")
    assert scores() == {Side.LEFT: 2.0} and state.choice(place).option == "every" and state.pain_of(place) == 4


def test_every_test_by_eye_shows_its_own_pose_and_the_left_leg_in_the_mirror(window, patient):
    patient("ferry deckhand", "movement")
    knowledge, drawn = window.workspace.knowledge, {}
    for test in knowledge.tests.values():
        if not test.pose:
            continue
        rung_id, _, variant = test.pose.partition("/")
        rung = knowledge.rung(rung_id)
        right, left = (
            exercise_figure.tested_figure(rung, rung.pose(variant), test.view, side) for side in (Side.RIGHT, Side.LEFT)
        )
        points = [sorted((round(x * way, 6), round(y, 6)) for shape in shapes for x, y in shape.points)
                  for shapes, way in ((right, -1), (left, 1))]  # fmt: skip
        assert points[0] == points[1], test.id
        assert not any(shape.tint == "feel" for shape in right), "a test does not say where to feel it"
        drawn[test.id] = tuple(points[1])
    assert len(drawn) >= 14 and len(set(drawn.values())) == len(drawn), "no two look the same"
    assert "step-down" in drawn and "chair-rise-1leg" in drawn


def test_a_girth_that_completes_a_rule_locks_across_the_screen_at_once_and_stays_cleared(window, patient):
    space = window.workspace
    patient("potter", "intake")
    hands.record_screen(window)
    assert space.triage() is Triage.NONE and window.alarm.isHidden()
    said: list[str] = []
    space.refused.connect(said.append)
    sore = space.patient.involved if space.patient.involved in LEGS else Side.LEFT
    with space.action("girth") as act:
        for side, value in ((sore, 39.5), (sore.other, 35.0)):
            act.add(Observation(measure_id="calf-bulk", side=side, value=value))
    assert space.triage() is Triage.RED
    assert said and f"{sore.value} 39.5 cm, {sore.other.value} 35 cm" in said[-1]
    assert not window.alarm.isHidden() and "Refer today" in window.alarm.text()
    assert "RED" in window.header.caution.text() and window.workspace.may(GateAct("a jump", demands=("fast",))).locked
    hands.clear_finding(window, "girth")
    assert space.triage() is Triage.NONE and window.alarm.isHidden()
    hands.record_screen(window)
    assert space.triage() is Triage.NONE, "the list saved again revives nothing"


def test_a_limit_keeps_its_number_and_day_and_leaves_open_what_asks_less(window, patient):
    space = window.workspace
    patient("potter", "intake")
    panel = window.page("intake").safety
    window.page("intake").open_leaf("Safety")
    for key in ("surgeon", "limit-left", "limit-hip"):
        panel.list.answer(key, True)
    panel.list.rest_no()
    assert not panel.limits.isHidden() and panel.limits.numbers["limit-weight"].isHidden()
    panel.limits.numbers["limit-hip"].setText("ninety")
    panel.save.click()
    assert not space.limits() and panel.limits.numbers["limit-hip"].text() == "ninety", "what was typed stays"
    panel.limits.numbers["limit-hip"].setText("90")
    panel.limits.until["limit-hip"].setText("1.3.2031")
    panel.save.click()
    assert space.limits().text == "left: hip flexion to 90° until 1 Mar 2031, then asked again"
    rungs = [r for ladder in space.knowledge.ladders.values() for r in ladder.rungs]
    locked = [r.id for r in rungs if space.may(act_of_rung(r, r.poses[0].name, r.dose)).locked]
    assert 0 < len(locked) < len(rungs) / 3, locked
