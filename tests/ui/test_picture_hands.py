"""Marks under mouse and keys: drag, nudge, delete, abandon, zoom, pan; playing; the known length; the light."""

from __future__ import annotations

import threading

import hands
import numpy as np
import pytest
from conftest import numbered, write_clip
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QImage, QWheelEvent
from PyQt6.QtTest import QTest

from tuning.core.entries import Decision
from tuning.core.intake.consent import kept_back
from tuning.demo.clips import CLIPS
from tuning.ui.picture.frames import FrameServer
from tuning.ui.picture.mask_dialog import MaskDialog
from tuning.ui.picture.player import LIGHTS, LOOK_AGAIN_MS, lit
from tuning.ui.picture.privacy import hide_face, keep_back
from tuning.video import open_source

LEFT_BUTTON, MIDDLE = Qt.MouseButton.LeftButton, Qt.MouseButton.MiddleButton
NONE, SHIFT = Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.ShiftModifier
CLIP = CLIPS["squat-front"]
KNEE = "knee_left"


@pytest.fixture
def bench(qtbot, window, patient):
    """A fresh visit with the squat open and one knee marked."""
    patient("beekeeper", "movement")
    window.new_visit()
    window.go("movement")
    hands.open_picture(qtbot, window, CLIP.path, "front")
    hands.place(window, KNEE, CLIP.truth(0)[KNEE])
    return window.page("movement").bench


def at(bench) -> np.ndarray:
    return np.array(bench.board.points()[KNEE])


def wheel(canvas, place: QPointF, clicks: int) -> None:
    turn = QPoint(0, 120 * clicks)
    event = QWheelEvent(place, canvas.mapToGlobal(place), QPoint(), turn, Qt.MouseButton.NoButton, NONE,
                        Qt.ScrollPhase.NoScrollPhase, False)  # fmt: skip
    canvas.wheelEvent(event)


def test_a_mark_is_nudged_dragged_deleted_and_undone(window, bench):
    start, canvas = at(bench), bench.canvas
    bench.board.choose(KNEE)
    canvas.setFocus()
    QTest.keyClick(canvas, Qt.Key.Key_Right)
    QTest.keyClick(canvas, Qt.Key.Key_Up, SHIFT)
    assert at(bench) - start == pytest.approx([0.1, -1.0], abs=1e-6), "a tenth of a pixel, with Shift a whole one"
    hands.drag(canvas, at(bench), start + (20, 10))
    assert at(bench) - start == pytest.approx([20, 10], abs=1.5), "as near as screen pixels allow"
    window.workspace.undo.undo()
    assert at(bench) - start == pytest.approx([0.1, -1.0], abs=1e-6), "a drag is one step back"
    QTest.keyClick(canvas, Qt.Key.Key_Delete)
    assert KNEE not in bench.board.points()
    window.workspace.undo.undo()
    assert KNEE in bench.board.points()


def test_a_hand_marks_what_the_eye_sees_and_not_a_frame_that_is_still_being_read(qtbot, window, bench, monkeypatch):
    canvas, board, source, gate = bench.canvas, bench.board, bench.player._server.source, threading.Event()
    reach, told = source.reach, []
    monkeypatch.setattr(source, "reach", lambda index, going: reach(index, going) if gate.wait(10) else None)
    board.message.connect(told.append)
    bench.go(40)
    canvas.grab()
    assert not canvas.arrived and KNEE in board.points(canvas.frame), "marks drawn are those of the picture on screen"
    here = canvas.to_widget(CLIP.truth(40)[KNEE]).toPoint()
    board.choose(KNEE)
    QTest.mouseClick(canvas, LEFT_BUTTON, NONE, here)
    QTest.keyClick(canvas, Qt.Key.Key_Delete)
    assert KNEE not in board.points() and len(told) == 2 and "still being read" in told[0]
    gate.set()
    qtbot.waitUntil(lambda: canvas.arrived)
    QTest.mouseClick(canvas, LEFT_BUTTON, NONE, here)
    assert at(bench) == pytest.approx(CLIP.truth(40)[KNEE], abs=1.5)


