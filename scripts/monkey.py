"""Hammers the window without sense: clicks, keys, typing, stages, people, dialogs, files
dropped, devices that vanish, on a copy of the demo record.

`python scripts/monkey.py [--events 400] [--seed S] [--times 1] [--shrink]`. Each run is a process of its own; what it
does follows from its seed. A run that raises, crashes or hangs is told with its seed, and with `--shrink` the shortest
list of its events that still does it is looked for.
"""

from __future__ import annotations

import faulthandler
import json
import os
import random
import secrets
import subprocess
import sys
import tempfile
import traceback
from collections.abc import Callable, Sequence
from pathlib import Path

import click

HANG_S = 120
MEDIA = Path(__file__).parents[1] / "src" / "tuning" / "demo" / "media"
OFTEN = ("Return", "Escape", "Tab", "Up", "Down", "Left", "Right", "Space", "Delete", "Backspace")
BREATH_MS = 4
"""Between two events the window has so long to breathe."""
TYPED = ("", "a", "12", "-3", "1e9", "ü ☂", "'; --", "0.5 cm", "valgus", "99/99/9999", "\\n")


class Monkey:
    """Does one event after another, each told by a number of its own."""

    def __init__(self, window: object, numbers: Sequence[tuple[int, int]]) -> None:
        from PyQt6.QtCore import QTimer

        self.window, self.left = window, list(numbers)
        QTimer.singleShot(BREATH_MS, self.act)

    def act(self) -> None:
        """The next event, in whatever window is on top."""
        from PyQt6.QtCore import QTimer
        from PyQt6.QtWidgets import QApplication

        dialog = QApplication.activeModalWidget()
        if not self.left and dialog is None:
            QApplication.quit()
            return
        # Before anything is done: a dialog that opens runs a loop of its own, and this goes on in it.
        QTimer.singleShot(BREATH_MS, self.act)
        if not self.left:
            self.let_go(dialog)
            return
        _, number = self.left.pop(0)
        draw = random.Random(number)
        top = QApplication.activePopupWidget() or QApplication.activeModalWidget() or self.window
        acts = (self.click, self.key, self.typing, self.choose, self.move, self.drop)
        draw.choices(acts, (32, 32, 8, 12, 8, 1))[0](draw, top)

    @staticmethod
    def let_go(dialog: object) -> None:
        """Close what is still up; where it asks whether to lose something: yes."""
        from PyQt6.QtWidgets import QMessageBox

        if isinstance(dialog, QMessageBox) and dialog.buttons():
            dialog.buttons()[0].click()
        else:
            dialog.close()

    def widgets(self, top: object, *kinds: type) -> list:
        """What can be used now."""
        return [w for kind in kinds for w in top.findChildren(kind) if w.isVisible() and w.isEnabled()]

    def click(self, draw: random.Random, top: object) -> None:
        """A button, or anywhere."""
        from PyQt6.QtCore import QPoint, Qt
        from PyQt6.QtTest import QTest
        from PyQt6.QtWidgets import QAbstractButton, QWidget

        buttons = self.widgets(top, QAbstractButton)
        every = buttons if buttons and draw.random() < 0.7 else [top, *self.widgets(top, QWidget)]
        one = draw.choice(every)
        place = QPoint(draw.randrange(max(1, one.width())), draw.randrange(max(1, one.height())))
        if draw.random() < 0.1:
            QTest.mouseDClick(one, Qt.MouseButton.LeftButton, pos=place)
        else:
            QTest.mouseClick(one, Qt.MouseButton.LeftButton, pos=place)

    def key(self, draw: random.Random, top: object) -> None:
        """A key, now and then with Ctrl or Shift."""
        from PyQt6.QtCore import Qt
        from PyQt6.QtTest import QTest
        from PyQt6.QtWidgets import QApplication

        keys = [Qt.Key(k) for k in (*range(Qt.Key.Key_0, Qt.Key.Key_9 + 1), *range(Qt.Key.Key_A, Qt.Key.Key_Z + 1))]
        keys += 3 * [getattr(Qt.Key, f"Key_{name}") for name in OFTEN]
        keys += [Qt.Key(k) for k in range(Qt.Key.Key_F1, Qt.Key.Key_F12 + 1)]
        held = draw.choices((Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.ControlModifier,
                             Qt.KeyboardModifier.ShiftModifier), (8, 2, 1))[0]  # fmt: skip
        key = draw.choice(keys)
        if (held, key) == (Qt.KeyboardModifier.ControlModifier, Qt.Key.Key_Q):
            return  # that ends it, as it should
        QTest.keyClick(QApplication.focusWidget() or top, key, held)

    def typing(self, draw: random.Random, top: object) -> None:
        """Words into a field."""
        from PyQt6.QtWidgets import QLineEdit, QPlainTextEdit

        fields = self.widgets(top, QLineEdit, QPlainTextEdit)
        if fields:
            one = draw.choice(fields)
            one.setFocus()
            one.insert(draw.choice(TYPED)) if isinstance(one, QLineEdit) else one.insertPlainText(draw.choice(TYPED))

    def choose(self, draw: random.Random, top: object) -> None:
        """Another entry of a list."""
        from PyQt6.QtWidgets import QComboBox

        boxes = [box for box in self.widgets(top, QComboBox) if box.count()]
        if boxes:
            box = draw.choice(boxes)
            place = draw.randrange(box.count())
            box.setCurrentIndex(place)
            box.activated.emit(place)

    def drop(self, draw: random.Random, top: object) -> None:
        """A file from outside: a clip, a photograph, or what is neither."""
        from PyQt6.QtCore import QMimeData, QPointF, Qt, QUrl
        from PyQt6.QtGui import QDragEnterEvent, QDropEvent
        from PyQt6.QtWidgets import QApplication

        if top is not self.window:
            return
        data = QMimeData()
        data.setUrls([QUrl.fromLocalFile(str(draw.choice([*sorted(MEDIA.iterdir()), Path(__file__)])))])
        held, button = Qt.DropAction.CopyAction, Qt.MouseButton.LeftButton
        nothing = Qt.KeyboardModifier.NoModifier
        QApplication.sendEvent(top, QDragEnterEvent(QPointF(300, 300).toPoint(), held, data, button, nothing))
        QApplication.sendEvent(top, QDropEvent(QPointF(300, 300), held, data, button, nothing))

    def move(self, draw: random.Random, _: object) -> None:
        """Another stage or person, as long as no dialog or menu is up."""
        from PyQt6.QtWidgets import QApplication

        window = self.window
        if QApplication.activeModalWidget() is not None or QApplication.activePopupWidget() is not None:
            return
        if window.workspace.case is None or draw.random() < 0.3:
            window.open_patient(draw.choice(window.workspace.record.patients()))
        else:
            window.go(draw.choice(window.stages).id)


