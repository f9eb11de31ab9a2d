"""Shared helpers: a fresh demo record, a window on it, small clips with known frames."""

from __future__ import annotations

import fcntl
import hashlib
import os
import shutil
from collections.abc import Callable, Iterator
from fractions import Fraction
from functools import cache
from pathlib import Path
from typing import Any

import av
import chance
import hands
import numpy as np
import pytest
from hypothesis import settings
from hypothesis import strategies as st
from pytestqt.qtbot import QtBot
from pytestqt.wait_signal import SignalBlocker

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
# Untimed: speed is measured in benchmarks, never in tests.
MOST = 100 if chance.FRESH else 40
"""Examples of a law: every run of the same tree draws the same ones, so that more of them find nothing new."""
settings.register_profile("untimed", deadline=None, derandomize=not chance.FRESH, print_blob=True, max_examples=MOST)
settings.load_profile("untimed")


ODD = st.one_of(
    st.none(), st.booleans(), st.integers(), st.floats(), st.text(max_size=8), st.lists(st.integers(), max_size=2),
    st.dictionaries(st.text(max_size=3), st.integers(), max_size=2),
)  # fmt: skip
"""Anything that a field of a file from elsewhere may hold."""


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """Long tests first, shared between the two workers (each begins with one half of the list).

    The second begins with all those that need no demo clinic, while the first builds it.
    """
    long = [item for item in items if item.get_closest_marker("long")]
    rest = [item for item in items if not item.get_closest_marker("long")]
    in_clinic = [item for item in long if "demo_folder" in item.fixturenames]
    elsewhere = [item for item in long if item not in in_clinic]
    half = len(items) // 2 - len(in_clinic)
    later = sorted(rest[half:], key=lambda item: "demo_folder" in item.fixturenames)
    items[:] = [*in_clinic, *rest[:half], *elsewhere, *later]


@pytest.fixture(autouse=True)
def looks_for_markers_only_where_asked(monkeypatch, request):
    """Each opened clip would be searched for stickers: the tests of that say so with a mark."""
    in_window = "window" in request.fixturenames or "open_on" in request.fixturenames
    if in_window and request.node.get_closest_marker("body_model") is None:
        monkeypatch.setattr("tuning.video.suggest.body_model.model_folder", lambda: None)


@pytest.fixture(autouse=True)
def _drawn_anew(request: pytest.FixtureRequest) -> None:
    print(f"seed {chance.begin(request.node.nodeid)}")


@pytest.fixture(autouse=True, scope="session")
def _shipped_clips_are_looked_at_once() -> None:
    """A clip of ours is seen to do no harm in a process of its own once, whatever number of tests open it."""
    from tuning.demo.clips import CLIPS
    from tuning.video.media import safe_open

    always, once = safe_open.trouble, cache(safe_open.trouble)
    ours = {str(clip.path.absolute()) for clip in CLIPS.values()}
    safe_open.trouble = lambda module, path: once(module, path) if path in ours else always(module, path)


class PatientBot(QtBot):
    """Waits for what must happen as long as a busy machine may take."""

    def waitUntil(self, callback: Callable, *, timeout: int = 90_000) -> None:
        super().waitUntil(callback, timeout=timeout)

    def waitSignal(self, signal: Any, *, timeout: int = 90_000, **kwargs: Any) -> SignalBlocker:
        return super().waitSignal(signal, timeout=timeout, **kwargs)


@pytest.fixture
def qtbot(qapp, request: pytest.FixtureRequest) -> QtBot:
    return PatientBot(request)


def built_once(factory: pytest.TempPathFactory, worker_id: str, name: str, build: Callable[[Path], object]) -> Path:
    """What takes long to build, built by whichever worker needs it first."""
    base = factory.getbasetemp()
    shared = base if worker_id == "master" else base.parent
    place, done = shared / name, shared / f"{name}-done"
    with open(shared / f"{name}-lock", "w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        if not done.exists():
            build(place)
            done.touch()
    return place


@pytest.fixture(scope="session")
def demo_folder(tmp_path_factory: pytest.TempPathFactory, worker_id: str) -> Iterator[Path]:
    """The demo clinic. Its media are shared with every copy of it (`copy_of`), so that none may write into them."""
    from tuning.demo.clinic import build_clinic

    folder = built_once(tmp_path_factory, worker_id, "demo-clinic", build_clinic)
    yield folder
    for kept in (path for path in (folder / "media").rglob("*") if path.is_file()):
        assert hashlib.sha256(kept.read_bytes()).hexdigest() == kept.stem, "a test wrote into what all of them share"


def copy_of(clinic: Path, folder: Path) -> Path:
    """A record of one's own, whose media take no room."""

    def linked(name: str, target: str) -> object:
        return os.link(name, target) if "media" in Path(name).parts else shutil.copy2(name, target)

    return Path(shutil.copytree(clinic, folder, copy_function=linked))


@pytest.fixture
def open_on(qtbot) -> Iterator[Callable]:
    """Open a real window on a record folder; closes it after the test."""
    from PyQt6.QtCore import QEvent
    from PyQt6.QtWidgets import QApplication

    from tuning.demo.devices import simulated_devices
    from tuning.devices import NO_DEVICES
    from tuning.ui import theme
    from tuning.ui.app import build_window, open_record

    theme.apply(QApplication.instance())
    shown = []

    def show(folder: Path, kind: str = "practice"):
        window = build_window(
            open_record(folder, kind), lambda of: simulated_devices() if of in ("demo", "practice") else NO_DEVICES
        )
        # Left with something unfinished by a test that failed it would ask, and wait for an answer for ever.
        qtbot.addWidget(window, before_close_func=lambda w: setattr(w, "may_close", lambda: True))
        window.show()
        window.activateWindow()
        qtbot.waitUntil(window.isActiveWindow)
        shown.append(window)
        return window

    yield show
    for window in shown:
        window.close()
        window.deleteLater()
    QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)


