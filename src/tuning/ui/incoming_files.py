"""Photographs, clips and home logs that come in by themselves: dropped, pasted, or waiting in a watched folder."""

from __future__ import annotations

import tempfile
from collections.abc import Callable, Sequence
from datetime import datetime
from functools import partial
from pathlib import Path
from typing import Protocol

from PyQt6.QtCore import QMimeData, QSize, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QIcon, QImage, QPixmap
from PyQt6.QtWidgets import QHBoxLayout, QToolButton, QWidget

from tuning.core.picture_views import STAGE_OF_CLIPS, STAGE_OF_PHOTOGRAPHS
from tuning.core.preferences import WATCHED_FOLDER
from tuning.records.watched_folder import WatchedFolder
from tuning.scratch import scratch
from tuning.ui import theme
from tuning.ui.jobs import Job
from tuning.ui.widgets import button, clear_layout, label
from tuning.ui.workspace import Workspace
from tuning.video.media.safe_open import look_at
from tuning.video.media.source import ACCEPTED, CLIP_SUFFIXES, PHOTO_SUFFIXES

SUFFIXES, LOG_SUFFIX, LOG_NAME = (*PHOTO_SUFFIXES, *CLIP_SUFFIXES), ".json", "home-log"
STAGE_OF_LOGS = "programme"
THUMBNAIL, SHOWN, LOOK_MS = QSize(96, 54), 5, 3000
"""Size of a picture in the tray, px; how many are shown; time between two looks into the folder."""


class PictureStages(Protocol):
    """What the window does with a file that came in."""

    stage: str

    def go(self, stage_id: str) -> None:
        """Open a stage."""

    def open_file(self, path: Path) -> bool:
        """Give it to the open page; False where that takes none."""


def files_of(data: QMimeData | None) -> list[Path]:
    """Files on this machine that are dragged or were copied; a picture without a file becomes one."""
    if data is None:
        return []
    paths = [Path(url.toLocalFile()) for url in data.urls() if url.isLocalFile()]
    image = data.imageData() if data.hasImage() and not paths else None
    if isinstance(image, QImage) and not image.isNull():
        path = Path(tempfile.mkdtemp(prefix=scratch("pasted"))) / f"pasted {datetime.now():%H.%M.%S}.png"
        if image.save(str(path)):
            return [path]
    return paths


def is_offered(path: Path) -> bool:
    """Whether a file of the watched folder waits to be taken: a picture, or a log as the phone page names it."""
    suffix = path.suffix.lower()
    return suffix in SUFFIXES or (suffix == LOG_SUFFIX and path.name.startswith(LOG_NAME))


def _why_not(space: Workspace, paths: Sequence[Path]) -> str:
    """Why no file is taken now; empty where one may be. Asked before anything is copied, so that nothing is left."""
    if space.case is None:
        return "Open the person first; then drop the files again"
    if space.reading:
        return "This visit is open to read; begin a new one (Ctrl+Shift+N), then drop the files again"
    return space.film_refused() if any(path.suffix.lower() in SUFFIXES for path in paths) else ""


def take_files(paths: Sequence[Path], space: Workspace, window: PictureStages) -> list[Path]:
    """Open files in the visit: on the open page where it has pictures, else where their kind belongs. Those that were
    taken; what was not is said."""
    refusal = _why_not(space, paths)
    if refusal:
        space.refused.emit(f"{refusal}.")
        return []
    taken, strange = list[Path](), list[str]()
    for path in paths:
        suffix = path.suffix.lower()
        if (suffix not in SUFFIXES and suffix != LOG_SUFFIX) or not path.is_file():
            strange.append(path.name)
        elif suffix in SUFFIXES and window.open_file(path):
            taken.append(path)
        else:
            stage = _stage_of(suffix)
            window.go(stage)
            if window.stage != stage:  # the gate said why
                break
            taken += [path] * window.open_file(path)
    if strange:
        space.refused.emit(f"Not opened: {', '.join(strange)}. What can be opened is {ACCEPTED}, and home logs.")
    return taken


def _stage_of(suffix: str) -> str:
    """Where a kind of file belongs."""
    if suffix == LOG_SUFFIX:
        return STAGE_OF_LOGS
    return STAGE_OF_CLIPS if suffix in CLIP_SUFFIXES else STAGE_OF_PHOTOGRAPHS