class Fading:
    """A device that may be gone at any call, as one whose plug is drawn."""

    def __init__(self, device: object, draw: random.Random) -> None:
        self._device, self._draw = device, draw

    def __getattr__(self, name: str) -> object:
        found = getattr(self._device, name)
        if not callable(found) or name == "close":
            return found

        def called(*words: object, **more: object) -> object:
            if self._draw.random() < 0.02:
                raise OSError("unplugged")
            return found(*words, **more)

        return called


def fading_devices(draw: random.Random) -> object:
    """The made-up devices, each of which may vanish."""
    from dataclasses import replace

    from tuning.demo.devices import simulated_devices

    made = simulated_devices()

    def fade(one: Callable[..., object]) -> Callable[..., object]:
        def device(*words: object) -> object:
            found = one(*words)
            return None if found is None else Fading(found, draw)

        return device

    kinds = ("gauge", "plates", "scales")
    return replace(made, **{name: fade(getattr(made, name)) for name in kinds})


def run_once(record: Path, numbers: Sequence[tuple[int, int]]) -> int:
    """In this process: the window, the events; 1 where something was raised."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    faulthandler.enable()
    from PyQt6.QtWidgets import QApplication, QFileDialog, QInputDialog

    from tuning.ui import theme
    from tuning.ui.app import build_window, open_record

    raised = list[str]()
    sys.excepthook = lambda kind, err, trace: raised.append("".join(traceback.format_exception(kind, err, trace)))
    for name in ("getOpenFileName", "getSaveFileName"):
        setattr(QFileDialog, name, staticmethod(lambda *_, **__: ("", "")))
    QFileDialog.getExistingDirectory = staticmethod(lambda *_, **__: "")
    QInputDialog.getText = staticmethod(lambda *_, **__: ("because", True))
    app = QApplication([])
    theme.apply(app)
    window = build_window(open_record(record), lambda _: fading_devices(random.Random(len(numbers))))
    window.resize(1280, 800)
    window.show()
    monkey = Monkey(window, numbers)
    app.exec()
    del monkey
    window.close()
    for text in dict.fromkeys(raised):
        print(text, file=sys.stderr)
    sys.stderr.flush()
    os._exit(1 if raised else 0)


def trial(clinic: Path, numbers: Sequence[tuple[int, int]]) -> str:
    """In a process of its own on a fresh copy: what went wrong, empty where nothing did."""
    import shutil

    with tempfile.TemporaryDirectory() as folder:
        record = Path(shutil.copytree(clinic, Path(folder) / "clinic"))
        events = Path(folder) / "events.json"
        events.write_text(json.dumps(list(numbers)))
        words = [sys.executable, __file__, "--inside", str(record), "--list", str(events)]
        try:
            done = subprocess.run(words, capture_output=True, text=True, timeout=HANG_S)
        except subprocess.TimeoutExpired:
            return f"hangs for {HANG_S} s"
    return "" if done.returncode == 0 else f"exit {done.returncode}\n{done.stderr[-4000:]}"


def shortest(clinic: Path, numbers: list[tuple[int, int]], told: str) -> list[tuple[int, int]]:
    """As few of the events as still end in the same last line (delta debugging, Zeller 2002)."""
    last, parts = told.strip().splitlines()[-1], 2
    while len(numbers) > 1:
        size = max(1, len(numbers) // parts)
        pieces = [numbers[n : n + size] for n in range(0, len(numbers), size)]
        fewer = None
        for n in range(len(pieces)):
            rest = [one for m, piece in enumerate(pieces) if m != n for one in piece]
            if rest and last in trial(clinic, rest):
                fewer = rest
                break
        if fewer is not None:
            numbers, parts = fewer, max(2, parts - 1)
        elif size == 1:
            break
        else:
            parts = min(len(numbers), 2 * parts)
    return numbers


@click.command()
@click.option("--events", default=400)
@click.option("--seed", type=int)
@click.option("--times", default=1)
@click.option("--shrink/--no-shrink", default=False)
@click.option("--clinic", type=click.Path(path_type=Path), help="A demo record that is there already.")
@click.option("--inside", type=click.Path(path_type=Path), hidden=True)
@click.option("--list", "listed", type=click.Path(path_type=Path), hidden=True)
def main(
    events: int, seed: int | None, times: int, shrink: bool, clinic: Path | None, inside: Path | None,
    listed: Path | None,
) -> None:  # fmt: skip
    """Hammer, and tell what gave way; exit code 1 where something did."""
    if inside is not None and listed is not None:
        sys.exit(run_once(inside, [tuple(one) for one in json.loads(listed.read_text())]))
    seed, wrong = secrets.randbits(24) if seed is None else seed, 0
    with tempfile.TemporaryDirectory() as folder:
        if clinic is None:
            from tuning.demo.clinic import build_clinic

            clinic = Path(folder) / "clinic"
            build_clinic(clinic)
        for one in range(seed, seed + times):
            draw = random.Random(one)
            numbers = [(n, draw.getrandbits(48)) for n in range(events)]
            told = trial(clinic, numbers)
            wrong += bool(told)
            click.echo(f"seed {one}, {events} events: {told or 'nothing gave way'}")
            if told and shrink:
                few = shortest(clinic, numbers, told)
                click.echo(f"the shortest: events {[n for n, _ in few]}")
    sys.exit(1 if wrong else 0)


if __name__ == "__main__":
    main()
