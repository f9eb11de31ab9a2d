"""The passphrase on screen: asked at the start and after a while without a touch, set, changed, taken off."""

from __future__ import annotations

import time
from collections.abc import Callable, Sequence
from pathlib import Path

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QCloseEvent
from PyQt6.QtWidgets import QApplication, QDialog, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from tuning.core.errors import BadInput, TuningError
from tuning.records import encryption, key_recovery, keys
from tuning.ui import theme
from tuning.ui.widgets import TextField, button, label

Tick = Callable[[float], None]
Deed = Callable[[Path, Tick], str]
"""What is done to a record that is closed; the recovery code to write down, or nothing."""


class AskPassphrase(QWidget):
    """One field; Enter opens. What was wrong is said beside it.

    `copies` are backups that may hold the key file where the one of the folder is damaged or another record's.
    """

    def __init__(
        self, folder: Path, opened: Callable[[], object], copies: Sequence[Path] = (), wrong: str = ""
    ) -> None:
        super().__init__()
        self._folder, self._opened, self._copies = folder, opened, copies
        self.field, self.words = _secret("Passphrase or recovery code"), label("", role="caution", wrap=True)
        self.field.returnPressed.connect(self.try_it)
        self.words.setAlignment(Qt.AlignmentFlag.AlignCenter)
        row = QHBoxLayout()
        row.addStretch(1)
        row.addWidget(self.field)
        row.addWidget(button("Open", self.try_it, "primary"))
        row.addStretch(1)
        column = QVBoxLayout(self)
        column.addStretch(2)
        head = label("This record is protected", theme.LARGE)
        head.setAlignment(Qt.AlignmentFlag.AlignCenter)
        column.addWidget(head)
        column.addLayout(row)
        column.addWidget(self.words)
        column.addStretch(3)
        self.setFocusProxy(self.field)
        self.words.setText(wrong)

    def try_it(self) -> None:
        """Open with what was typed, or say that it is wrong."""
        QApplication.setOverrideCursor(Qt.CursorShape.WaitCursor)
        self.words.setText("Checking …")
        self.repaint()
        begun = time.monotonic()
        try:
            self._open()
        except TuningError as err:
            took = time.monotonic() - begun
            self.words.setText(f"{err} Each try takes about {took:.1f} s on this machine, so that guessing is slow.")
            self.field.selectAll()
            return
        finally:
            QApplication.restoreOverrideCursor()
        self.field.clear()
        self.words.clear()
        self._opened()

    def _open(self) -> None:
        """By the key file of the folder, else by that of a backup. Raises TuningError where neither opens it."""
        words, wrong = self.field.text(), None
        try:
            keys.unlock(self._folder, words)
            if key_recovery.fits(self._folder):
                return
        except (BadInput, keys.DamagedKey) as err:
            wrong = err
        if key_recovery.bring_back(self._folder, self._copies, words) is None:
            raise wrong or keys.DamagedKey("The key file belongs to another record, and no backup has one that fits.")


class Lock(QDialog):
    """Lies over a window of a protected record until the passphrase is typed; nothing else of the program shows."""

    def __init__(self, over: QWidget, folder: Path) -> None:
        super().__init__(over, Qt.WindowType.Dialog | Qt.WindowType.FramelessWindowHint)
        self.setObjectName("paper")
        self.setWindowModality(Qt.WindowModality.ApplicationModal)
        self.setGeometry(over.window().geometry())  # type: ignore[union-attr]
        self.asks = AskPassphrase(folder, self.accept)
        QVBoxLayout(self).addWidget(self.asks)
        self.veils = [WindowCover(w) for w in QApplication.topLevelWidgets() if w.isVisible() and w is not self]
        self.finished.connect(self._lift)
        self.asks.field.setFocus()

    def _lift(self) -> None:
        for veil in self.veils:
            veil.hide()
            veil.deleteLater()

    def reject(self) -> None:
        """Esc opens nothing."""

    def closeEvent(self, event: QCloseEvent | None) -> None:
        """Nor does closing."""
        if event is not None:
            event.ignore()


class WindowCover(QWidget):
    """Paper over a whole window, however it is resized: hiding a dialog would end it."""

    def __init__(self, over: QWidget) -> None:
        super().__init__(over)
        self.setObjectName("paper")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        over.installEventFilter(self)
        self.setGeometry(over.rect())
        self.show()
        self.raise_()

    def eventFilter(self, over: QObject | None, event: QEvent | None) -> bool:
        """The window was resized."""
        if isinstance(over, QWidget) and event is not None and event.type() == QEvent.Type.Resize:
            self.setGeometry(over.rect())
        return False