class Tray(QWidget):
    """New files of the watched folder while somebody is open: a click takes one, a key all of them."""

    taken = pyqtSignal(list)
    job_started = pyqtSignal(object)

    def __init__(self, space: Workspace) -> None:
        super().__init__()
        self._space = space
        self._watched = WatchedFolder(space.settings, is_offered)
        self.paths: list[Path] = []
        self.buttons: dict[Path, QToolButton] = {}
        self._icons: dict[Path, QIcon] = {}
        self._row = QHBoxLayout(self)
        self._row.setContentsMargins(16, 6, 16, 6)
        self._row.setSpacing(12)
        self.setAccessibleName("New files")
        self._timer = QTimer(self)
        self._timer.setInterval(LOOK_MS)
        self._timer.timeout.connect(self.refresh)
        self._timer.start()
        self.hide()

    def stop(self) -> None:
        """Look no more."""
        self._timer.stop()

    @property
    def folder(self) -> Path | None:
        """The watched folder, where one is set."""
        text = str(self._space.prefer(WATCHED_FOLDER)).strip()
        return Path(text) if text else None

    def refresh(self) -> None:
        """See what is new."""
        folder = self.folder
        paths = self._watched.waiting(folder) if folder is not None else []
        if paths != self.paths:
            self.paths = paths
            self._icons = {path: icon for path, icon in self._icons.items() if path in paths}
            self._fill()
        self.setVisible(bool(self.paths) and self._space.case is not None and not self._space.reading)

    def _fill(self) -> None:
        clear_layout(self._row)
        self.buttons = {}
        count, folder = len(self.paths), self.folder
        if not count or folder is None:
            return
        files = "1 new file" if count == 1 else f"{count} new files"
        self._row.addWidget(label(f"{files} in “{folder.name}”", theme.BODY, bold=True))
        for path in self.paths[:SHOWN]:
            self.buttons[path] = self._offer(path)
            self._row.addWidget(self.buttons[path])
        if count > SHOWN:
            self._row.addWidget(label(f"and {count - SHOWN} more", role="muted"))
        self._row.addStretch(1)
        words = "Take it" if count == 1 else f"Take all {count}"
        self._row.addWidget(button(words, self.take_all, "primary", "Into this visit (Ctrl+Shift+V)"))
        self._row.addWidget(button("Not now", self.leave, tip="They stay in their folder and are not offered again"))

    def _offer(self, path: Path) -> QToolButton:
        offer = QToolButton()
        offer.setText(path.name)
        offer.setToolTip(f"{path.name}, {datetime.fromtimestamp(path.stat().st_mtime):%H:%M}: take it into this visit")
        offer.setAccessibleName(f"Take {path.name}")
        offer.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextUnderIcon)
        offer.setIconSize(THUMBNAIL)
        offer.setFont(theme.font(theme.SMALL))
        offer.clicked.connect(partial(self.take, [path]))
        if path in self._icons:
            offer.setIcon(self._icons[path])
        elif path.suffix.lower() in SUFFIXES:
            job = Job(f"Looking at {path.name}", partial(_thumbnail, path))
            job.done.connect(partial(self._show_thumbnail, path))
            self.job_started.emit(job)
        return offer

    def _show_thumbnail(self, path: Path, image: QImage) -> None:
        self._icons[path] = QIcon(QPixmap.fromImage(image))
        if path in self.buttons:
            self.buttons[path].setIcon(self._icons[path])

    def take_all(self) -> None:
        """All that wait, into the open visit."""
        self.take(self.paths)

    def take(self, paths: Sequence[Path], *_: object) -> None:
        """Some of them, into the open visit."""
        if self.isVisible():
            self.taken.emit(list(paths))

    def leave(self) -> None:
        """None of them is of this visit."""
        self.dismiss(self.paths)

    def dismiss(self, paths: Sequence[Path]) -> None:
        """These wait no more."""
        with self._space.trying():
            self._watched.dismiss(paths)
        self.refresh()


def _thumbnail(path: Path, tick: Callable[[float], None]) -> QImage:
    """A frame from the middle of a file, small."""
    # decoders are slow to load and not needed for the first window
    from tuning.ui.picture.frames import to_image
    from tuning.video import open_source

    look_at(path)
    source = open_source(path)
    try:
        image = to_image(source.frame(len(source.times) // 2))
    finally:
        source.close()
    tick(1.0)
    return image.scaled(THUMBNAIL, Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation)
