"""Marks followed on the real window: open, mark, follow, correct, read the ledger, undo, reopen."""

from dataclasses import replace

import hands
import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QComboBox, QLabel

from tuning.core.entries import Track, Treatment
from tuning.core.movement.tracks import STILL, TRUSTED, carried
from tuning.core.types import NotMeasured, Side
from tuning.demo.clips import CLIPS
from tuning.ui.picture.clip_setup_dialog import TagsDialog
from tuning.ui.picture.plates_dialog import GroundDialog

NONE, SHIFT = Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.ShiftModifier
LEFT_BUTTON = Qt.MouseButton.LeftButton


def over_clip(window, measure_id, side):
    hands.settle()
    shown = window.page("movement").bench.results.findChildren(QLabel, f"over-{measure_id}-{side}")
    return next(found.text() for found in shown if found.isVisible())


def follow(qtbot, window):
    before = window.workspace.entries(Track)
    window.page("movement").bench.follow_button.click()
    qtbot.waitUntil(lambda: len(window.workspace.entries(Track)) > len(before))
    hands.settle()


@pytest.fixture
def walk(qtbot, window, patient):
    """A fresh visit with the shipped walk open, levelled and marked in one frame."""
    patient("beekeeper", "movement")
    window.new_visit()
    window.go("movement")
    clip = CLIPS["walk-rear"]
    hands.open_picture(qtbot, window, clip.path, "rear")
    window.page("movement").bench.go(30)
    hands.mark_plumb_line(window, clip.plumb_line())
    for name, at in clip.truth(30).items():
        hands.place(window, name, at)
    return clip


def test_a_closed_clip_leaves_nothing_behind_that_could_be_measured(window, patient):
    patient("glassblower", "movement")
    bench = window.page("movement").bench
    hands.settle()
    assert bench.following.result is not None
    bench.close_picture()
    assert bench.following.tracks is None and bench.following.result is None
    bench.following.choose("side-squat", Side.LEFT)
    bench.following.smooth_at(6.0)
    assert not bench.following.usable or bench.board.capture is None


def test_faults_are_ticked_by_repetition_and_told_in_the_test_by_eye(window, patient):
    patient("ferry deckhand", "movement")  # the newest clip: three step-downs on the right leg
    movement, space = window.page("movement").bench, window.workspace
    hands.settle()
    movement.fault_button.click()
    grid = movement.faults
    assert grid.isVisible() and not movement.curves.isVisible() and len(grid.cycles()) == 3
    QTest.keyClicks(grid, "12")
    QTest.keyClick(grid, Qt.Key.Key_Right)
    lowest = [t for kind, _, t in movement.following.result.events if kind == "turn"]
    assert movement.board.times[movement.board.frame] == pytest.approx(lowest[1], abs=0.4)
    QTest.keyClicks(grid, "120")
    QTest.mouseClick(grid, LEFT_BUTTON, NONE, grid.cell(Side.RIGHT, 0, 2).center().toPoint())
    QTest.keyClicks(grid, "2")
    QTest.keyClicks(grid, "2")
    told = {a.question: (a.option, a.ticked) for a in space.answers("step-down")}
    assert told["knee-in"] == ("every", (0, 1, 2)) and told["pelvis"] == ("most", (0, 1))
    assert told["trunk"] == told["floor"] == ("absent", ())
    space.undo.undo()
    assert grid.ticked(grid.faults()[1], Side.RIGHT) == [0, 1, 2]
    window.page("movement").show_walk()
    window.page("movement").open_test(space.knowledge.tests["step-down"])
    state = window.page("movement").state
    knee = next(i for i, s in enumerate(state.steps) if s.question.text == "Knee in" and s.test.id == "step-down"
                and s.side is Side.RIGHT)  # fmt: skip
    state.go(knee)
    hands.settle()
    assert "seen in 3 of 3" in window.page("movement").question.meaning.text()


