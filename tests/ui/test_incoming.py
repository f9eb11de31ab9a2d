"""Files that come in by themselves: dropped, pasted, or waiting in the watched folder."""

import os
import shutil
import time

import hands
import pytest
from PyQt6.QtCore import QMimeData, QPointF, Qt, QUrl
from PyQt6.QtGui import QDropEvent, QGuiApplication, QImage
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QFileDialog

from tuning.core.entries import Capture
from tuning.core.picture_views import PICTURE_KINDS, kind_seen, kinds_by_view, view_of_kind
from tuning.core.preferences import WATCHED_FOLDER
from tuning.demo.clips import CLIPS
from tuning.ui.picture.empty_bench import person_filmed


@pytest.fixture
def visit(window, patient):
    """A new visit of the beekeeper, on a page without pictures."""
    patient("beekeeper", "strength")
    window.new_visit()
    window.go("strength")
    return window


def drop(window, *paths):
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(path)) for path in paths])
    at = QPointF(400, 300)
    buttons, keys = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
    window.dropEvent(QDropEvent(at, Qt.DropAction.CopyAction, data, buttons, keys))


def views(window):
    return sorted(capture.view for capture in window.workspace.entries(Capture))


def ended(qtbot, window):
    qtbot.waitUntil(lambda: not window.jobs.running, timeout=60_000)
    hands.settle()


@pytest.mark.body_model
def test_clips_dropped_on_any_page_are_taken_as_what_they_show(qtbot, visit):
    drop(visit, CLIPS["squat-front"].path, CLIPS["walk-rear"].path)
    ended(qtbot, visit)
    assert visit.stage == "movement" and views(visit) == ["front", "rear"]


def test_without_a_body_model_a_clip_is_the_kind_that_is_chosen(qtbot, visit):
    visit.go("movement")
    bench = visit.page("movement").bench
    bench.kind.setCurrentIndex(bench.kind.findData("side-r"))
    drop(visit, CLIPS["walk-rear"].path)
    ended(qtbot, visit)
    assert views(visit) == ["side-r"]


def test_what_is_no_picture_or_nobodys_is_said_and_nothing_is_taken(qtbot, visit, tmp_path):
    (tmp_path / "list.txt").write_text("milk")
    drop(visit, tmp_path / "list.txt", tmp_path / "gone.mp4")
    assert "list.txt, gone.mp4" in visit.status.message.text() and not views(visit)
    visit.go_home()
    drop(visit, CLIPS["walk-rear"].path)
    assert "Open the person first" in visit.status.message.text()


def test_a_picture_from_the_clipboard_goes_to_standing(qtbot, visit):
    image = QImage(64, 96, QImage.Format.Format_RGB32)
    image.fill(Qt.GlobalColor.darkCyan)
    QGuiApplication.clipboard().setImage(image)
    QTest.keyClick(visit, Qt.Key.Key_V, Qt.KeyboardModifier.ControlModifier)
    ended(qtbot, visit)
    assert visit.stage == "standing" and len(views(visit)) == 1
    QGuiApplication.clipboard().setText("words")
    visit.paste()
    assert "Nothing to paste" in visit.status.message.text() and len(views(visit)) == 1


