"""The Force stage on the real window: weigh, record, read, compare, guess, fade the beam, open files."""

from dataclasses import replace
from itertools import count

import hands
import numpy as np
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QLabel

from tuning.core.entries import Capture
from tuning.core.force.live import BLIND, FADING, RepCounter, RingBuffer, beam_shown, score
from tuning.core.force.recording import Recording
from tuning.core.types import LEGS, Side
from tuning.demo import simulated_plates as plates
from tuning.demo.plate_profiles import balance_set, body, scene
from tuning.demo.simulated_plates import Faults, SimulatedPerson, SimulatedPlates, heard
from tuning.exchange.csv.detect_columns import preview
from tuning.exchange.csv.plates import write_csv
from tuning.knowledge import load
from tuning.ui.force.column_dialog import MapperDialog
from tuning.ui.force.page import MAPPINGS


@pytest.fixture
def force(window, patient, monkeypatch):
    """The potter, nobody's surgeon in the way; every look at the plates finds a quarter of a second more."""
    patient("potter", "force")
    page = window.page("force")

    def quick(who):
        asked = who.test == "stance-one-leg" and page.state.test_id != who.test
        side = page.standing_on if asked else who.side
        made = scene(body("potter", 66.0), who.test, side, np.random.default_rng(3))
        return SimulatedPlates(made, seed=4, clock=count(0, 0.25).__next__)

    page.standing_on = "right"
    hands.put_plates(window, monkeypatch, quick)
    return page


def record(qtbot, page, test, side=None):
    page.state.choose(test, side)
    QTest.keyClick(page, Qt.Key.Key_Space)
    qtbot.waitUntil(lambda: not page.live.running)
    hands.settle()


def made(test, side=Side.NONE, occupation="glassblower", mass=66.0):
    left, right = heard(scene(body(occupation, mass), test, side.value, np.random.default_rng(8)), Faults(),
                        np.random.default_rng(9))  # fmt: skip
    return Recording(1000.0, {Side.LEFT: left, Side.RIGHT: right})


def test_the_weight_of_the_plates_is_an_action_and_its_undo_reads_recordings_as_before(qtbot, window, force):
    record(qtbot, force, "jump")
    force.state.choose("jump")
    kept = force.state.captures()[-1]
    before, masses = force.state._mass(), []
    for press in (force.zero.click, window.workspace.undo.undo):
        press()
        qtbot.waitUntil(lambda: not force.live.running)
        hands.settle()
        force.state._of(kept)
        masses.append(force.state._mass())
    assert masses[0] == pytest.approx(66, rel=0.01) and masses[1] == before
    assert {mass for _, mass in force.state._read} >= {*masses}, "nothing is read with another weight than stands"


def test_a_live_isometric_squat_to_a_verdict(qtbot, window, force):
    force.zero.click()
    qtbot.waitUntil(lambda: "Weighed" in force.status.text())
    assert force.state.weight.mass_kg == pytest.approx(66, rel=0.01)
    record(qtbot, force, "squat-iso")
    assert "3 repetitions" in force.status.text()
    shown = [w.text() for w in force.findChildren(QLabel, "force-verdict") if w.isVisible()]
    assert len(shown) == 2 and "in tune" in shown[0] and "±" in shown[0]
    rows = {r.measure.id: r for r in window.workspace.comparisons()}
    assert rows["squat-iso-share"].right.trials.size == 3
    assert rows["squat-iso-share"].right.measured == pytest.approx(49, abs=2)
    force.show_view("Trace")
    hands.settle()
    assert force.past.trace.found is force.state.shown and len(force.state.shown.reps) == 3
    QTest.mouseDClick(force.past.trace, hands.LEFT)
    assert force.past.trace._view == (0.0, force.state.recording.size / 1000)
    before = len(force.state.captures())
    window.workspace.undo.undo()
    assert len(force.state.captures()) == before - 1 and "squat-iso-share" not in force.state.ledger()