def test_a_value_over_the_clip_explains_itself(window, patient):
    patient("glassblower", "movement")
    hands.settle()
    (name,) = [b for key, b in window.page("movement").bench.results._buttons.items() if key == "gait-pelvic-drop"]
    told = name.explanation()
    hz = window.page("movement").bench.following.result.cutoff_hz
    assert "Left: mean" in told and f"low-pass at {hz:g} Hz" in told and "Marks and events alone: ±" in told


def test_follow_read_correct_undo_and_reopen(qtbot, window, walk, open_on):
    movement, following = window.page("movement").bench, window.page("movement").bench.following
    assert not movement.curves.isVisible()
    follow(qtbot, window)
    tracks = following.tracks
    for name in ("psis_left", "heel_right"):
        k = tracks.names.index(name)
        for n in (5, 120, 240):
            if tracks.quality[n, k] >= TRUSTED:
                assert tracks.xy[n, k] == pytest.approx(walk.truth(n)[name], abs=1)
    left = float(over_clip(window, "gait-pelvic-drop", "left").rstrip("°"))
    right = float(over_clip(window, "gait-pelvic-drop", "right").rstrip("°"))
    assert left == pytest.approx(8.5, abs=0.8) and right == pytest.approx(3.5, abs=0.8)
    row = next(r for r in window.workspace.comparisons() if r.measure.id == "gait-pelvic-drop")
    assert row.verdict.word.value == "marked" and row.left.trials.size >= 3
    assert movement.curves.isVisible() and movement.curves._curves()
    assert {kind for kind, *_ in following.result.events} == {"contact", "toe-off"}

    # A mark put elsewhere by hand is followed anew; undo brings the old track back.
    movement.go(100)
    before = tracks.xy[100, tracks.names.index("buttock_left")].copy()
    start = movement.board.points()["buttock_left"]
    count = len(window.workspace.entries(Track))
    first = window.workspace.entries(Track)[-1].uid
    hands.drag(movement.canvas, start, start + np.array([14.0, 0.0]))
    qtbot.waitUntil(lambda: window.workspace.entries(Track)[-1].uid != first)
    assert len(window.workspace.entries(Track)) == count
    k = following.tracks.names.index("buttock_left")
    far = np.abs(np.arange(250) - 100) > 40
    assert following.tracks.xy[far, k] == pytest.approx(tracks.xy[far, k], abs=1.6, nan_ok=True)
    window.workspace.undo.undo()
    assert following.tracks.xy[100, k] == pytest.approx(before, abs=1e-3)

    folder = window.workspace.record.folder
    shown = over_clip(window, "gait-bkh", "left")
    window.close()
    again = open_on(folder)
    again.open_patient(next(p for p in again.workspace.record.patients() if p.occupation == "beekeeper"))
    again.go("movement")
    qtbot.waitUntil(lambda: again.page("movement").bench.canvas.image is not None)
    assert over_clip(again, "gait-bkh", "left") == shown