def still_loading(bench) -> threading.Event:
    """What looks under a click is being loaded until the event is set."""
    loaded = threading.Event()
    bench.player._loading = threading.Thread(target=loaded.wait, daemon=True)
    bench.player._loading.start()
    return loaded


def test_a_click_beside_every_sticker_says_so_at_once_and_its_error_is_kept(qtbot, window, bench):
    """And once it is loaded, what looks under a click says so of clicks that came before."""
    told, loaded = [], still_loading(bench)
    bench.board.message.connect(told.append)
    for name in ("knee_right", "ankle_left", "ankle_right", "asis_left"):
        hands.place(window, name, CLIP.truth(0)[name])
    hands.place(window, "second_toe_left", CLIP.truth(0)["knee_left"] + [8, 45])
    assert not told
    loaded.set()
    qtbot.waitUntil(lambda: bool(told))
    hands.place(window, "asis_right", CLIP.truth(0)["asis_right"])
    assert len(told) == 1 and "No sticker is seen under left" in told[0], "stickers lie under the others"
    bench.follow_button.click()
    qtbot.waitUntil(lambda: bench.following.tracks is not None)
    sds = bench.following.tracks.click_sd
    assert sds == pytest.approx({"second_toe_left": bench.board.context().sd_px["second_toe_left"]}, rel=1e-5)
    toe = bench.board.points()["second_toe_left"]
    hands.drag(bench.canvas, toe, CLIP.truth(0)["second_toe_left"])
    qtbot.waitUntil(lambda: window.jobs.newest is None)
    assert set(bench.following.tracks.click_sd) == {"second_toe_left"}, (
        "outside the mended stretch the old click counts"
    )


def test_what_was_seen_under_a_click_late_is_not_told_of_the_picture_of_another(qtbot, window, bench, patient):
    told, loaded = [], still_loading(bench)
    hands.place(window, "second_toe_left", CLIP.truth(0)["knee_left"] + [8, 45])
    patient("glassblower", "movement")
    qtbot.waitUntil(lambda: bench.player.is_open and len(bench.board.times) > 1)
    bench.board.message.connect(told.append)
    loaded.set()
    qtbot.wait(5 * LOOK_AGAIN_MS)
    assert not told


def test_a_far_frame_sends_a_near_one_ahead_and_newer_wishes_overtake(qtbot, tmp_path, monkeypatch):
    clip = write_clip(tmp_path / "long.mp4", numbered(100, step=2), [n / 30 for n in range(100)], g="50")
    server, brought = FrameServer(open_source(clip)), []
    server.ready.connect(lambda index, _: brought.append(index))
    server.want(95)
    qtbot.waitUntil(lambda: brought[-1:] == [95])
    assert brought == [50, 95]
    reach, begun, gate, asked = server.source.reach, threading.Event(), threading.Event(), []

    def slow(index, going):
        begun.set()
        gate.wait(10)
        asked.append((index, going()))
        return reach(index, going)

    monkeypatch.setattr(server.source, "reach", slow)
    server.want(20)
    assert begun.wait(10)
    server.want(60)
    gate.set()
    qtbot.waitUntil(lambda: brought[-1] == 60)
    assert asked == [(20, False), (60, True)] and 20 not in brought
    server.close()


def test_a_drag_that_is_abandoned_leaves_the_mark(bench):
    start, canvas = at(bench), bench.canvas
    here = canvas.to_widget(start).toPoint()
    QTest.mousePress(canvas, LEFT_BUTTON, NONE, here)
    QTest.mouseMove(canvas, here + QPoint(12, 12))
    QTest.mouseMove(canvas, here + QPoint(40, 30))
    assert not np.allclose(at(bench), start), "it follows the pointer"
    QTest.keyClick(canvas, Qt.Key.Key_Escape)
    QTest.mouseRelease(canvas, LEFT_BUTTON, NONE, here + QPoint(40, 30))
    np.testing.assert_allclose(at(bench), start)