def test_recordings_come_back_with_the_record(qtbot, window, force, open_on):
    force.state.choose("lunge-iso", Side.LEFT)
    force.state.keep(made("lunge-iso", Side.LEFT), "one")
    force.state.choose("lunge-iso", Side.RIGHT)
    force.state.keep(made("lunge-iso", Side.RIGHT), "other")
    row = force.state.ledger()["lunge-iso-peak"]
    told = force.state.formulas()
    assert "difference against the stronger side" in told and "Right share" in told and told.count("%") >= 8
    folder = window.workspace.record.folder
    window.close()
    again = open_on(folder)
    again.open_patient(next(p for p in again.workspace.record.patients() if p.occupation == "potter"))
    again.go("force")
    again.page("force").state.choose("lunge-iso", Side.LEFT)
    assert len(again.page("force").state.shown.reps) == 3
    back = again.page("force").state.ledger()["lunge-iso-peak"]
    assert (back.verdict.d, back.verdict.word) == (row.verdict.d, row.verdict.word)


def test_all_tests_side_by_side_tell_the_glassblowers_pattern(window, force):
    state = force.state
    for test in ("quiet-stance", "squat-fast", "squat-pause", "squat-iso", "jump"):
        state.choose(test)
        state.keep(made(test), test)
    for test in ("lunge-iso", "lunge-fast"):
        for side in LEGS:
            state.choose(test, side)
            state.keep(made(test, side), test)
    force.show_view("All tests")
    hands.settle()
    told = force.pattern.text()
    assert "the left leg pushes harder but develops force more slowly" in told and "of 7 tests" in told
    words = [c.verdict.word.value for r in state.matrix() for c in (r.force, r.rate) if c is not None]
    assert words.count("marked") >= 4 and ("cannot tell" in words or "in tune" in words)
    force.matrix.setFocus()
    QTest.keyClick(force.matrix, Qt.Key.Key_Down)
    QTest.keyClick(force.matrix, Qt.Key.Key_Return)
    assert force.stack.currentIndex() == 1 and state.test_id == state.matrix()[1].test.id


def test_the_numbers_wait_for_a_guess_by_eye(qtbot, force):
    force.eye.setChecked(True)
    record(qtbot, force, "squat-fast")
    assert not [w for w in force.findChildren(QLabel, "force-verdict") if w.isVisible()]
    force._guessed(Side.LEFT)
    hands.settle()
    assert "leg took more" in force.status.text() and force.state.guesses()[1] == 1
    assert [w for w in force.findChildren(QLabel, "force-verdict") if w.isVisible()]


def test_a_surgeons_limit_and_amber_guard_the_plates(window, patient):
    patient("glassblower", "force")  # AMBER, left: nothing fast
    page = window.page("force")
    page.show_view("Trace")
    hands.settle()
    found = page.past.trace.found
    assert found is not None and len(found.reps) == 3, "the recording on record is shown at once"
    page.state.choose("jump")
    hands.settle()
    assert "nothing fast" in page.lock.text()
    page.toggle_record()
    assert not page.live.running and "Not saved" in page.status.text()
    page.state.choose("squat-iso")
    page.toggle_record()
    assert not page.live.running and "type the reason" in page.status.text()
    page.state.choose("quiet-stance")  # asks for nothing itself; the squats of the beam do
    page.show_view("Balance")
    hands.settle()
    assert not page.reason.isVisible(), "no reason opens what the surgeon closed"
    page.balance.toggle()
    assert not page.balance.live.running and "nothing fast" in page.balance.result.text()


def test_lifting_the_left_foot_tells_swapped_plates_and_the_program_exchanges_them(qtbot, force):
    force.check_sides.click()
    qtbot.waitUntil(lambda: "sides are right" in force.status.text())
    force.standing_on = "left"  # the plate called right empties when the left foot is lifted
    force.check_sides.click()
    qtbot.waitUntil(lambda: "exchanges them" in force.status.text())
    assert force.check_sides.text() == "Sides exchanged", "it stays in sight"
    record(qtbot, force, "squat-iso")
    assert force.state.shown.trials("share", Side.NONE).mean() == pytest.approx(100 - 49, abs=2)
    force.show_view("Trace")
    force.swap()
    assert force.state.shown.trials("share", Side.NONE).mean() == pytest.approx(49, abs=2)
    assert force.state.ledger()["squat-iso-share"].right.measured == pytest.approx(49, abs=2)


