"""What the clinic prefers, and the line in the trail for every change of it."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from dataclasses import replace
from typing import Any

from tuning.core.case import Person
from tuning.core.preferences import BAND, BY_KEY, Preferences, with_bands
from tuning.knowledge import Knowledge
from tuning.records import Record
from tuning.records.settings import Settings


class ClinicSettings:
    """Settings of the clinic over the shipped knowledge."""

    def __init__(
        self, record: Record, settings: Settings, shipped: Knowledge, person: Callable[[], Person | None]
    ) -> None:
        self._record, self._settings, self.shipped, self._person = record, settings, shipped, person
        self._reason = ""
        self._known: tuple[Knowledge, Mapping[str, Any], Knowledge] | None = None
        settings.told = self._log

    def knowledge(self) -> Knowledge:
        """The knowledge with what the clinic prefers in it; the same object while nothing of it changes."""
        values = {key: value for key, value in self._settings.values.items() if key in BY_KEY or key.startswith(BAND)}
        if self._known is None or self._known[0] is not self.shipped or self._known[1] != values:
            measures = with_bands(self.shipped.measures, values)
            if measures == self.shipped.measures:
                measures = self.shipped.measures
            made = replace(self.shipped, measures=measures, preferences=Preferences(values))
            self._known = self.shipped, values, made
        return self._known[2]

    @contextmanager
    def because(self, reason: str) -> Iterator[None]:
        """Whatever is set within is logged with a reason."""
        self._reason = reason.strip()
        try:
            yield
        finally:
            self._reason = ""

    def _log(self, key: str, before: Any, after: Any) -> None:
        """Preferences and bands stand in the trail; how a window was left does not."""
        person = self._person()
        if person is None or not (key in BY_KEY or key.startswith(BAND)):
            return
        known = BY_KEY[key].default if key in BY_KEY and before is None else before
        reason = {"reason": self._reason} if self._reason else {}
        self._record.note(person, "setting", key, before=known, after=after, **reason)