def test_zoom_keeps_what_is_under_the_pointer_and_clicks_stay_true(window, bench):
    canvas = bench.canvas
    canvas.grab()
    place = canvas.to_widget(at(bench))
    wheel(canvas, place, 5)
    under = canvas.to_image(place)
    np.testing.assert_allclose(under, at(bench), atol=0.01)
    assert canvas._zoom == pytest.approx(1.2**5)
    QTest.mousePress(canvas, MIDDLE, NONE, QPoint(200, 150))
    QTest.mouseMove(canvas, QPoint(230, 140))
    QTest.mouseRelease(canvas, MIDDLE, NONE, QPoint(230, 140))
    assert canvas.to_widget(at(bench)) - place == QPointF(30, -10) or np.allclose(
        [canvas.to_widget(at(bench)).x() - place.x(), canvas.to_widget(at(bench)).y() - place.y()], [30, -10], atol=1
    )
    target = at(bench) + (15, -12)
    hands.drag(canvas, at(bench), target)
    np.testing.assert_allclose(at(bench), target, atol=0.6)
    wheel(canvas, place, -40)
    assert canvas._zoom == 1.0 and canvas._pan == QPointF(), "out again to the whole picture"
    wheel(canvas, place, 80)
    assert canvas._zoom == 20.0


def test_outside_the_picture_nothing_is_placed(window, bench):
    before = dict(bench.board.points())
    bench.panel._buttons["ankle_left"].click()
    hands.click_at(bench.canvas, (-30, 200))
    assert set(bench.board.points()) == set(before)
    hands.click_at(bench.canvas, CLIP.truth(0)["ankle_left"])
    assert "ankle_left" in bench.board.points()


def test_the_known_length_takes_units_and_refuses_what_is_none(window, bench):
    panel, board = bench.panel, bench.board
    panel.length.setText("a metre")
    assert board.length_m == 0 and "length" in panel.length.toolTip()
    panel._buttons["length"].click()
    assert panel.length.hasFocus() or board.length_m == 0, "without a length the field asks for it"
    panel.length.setText("40 cm")
    assert board.length_m == pytest.approx(0.4) and not panel.length.toolTip()
    panel.length.setText("15,5")
    assert board.length_m == pytest.approx(0.155), "centimetres where nothing is said"
    panel._buttons["length"].click()
    for end in ((300, 300), (300, 420)):
        hands.click_at(bench.canvas, end)
    hands.settle()
    scale = board.context().scale
    assert scale is not None and scale.length_m == pytest.approx(0.155)
    assert "15.5 cm marked" in panel.level_text.text()


def test_playing_loops_or_stops_at_the_end(qtbot, window, bench):
    player, board = bench.player, bench.board
    last = len(board.times) - 1
    board.go(last - 4)
    bench.toggle_play()
    qtbot.waitUntil(lambda: not player._timer.isActive())
    assert board.frame == last and player.play_button.text() == "Play"
    bench.toggle_play()
    assert board.frame < last, "from the end it begins anew"
    bench.stop()
    player._toggle_loop()
    board.go(last - 2)
    bench.toggle_play()
    qtbot.waitUntil(lambda: board.frame < last - 2)
    assert player._timer.isActive()
    player.speed.setCurrentIndex(0)
    assert "16" in player.speed.currentText()
    now = [100.0]
    player.clock = lambda: now[0]
    board.go(2)
    player.speed.activated.emit(0)
    here, now[0] = board.frame, 101.1
    qtbot.waitUntil(lambda: board.frame > here)
    assert board.frame - here == 2, "a sixteenth of thirty frames a second"
    bench.close_picture()
    assert not player._timer.isActive() and not player.is_open and player.place_text.text() == ""


