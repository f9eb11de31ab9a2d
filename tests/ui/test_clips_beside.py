"""Before and after, the live camera, trying a pose, the capture rate: on the real dialogs."""

import threading
import time
from dataclasses import replace

import av
import hands
import numpy as np
import pytest
from conftest import numbered, write_clip
from PIL import Image
from PyQt6.QtWidgets import QMessageBox

from tuning.core.entries import Track
from tuning.core.errors import EnvironmentFault
from tuning.core.judging.comparison import compare_change
from tuning.core.movement.cue_effects import causes
from tuning.core.types import NotMeasured, Observation, Setup, Side
from tuning.demo.clips import CLIPS
from tuning.demo.simulated_camera import SimulatedCamera
from tuning.demo.simulated_capture import STAND_S, StagePlates
from tuning.knowledge import load
from tuning.ui.picture.before_after import BeforeAfter, takes
from tuning.ui.picture.changed_condition import found_causes
from tuning.ui.picture.live import FADES, LiveDialog
from tuning.ui.picture.load_share_simulator import WhatIf
from tuning.video import open_source

MEASURES = load().measures


def test_before_and_after_says_what_changed_beyond_error(qtbot, window, patient, tmp_path):
    patient("glassblower", "movement")
    found = takes(window.workspace, "rear", "rear-gait", Side.NONE)
    assert [t.capture.medium.name for t in found] == ["walk-rear.mp4", "walk-later.mp4"]
    dialog = BeforeAfter(None, window.workspace, found[-1], found[:-1])
    qtbot.addWidget(dialog)
    by_key = {(c.measure.id, c.side): c for c in dialog.changes}
    drop = by_key["gait-pelvic-drop", Side.LEFT]
    # The mannequin's drop over the left leg went from 8.5 to 4.5 degrees, over the right it stayed.
    assert drop.verdict.d == pytest.approx(-4, abs=0.8) and drop.verdict.word.value == "marked"
    assert "less, beyond the error of ±" in drop.sentence
    assert "unchanged" in by_key["gait-pelvic-drop", Side.RIGHT].sentence
    dialog.choose(drop)
    assert len(dialog.pair.halves) == 2 and dialog.pair.halves[0].value != dialog.pair.halves[1].value
    at_event = dialog.pair.halves[0].image.copy()
    dialog.slider.setValue(400)
    assert "0.40 s after" in dialog.at.text() and dialog.pair.halves[0].image != at_event
    dialog.slider.setValue(0)
    assert dialog.pair.halves[0].image == at_event, "the same frame again"
    dialog.toggle_play()
    qtbot.waitUntil(lambda: dialog.slider.value() > 150)
    dialog.toggle_play()
    assert not dialog._timer.isActive()
    target = tmp_path / "pair.png"
    assert dialog.save_picture(target) and Image.open(target).size == (1600, 1000)
    assert np.asarray(Image.open(target).convert("L"))[:900, :800].std() > 20, "frames are drawn"
    assert not dialog.save_picture(tmp_path / "no folder" / "pair.png")


def seen(value, method="clip", task="rear-gait", n=1):
    trials = np.full(n, value)
    return Observation("gait-pelvic-drop", Side.LEFT, value, trials, "mean", method, setup=Setup(task=task))


def test_a_single_change_is_judged_against_the_plain_clip_beyond_error():
    shift = MEASURES["squat-hip-shift"]

    def squatted(value):
        return Observation(shift.id, Side.NONE, value, np.full(4, value), "mean", "clip", setup=Setup(task="x"))

    found = causes(shift, squatted(14.0), {"load": squatted(13.5), "wedge": squatted(1.0), "tempo": squatted(8.0)})
    assert [(c.changed, c.answer) for c in found] == [("wedge", "gone"), ("tempo", "less"), ("load", "same")]
    assert "beyond the error" in found[0].sentence
    unclear = causes(shift, squatted(6.0), {"mirror": squatted(3.0)})[0]
    assert unclear.answer == "" and "no change beyond the error" in unclear.sentence


def test_the_clip_says_what_was_changed_and_the_test_shows_what_it_did(qtbot, window, patient):
    patient("potter", "movement")
    window.new_visit()
    window.go("movement")
    clip, space = CLIPS["squat-front"], window.workspace
    hands.open_picture(qtbot, window, clip.path, "front")
    for name, at in clip.truth(0).items():
        hands.place(window, name, at)
    bench = window.page("movement").bench
    bench.follow_button.click()
    qtbot.waitUntil(lambda: bool(space.entries(Track)))
    first, tracks = bench.board.capture, bench.following.tracks
    hands.open_picture(qtbot, window, clip.path, "front")
    qtbot.waitUntil(lambda: bench.board.capture is not first)
    bench.following.keep(tracks)
    hands.settle()
    box = window.page("movement").bench.changed_box
    box.setCurrentIndex(box.findData("wedge"))
    box.activated.emit(box.currentIndex())
    (told,) = found_causes(space)
    assert told.changed == "wedge" and abs(told.change.verdict.d) < 1e-4
    state = window.page("movement").state
    at = next(s for s in state.steps if s.test.id == "shift-cause-finder" and s.question.key == "wedge")
    assert state.verdict(at) == [told.sentence]


