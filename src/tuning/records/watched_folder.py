"""A folder that a phone or a card writes into: what is new in it waits until somebody takes it. It is only read."""

from __future__ import annotations

import time
from collections.abc import Callable, Collection
from contextlib import suppress
from pathlib import Path

from tuning.records.settings import Settings

SEEN = "folder.seen"
"""Setting that holds what was taken or left, so that no window offers it again."""
NEW_S, MOST_SEEN = 12 * 3600.0, 500
"""How old a file is at most to be new: it belongs to the visits of today; how many are remembered (practice judgement,
editable)."""


class WatchedFolder:
    """Looks into a folder; a file counts once it is whole, that is, has not grown since the last look."""

    def __init__(
        self, settings: Settings, is_wanted: Callable[[Path], bool], now: Callable[[], float] = time.time
    ) -> None:
        self._settings, self._is_wanted, self._now = settings, is_wanted, now
        self._last: dict[Path, str] = {}

    def waiting(self, folder: Path) -> list[Path]:
        """What is new there, oldest first; nothing where the folder is gone or cannot be read."""
        there = dict[Path, tuple[float, str]]()
        with suppress(OSError):
            for path in sorted(folder.iterdir()):
                if self._is_wanted(path) and not path.name.startswith("."):
                    with suppress(OSError):  # gone since it was listed
                        stat = path.stat()
                        there[path] = stat.st_mtime, f"{path.name}|{stat.st_size}|{stat.st_mtime_ns}"
        before, self._last = self._last, {path: mark for path, (_, mark) in there.items()}
        seen = set(self._settings.get(SEEN, []))
        new = [
            (age, path)
            for path, (age, mark) in there.items()
            if before.get(path) == mark and mark not in seen and self._now() - age < NEW_S
        ]
        return [path for _, path in sorted(new)]

    def dismiss(self, paths: Collection[Path]) -> None:
        """These do not wait any more. Raises EnvironmentFault where that cannot be kept."""
        marks = [self._last[path] for path in paths if path in self._last]
        self._settings.set(SEEN, [*self._settings.get(SEEN, []), *marks][-MOST_SEEN:])