def test_light_is_for_the_eye_and_leaves_the_picture_as_it_was():
    pixels = np.arange(256, dtype=np.uint8).repeat(3).reshape(16, 16, 3).copy()
    image = QImage(pixels.tobytes(), 16, 16, 48, QImage.Format.Format_RGB888).copy()
    seen = {name: lit(image, *how) for name, how in LIGHTS.items()}

    def values(shown: QImage) -> np.ndarray:
        plain = shown.convertToFormat(QImage.Format.Format_RGB888)
        bits = plain.constBits()
        bits.setsize(plain.sizeInBytes())
        return np.frombuffer(bits, np.uint8).reshape(16, 48)[:, ::3].ravel().astype(int)

    plain = values(image)
    for name, (gain, shift) in LIGHTS.items():
        expected = np.clip((plain - 128) * gain + 128 + shift, 0, 255)
        assert np.abs(values(seen[name]) - expected).max() <= 1, name
        assert (np.diff(values(seen[name])) >= 0).all(), "brighter stays brighter"
    assert (values(image) == plain).all()


def mark_needed(window, bench):
    """Every mark that a measure of the picture needs."""
    for name in bench.board.landmarks():
        if name in bench.board.picture_kind.needed and name not in bench.board.points():
            hands.place(window, name, CLIP.truth(0)[name])


def test_the_person_fills_the_view_and_one_key_shows_the_whole_picture(window, bench):
    mark_needed(window, bench)
    canvas, board = bench.canvas, bench.board
    canvas.fit(True)
    low, high = board.extent()
    a, b = canvas.to_widget(low), canvas.to_widget(high)
    assert 0 <= a.x() < b.x() <= canvas.width() and 0 <= a.y() < b.y() <= canvas.height()
    filled = max((b.x() - a.x()) / canvas.width(), (b.y() - a.y()) / canvas.height())
    whole = (high - low) / [canvas.image.width(), canvas.image.height()]
    assert filled > 0.6 > whole.max(), "the marks fill the view, not the room around them"
    place = QPointF(120, 90)
    np.testing.assert_allclose([canvas.to_widget(canvas.to_image(place)).x(), place.x()], place.x())
    canvas.setFocus()
    QTest.keyClick(canvas, Qt.Key.Key_V)
    corners = [canvas.to_widget(np.array(c, float)) for c in ((0, 0), (canvas.image.width(), canvas.image.height()))]
    assert corners[0].x() >= -0.5 and corners[1].y() <= canvas.height() + 0.5
    QTest.keyClick(canvas, Qt.Key.Key_V)
    wheel(canvas, place, -20)
    assert canvas._fitted is None and canvas._zoom == 1.0, "further out than the person is the whole picture"


def test_the_picture_alone_and_the_divider_that_remembers(window, bench):
    tall = bench.canvas.height()
    QTest.keyClick(bench.canvas, Qt.Key.Key_F11)
    hands.settle()
    assert bench.canvas.height() > tall + 60 and not bench.panel.isVisible() and bench.strip.isVisible()
    QTest.keyClick(bench.canvas, Qt.Key.Key_F11)
    hands.settle()
    assert bench.canvas.height() == tall and bench.panel.isVisible()
    bench.divider.show_lower(True)
    hands.settle()
    handle = bench.divider.handle(1)
    middle = handle.rect().center()
    QTest.mousePress(handle, LEFT_BUTTON, NONE, middle)
    QTest.mouseMove(handle, middle - QPoint(0, 60))
    QTest.mouseRelease(handle, LEFT_BUTTON, NONE, middle - QPoint(0, 60))
    kept, total = bench.divider.sizes()[0], sum(bench.divider.sizes())
    assert window.workspace.settings.get("picture.share", 0) == pytest.approx(100 * kept / total, abs=0.6)
    bench.divider.show_lower(False)
    bench.divider.show_lower(True)
    hands.settle()
    assert bench.divider.sizes()[0] == pytest.approx(kept, abs=0.02 * total)