def test_unlike_takes_are_not_compared_and_small_changes_are_not_real():
    drop = MEASURES["gait-pelvic-drop"]
    assert isinstance(compare_change(drop, seen(8.0, method="photo"), seen(4.0)).verdict, NotMeasured)
    assert isinstance(compare_change(drop, seen(8.0, task="x"), seen(4.0)).verdict, NotMeasured)
    assert compare_change(drop, seen(8.0), seen(8.0 - 2.77 * 1.3 + 0.05)).verdict.word.value == "cannot tell"
    assert compare_change(drop, seen(8.0), seen(8.0 - 2.77 * 1.3 - 0.05)).verdict.word.value == "notable"
    one, other = compare_change(drop, seen(8.0), seen(3.0)), compare_change(drop, seen(3.0), seen(8.0))
    assert one.verdict.d == -other.verdict.d and one.verdict.word is other.verdict.word


class Held:
    """A camera that shows one picture for as long as one likes."""

    name = "held camera"

    def __init__(self, pixels):
        self.pixels, self.closed, self.given = pixels, False, 0

    def read(self):
        time.sleep(0.02)
        self.given += 1
        return self.pixels

    def close(self):
        self.closed = True


def test_live_cue_fading_mirror_and_recording(qtbot):
    clip = CLIPS["squat-front"]
    source = open_source(clip.path)
    pixels, truth = source.frame(42), clip.truth(42)
    source.close()
    camera = Held(pixels)
    dialog = LiveDialog(None, camera)
    qtbot.addWidget(dialog)
    dialog.show()
    qtbot.waitUntil(lambda: dialog.view.image is not None)
    dialog.cue.setCurrentIndex(1)
    dialog.cue.activated.emit(1)
    for name in ("asis_left", "asis_right", "ankle_left", "ankle_right"):
        assert name.split("_")[1] in dialog.hint.text()
        dialog.view.placed.emit(*truth[name])
    qtbot.waitUntil(lambda: dialog.view.cue not in ("", "–"))
    middle = sum(truth[f"ankle_{s}"] - truth[f"asis_{s}"] for s in ("left", "right"))[0] / 2
    expected = 100 * middle / np.linalg.norm(truth["ankle_left"] - truth["ankle_right"])
    assert dialog.view.cue == f"{expected:.0f} %".replace("-", "−")
    dialog.fade.setCurrentIndex(FADES.index("cue hidden"))
    qtbot.waitUntil(lambda: dialog.view.cue == "")
    dialog.mirror.click()
    scale, off = dialog.view._scale()
    with qtbot.waitSignal(dialog.view.placed) as told:
        at = off.toPoint()
        at.setX(round(off.x() + 100 * scale))
        at.setY(round(off.y() + 50 * scale))
        qtbot.mouseClick(dialog.view, hands.LEFT, pos=at)
    assert told.args[0] == pytest.approx(1280 - 100, abs=1.5)
    camera.given = 0
    dialog.toggle_record()
    qtbot.waitUntil(lambda: camera.given > 12)
    dialog.toggle_record()
    assert camera.closed and dialog.pressed is None
    kept = open_source(dialog.recorded)
    assert len(kept.times) > 5 and (np.diff(kept.times) > 0).all() and kept.times[-1] > 0.1
    kept.close()


class Played(SimulatedCamera):
    """Two squats at the speed of whoever takes the pictures; their place in the clip is the time."""

    def __init__(self):
        super().__init__(CLIPS["squat-side"].path, stand_s=STAND_S)
        self.ended, self.taken = False, threading.Semaphore(1)

    def read(self):
        self.taken.acquire(timeout=60)
        self.ended = self.at > STAND_S + 6.6
        if self.ended:
            raise OSError("the clip is over")
        self.at, frame = next(self._frames)
        return frame.to_ndarray(format="rgb24")