def test_new_files_of_the_watched_folder_wait_until_they_are_whole_and_go_by_one_key(qtbot, visit, tmp_path):
    folder, tray = tmp_path / "Phone", visit.tray
    folder.mkdir()
    visit.workspace.settings.set(WATCHED_FOLDER, str(folder))
    for name, age in (("now.mp4", 0), ("other.mp4", 60), ("last week.mp4", 7 * 86400)):
        shutil.copy(CLIPS["walk-rear"].path, folder / name)
        os.utime(folder / name, (time.time() - age,) * 2)
    tray.refresh()
    assert not tray.isVisible(), "a file may still be growing"
    (folder / "growing.mp4").write_bytes(b"half")
    tray.refresh()
    assert [path.name for path in tray.buttons] == ["other.mp4", "now.mp4"] and tray.isVisible()
    ended(qtbot, visit)
    assert not tray.buttons[folder / "now.mp4"].icon().isNull()
    tray.buttons[folder / "other.mp4"].click()
    ended(qtbot, visit)
    assert len(views(visit)) == 1
    (folder / "growing.mp4").unlink()
    tray.refresh()
    assert [path.name for path in tray.buttons] == ["now.mp4"]
    QTest.keyClick(visit, Qt.Key.Key_V, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
    ended(qtbot, visit)
    assert len(views(visit)) == 2
    assert not tray.isVisible() and len(list(folder.iterdir())) == 3, "the folder is only read"


def test_what_was_left_is_not_offered_again_nor_anything_while_nobody_is_open(qtbot, visit, tmp_path):
    visit.workspace.settings.set(WATCHED_FOLDER, str(tmp_path))
    shutil.copy(CLIPS["walk-rear"].path, tmp_path / "a.mp4")
    tray = visit.tray
    tray.refresh()
    tray.refresh()
    assert tray.isVisible()
    visit.go_home()
    assert not tray.isVisible()
    tray.leave()
    tray.refresh()
    assert not tray.paths and (tmp_path / "a.mp4").exists()
    visit.workspace.settings.set(WATCHED_FOLDER, str(tmp_path / "not there"))
    tray.refresh()
    assert not tray.paths


def test_what_may_not_be_taken_leaves_no_file_and_is_offered_again(qtbot, visit, tmp_path, monkeypatch):
    folder = tmp_path / "Phone"
    folder.mkdir()
    shutil.copy(CLIPS["walk-rear"].path, folder / "a.mp4")
    visit.workspace.settings.set(WATCHED_FOLDER, str(folder))
    visit.tray.refresh()
    visit.tray.refresh()
    kept = {path for path in visit.workspace.record.folder.rglob("*") if path.is_file()}
    monkeypatch.setattr(visit.workspace, "film_refused", lambda: "No consent to pictures")
    visit.tray.take_all()
    assert "No consent" in visit.status.message.text() and not any("Opening" in job.text for job in visit.jobs.running)
    visit.tray.refresh()
    assert visit.tray.isVisible() and len(visit.tray.paths) == 1
    monkeypatch.undo()
    visit.workspace.open_visit(visit.workspace.case.visits[0].uid)
    assert visit.workspace.reading
    drop(visit, folder / "a.mp4")
    assert "open to read" in visit.status.message.text() and not any(
        "Opening" in job.text for job in visit.jobs.running
    )
    assert {path for path in visit.workspace.record.folder.rglob("*") if path.is_file()} <= kept


def test_what_is_dropped_for_one_person_is_not_the_next_one_s(qtbot, visit, patient):
    drop(visit, CLIPS["walk-rear"].path)
    patient("potter", "strength")
    before = views(visit)
    ended(qtbot, visit)
    assert views(visit) == before and "Kept with" in visit.status.message.text()
    patient("beekeeper", "strength")
    assert len(views(visit)) == 1


@pytest.mark.parametrize("stage", ["movement", "standing"])
def test_each_view_is_the_kind_that_says_so(stage):
    words = {"left": "left side", "right": "right side", "rear": "from behind", "front": "from the front"}
    assert len(kinds_by_view(stage)) == 4
    for kind, view in kinds_by_view(stage).items():
        assert words[view] in PICTURE_KINDS[kind].title and view_of_kind(kind) == view
        for chosen in kinds_by_view(stage):
            assert kind_seen(stage, view, chosen) == kind
        assert kind_seen(stage, "", kind) == kind
    assert kind_seen("movement", "left", "rear-sole") == "rear-sole", "a sole is not a view of the person"


@pytest.mark.parametrize(("view", "towards"), [("rear", -1), ("front", 1)])
def test_the_drawn_person_turns_back_or_front_to_the_camera_at_the_left(view, towards):
    points = [point for shape in person_filmed(view) for point in shape.points]
    ground = min(y for _, y in points)
    feet = [x for x, y in points if y < ground + 0.02]
    head = [x for x, y in points if y > 0.9]
    toes_ahead = abs(min(feet) - sum(head) / len(head)) > abs(max(feet) - sum(head) / len(head))
    assert toes_ahead == (towards > 0)


def test_an_empty_bench_shows_no_dead_control_and_its_button_asks_for_a_file(visit, monkeypatch):
    visit.go("movement")
    bench = visit.page("movement").bench
    for part in (bench.canvas, bench.strip, bench.player.play_button, bench.panel, bench.rate, bench.captures):
        assert not part.isVisible()
    asked = []
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a: asked.append(a[1]) or ("", ""))
    bench.kind.setCurrentIndex(bench.kind.findData("front"))
    bench.empty.open_button.click()
    assert asked == ["Open: Movement from the front"] and "knee height" in bench.empty.how.text()