def test_a_plumb_line_holds_where_it_was_marked_and_turns_with_a_camera_in_a_hand(window, patient):
    """The same walk has the same values whichever frame the line is marked in, and the line leans with the picture."""
    patient("glassblower", "movement")
    hands.settle()
    bench, board = window.page("movement").bench, window.page("movement").bench.board
    following, tracks = bench.following, bench.following.tracks
    values = lambda: [(s.measure, s.side, s.mean) for s in following.result.summaries()]  # noqa: E731
    assert tracks.camera is None
    ends = np.array([board.points()["plumb line:a"], board.points()["plumb line:b"]])
    still, turns = values(), np.radians(3 * np.sin(tracks.times))
    camera = np.stack([np.cos(turns), np.sin(turns), 20 * np.sin(2 * tracks.times), 9 * tracks.times], axis=1)
    following.keep(replace(tracks, xy=carried(tracks.xy, STILL, camera[:, None]), camera=camera))
    for frame, other in ((0, 90), (90, 30)):
        bench.go(frame)
        hands.mark_plumb_line(window, carried(ends, STILL, camera[frame]))
        hands.settle()
        for (measure, side, mean), (m, s, before) in zip(values(), still, strict=True):
            assert (measure, side) == (m, s) and mean == pytest.approx(before, abs=0.3), (measure, frame)
        bench.go(other)
        shown = [board.points()[f"plumb line:{end}"] for end in "ab"]
        np.testing.assert_allclose(shown, carried(ends, STILL, camera[other]), atol=1.5)
    board.choose("plumb line")  # begun in one frame and ended in another: each end is where it was seen
    for frame, end in ((30, 0), (90, 1)):
        bench.go(frame)
        board.place(carried(ends, STILL, camera[frame])[end])
    np.testing.assert_allclose([s.mean for s in following.result.summaries()], [s[2] for s in still], atol=0.3)
    level, before = [board.points()[f"plumb line:{end}"] for end in "ab"], values()
    hands.drag(bench.canvas, level[0], level[0] + [40, 0])
    assert max(abs(now[2] - was[2]) for now, was in zip(values(), before, strict=True)) > 2
    window.workspace.undo.undo()
    assert values() == before and np.allclose(board.points()["plumb line:a"], level[0]), "one undo takes back all"
    kept = {(o.measure_id, o.side): o.measured for o in following._measured()}
    same = [kept[m, s] == pytest.approx(mean) for m, s, mean in before if kept.get((m, s)) is not None]
    assert len(same) > 5 and all(same), "the ledger says what the panel says"


def test_an_event_is_dragged_on_the_strip(qtbot, window, walk):
    follow(qtbot, window)
    strip, following = window.page("movement").bench.strip, window.page("movement").bench.following
    number, kind, side, time = next(e for e in strip._events() if e[1] == "toe-off" and 1 < e[3] < 4)
    at = QPoint(round(strip._x_of(time)), 8)
    QTest.mousePress(strip, LEFT_BUTTON, NONE, at)
    QTest.mouseMove(strip, at + QPoint(6, 0))
    QTest.mouseRelease(strip, LEFT_BUTTON, NONE, at + QPoint(6, 0))
    moved = following.result.events[number]
    assert moved[:2] == (kind, side) and moved[2] - time == pytest.approx(strip._time_at(6 + 8), abs=0.02)
    window.workspace.undo.undo()
    assert following.result.events[number][2] == pytest.approx(time)


def test_events_are_put_by_key_into_the_frame_on_screen_moved_or_anew(qtbot, window, walk):
    follow(qtbot, window)
    bench = window.page("movement").bench
    following, times = bench.following, bench.board.times
    kind, side, time = next(e for e in following.result.events if e[:2] == ("contact", Side.LEFT) and e[2] > 1)
    before, refused = following.result.events, []
    bench.refused.connect(refused.append)

    def put(frame, key, shift=NONE):
        bench.go(frame)
        hands.until_there(bench.canvas)
        bench.canvas.setFocus()
        QTest.keyClick(bench.canvas, key, shift)

    def of_left(kind):
        return [t for k, s, t in following.result.events if (k, s) == (kind, Side.LEFT)]

    there = int(times.searchsorted(time + 0.1))
    put(there, Qt.Key.Key_L)
    assert times[there] in of_left("contact") and len(following.result.events) == len(before), "it was moved"
    assert following.result.events[1:2] == before[1:2], "nothing else was"
    window.workspace.undo.undo()
    assert following.result.events == before
    off = next(t for k, s, t in before if (k, s) == ("toe-off", side) and t > time)
    gap = int(times.searchsorted(off + 0.12))  # in the swing, where there is nothing of either kind near
    put(gap, Qt.Key.Key_L)
    assert following.result.events == before and "lands at" in refused[-1], "it waits for the other end"
    put(gap + 8, Qt.Key.Key_L, SHIFT)
    assert times[gap] in of_left("contact") and times[gap + 8] in of_left("toe-off")
    assert len(following.result.events) == len(before) + 2
    number = following.result.found.index(("contact", Side.LEFT, float(times[gap])))
    following.move_event(number, float(times[gap + 1]))
    assert times[gap + 1] in of_left("contact") and times[gap] not in of_left("contact"), "what was put can be moved"
    strip, count = bench.strip, len(following.result.events)
    for moment in (of_left("contact")[0], float(times[gap + 1])):  # one found, one put
        QTest.mouseClick(strip, LEFT_BUTTON, NONE, QPoint(round(strip._x_of(moment)), 8))
        assert len(following.result.events) == count and not following.result.waiting, "pressed, not dragged"
    landing = next(t for k, s, t in before if (k, s) == ("contact", Side.RIGHT) and t > 1)
    left = of_left("contact")
    put(int(times.searchsorted(landing + 0.1)), Qt.Key.Key_R)
    assert ("contact", Side.RIGHT, landing) not in following.result.events and of_left("contact") == left
    put(gap, Qt.Key.Key_T)
    assert "has no turn to put" in refused[-1]