class ProtectionDialog(QDialog):
    """Protect a record, or change the passphrase or take it off; what will be done is in `deed`."""

    def __init__(self, parent: QWidget, folder: Path) -> None:
        super().__init__(parent)
        self.setWindowTitle("Protection")
        self.deed: Deed | None = None
        self._folder, self._protected = folder, keys.read(folder) is not None
        self.before, self.after, self.again = (_secret(name) for name in ("Passphrase now", "New passphrase", "Again"))
        column = QVBoxLayout(self)
        column.setContentsMargins(24, 20, 24, 20)
        column.setSpacing(10)
        column.addWidget(label("Passphrase of this record", theme.LARGE))
        column.addWidget(label(PROTECTED if self._protected else OPEN, wrap=True))
        if self._protected:
            column.addWidget(self.before)
        column.addWidget(self.after)
        column.addWidget(self.again)
        self.words = label("", role="caution", wrap=True)
        column.addWidget(self.words)
        row = QHBoxLayout()
        if self._protected:
            row.addWidget(button("Take the passphrase off", self.take_off, "link"))
        row.addStretch(1)
        row.addWidget(button("Cancel", self.reject))
        keep = button("Change it" if self._protected else "Protect the record", self.keep, "primary")
        keep.setDefault(True)
        row.addWidget(keep)
        column.addLayout(row)
        self.resize(620, 360)

    def keep(self) -> None:
        """Protect, or change."""
        before, after = self.before.text(), self.after.text()
        if after != self.again.text():
            self.words.setText("The two are not the same.")
            return
        if len(after.strip()) < keys.LEAST:
            self.words.setText(f"It needs {keys.LEAST} characters at least; several words are easier to keep.")
            return
        if self._protected:
            self._end(lambda folder, _: keys.change(folder, before, after))
        else:
            self._end(lambda folder, tick: encryption.protect(folder, after, tick))

    def take_off(self) -> None:
        """Open everything up."""
        before = self.before.text()

        def deed(folder: Path, tick: Tick) -> str:
            """No code to tell."""
            encryption.open_up(folder, before, tick)
            return ""

        self._end(deed)

    def _end(self, deed: Deed) -> None:
        """Done where the present passphrase is right."""
        try:
            if self._protected:
                keys.unlock(self._folder, self.before.text())
        except BadInput as err:
            self.words.setText(str(err))
            return
        self.deed = deed
        self.accept()


class CodeDialog(QDialog):
    """The recovery code, told once."""

    def __init__(self, parent: QWidget, code: str) -> None:
        super().__init__(parent)
        self.setWindowTitle("Recovery code")
        column = QVBoxLayout(self)
        column.setContentsMargins(24, 20, 24, 20)
        column.setSpacing(12)
        column.addWidget(label("Write this down now; it is not shown again", theme.LARGE))
        self.code = TextField(code)
        self.code.setReadOnly(True)
        self.code.setFont(theme.font(theme.LARGE))
        self.code.setAccessibleName("Recovery code")
        column.addWidget(self.code)
        column.addWidget(label(CODE, wrap=True))
        done = button("It is written down", self.accept, "primary")
        row = QHBoxLayout()
        row.addStretch(1)
        row.addWidget(done)
        column.addLayout(row)
        self.resize(640, 300)


OPEN = (
    "Everybody who can read this disk can read the record. With a passphrase the database and every kept file are "
    "sealed; it is asked at the start, and to lift the cover after a while without a touch. Backups taken from then on "
    "are sealed with it; earlier backups, exports and letters on other disks stay as they are. Without the passphrase "
    "and without the recovery code, which is told once, nobody can open the record again."
)
PROTECTED = (
    "The database and every stored file are sealed. Changing the passphrase issues a new recovery code; the old one "
    "stops working. Backups keep the passphrase that they were taken with."
)
CODE = (
    "It opens the record where the passphrase is forgotten. Keep it on paper, apart from this machine. Upper and lower "
    "case, blanks and hyphens do not matter."
)


def _secret(name: str) -> QLineEdit:
    field = TextField()
    field.setEchoMode(QLineEdit.EchoMode.Password)
    field.setPlaceholderText(name)
    field.setAccessibleName(name)
    field.setMinimumWidth(360)
    return field
