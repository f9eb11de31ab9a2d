"""Clinic settings and own templates: one small JSON file beside the record, written whole or not at all."""

from __future__ import annotations

import json
import os
import tempfile
from pathlib import Path
from typing import Any

from tuning.records.faults import told_as_fault


class Settings:
    """Values by key. What cannot be read counts as not set; the file is kept under another name."""

    def __init__(self, folder: Path) -> None:
        self.file = folder / "settings.json"
        self._values: dict[str, Any] = {}
        try:
            read = json.loads(self.file.read_text(encoding="utf-8"))
            self._values = read if isinstance(read, dict) else {}
        except FileNotFoundError:
            pass
        except (OSError, ValueError):
            self.file.replace(self.file.with_suffix(".unreadable"))

    def get(self, key: str, default: Any) -> Any:
        """The value, or the default when it was never set or has another type."""
        value = self._values.get(key, default)
        return value if isinstance(value, type(default)) else default

    def set(self, key: str, value: Any) -> None:
        """Keep a value. Raises EnvironmentFault when it cannot be written; the old file stays."""
        values = {**self._values, key: value}
        folder = self.file.parent
        with told_as_fault(folder):
            handle, name = tempfile.mkstemp(dir=folder, suffix=".part")
            try:
                with os.fdopen(handle, "w", encoding="utf-8") as out:
                    json.dump(values, out, ensure_ascii=False, indent=1)
                    out.flush()
                    os.fsync(out.fileno())
                os.replace(name, self.file)
            except BaseException:
                Path(name).unlink(missing_ok=True)
                raise
        self._values = values