def test_one_button_records_clip_and_plates_and_the_share_stands_on_them(qtbot, window, patient, monkeypatch):
    patient("choir conductor", "movement")
    window.new_visit()
    page = window.page("movement").bench
    told = []
    page.refused.connect(told.append)
    page.live()
    assert "safety screen" in told[-1], "a camera films no movement before the screen"
    hands.record_screen(window)
    window.go("movement")
    clip, page = CLIPS["squat-side"], window.page("movement").bench
    page.kind.setCurrentIndex(page.kind.findData("side-r"))

    def played(dialog):
        camera = dialog._camera
        qtbot.waitUntil(lambda: dialog.view.image is not None)
        assert not dialog.with_plates.isHidden() and dialog.with_plates.property("chosen")
        dialog.toggle_record()
        dialog.arrived.connect(lambda *_: camera.taken.release())
        camera.taken.release()
        qtbot.waitUntil(lambda: camera.ended)
        hands.settle()
        assert "The plates run: left" in dialog.hint.text() or "over" in dialog.hint.text()
        dialog.toggle_record()

    def live(parent, camera, plates):
        plates._clock = lambda: camera.at
        return LiveDialog(parent, camera, plates, clock=lambda: camera.at)

    window.workspace.devices = replace(window.workspace.devices, camera=lambda kind: Played())
    monkeypatch.setattr("tuning.ui.picture.live.LiveDialog.exec", played)
    monkeypatch.setattr("tuning.ui.picture.live.LiveDialog", live)
    page.live()
    qtbot.waitUntil(lambda: "Plates kept with the clip" in window.status.message.text())
    qtbot.waitUntil(lambda: page.canvas.image is not None)
    assert page.following.ground is not None and page.following.result is None
    assert page.following.task == "side-squat"
    foot = [clip.body_at(0).points[f"{end}_side_right"] for end in ("heel", "toe")]
    page.panel.length.setText(f"{np.linalg.norm(foot[1] - foot[0]):.4f} m")
    page.panel._buttons["length"].click()
    for end in foot:
        hands.click_at(page.canvas, clip.camera.project(end))
    for name, at in clip.truth(0).items():
        if name in page.board.landmarks():
            hands.place(window, name, at)
    page.follow_button.click()
    qtbot.waitUntil(lambda: page.following.result is not None)
    told = {s.measure: s for s in page.following.result.summaries()}
    assert told["hip-knee-share-plates"].n == 2, page.following.result.warnings
    (clock,) = (w for w in page.following.result.warnings if w.startswith("Plates: the clip begins"))
    assert abs(float(clock.split("second ")[1].split(",")[0])) < 0.1, "one button started both"


class Vanishing(StagePlates):
    """Gone when they are read, or sending nothing that can be read."""

    def __init__(self, gone):
        self.gone, self.rate = gone, 1000.0

    def start(self):
        pass

    def read(self):
        if self.gone:
            raise OSError("unplugged")
        return np.full((50, 3), np.nan)

    def stop(self):
        pass


@pytest.mark.parametrize("gone", [True, False])
def test_plates_that_fail_do_not_cost_the_clip(qtbot, gone):
    dialog = LiveDialog(None, Held(numbered(1)[0]), Vanishing(gone))
    qtbot.addWidget(dialog)
    dialog.show()
    qtbot.waitUntil(lambda: dialog.view.image is not None)
    dialog.record.click()
    shown = dialog._camera.given
    qtbot.waitUntil(lambda: dialog._camera.given > shown + 8 and dialog.hint.text() != "")
    dialog.record.click()
    if gone:
        assert "goes on without the plates" in dialog.hint.text()
    else:
        assert dialog.result() == 0 and "the plates are not" in dialog.hint.text()
        dialog.record.click()
    assert dialog.result() == 1 and dialog.recorded.exists() and dialog.pressed is None


@pytest.mark.parametrize("end", ["dropped", "refused", "kept"])
def test_of_a_recording_only_what_was_kept_stays_on_the_disk(qtbot, tmp_path, monkeypatch, end):
    monkeypatch.setattr("tempfile.tempdir", str(tmp_path))
    monkeypatch.setattr("tuning.ui.picture.live.QMessageBox.question", lambda *_: QMessageBox.StandardButton.Yes)
    if end == "refused":
        monkeypatch.setattr(
            "tuning.video.media.recorder.av.open", lambda *_, **__: (_ for _ in ()).throw(OSError("full"))
        )
    dialog = LiveDialog(None, Held(numbered(1)[0]))
    qtbot.addWidget(dialog)
    dialog.show()
    qtbot.waitUntil(lambda: dialog.view.image is not None)
    dialog.record.click()
    assert ("full" in dialog.hint.text()) == (end == "refused")
    shown = dialog._camera.given
    qtbot.waitUntil(lambda: dialog._camera.given > shown + 8)
    if end == "kept":
        dialog.record.click()
    dialog.close()
    assert [path.name for path in tmp_path.rglob("*.mp4")] == ["live.mp4"] * (end == "kept")
    assert len(list(tmp_path.glob("tuning-*-live-*"))) == (end == "kept")


