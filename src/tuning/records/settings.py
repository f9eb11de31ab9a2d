"""Clinic settings and own templates: one small JSON file beside the record, written whole or not at all."""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any

from tuning.records.files import held, write_whole


class Settings:
    """Values by key, read anew when another window has written. What cannot be read counts as not set."""

    def __init__(self, folder: Path) -> None:
        self.file = folder / "settings.json"
        self.told: Callable[[str, Any, Any], None] = lambda key, before, after: None
        """Called after a change with the key, and the values before (None where it was never set) and after."""
        self._values: dict[str, Any] = {}
        self._stamp: tuple[int, int] | None = None
        self._read()

    def _read(self) -> None:
        try:
            stat = self.file.stat()
            stamp = stat.st_mtime_ns, stat.st_size
            if stamp == self._stamp:
                return
            read = json.loads(self.file.read_text(encoding="utf-8"))
        except FileNotFoundError:
            self._values, self._stamp = {}, None
        except (OSError, ValueError):
            self._values = {}
        else:
            self._values, self._stamp = (read if isinstance(read, dict) else {}), stamp

    def get(self, key: str, default: Any) -> Any:
        """The value, or the default when it was never set or has another type."""
        self._read()
        value = self._values.get(key, default)
        return value if isinstance(value, type(default)) else default

    @property
    def values(self) -> Mapping[str, Any]:
        """Everything that was ever set."""
        self._read()
        return dict(self._values)

    def set(self, key: str, value: Any) -> None:
        """Keep a value beside those that others have set. Raises EnvironmentFault; the old file stays then."""
        with held(self.file.parent, "settings"):
            self._stamp = None
            self._read()
            self._keep_unreadable()
            before = self._values.get(key)
            values = {**self._values, key: value}
            write_whole(self.file, json.dumps(values, ensure_ascii=False, indent=1).encode())
            self._read()
        if before != value:
            self.told(key, before, value)

    def _keep_unreadable(self) -> None:
        """A file that nobody can read is put aside before it is written over."""
        if self._stamp is None and self.file.exists():
            self.file.replace(self.file.with_suffix(".unreadable"))