def test_smoothing_is_shown_and_can_be_chosen(qtbot, window, patient):
    patient("ferry deckhand", "movement")
    qtbot.waitUntil(lambda: window.page("movement").bench.canvas.image is not None)
    hands.settle()
    following, results = window.page("movement").bench.following, window.page("movement").bench.results
    assert "5 Hz, usual" in results.smoothing.currentText()
    usual = {s.measure: s.mean for s in following.result.summaries()}
    results.smoothing.setCurrentIndex(results.smoothing.findData(3.0))
    results.smoothing.activated.emit(0)
    hands.settle()
    assert following.result.cutoff_hz == 3 and "3 Hz" in results.smoothing.currentText()
    smoother = {s.measure: s.mean for s in following.result.summaries()}
    assert smoother != usual and smoother["step-down-fppa"] == pytest.approx(usual["step-down-fppa"], abs=1.5)
    window.workspace.undo.undo()
    hands.settle()
    assert following.result.cutoff_hz == 5


def test_following_needs_marks_and_stopping_keeps_what_is_there(qtbot, window, patient):
    patient("beekeeper", "movement")
    clip = CLIPS["walk-later"]
    hands.open_picture(qtbot, window, clip.path, "rear")
    window.page("movement").bench.follow_button.click()
    assert "Place the marks" in window.status.message.text()
    for name in ("psis_left", "psis_right"):
        hands.place(window, name, clip.truth(0)[name])
    window.page("movement").bench.follow_button.click()
    window.jobs.newest.cancel()
    qtbot.waitUntil(lambda: bool(window.workspace.entries(Track)))
    assert 0 < (window.page("movement").bench.following.tracks.quality > 0).any(axis=1).sum() < 250
    warnings = window.page("movement").bench.following.result.warnings
    assert any("heels of both feet" in warning for warning in warnings)
    results = window.page("movement").bench.results

    def told_first():
        told = sorted((x for x in results.findChildren(QLabel) if x.isVisible()), key=in_panel)
        assert len(told) > 1 and told[0].text() == warnings[0], "before the numbers"
        assert in_panel(told[0]) < in_panel(results.findChild(QComboBox))

    def in_panel(widget):
        return widget.mapTo(results, QPoint(0, 0)).y()

    qtbot.waitUntil(told_first)  # the panel is laid out after the tracks are kept


def test_one_leg_tasks_ask_for_the_leg(qtbot, window, patient):
    patient("ferry deckhand", "movement")
    qtbot.waitUntil(lambda: window.page("movement").bench.canvas.image is not None)
    movement, following = window.page("movement").bench, window.page("movement").bench.following
    hands.settle()
    assert following.task == "step-down" and movement.leg.isVisible()
    side = following.side
    assert {s.side for s in following.result.summaries() if s.measure == "step-down-fppa"} == {side}
    movement.task.setCurrentIndex(movement.task.findData("front-squat"))
    movement.task.activated.emit(0)
    hands.settle()
    assert not movement.leg.isVisible() and following.result.task == "front-squat"
    window.workspace.undo.undo()
    assert following.task == "step-down"
    rows = {r.measure.id: r for r in window.workspace.comparisons()}
    knee = rows["step-down-fppa"]
    assert knee.left.measured > knee.right.measured + 8 and knee.verdict.word.value == "marked"