def test_a_recording_that_could_not_be_ended_makes_room_for_the_next(qtbot, tmp_path, monkeypatch):
    monkeypatch.setattr("tempfile.tempdir", str(tmp_path))
    dialog = LiveDialog(None, Held(numbered(1)[0]))
    qtbot.addWidget(dialog)
    dialog.show()
    qtbot.waitUntil(lambda: dialog.view.image is not None)

    def full(_):
        raise EnvironmentFault("The disk is full.")

    for broken in (True, False):
        dialog.record.click()
        shown = dialog._camera.given
        qtbot.waitUntil(lambda shown=shown: dialog._camera.given > shown + 8)
        with monkeypatch.context() as patched:
            if broken:
                patched.setattr("tuning.video.media.recorder.Recorder.close", full)
            dialog.record.click()
        assert (dialog.recorded is None) is broken and ("full" in dialog.hint.text()) is broken
        assert len(list(tmp_path.glob("tuning-*-live-*"))) == 1
        assert not broken or dialog.record.text() == "Record", "the next press begins anew, and says so"


def test_the_simulated_camera_plays_round_and_round(tmp_path):
    path = write_clip(tmp_path / "n.mp4", numbered(6), [n / 30 for n in range(6)])
    camera, mirror = SimulatedCamera(path, stand_s=0.1), SimulatedCamera(path, mirrored=True)
    seen = [(camera.read().mean(), camera.at) for _ in range(11)]
    order = np.argsort([round(light) for light, _ in seen[:9]], kind="stable")
    assert list(order) == list(range(9)) and seen[0][0] == seen[3][0] < seen[4][0], "it stands, then moves"
    assert [at for _, at in seen[:3]] == pytest.approx([0, 1 / 30, 2 / 30]) and seen[8][1] == pytest.approx(8 / 30)
    assert seen[9] == pytest.approx(seen[0]), "and again from the start"
    assert mirror.read()[:24, -24:].mean() < 20 < mirror.read()[:24, :24].mean()
    camera.close()
    mirror.close()
    with pytest.raises(OSError, match="no pictures"):
        SimulatedCamera(tmp_path / "none.mp4")


def test_trying_a_pose_moves_the_share(qtbot):
    dialog = WhatIf(None, 63, 1.65)
    qtbot.addWidget(dialog)

    def share(**angles):
        for name, value in angles.items():
            dialog.sliders[name.replace("_", " ")].setValue(value)
        return dialog.share.text()

    upright = float(share(trunk_lean=20, shin_lean=35, knee_bend=90).split()[0])
    sat_back = float(share(trunk_lean=55, shin_lean=5, knee_bend=90).split()[0])
    assert sat_back > upright + 25 and "zone" in dialog.more.text() and "Nm" in dialog.more.text()
    share(trunk_lean=0, shin_lean=0, knee_bend=110)
    assert "cannot balance" in dialog.more.text() and "behind the heel" in dialog.more.text()


def test_a_slow_motion_clip_runs_in_true_time(qtbot, window, patient, tmp_path):
    path = tmp_path / "slow.mp4"
    with av.open(str(path), "w") as container:
        stream = container.add_stream("libx264", rate=30)
        stream.width, stream.height, stream.pix_fmt = 160, 96, "yuv420p"
        for pixels in numbered(31):
            container.mux(stream.encode(av.VideoFrame.from_ndarray(pixels, format="rgb24")))
        container.mux(stream.encode())
    patient("beekeeper", "movement")
    hands.open_picture(qtbot, window, path, "rear")
    movement = window.page("movement").bench
    assert movement.board.times[-1] == pytest.approx(1.0) and "30 frames/s" in movement.about.text()
    movement.rate.setCurrentIndex(movement.rate.findData(240.0))
    movement.rate.activated.emit(movement.rate.currentIndex())
    qtbot.waitUntil(lambda: "240 frames/s" in movement.about.text())
    assert movement.board.times[-1] == pytest.approx(0.125)
    assert not window.workspace.entries(Track)
    qtbot.waitUntil(lambda: movement.canvas.image is not None)
    movement.player.light.setCurrentIndex(1)
    movement.player.light.activated.emit(1)
    before = movement.canvas.image.pixelColor(100, 60).lightness()
    qtbot.waitUntil(lambda: movement.canvas.image.pixelColor(100, 60).lightness() >= before)