@pytest.fixture
def window(open_on, demo_folder: Path, tmp_path: Path):
    """A window on a private copy of the demo clinic."""
    return open_on(copy_of(demo_folder, tmp_path / "clinic"))


@pytest.fixture
def patient(window):
    """Opens a person of the demo clinic by occupation, at a stage: the one where the next step lies is not drawn."""

    def open_patient(occupation: str, stage: str):
        people = {p.occupation: p for p in window.workspace.record.patients()}
        window.leave()
        window.workspace.open_patient(people[occupation])
        window.go(stage)
        return people[occupation]

    return open_patient


@pytest.fixture
def programme(window, patient):
    """Programme of the glassblower: three exercises, six weeks of log."""
    patient("glassblower", "programme")
    hands.settle()
    return window.page("programme")


@pytest.fixture
def page(programme):
    return programme


@pytest.fixture
def course(page):
    return page.state.course


def write_clip(
    target: Path, pictures: list[np.ndarray], times: list[float], quarter_turns: int = 0, **options: str
) -> Path:
    """Encode RGB pictures at given times (s) as H.264; `quarter_turns` goes into the metadata only."""
    with av.open(str(target), "w", options={"movflags": "faststart"}) as container:
        stream = container.add_stream("libx264", rate=30)
        stream.height, stream.width = pictures[0].shape[:2]
        stream.pix_fmt, stream.time_base = "yuv420p", Fraction(1, 90000)
        stream.codec_context.time_base = Fraction(1, 90000)
        stream.options = {"preset": "ultrafast", "crf": "12", **options}
        if quarter_turns:
            stream.set_display_rotation(90 * quarter_turns)
        for pixels, when in zip(pictures, times, strict=True):
            frame = av.VideoFrame.from_ndarray(np.ascontiguousarray(pixels), format="rgb24")
            frame.pts, frame.time_base = round(when * 90000), Fraction(1, 90000)
            container.mux(stream.encode(frame))
        container.mux(stream.encode())
    return target


def numbered(count: int, size: tuple[int, int] = (96, 160), step: int = 3) -> list[np.ndarray]:
    """Pictures whose brightness tells their number, with a dark left upper corner."""
    made = []
    for n in range(count):
        picture = np.full((*size, 3), 40 + step * n, dtype=np.uint8)
        picture[:24, :24] = 0
        made.append(picture)
    return made


@pytest.fixture
def desk(tmp_path: Path):
    """A record of its own, and somebody who writes into it."""
    from desks import Desk

    made = Desk(tmp_path / "record")
    yield made
    made.record.close()


@pytest.fixture
def weak_keys(monkeypatch, tmp_path):
    """Keys that are stretched in no time, as many are made; a program in which nobody has told a passphrase."""
    from tuning.records import keys

    monkeypatch.setattr(keys, "OPS", 1)
    monkeypatch.setattr(keys, "MEMORY", 1 << 20)
    monkeypatch.setattr(keys, "IN_MEMORY", tmp_path / "no such place")
    keys.forget()
    yield
    keys.forget()


@pytest.fixture(scope="module")
def clinic(demo_folder, tmp_path_factory) -> Path:
    """The demo clinic, one for a module."""
    return copy_of(demo_folder, tmp_path_factory.mktemp("travel") / "clinic")


@pytest.fixture
def record(clinic, tmp_path):
    """The demo clinic, one for a test."""
    from tuning.records import Record

    opened = Record(copy_of(clinic, tmp_path / "clinic"))
    yield opened
    opened.close()


def case_of(record, occupation: str):
    """The newest visit of somebody of the demo clinic."""
    patient = next(p for p in record.patients() if p.occupation == occupation)
    return record.case(patient.uid, record.visits(patient)[-1].uid)