def test_counting_and_timing_by_eye(qtbot, window, patient):
    patient("ferry deckhand", "movement")
    window.page("movement").bench._way_back.click()
    page, tests = window.page("movement"), window.workspace.knowledge.tests
    page.open_test(tests["heel-raise"])
    hands.settle()
    for _ in range(3):
        page.question.clock.click()
    assert page.question.number.text() == "3"
    hands.type_enter(page.question.number, "")
    seen = next(o for o in window.workspace.observations() if o.measure_id == "heel-raise")
    assert (seen.measured, seen.side) == (3, Side.LEFT), "the right leg is involved, the left comes first"
    page.open_test(tests["wall-sit"])
    hands.settle()
    now = [100.0]
    page.question.now = lambda: now[0]
    page.question.clock.click()
    now[0] = 112.34
    qtbot.waitUntil(lambda: page.question.number.text() == "12.3")
    page.question.clock.click()
    now[0] = 120.0
    hands.settle()
    assert page.question.number.text() == "12.3", "a stopped watch stands still"


def test_plates_that_ran_with_a_clip_carry_the_load_share(qtbot, window, patient, tmp_path):
    patient("choir conductor", "movement")  # a side squat on plates, as the demo clinic recorded it
    following = window.page("movement").bench.following
    hands.settle()
    assert window.page("movement").bench.ground_button.isVisible() and following.ground is not None
    on_plates = over_clip(window, "hip-knee-share-plates", "right")
    mid_foot = over_clip(window, "hip-knee-share", "right")
    assert on_plates.endswith("%") and on_plates != mid_foot
    assert any("found by the movement itself" in w for w in following.result.warnings)

    dialog = GroundDialog(window, following)
    qtbot.addWidget(dialog)
    bad = tmp_path / "forces.csv"
    bad.write_text("time,left,right\n" + "".join(f"{n / 1000},{300 + n % 7},{310 + n % 5}\n" for n in range(2000)))
    dialog.open_file(bad)
    assert "centre of pressure" in dialog.told.text(), "a file without points is refused in words"
    dialog.heels.setText("5 m")
    dialog.keep()
    assert "millimetres" in dialog.told.text() or "mm" in dialog.told.text()
    dialog.heels.setText("20")
    dialog.keep()
    assert following.ground.heel_mm == 20
    moved = {(s.measure): s.mean for s in following.result.summaries()}
    assert moved["hip-knee-share-plates"] < float(on_plates.rstrip("%")) - 5, "the point moves back by 2 cm"
    kept = next(c for c in following.recordings.of_visit() if c.uid == following.ground.capture)
    path, said = window.workspace.record.media.lent(kept.medium), []
    window.page("movement").bench.board.message.connect(said.append)
    away = path.rename(path.with_suffix(".gone"))
    following.recordings._read.clear()
    following.measure_again()
    assert "The plates are not used" in said[-1] and following.result is not None, "a lost file costs its number only"
    away.rename(path)
    window.workspace.undo.undo()
    window.workspace.undo.undo()
    assert following.ground.heel_mm == 0 and over_clip(window, "hip-knee-share-plates", "right") == on_plates
    following.stand_on(None)
    hands.settle()
    assert following.ground is None
    assert "hip-knee-share-plates" not in {s.measure for s in following.result.summaries()}
    seen = {o.measure_id for o in window.workspace.observations()}
    assert "hip-knee-share" in seen and "hip-knee-share-plates" not in seen


def tag(bench, **typed):
    """Type into the dialog that says how a clip was taken; the sentence of refusal, empty once it is kept."""
    dialog = TagsDialog(bench, bench._workspace, bench.following)
    for name, value in typed.items():
        field = getattr(dialog, name)
        field.setCurrentText(value) if isinstance(field, QComboBox) else field.setText(value)
    dialog.keep()
    return dialog.sentence.text()