@pytest.mark.parametrize("edge", ["left", "right"])
def test_the_name_of_a_line_stands_beside_its_end_and_not_under_it_at_either_edge(window, bench, edge):
    canvas, seen = bench.canvas, []
    x = 30.0 if edge == "left" else canvas.width() - 30.0
    ends = [np.array(canvas.to_image(QPointF(x, y))) for y in (60.0, 260.0)]
    hands.mark_plumb_line(window, ends)
    canvas._tag = lambda _, at, text, *more, **styled: seen.append((text, at.x()))
    canvas.grab()
    (where,) = [x for text, x in seen if text == "plumb line"]
    beside = where - canvas.to_widget(ends[1]).x()
    assert 12 < beside < 30 if edge == "left" else -160 < beside < -60, "the ring is 12 px, the words some 75"


def test_marks_that_no_frame_needs_are_asked_last_and_escape_leaves_them_out(window, bench):
    mark_needed(window, bench)
    board = bench.board
    shoulders = [n for n in board.landmarks() if n not in board.picture_kind.needed]
    hands.settle()
    assert shoulders and board.chosen == shoulders[0] and "Escape" in bench.panel.next.text()
    hands.click_at(bench.canvas, at(bench))
    assert board.chosen == KNEE and shoulders[0] not in board.points(), "a click on a mark takes that mark"
    board.choose(shoulders[0])
    hands.settle()
    assert "Escape" not in bench.panel.next.text()
    board._ask_next()
    bench.canvas.setFocus()
    QTest.keyClick(bench.canvas, Qt.Key.Key_Escape)
    assert not board.chosen
    hands.click_at(bench.canvas, (600, 100))
    assert shoulders[0] not in board.points()


def test_a_picture_is_kept_out_of_letters_by_one_action_and_let_in_by_the_next(window, bench):
    said = []
    window.workspace.message.connect(said.append)
    for words, back in (("stays out", True), ("again", False)):
        keep_back(bench)
        found = kept_back(window.workspace.case.all(Decision))
        assert (bench.board.capture.uid in found) is back and words in said[-1]


def test_a_face_is_hidden_in_a_copy_by_a_box_that_is_drawn_and_moved(qtbot, window, bench, tmp_path, monkeypatch):
    dialogs = []

    def drawn(dialog) -> int:
        """Drag a box over the head, nudge it, and save."""
        dialogs.append(dialog)
        dialog.show()
        canvas = dialog.canvas
        start, end = (canvas._origin() + QPointF(*at) * canvas._scale() for at in ((560, 40), (660, 160)))
        QTest.mousePress(canvas, LEFT_BUTTON, NONE, start.toPoint())
        QTest.mouseMove(canvas, end.toPoint())
        hands.settle()
        QTest.mouseRelease(canvas, LEFT_BUTTON, NONE, end.toPoint())
        before = dialog.boxes[0]
        assert before == pytest.approx((560, 40, 100, 120), abs=3)
        QTest.keyClick(canvas, Qt.Key.Key_Right)
        QTest.keyClick(canvas, Qt.Key.Key_Up, SHIFT)
        assert dialog.boxes[0] == pytest.approx((before[0] + 1, before[1] - 10, *before[2:]))
        dialog.slider.setValue(3)
        assert canvas.box is None and "set in: 1." in dialog.words.text()
        dialog.save(tmp_path / "copy.mp4")
        return 1

    monkeypatch.setattr(MaskDialog, "exec", drawn)
    said = []
    window.workspace.message.connect(said.append)
    hide_face(bench)
    qtbot.waitUntil(lambda: not window.jobs.running and bool(said))
    copy = open_source(tmp_path / "copy.mp4")
    assert "copy.mp4" in said[-1]
    assert (np.abs(copy.frame(0)[60:140, 580:640].astype(int) - 96) < 12).all(), "grey, and nothing else"
    copy.close()


def test_no_key_means_two_things(window):
    """A key of a stage that the whole window has, too, would do neither."""
    everywhere = [a.key for a in window.actions_list if a.key]
    assert len(everywhere) == len(set(everywhere))
    for spec in window.stages:
        own = [a.key for a in spec.actions if a.key]
        assert len(own) == len(set(own)) and not set(own) & set(everywhere), spec.id