def test_stands_on_one_leg_are_recorded_drawn_and_compared(qtbot, window, force):
    hands.settle()
    assert (
        force.card.isVisible() and not force.live.isVisible() and "Push up into the bar" in force.card.accessibleName()
    )
    for side in LEGS:
        record(qtbot, force, "stance-one-leg", side)
        assert force.live.isVisible() and not force.card.isVisible()
        assert force.state.shown.reps[0].values["sway-speed", side] > 0
        force.show_view("Trace")
        hands.settle()
        assert force.past.sway.isVisible() and side.value in force.past.sway.accessibleName()
        force.show_view("Live")
    row = force.state.ledger()["stance-one-leg-sway"]
    assert row.verdict.e > 0 and "mm/s" in row.measure.unit
    back = Recording(1000.0, force.state.recording.force, (), force.state.recording.point)
    assert set(back.point) == set(LEGS), "centres of pressure are kept with the recording"


def test_files_are_mapped_once_and_refused_in_words(qtbot, force, tmp_path):
    path = tmp_path / "session.csv"
    write_csv(made("squat-iso"), path)
    dialog = MapperDialog(None, path, preview(path), preview(path).mapping)
    qtbot.addWidget(dialog)
    assert "left up to" in dialog.told.text() and dialog.use.isEnabled()
    dialog.boxes["left"].setCurrentIndex(0)
    dialog.boxes["right"].setCurrentIndex(0)
    dialog.try_out()
    assert "No column of force" in dialog.told.text() and not dialog.use.isEnabled()
    force.state.choose("squat-iso")
    force.open_file(path, ask=False)
    assert "3 repetitions" in force.status.text()
    path.write_text("no numbers here\n")
    force.open_file(path, ask=False)
    assert "no rows of numbers" in force.status.text() and force.state.shown is not None, "nothing is lost"


@pytest.mark.parametrize("leg", LEGS)
def test_a_file_of_one_plate_that_names_no_leg_is_the_chosen_leg_s_and_remembered_for_no_other(force, tmp_path, leg):
    path, pushes = tmp_path / "one.csv", made("lunge-iso", leg)
    rows = (f"{t:.4f},{f:.2f}" for t, f in zip(pushes.times, pushes.force[leg], strict=True))
    path.write_text("\n".join(["time,Fz", *rows]) + "\n")
    for side in (leg, leg.other):
        force.state.choose("lunge-iso", side)
        force.open_file(path, ask=False)
        assert force.state.shown.side is side and force.state.shown.trials("peak", side).size, force.status.text()
        shape = preview(path)
        force._space.settings.set(MAPPINGS, {shape.shape: shape.mapping.under(leg).to_dict()})


def test_two_columns_of_one_name_are_told_where_columns_are_chosen(qtbot, tmp_path):
    path, session = tmp_path / "twice.csv", made("squat-iso")
    rows = (f"{t:.4f},{a:.2f},{b:.2f}" for t, a, b in zip(session.times, *session.force.values(), strict=True))
    path.write_text("\n".join(["time,Fz,Fz", *rows]) + "\n")
    dialog = MapperDialog(None, path, preview(path), preview(path).mapping)
    qtbot.addWidget(dialog)
    assert any("same name" in part.text() for part in dialog.findChildren(QLabel))