def test_bar_load_and_turn_out_reach_what_is_measured_and_are_taken_back(window, patient):
    patient("choir conductor", "movement")
    hands.settle()
    bench = window.page("movement").bench
    before = {m: over_clip(window, m, "right") for m in ("hip-knee-share", "knee-toe-percent")}
    assert bench.tags_button.isVisible()
    for field, wrong in (("load", "a lot"), ("load", "4000"), ("speed", "-3"), ("step", "3 m"), ("turn_out", "80")):
        assert tag(bench, **{field: wrong}), field
        assert {m: over_clip(window, m, "right") for m in before} == before
    assert not tag(bench, load="60 kg")
    assert over_clip(window, "hip-knee-share", "right") != before["hip-knee-share"]
    seen = [o for o in window.workspace.observations() if o.measure_id == "hip-knee-share"]
    assert {o.setup.load_kg for o in seen} == {60.0}
    assert not tag(bench, turn_out="18")
    turned = float(over_clip(window, "knee-toe-percent", "right").rstrip(" %"))
    plain = float(before["knee-toe-percent"].rstrip(" %"))
    assert turned == pytest.approx(plain * np.cos(np.radians(18)), abs=1.1), "a longer foot, a smaller share of it"
    window.workspace.undo.undo()
    window.workspace.undo.undo()
    assert {m: over_clip(window, m, "right") for m in before} == before
    assert bench.following.facts().setup.load_kg is None


def test_tags_stand_with_every_value_of_the_clip_and_unlike_ones_are_not_compared(window, patient):
    patient("ferry deckhand", "movement")
    hands.settle()
    space, bench = window.workspace, window.page("movement").bench
    knee = lambda: {r.measure.id: r for r in space.comparisons()}["step-down-fppa"]  # noqa: E731
    assert not isinstance(knee().verdict, NotMeasured)
    with space.action("treat") as act:
        act.add(Treatment("calf release", 10))
    said = {"speed": "9", "shoes": "barefoot", "step": "20", "reach": "backward", "band": "light", "cue": "sit back"}
    assert not tag(bench, **said, treatment="calf release")
    mine = [o.setup for o in space.observations() if o.capture == bench.board.capture.uid]
    told = {(s.speed_m_s, s.shoes, s.step_height_m, s.reach, s.band, s.cue, s.treatment) for s in mine}
    assert told == {(2.5, "barefoot", 0.2, "backward", "light", "sit back", "calf release")}
    assert isinstance(knee().verdict, NotMeasured), "a clip after a treatment is no finding"
    assert not tag(bench, treatment="nothing")
    assert not isinstance(knee().verdict, NotMeasured), "the other leg's clip tells no tags: it says so nowhere"
    knees = {o.capture for o in space.observations() if o.measure_id == "step-down-fppa"}
    (other,) = (c for c in bench.own_captures() if c.uid in knees and c.uid != bench.board.capture.uid)
    bench.open_capture(other)
    assert not tag(bench, step="15 cm")
    assert "0.15 m step" in knee().sentence and "0.2 m step" in knee().sentence
    assert bench.tags_button.property("chosen")


def test_two_quick_corrections_are_both_kept(qtbot, window, patient):
    """The second comes while the first is still being followed."""
    patient("glassblower", "movement")
    hands.settle()
    bench, frame = window.page("movement").bench, 60
    following = bench.following
    wanted = {name: following.tracks.of(name)[frame] + (4.0, 1.0) for name in ("buttock_left", "buttock_right")}
    for name, at in wanted.items():
        bench.board.corrected.emit(name, frame, at)
    qtbot.waitUntil(lambda: not following._correcting and window.jobs.newest is None)
    hands.settle()
    for name, at in wanted.items():
        np.testing.assert_allclose(following.tracks.of(name)[frame], at, atol=0.01, err_msg=name)
