"""How pictures come in: a file or a recording of the live camera, copied into the record off the interface thread."""

from __future__ import annotations

import shutil
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QInputDialog, QWidget

from tuning.core.case import Case
from tuning.core.entries import Capture
from tuning.core.errors import DeviceFault, TuningError
from tuning.core.picture_views import PICTURE_KINDS, kind_seen
from tuning.core.types import Role
from tuning.core.units import sentence_case
from tuning.devices import SimulatedSubject, map_device_errors
from tuning.knowledge.gate_acts import act_of_picture
from tuning.records.media import StoredFile
from tuning.ui.jobs import Job
from tuning.ui.workspace import Workspace
from tuning.video import PictureSource, open_source
from tuning.video.media.safe_open import look_at

FILES = "Photographs and clips (*.jpg *.jpeg *.png *.tif *.tiff *.webp *.mp4 *.mov *.m4v *.avi *.webm *.mkv)"


@dataclass(frozen=True)
class CameraRecording:
    """What the live camera wrote, and the plates beside it; removed once it is kept."""

    clip: Path
    plates: Path | None
    reason: str
    """Why it was filmed although the gate asked."""


@dataclass(frozen=True)
class OpenedFile:
    """Result of opening a file off the interface thread."""

    source: PictureSource
    kept: StoredFile
    kind: str
    case: Case
    """The case it was opened for, whatever is open when it comes."""
    filmed: CameraRecording | None


@dataclass(frozen=True)
class ImportedPicture:
    """A picture of the open visit, kept and ready to show; `plates` ran with it."""

    capture: Capture
    source: PictureSource
    plates: Path | None


def _as_seen(source: PictureSource, kind_id: str) -> str:
    """The kind of picture that an open file is, of the stage of this one."""
    from tuning.video.suggest.api import view_in

    return kind_seen(PICTURE_KINDS[kind_id].stage, view_in(source), kind_id)


def _where(filmed: CameraRecording | None) -> str:
    """Where a recording lies that could not be kept."""
    return f" The recording lies in {filmed.clip}." if filmed is not None else ""


class PictureImporter(QObject):
    """Takes pictures in; tells about background work, refusals, and each picture that the open visit now has."""

    job_started = pyqtSignal(object)
    refused = pyqtSignal(str)

    def __init__(self, workspace: Workspace, show: Callable[[ImportedPicture], None], window: QWidget) -> None:
        super().__init__(window)
        self._workspace, self._show, self._window = workspace, show, window

    def refuses(self) -> bool:
        """Whether the patient did not agree to pictures; says so."""
        refusal = self._workspace.film_refused()
        if refusal:
            self.refused.emit(f"{refusal}.")
        return bool(refusal)

    def ask_file(self, kind_id: str) -> None:
        """Let the user choose a file."""
        title = f"Open: {PICTURE_KINDS[kind_id].title}"
        found, _ = QFileDialog.getOpenFileName(self._window, title, "", FILES)
        if found:
            self.open_file(Path(found), kind_id)

    def open_file(self, path: Path, kind_id: str, filmed: CameraRecording | None = None, as_seen: bool = False) -> None:
        """Check, copy and open a file in the background, for the case that is open now; `as_seen` as the kind of the
        same stage that shows the person from where this one does."""
        media, case = self._workspace.record.media, self._workspace.case
        if case is None or self.refuses():
            if filmed is not None:  # consent was taken back while it was filmed
                shutil.rmtree(filmed.clip.parent, ignore_errors=True)
            return

        def work(tick: Callable[[float], None]) -> OpenedFile:
            try:
                look_at(path)
                kept = media.keep(path, tick)
                source = open_source(media.lent(kept), path.name)
                kind = _as_seen(source, kind_id) if as_seen else kind_id
            except TuningError as err:
                err.args = (f"{err}{_where(filmed)}",)
                raise
            return OpenedFile(source, kept, kind, case, filmed)

        job = Job(f"Opening {path.name}", work, case)
        job.done.connect(self._keep)
        self.job_started.emit(job)

    def _keep(self, opened: OpenedFile) -> None:
        """Into the visit it was opened for; on screen only while that visit is open."""
        space, filmed, shown = self._workspace, opened.filmed, False
        try:
            assert space.person is not None
            medium = space.record.medium(opened.kept, space.person)
            with space.action(f"open {medium.name}", opened.case) as act:
                made_up, reason = filmed is not None and space.devices.simulated, filmed.reason if filmed else ""
                capture = act.add(Capture(medium, view=opened.kind, simulated=made_up, reason=reason))
            if space.case is not None and space.case.entry(capture.uid) is not None:
                self._show(ImportedPicture(capture, opened.source, filmed.plates if filmed else None))
                shown = True
            if filmed is not None:  # it is in the record now; what the camera wrote is not needed any more
                shutil.rmtree(filmed.clip.parent, ignore_errors=True)
        except TuningError as err:
            self.refused.emit(f"{err}{_where(filmed)}")
        finally:
            if not shown:
                opened.source.close()

    def live(self, kind: str) -> None:
        """The camera; a recording is opened as a clip of this kind."""
        # The tracker and the decoder are slow to load and not needed for the first window.
        from tuning.ui.picture.live import LiveDialog

        patient, devices = self._workspace.patient, self._workspace.devices
        if patient is None or self.refuses():
            return
        if devices.camera is None:
            self.refused.emit("There is no camera here; film with another device and open the file.")
            return
        reason = self._reason_for(kind)
        if reason is None:
            return
        who = SimulatedSubject(patient.occupation, patient.body_mass_kg or 75.0)
        try:
            with map_device_errors("camera"):
                camera = devices.camera(kind)
                plates = devices.plates_beside(who, kind, camera) if devices.plates_beside is not None else None
        except DeviceFault as err:
            self.refused.emit(f"{err}.")
            return
        dialog = LiveDialog(self._window, camera, plates)
        dialog.exec()
        if dialog.recorded is not None:
            self.open_file(dialog.recorded, kind, CameraRecording(dialog.recorded, dialog.pressed, reason))

    def _reason_for(self, kind: str) -> str | None:
        """Why it is filmed although the gate asks, empty where it does not; None where it is not filmed now."""
        answer = self._workspace.may(act_of_picture(self._workspace.knowledge, kind))
        if answer.locked or (answer.asks and self._workspace.role is not Role.CLINICIAN):
            self.refused.emit(f"Not now: {answer.sentence}.")
            return None
        if not answer.asks:
            return ""
        question = f"{sentence_case(answer.sentence)}. Your reason:"
        text, given = QInputDialog.getText(self._window, "Reason for filming", question)
        if not given or not text.strip():
            self.refused.emit("Not filmed: without a reason the camera stays closed.")
            return None
        return text.strip()