def test_columns_are_mapped_anew_with_the_points_of_pressure(qtbot, window, force, tmp_path, monkeypatch):
    """A file whose names say nothing: mapped once, remembered, and mapped again on request."""
    stand = scene(body("potter", 66.0), "quiet-stance", "none", np.random.default_rng(3))
    at = stand.points
    columns = [stand.times, stand.left, stand.right, *at["left"].T, *at["right"].T]
    path = tmp_path / "stand.csv"
    np.savetxt(path, np.column_stack(columns), fmt="%.3f", delimiter=",", header="t,a,b,c,d,e,f", comments="")
    asked = []

    def fill(dialog):
        asked.append(dialog)
        if len(asked) > 1:
            for key, pair in (("left_point", (3, 4)), ("right_point", (5, 6))):
                for box, n in zip(dialog._points[key], pair, strict=True):
                    box.setCurrentIndex(box.findData(n))
            dialog.try_out()
            assert "centre of pressure left and right" in dialog.told.text()
        return 1

    monkeypatch.setattr(MapperDialog, "exec", fill)
    force.state.choose("quiet-stance")
    force.open_file(path)
    assert force.state.recording is not None, force.status.text()
    assert not force.state.recording.point and "sway path" in force.state.shown.not_measured
    force.open_file(path)
    assert len(asked) == 1, "files of this shape are known"
    force.columns.click()
    assert len(asked) == 2 and set(force.state.recording.point) == set(LEGS)
    assert force.state.shown.reps[0].values["sway-path", Side.NONE] > 100
    force.open_file(path)
    assert len(asked) == 2 and set(force.state.recording.point) == set(LEGS)


def test_what_was_said_and_read_of_one_person_is_gone_with_the_next(window, force, patient, tmp_path, monkeypatch):
    """Choosing columns again would read the last person's file into the next one's record."""
    path = tmp_path / "push.csv"
    write_csv(made("squat-iso"), path)
    monkeypatch.setattr(MapperDialog, "exec", lambda _: 1)
    force.state.choose("squat-iso")
    force.state.reason = "screened and cleared"
    force.open_file(path)
    assert path.name in force.status.text() and not force.columns.isHidden() and force._verdicts.count()
    force._ask_eye()
    patient("choir conductor", "force")
    before = len(window.workspace.case.entries)
    assert force.status.text() == "" and force.columns.isHidden()
    assert not force._verdicts.count() and not force._guess_row.count()
    force.map_again()
    assert len(window.workspace.case.entries) == before and force.status.text() == ""


def test_the_beam_fades_and_only_blind_repetitions_are_scored(qtbot, window, force, monkeypatch):
    panel = force.balance
    force.show_view("Balance")

    class Quick(SimulatedPlates):
        """Every look finds seven seconds more: stalls longer than the buffer."""

        def __init__(self, what):
            super().__init__(what, seed=1, clock=count(0, 7.0).__next__)

    quick = replace(
        window.workspace.devices, plates=lambda who: Quick(balance_set(body(who.occupation, who.body_mass_kg)))
    )
    window.workspace.devices = quick
    panel.choose("every second")
    panel.toggle()
    qtbot.waitUntil(lambda: not panel.live.running)
    assert "4 repetitions without the beam" in panel.result.text() and "±2.3" in panel.result.text()
    assert panel.counter.count == 8
    assert panel.words.text() == "The set has ended."
    kept = window.workspace.form_today("balance-feedback")
    assert len(kept.data["blind_shares"]) == 4 and kept.data["stage"] == "every second"


def test_a_set_that_ends_at_once_is_told_and_not_scored(qtbot, window, force, monkeypatch):
    force.show_view("Balance")

    def slow(who):
        return SimulatedPlates(balance_set(body(who.occupation, who.body_mass_kg)), clock=count(0, 0.03).__next__)

    window.workspace.devices = replace(window.workspace.devices, plates=slow)
    force.balance.toggle()
    qtbot.waitUntil(lambda: force.balance.live.buffer.count > 20)
    force.balance.toggle()
    assert not force.balance.live.running and "shorter than a second" in force.balance.result.text()
    assert not window.workspace.form_today("balance-feedback")


def test_a_blind_repetition_shows_nothing_of_either_leg(window, force):
    """Two people of one weight, one on the left leg and one on the right, look the same without the beam."""
    force.show_view("Balance")
    hands.settle()
    view, seen = force.balance.live, {}
    for beam in (False, True):
        view.beam = beam
        for left in (200.0, 500.0):
            view.buffer = RingBuffer(1000.0)
            view.buffer.add(np.full((6000, 2), [left, 700 - left]))
            image = view.grab().toImage()
            seen[beam, left] = bytes(image.bits().asarray(image.sizeInBytes()))
    assert seen[False, 200.0] == seen[False, 500.0] and seen[True, 200.0] != seen[True, 500.0]


def test_the_schedule_of_the_beam():
    assert [beam_shown(FADING[1], n) for n in range(1, 6)] == [True, False, True, False, True]
    assert [beam_shown(FADING[2], n) for n in range(1, 6)] == [True, False, False, False, True]
    assert all(beam_shown(FADING[0], n) for n in range(1, 5))
    assert not any(beam_shown(stage, n) for stage in (FADING[3], BLIND) for n in range(1, 5))
    told = score(np.array([52.0, 44.0, 50.0]), 5.0, load().plate_errors)
    assert told.error == pytest.approx(1.96 * 1.5 * np.sqrt(1 / 6 + 1 / 2), rel=1e-3)
    assert told.inside == 2 and told.off == pytest.approx(8 / 3)


def test_the_live_buffer_keeps_the_newest_and_counts_squats():
    buffer = RingBuffer(1000.0, 2.0)
    assert buffer.share() is None and not np.isfinite(buffer.envelope(50)).any()
    for n in range(5):
        buffer.add(np.full((700, 2), [100.0 * (n + 1), 300.0 * (n + 1)]))
    assert buffer.last(0.1)[-1].tolist() == [500.0, 1500.0] and buffer.last(9).shape == (2000, 2)
    assert buffer.share() == pytest.approx(75)
    made_of = plates.squats(SimulatedPerson(), reps=5, rest=1.0)
    counter = RepCounter(SimulatedPerson().weight, 1000.0)
    both = np.column_stack(heard(made_of, Faults(), np.random.default_rng(2)))
    done = [counter.add(both[n : n + 16]) for n in range(0, len(both), 16)]
    assert sum(done) == counter.count == 5


@pytest.mark.parametrize("leg", [Side.LEFT, Side.RIGHT])
def test_a_kept_recording_is_shown_as_it_was_kept_and_a_lost_one_is_not_told_as_none(force, leg):
    """Rules of reading may become stricter; what was kept under the older ones stays as it was."""
    whole = made("squat-iso")
    off = {side: samples.copy() for side, samples in whole.force.items()}
    off[leg][500:560] = 0.0
    force.state.choose("squat-iso")
    kept = force.state.keep(Recording(whole.rate, off), "old")
    force.state._read.clear()
    force.state.choose("squat-iso")
    assert force.state.recording.force[leg][530] == 0.0 and force.state.recording.force[leg.other][530] > 50
    assert [r.values for r in force.state.shown.reps] == [pytest.approx(r.values, rel=1e-3) for r in kept.reps]
    force.state.space.record.media.lent(force.state.captures()[-1].medium).unlink()
    force.state._read.clear()
    force.state.choose("squat-iso")
    assert force.state.recording is None and "cannot be read" in force.state.unread
    force.state.choose("jump")
    assert not force.state.unread, "of a test that was never made nothing is lost"


def test_a_recording_whose_legs_look_exchanged_is_kept_and_said_and_never_thrown_away(window, force):
    """Nobody can jump the same once more: what was recorded stands, and can be taken back."""

    def keep_both(weak):
        for leg in LEGS:
            one = made("lunge-iso", leg)
            share = 0.5 if leg is weak else 1.0
            force.state.choose("lunge-iso", leg)
            force.state.keep(
                replace(one, force={side: share * values for side, values in one.force.items()}), leg.value
            )

    keep_both(Side.LEFT)
    window.new_visit()
    hands.record_screen(window)
    window.go("force")
    said: list[str] = []
    window.workspace.refused.connect(said.append)
    kept = len(window.workspace.record.case(window.workspace.patient.uid, window.workspace.visit.uid).entries)
    keep_both(Side.RIGHT)
    told = [words for words in said if "look exchanged" in words]
    assert len(told) == 1 and "It is kept; Ctrl+Z takes it back" in told[0], said
    assert {c.side for c in window.workspace.entries(Capture) if c.test == "lunge-iso"} == set(LEGS)
    assert len(window.workspace.case.entries) > kept
